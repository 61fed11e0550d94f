//! Kinds of places: what a picture on a page is for.

use serde::Deserialize;

/// What a place on a page is for.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize, serde::Serialize,
)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum PlaceKind {
    /// In the page's header.
    Header,
    /// Between the text.
    Text,
    /// Behind other content.
    Background,
    /// In a card of a list.
    Card,
    /// Small, and leading to something larger.
    Thumbnail,
    /// An icon of the page.
    Icon,
}

impl PlaceKind {
    /// Every kind.
    pub const ALL: [Self; 6] =
        [Self::Header, Self::Text, Self::Background, Self::Card, Self::Thumbnail, Self::Icon];

    /// Its name in the API and in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Header => "header",
            Self::Text => "text",
            Self::Background => "background",
            Self::Card => "card",
            Self::Thumbnail => "thumbnail",
            Self::Icon => "icon",
        }
    }

    /// The kind called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.name() == name)
    }
}

//! The check: what is wrong with the icons that a site has, and what is missing for which kind of device.
//!
//! - [`trouble`]: what can be wrong with one; [`lack`]: what can be missing.

pub mod lack;
#[cfg(test)]
mod samples;
pub mod trouble;

use serde::{Deserialize, Serialize};

use crate::geometry::Size;
use crate::units::Bytes;
use lack::{ToldLack, lacks};
use trouble::{ToldTrouble, troubles};

/// Icons of a site beyond which nobody can tell what is shown.
const MANY: usize = 15;

/// Who names an icon.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(tag = "by", content = "at", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum NamedBy {
    /// A page, at this address.
    Page(String),
    /// The manifest.
    Manifest,
    /// Nobody: browsers ask for it by themselves.
    WellKnown,
}

/// What an icon is named as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum NamedAs {
    /// An icon of the page.
    Icon,
    /// One for home screens.
    Touch,
    /// One of the manifest, for any use.
    Installed,
    /// One that launchers cut to a shape.
    Maskable,
    /// One that launchers tint.
    Monochrome,
    /// The picture of a shared link.
    Sharing,
}

impl NamedAs {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Icon => "icon",
            Self::Touch => "home screen icon",
            Self::Installed => "manifest icon",
            Self::Maskable => "maskable icon",
            Self::Monochrome => "monochrome icon",
            Self::Sharing => "sharing picture",
        }
    }
}

/// What a host answered for an icon.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconAnswer {
    /// The HTTP status; 200 of a data URL.
    pub status: u16,
    /// The media type, as it was sent.
    pub media_type: String,
    /// What it weighs.
    pub bytes: Bytes,
    /// For how many seconds browsers keep it; nothing where the host does not say. A data URL comes with its page.
    pub kept: Option<u64>,
}

/// An icon that was looked at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconFound {
    /// Its address, shortened where it is a data URL.
    pub address: String,
    /// What it is named as.
    pub named_as: NamedAs,
    /// Who names it, without doubles.
    pub named_by: Vec<NamedBy>,
    /// How often the first page names it.
    pub times: usize,
    /// The pixels that it is said to have; none of a drawing (`any`), or where nothing is said.
    pub said: Vec<Size>,
    /// The host that it is on, where that was not entered: it was not asked for then.
    pub elsewhere: Option<String>,
    /// What the host answered; nothing where it did not.
    pub answer: Option<IconAnswer>,
    /// Its pixels: one size, or those inside an ICO; none where it is no picture.
    pub sizes: Vec<Size>,
    /// The media type that its bytes say; nothing where they are no picture.
    pub is: Option<String>,
    /// Whether it was enlarged from a smaller one.
    pub is_enlarged: bool,
}

/// An icon with what is wrong with it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CheckedIcon {
    /// What was found.
    #[serde(flatten)]
    pub found: IconFound,
    /// What it is named as, in words.
    pub words: String,
    /// What is wrong with it.
    pub troubles: Vec<ToldTrouble>,
    /// How it looks: a PNG as a data URL; nothing where it is no picture.
    pub picture: Option<String>,
}

impl CheckedIcon {
    /// `found`, judged.
    pub fn new(found: IconFound, picture: Option<String>) -> Self {
        let troubles = troubles(&found).into_iter().map(ToldTrouble::from).collect();
        Self { words: found.named_as.words().to_owned(), found, troubles, picture }
    }
}

/// A page that was not read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct UnreadPage {
    /// Its address.
    pub page: String,
    /// Why.
    pub reason: String,
}

/// What the icons of a site came to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconReport {
    /// Pages that were read.
    pub pages: Vec<String>,
    /// Those of them that name no icon, where others do.
    pub silent: Vec<String>,
    /// Pages that were not.
    pub unread: Vec<UnreadPage>,
    /// What is wrong with the manifest; nothing where there is none, or nothing is.
    pub manifest: Option<String>,
    /// Every icon that is named.
    pub icons: Vec<CheckedIcon>,
    /// What is missing.
    pub lacks: Vec<ToldLack>,
    /// Whether so many are named that nobody can tell which one is shown.
    pub are_many: bool,
}

impl IconReport {
    /// What `icons` come to, of `pages` of which those of `silent` name none; `manifest` tells whether there is one, or
    /// why it cannot be read.
    pub fn new(
        pages: Vec<String>,
        silent: Vec<String>,
        unread: Vec<UnreadPage>,
        manifest: Result<bool, String>,
        icons: Vec<CheckedIcon>,
    ) -> Self {
        let found: Vec<IconFound> = icons.iter().map(|icon| icon.found.clone()).collect();
        let lacks = lacks(&found, manifest == Ok(true)).into_iter().map(|lack| ToldLack {
            lack,
            words: lack.words().to_owned(),
            mend: lack.mend(),
        });
        let lacks = lacks.collect();
        let are_many = are_many(&found);
        Self { pages, silent, unread, manifest: manifest.err(), icons, lacks, are_many }
    }

    /// Whether nothing is wrong, and nothing is missing.
    pub fn is_fine(&self) -> bool {
        let has_trouble = self.icons.iter().any(|icon| !icon.troubles.is_empty());
        let is_read = self.unread.is_empty() && self.silent.is_empty() && self.manifest.is_none();
        !has_trouble && is_read && self.lacks.is_empty() && !self.are_many
    }
}

/// Whether a site has so many icons for tabs that nobody can tell which one is shown.
pub fn are_many(found: &[IconFound]) -> bool {
    found.iter().filter(|one| one.named_as == NamedAs::Icon).count() > MANY
}

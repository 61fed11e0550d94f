//! What has to open before a place is seen: places that no layout width shows by itself.

use serde::{Deserialize, Serialize};

/// In what a place is hidden until a visitor opens it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum HiddenIn {
    /// A `<dialog>`, or what has its role.
    Dialog,
    /// An element with `popover`.
    Popover,
    /// A `<details>`.
    Details,
    /// The panel of a tab.
    Tab,
    /// A slide of a carousel.
    Slide,
    /// Anything else that a script or a state of the page shows.
    Part,
}

impl HiddenIn {
    /// When it is seen, as the end of a sentence about a place.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Dialog => "hidden until its dialog opens",
            Self::Popover => "hidden until its popover opens",
            Self::Details => "hidden until its details are opened",
            Self::Tab => "hidden until its tab is chosen",
            Self::Slide => "hidden until its slide comes up",
            Self::Part => "hidden until the page shows it",
        }
    }
}

//! The colours that a file's pixels stand for.

use serde::{Deserialize, Serialize};

/// The colours that the pixels of a file stand for.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ColourSpace {
    /// sRGB, which needs no profile.
    #[default]
    Srgb,
    /// Those of the original's own profile, which goes with them.
    Own,
}

impl ColourSpace {
    /// Whether it is sRGB.
    pub const fn is_srgb(&self) -> bool {
        matches!(self, Self::Srgb)
    }
}

//! Text on a picture: its lines, how it is set, and how well it can be read.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::values::{Colour, Length, Scales, Spot};

/// The most letters that a text may have.
pub const MOST_LETTERS: usize = 1_000;

/// A line or a block of text.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TextBlock {
    /// What it says; line ends are kept.
    pub text: String,
    /// In which font.
    #[serde(default)]
    pub font: Font,
    /// How strong.
    #[serde(default)]
    pub weight: Weight,
    /// The size of the font.
    pub size: Length,
    /// Its colour.
    pub colour: Colour,
    /// Where the block stands.
    pub at: Spot,
    /// How its lines stand in it.
    #[serde(default)]
    pub align: Align,
    /// Lines are broken where they get wider than so much of the frame, 5 to 100 percent.
    #[serde(default = "usual_width")]
    pub width: f64,
    /// From one line to the next, in sizes of the font.
    #[serde(default = "usual_leading")]
    pub leading: f64,
    /// What helps it to stand out.
    #[serde(default)]
    pub behind: Behind,
}

const fn usual_width() -> f64 {
    80.0
}

const fn usual_leading() -> f64 {
    1.25
}

/// A font that ships with the program.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Font {
    /// Source Sans Pro.
    #[default]
    Sans,
    /// Source Serif Pro.
    Serif,
}

/// How strong letters are.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Weight {
    /// 400.
    Regular,
    /// 600; the serif is then bold.
    #[default]
    Semibold,
    /// 700.
    Bold,
}

/// How lines stand in a block.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Align {
    /// At its left.
    #[default]
    Left,
    /// In its middle.
    Middle,
    /// At its right.
    Right,
}

/// What lies between a text and the picture.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Behind {
    /// Nothing.
    #[default]
    Nothing,
    /// A soft shadow of the letters.
    Shadow {
        /// Its colour.
        colour: Colour,
        /// How soft, in sizes of the font, 0 to 1.
        soft: f64,
    },
    /// An even ground.
    Backing {
        /// Its colour.
        colour: Colour,
        /// How much it covers, 0 to 100.
        percent: f64,
        /// How far it reaches beyond the letters, in sizes of the font, 0 to 3.
        room: f64,
    },
}

/// A text that cannot be set.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum TextError {
    /// More letters than [`MOST_LETTERS`].
    #[error(
        "a text of {0} letters is too long for a picture: at most {MOST_LETTERS}; put the rest on \
         the page, where it can be read aloud and found"
    )]
    TooLong(usize),
}

impl TextBlock {
    pub(super) fn check(&self) -> Result<(), TextError> {
        let letters = self.text.chars().count();
        if letters > MOST_LETTERS {
            return Err(TextError::TooLong(letters));
        }
        Ok(())
    }

    /// The contrast that its letters need to be read: 3 where they are large, else 4.5
    /// (WCAG 2.2, 1.4.3).
    pub fn needed_contrast(&self, scales: Scales) -> f64 {
        let css = scales.of(self.size) / scales.css;
        let large = css >= 24.0 || (self.weight != Weight::Regular && css >= 18.66);
        if large { 3.0 } else { 4.5 }
    }
}

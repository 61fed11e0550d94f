//! The values that edits are given in: colours, grounds, lengths and spots.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::units::Density;

/// An opaque sRGB colour, written `#rrggbb`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = String))]
pub struct Colour(pub [u8; 3]);

impl Colour {
    /// Black.
    pub const BLACK: Self = Self([0; 3]);
    /// White.
    pub const WHITE: Self = Self([255; 3]);
}

impl std::fmt::Display for Colour {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let [red, green, blue] = self.0;
        write!(f, "#{red:02x}{green:02x}{blue:02x}")
    }
}

impl std::str::FromStr for Colour {
    type Err = NoColour;

    fn from_str(text: &str) -> Result<Self, NoColour> {
        let digits = text.strip_prefix('#').unwrap_or(text);
        let parse = |part: Option<&str>| u8::from_str_radix(part?, 16).ok();
        let all = [0, 2, 4].map(|at| parse(digits.get(at..at + 2)));
        match all {
            [Some(red), Some(green), Some(blue)] if digits.len() == 6 => {
                Ok(Self([red, green, blue]))
            }
            _ => Err(NoColour(text.to_owned())),
        }
    }
}

impl TryFrom<String> for Colour {
    type Error = NoColour;

    fn try_from(text: String) -> Result<Self, NoColour> {
        text.parse()
    }
}

impl From<Colour> for String {
    fn from(colour: Colour) -> Self {
        colour.to_string()
    }
}

/// A text that names no colour.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("“{0}” is not a colour: write #rrggbb, such as #0b5457")]
pub struct NoColour(pub String);

/// What fills where there is no picture: a colour, or nothing at all.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = String))]
pub struct Ground(
    /// The colour, where there is one.
    pub Option<Colour>,
);

impl Ground {
    /// Nothing; written `transparent`.
    pub const TRANSPARENT: Self = Self(None);

    /// A colour.
    pub const fn of(colour: Colour) -> Self {
        Self(Some(colour))
    }

    /// Straight red, green, blue and alpha.
    pub const fn rgba(self) -> [u8; 4] {
        match self.0 {
            Some(Colour([red, green, blue])) => [red, green, blue, 255],
            None => [0; 4],
        }
    }
}

impl TryFrom<String> for Ground {
    type Error = NoColour;

    fn try_from(text: String) -> Result<Self, NoColour> {
        if text == "transparent" { Ok(Self::TRANSPARENT) } else { text.parse().map(Self::of) }
    }
}

impl From<Ground> for String {
    fn from(ground: Ground) -> Self {
        ground.0.map_or_else(|| "transparent".to_owned(), Self::from)
    }
}

/// A length on a picture that is shown at many sizes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Length {
    /// How many.
    pub px: f64,
    /// Of which pixels.
    pub of: Of,
}

/// Which pixels a length counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Of {
    /// Those of the original: the length scales with the picture.
    Picture,
    /// CSS pixels: the length stays, and each layout width gets a source of its own.
    Css,
}

/// How many pixels of a file one pixel of each kind is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scales {
    /// Of a pixel of the original.
    pub picture: f64,
    /// Of a CSS pixel.
    pub css: f64,
}

impl Scales {
    /// Pixels as they are, for a picture shown in no slot.
    pub const PLAIN: Self = Self { picture: 1.0, css: 1.0 };

    /// A file at `density` whose picture is scaled by `scale`.
    pub const fn new(scale: f64, density: Density) -> Self {
        Self { picture: scale, css: density.get() }
    }

    /// `length` in pixels of the file.
    pub fn of(self, length: Length) -> f64 {
        length.px * if length.of == Of::Css { self.css } else { self.picture }
    }

    /// For a copy of the file that is `factor` times as large.
    pub fn times(self, factor: f64) -> Self {
        Self { picture: self.picture * factor, css: self.css * factor }
    }
}

/// One of nine points of the frame, and how far from it, inwards.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Spot {
    /// Left, middle or right.
    pub across: Along,
    /// Top, middle or bottom.
    pub down: Along,
    /// How far from the side, inwards; from the middle, to the right.
    pub x: Length,
    /// How far from the top or the bottom, inwards; from the middle, down.
    pub y: Length,
}

/// Where along a side.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Along {
    /// At its left or upper end.
    Start,
    /// In its middle.
    Middle,
    /// At its right or lower end.
    End,
}

impl Along {
    /// Where something `length` long begins on a side of `side`, `offset` away.
    pub fn place(self, side: f64, length: f64, offset: f64) -> f64 {
        match self {
            Self::Start => offset,
            Self::Middle => (side - length) / 2.0 + offset,
            Self::End => side - length - offset,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_colour_is_six_hexadecimal_digits_and_nothing_else() {
        assert_eq!("#0b5457".parse(), Ok(Colour([0x0b, 0x54, 0x57])));
        for bad in ["", "#fff", "#12345g", "red", "#1234567", "#ééé"] {
            assert!(bad.parse::<Colour>().is_err(), "{bad}");
        }
        assert_eq!(Ground::try_from("transparent".to_owned()), Ok(Ground::TRANSPARENT));
    }
}

//! Encodings: a format with its quality or its number of colours.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::format::Format;

/// Counts what the encoders and the measure of scores were set to: it goes up whenever the same
/// pixels and the same encoding come to other bytes or another score, so that what was kept from
/// before is made anew.
pub const GENERATION: u16 = 4;

/// How hard a lossy encoder tries to keep detail, from 1 to 100; each format has its own scale.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u8))]
pub struct Quality(u8);

impl Quality {
    /// Where a first try starts: seldom visibly worse, mostly well under budget.
    pub const USUAL: Self = Self(75);
    /// At which pictures are sampled, to tell how heavy they are.
    pub const SAMPLED: Self = Self(80);

    /// A quality from 1 to 100.
    pub fn new(value: u8) -> Result<Self, EncodingError> {
        match value {
            1..=100 => Ok(Self(value)),
            _ => Err(EncodingError::Quality(value)),
        }
    }

    /// Its number.
    pub const fn get(self) -> u8 {
        self.0
    }
}

impl TryFrom<u8> for Quality {
    type Error = EncodingError;

    fn try_from(value: u8) -> Result<Self, EncodingError> {
        Self::new(value)
    }
}

impl From<Quality> for u8 {
    fn from(quality: Quality) -> Self {
        quality.0
    }
}

/// How many colours a palette may have, from 2 to 256.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "u16", into = "u16")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u16))]
pub struct PaletteSize(u16);

impl PaletteSize {
    /// As many as a palette has room for.
    pub const MOST: Self = Self(256);

    /// A number of colours from 2 to 256.
    pub const fn new(value: u16) -> Result<Self, EncodingError> {
        match value {
            2..=256 => Ok(Self(value)),
            _ => Err(EncodingError::PaletteSize(value)),
        }
    }

    /// The number.
    pub const fn get(self) -> u16 {
        self.0
    }
}

impl TryFrom<u16> for PaletteSize {
    type Error = EncodingError;

    fn try_from(value: u16) -> Result<Self, EncodingError> {
        Self::new(value)
    }
}

impl From<PaletteSize> for u16 {
    fn from(colours: PaletteSize) -> Self {
        colours.0
    }
}

/// A format and, where it is lossy, its quality or its colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(tag = "format", content = "quality", rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Encoding {
    /// Progressive JPEG.
    Jpeg(Quality),
    /// Lossy WebP.
    Webp(Quality),
    /// WebP without loss.
    #[serde(rename = "webp-lossless")]
    WebpLossless,
    /// Lossy AVIF.
    Avif(Quality),
    /// PNG without loss.
    Png,
    /// PNG of so many colours.
    #[serde(rename = "png-palette")]
    PngPalette(PaletteSize),
    /// GIF, of 256 colours.
    Gif,
}

impl Encoding {
    /// `format` at `quality`, which PNG and GIF ignore.
    pub const fn new(format: Format, quality: Quality) -> Self {
        match format {
            Format::Jpeg => Self::Jpeg(quality),
            Format::Webp => Self::Webp(quality),
            Format::Avif => Self::Avif(quality),
            Format::Png => Self::Png,
            Format::Gif => Self::Gif,
        }
    }

    /// `format` without loss, where it has such a kind.
    pub const fn lossless(format: Format) -> Option<Self> {
        match format {
            Format::Webp => Some(Self::WebpLossless),
            Format::Png => Some(Self::Png),
            Format::Jpeg | Format::Avif | Format::Gif => None,
        }
    }

    /// Its format.
    pub const fn format(self) -> Format {
        match self {
            Self::Jpeg(_) => Format::Jpeg,
            Self::Webp(_) | Self::WebpLossless => Format::Webp,
            Self::Avif(_) => Format::Avif,
            Self::Png | Self::PngPalette(_) => Format::Png,
            Self::Gif => Format::Gif,
        }
    }

    /// Its quality, where it has one.
    pub const fn quality(self) -> Option<Quality> {
        match self {
            Self::Jpeg(quality) | Self::Webp(quality) | Self::Avif(quality) => Some(quality),
            Self::WebpLossless | Self::Png | Self::PngPalette(_) | Self::Gif => None,
        }
    }

    /// Its colours, where they are counted.
    pub const fn colours(self) -> Option<PaletteSize> {
        match self {
            Self::PngPalette(colours) => Some(colours),
            Self::Gif => Some(PaletteSize::MOST),
            _ => None,
        }
    }

    /// Whether the file holds exactly the pixels it was made from.
    pub const fn is_lossless(self) -> bool {
        matches!(self, Self::WebpLossless | Self::Png)
    }
}

impl std::fmt::Display for Encoding {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match (self, self.quality(), self.colours()) {
            (Self::WebpLossless, ..) => f.write_str("WebP, lossless"),
            (Self::Png, ..) => f.write_str("PNG, lossless"),
            (_, Some(quality), _) => write!(f, "{} {}", self.format(), quality.get()),
            (_, _, Some(colours)) => write!(f, "{}, {} colours", self.format(), colours.get()),
            _ => self.format().fmt(f),
        }
    }
}

/// A value that no encoder takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum EncodingError {
    /// A quality outside 1 to 100.
    #[error("a quality must lie between 1 and 100, not {0}")]
    Quality(u8),
    /// A number of colours outside 2 to 256.
    #[error("a palette has 2 to 256 colours, not {0}")]
    PaletteSize(u16),
}

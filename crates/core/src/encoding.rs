//! Encodings: a format with its quality or its number of colours.

use serde::{Deserialize, Serialize, Serializer};
use thiserror::Error;

use crate::format::Format;
use crate::outside::OutsideEncoding;

/// Counts what the encoder of `format` and the measure of scores were set to: it goes up whenever the same
/// pixels and the same encoding come to other bytes or another score, so that what was kept from
/// before is made anew.
pub const fn generation(format: Format) -> u16 {
    match format {
        Format::Jpeg | Format::Avif => 5,
        Format::Webp | Format::Png | Format::Gif => 4,
        // Its encoders have keys of their own.
        Format::Jxl => 0,
    }
}

/// The generations of all formats together: another number whenever one of them goes up.
pub fn generations() -> u16 {
    Format::ALL.into_iter().map(generation).sum()
}

/// How hard a lossy encoder tries to keep detail, from 1 to 100 in tenths; each format has its own scale, and
/// AVIF's has whole steps only. It is written as a whole number where it is one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(try_from = "f64")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = f64))]
pub struct Quality(u16);

impl Quality {
    /// Where a first try starts: seldom visibly worse, mostly well under budget.
    pub const USUAL: Self = Self(750);
    /// At which pictures are sampled, to tell how heavy they are.
    pub const SAMPLED: Self = Self(800);

    /// A quality from 1 to 100, to the nearest tenth.
    ///
    /// # Errors
    /// [`EncodingError::Quality`] for any other number.
    pub fn new(value: impl Into<f64>) -> Result<Self, EncodingError> {
        let value = value.into();
        match value {
            1.0..=100.0 => Ok(Self((value * 10.0).round() as u16)),
            _ => Err(EncodingError::Quality(value)),
        }
    }

    /// Every quality, the lowest first.
    pub fn all() -> impl Iterator<Item = Self> {
        (10..=1_000).map(Self)
    }

    /// Every whole quality, the lowest first.
    pub fn all_whole() -> impl Iterator<Item = Self> {
        (1..=100).map(|whole| Self(10 * whole))
    }

    /// Its number.
    pub fn get(self) -> f64 {
        f64::from(self.0) / 10.0
    }

    /// The nearest whole number.
    pub const fn whole(self) -> u8 {
        ((self.0 + 5) / 10) as u8
    }

    /// The nearest whole quality.
    pub(crate) const fn rounded(self) -> Self {
        Self(self.whole() as u16 * 10)
    }
}

impl std::fmt::Display for Quality {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.get().fmt(f)
    }
}

impl TryFrom<f64> for Quality {
    type Error = EncodingError;

    fn try_from(value: f64) -> Result<Self, EncodingError> {
        Self::new(value)
    }
}

impl Serialize for Quality {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.0 % 10 {
            0 => serializer.serialize_u16(self.0 / 10),
            _ => serializer.serialize_f64(self.get()),
        }
    }
}

/// The qualities of `format` that make other files than their neighbours, the lowest first; all of them where it has
/// none.
pub fn levels(format: Format) -> Vec<Quality> {
    match format {
        Format::Avif => {
            let mut levels: Vec<Quality> = Quality::all_whole().collect();
            // The encoder knows 64 steps (libavif, quality to quantiser).
            levels.dedup_by_key(|quality| ((100 - u32::from(quality.whole())) * 63 + 50) / 100);
            levels
        }
        // The encoder knows 127 steps, of four segments in their own places.
        Format::Webp => Quality::all().step_by(5).collect(),
        _ => Quality::all().collect(),
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
    /// By an encoder from outside.
    Outside(OutsideEncoding),
}

impl Encoding {
    /// `format` at `quality`, which PNG and GIF ignore and AVIF rounds; nothing where only encoders from
    /// outside make it.
    pub const fn new(format: Format, quality: Quality) -> Option<Self> {
        Some(match format {
            Format::Jpeg => Self::Jpeg(quality),
            Format::Webp => Self::Webp(quality),
            Format::Avif => Self::Avif(quality.rounded()),
            Format::Png => Self::Png,
            Format::Gif => Self::Gif,
            Format::Jxl => return None,
        })
    }

    /// `format` without loss, where it has such a kind.
    pub const fn lossless(format: Format) -> Option<Self> {
        match format {
            Format::Webp => Some(Self::WebpLossless),
            Format::Png => Some(Self::Png),
            Format::Jpeg | Format::Avif | Format::Gif | Format::Jxl => None,
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
            Self::Outside(how) => how.makes,
        }
    }

    /// The [`generation`] of its format.
    pub const fn generation(self) -> u16 {
        generation(self.format())
    }

    /// Its quality, where it has one.
    pub const fn quality(self) -> Option<Quality> {
        match self {
            Self::Jpeg(quality) | Self::Webp(quality) | Self::Avif(quality) => Some(quality),
            Self::Outside(how) => how.quality,
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
        match self {
            Self::WebpLossless | Self::Png => true,
            Self::Outside(how) => how.quality.is_none(),
            _ => false,
        }
    }
}

impl std::fmt::Display for Encoding {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match (self, self.quality(), self.colours()) {
            (Self::WebpLossless, ..) => f.write_str("WebP, lossless"),
            (Self::Png, ..) => f.write_str("PNG, lossless"),
            (Self::Outside(how), None, _) => write!(f, "{}, lossless", how.makes),
            (_, Some(quality), _) => write!(f, "{} {quality}", self.format()),
            (_, _, Some(colours)) => write!(f, "{}, {} colours", self.format(), colours.get()),
            _ => self.format().fmt(f),
        }
    }
}

/// A value that no encoder takes.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum EncodingError {
    /// A quality outside 1 to 100.
    #[error("a quality must lie between 1 and 100, not {0}")]
    Quality(f64),
    /// A number of colours outside 2 to 256.
    #[error("a palette has 2 to 256 colours, not {0}")]
    PaletteSize(u16),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn qualities_have_tenths_and_are_written_as_before_where_they_are_whole() {
        let written = |value: f64| serde_json::to_string(&Quality::new(value).unwrap()).unwrap();
        assert_eq!([71.0, 71.3, 71.34, 99.96].map(written), ["71", "71.3", "71.3", "100"]);
        for text in ["71", "71.0", "71.3"] {
            let read: Quality = serde_json::from_str(text).unwrap();
            assert_eq!(read, Quality::new(text.parse::<f64>().unwrap()).unwrap());
        }
        let encoding: Encoding = serde_json::from_str(r#"{"format":"jpeg","quality":80}"#).unwrap();
        assert_eq!(encoding.to_string(), "JPEG 80");
        let finer = Encoding::Jpeg(Quality::new(80.5).unwrap());
        assert_eq!(finer.to_string(), "JPEG 80.5");
        let rounded = Encoding::new(Format::Avif, Quality::new(80.5).unwrap()).unwrap();
        assert_eq!(rounded.to_string(), "AVIF 81", "its encoder knows no tenths");
    }

    #[test]
    fn levels_are_those_that_an_encoder_tells_apart() {
        assert_eq!(levels(Format::Avif).len(), 64);
        assert!(levels(Format::Avif).iter().all(|level| level.get().fract() == 0.0));
        let halves = levels(Format::Webp);
        assert_eq!((halves[0].get(), halves[1].get()), (1.0, 1.5));
        assert_eq!(levels(Format::Jpeg).len(), 991);
    }

    #[test]
    fn what_is_no_quality_is_told_with_its_number() {
        for value in [0.0, 0.94, 100.1, f64::NAN] {
            let told = Quality::new(value).unwrap_err().to_string();
            assert!(told.contains(&value.to_string()), "{told}");
        }
        assert!(serde_json::from_str::<Quality>("101").is_err());
    }
}

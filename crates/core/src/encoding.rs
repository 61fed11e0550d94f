//! Encodings: a format with its quality or its number of colours.

use serde::{Deserialize, Serialize};

pub use crate::encoder_values::{Dithering, EncodingError, Palette, PaletteSize, Quality};
use crate::format::Format;
use crate::outside_encoding::OutsideEncoding;

/// Counts what the encoder of `format` and the measure of scores were set to: it goes up whenever the same
/// pixels and the same encoding come to other bytes or another score, so that what was kept from
/// before is made anew.
pub const fn generation(format: Format) -> u16 {
    match format {
        Format::Avif => 7,
        Format::Webp => 6,
        Format::Jpeg | Format::Png => 5,
        Format::Gif => 4,
        // Its encoders have keys of their own.
        Format::Jxl => 0,
    }
}

/// The generations of all formats together: another number whenever one of them goes up.
pub fn generations() -> u16 {
    Format::ALL.into_iter().map(generation).sum()
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
    /// WebP of so many colours.
    #[serde(rename = "webp-palette")]
    WebpPalette(Palette),
    /// Lossy AVIF, its colours at half resolution where that mostly takes fewer bytes.
    Avif(Quality),
    /// Lossy AVIF with its colours at the resolution of its light (4:4:4).
    #[serde(rename = "avif-full-chroma")]
    AvifFullChroma(Quality),
    /// PNG without loss.
    Png,
    /// PNG of so many colours.
    #[serde(rename = "png-palette")]
    PngPalette(Palette),
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

    /// The same with colours at the resolution of light, where that is to be chosen.
    pub const fn with_full_chroma(self) -> Option<Self> {
        match self {
            Self::Avif(quality) => Some(Self::AvifFullChroma(quality)),
            _ => None,
        }
    }

    /// `format` without loss, where it has such a kind.
    pub const fn lossless(format: Format) -> Option<Self> {
        match format {
            Format::Webp => Some(Self::WebpLossless),
            Format::Png => Some(Self::Png),
            Format::Jpeg | Format::Avif | Format::Gif | Format::Jxl => None,
        }
    }

    /// `format` in the colours of `palette`, where it has such a kind.
    pub const fn of_palette(format: Format, palette: Palette) -> Option<Self> {
        match format {
            Format::Webp => Some(Self::WebpPalette(palette)),
            Format::Png => Some(Self::PngPalette(palette)),
            Format::Jpeg | Format::Avif | Format::Gif | Format::Jxl => None,
        }
    }

    /// Its format.
    pub const fn format(self) -> Format {
        match self {
            Self::Jpeg(_) => Format::Jpeg,
            Self::Webp(_) | Self::WebpLossless | Self::WebpPalette(_) => Format::Webp,
            Self::Avif(_) | Self::AvifFullChroma(_) => Format::Avif,
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
            Self::Jpeg(quality)
            | Self::Webp(quality)
            | Self::Avif(quality)
            | Self::AvifFullChroma(quality) => Some(quality),
            Self::Outside(how) => how.quality,
            Self::WebpLossless
            | Self::WebpPalette(_)
            | Self::Png
            | Self::PngPalette(_)
            | Self::Gif => None,
        }
    }

    /// Its palette, where that was chosen for it.
    pub const fn palette(self) -> Option<Palette> {
        match self {
            Self::PngPalette(palette) | Self::WebpPalette(palette) => Some(palette),
            _ => None,
        }
    }

    /// Its colours, where they are counted.
    pub const fn colours(self) -> Option<PaletteSize> {
        match (self, self.palette()) {
            (_, Some(palette)) => Some(palette.colours),
            (Self::Gif, None) => Some(PaletteSize::MOST),
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
        match (self, self.quality(), self.palette()) {
            (Self::WebpLossless, ..) => f.write_str("WebP, lossless"),
            (Self::Png, ..) => f.write_str("PNG, lossless"),
            (Self::Outside(how), None, _) => write!(f, "{}, lossless", how.makes),
            (Self::AvifFullChroma(quality), ..) => write!(f, "AVIF {quality}, 4:4:4"),
            (_, Some(quality), _) => write!(f, "{} {quality}", self.format()),
            (_, _, Some(palette)) => write!(f, "{}, {palette}", self.format()),
            (Self::Gif, ..) => write!(f, "GIF, {} colours", PaletteSize::MOST.get()),
            _ => self.format().fmt(f),
        }
    }
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
        assert_eq!(rounded.with_full_chroma().unwrap().to_string(), "AVIF 81, 4:4:4");
    }

    #[test]
    fn levels_are_those_that_an_encoder_tells_apart() {
        assert_eq!(levels(Format::Avif).len(), 63, "its coarsest step is below 1");
        assert!(levels(Format::Avif).iter().all(|level| level.get().fract() == 0.0));
        let halves = levels(Format::Webp);
        assert_eq!((halves[0].get(), halves[1].get()), (1.0, 1.5));
        assert_eq!(levels(Format::Jpeg).len(), 991);
    }
}

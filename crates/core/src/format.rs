//! File formats: told by content, never by name.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::geometry::Size;

/// A format that pictures are written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Format {
    /// JPEG, ITU-T T.81.
    Jpeg,
    /// WebP, lossy.
    Webp,
    /// AVIF.
    Avif,
    /// PNG, lossless.
    Png,
}

impl Format {
    /// Every format, in the order they are offered.
    pub const ALL: [Self; 4] = [Self::Jpeg, Self::Webp, Self::Avif, Self::Png];

    /// Its name in the API and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Jpeg => "jpeg",
            Self::Webp => "webp",
            Self::Avif => "avif",
            Self::Png => "png",
        }
    }

    /// The extension of its files.
    pub const fn extension(self) -> &'static str {
        match self {
            Self::Jpeg => "jpg",
            other => other.name(),
        }
    }

    /// Its media type.
    pub const fn media_type(self) -> &'static str {
        match self {
            Self::Jpeg => "image/jpeg",
            Self::Webp => "image/webp",
            Self::Avif => "image/avif",
            Self::Png => "image/png",
        }
    }

    /// Whether a file of it keeps transparency.
    pub const fn has_alpha(self) -> bool {
        !matches!(self, Self::Jpeg)
    }

    /// Whether it throws detail away, by a quality.
    pub const fn is_lossy(self) -> bool {
        !matches!(self, Self::Png)
    }

    /// The longest side that a file of it can have.
    pub const fn max_side(self) -> u32 {
        match self {
            Self::Jpeg => 65_500,
            Self::Webp => 16_383,
            // libaom's own limit on a frame's sides.
            Self::Avif => 65_536,
            Self::Png => 1_000_000,
        }
    }

    /// Checks that a file of `size` can be written in this format.
    ///
    /// # Errors
    /// [`SideTooLong`] where a side is above [`Format::max_side`].
    pub fn check_size(self, size: Size) -> Result<(), SideTooLong> {
        if size.width.max(size.height) > self.max_side() {
            return Err(SideTooLong { format: self, size });
        }
        Ok(())
    }
}

impl std::fmt::Display for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Jpeg => "JPEG",
            Self::Webp => "WebP",
            Self::Avif => "AVIF",
            Self::Png => "PNG",
        })
    }
}

impl std::str::FromStr for Format {
    type Err = UnknownFormat;

    fn from_str(text: &str) -> Result<Self, UnknownFormat> {
        match text {
            "jpg" => Ok(Self::Jpeg),
            _ => Self::ALL
                .into_iter()
                .find(|format| format.name() == text)
                .ok_or_else(|| UnknownFormat(text.to_owned())),
        }
    }
}

/// A word that names no format.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("“{0}” is not a format that can be made: use jpeg, webp, avif or png")]
pub struct UnknownFormat(pub String);

/// A picture that a format has no room for.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[error(
    "a {format} file can be at most {} px on a side, and this one would be {size}; choose another \
     format or a smaller slot", .format.max_side()
)]
pub struct SideTooLong {
    /// The format that was asked for.
    pub format: Format,
    /// The size that it cannot hold.
    pub size: Size,
}

/// What the first bytes of a file say it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Content {
    /// A format that pictures are read from.
    Readable(Source),
    /// A picture format that is known but not read, by its usual name.
    Known(&'static str),
    /// No picture format that is known.
    Unknown,
}

/// A format that originals are read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Source {
    /// JPEG, ITU-T T.81.
    Jpeg,
    /// PNG.
    Png,
}

impl Source {
    /// The format of the same name among those that are written.
    pub const fn format(self) -> Format {
        match self {
            Self::Jpeg => Format::Jpeg,
            Self::Png => Format::Png,
        }
    }
}

/// Tells the format of a file by its first bytes.
pub fn sniff(data: &[u8]) -> Content {
    let starts = |magic: &[u8]| data.starts_with(magic);
    let brand = |names: &[&[u8; 4]]| {
        data.get(4..8) == Some(b"ftyp")
            && data.get(8..12).is_some_and(|b| names.iter().any(|name| *name == b))
    };
    if starts(&[0xFF, 0xD8, 0xFF]) {
        Content::Readable(Source::Jpeg)
    } else if starts(b"\x89PNG\r\n\x1a\n") {
        Content::Readable(Source::Png)
    } else if starts(b"GIF87a") || starts(b"GIF89a") {
        Content::Known("GIF")
    } else if starts(b"RIFF") && data.get(8..12) == Some(b"WEBP") {
        Content::Known("WebP")
    } else if brand(&[b"avif", b"avis"]) {
        Content::Known("AVIF")
    } else if brand(&[b"heic", b"heix", b"hevc", b"mif1", b"msf1"]) {
        Content::Known("HEIC")
    } else if starts(b"II*\0") || starts(b"MM\0*") {
        Content::Known("TIFF or camera raw")
    } else if starts(b"8BPS") {
        Content::Known("layered artwork")
    } else if starts(&[0xFF, 0x0A]) || starts(b"\0\0\0\x0CJXL ") {
        Content::Known("JPEG XL")
    } else if starts(b"BM") && data.get(6..10) == Some(&[0; 4]) {
        Content::Known("BMP")
    } else if starts(&[0, 0, 1, 0]) {
        Content::Known("ICO")
    } else if is_svg(data) {
        Content::Known("SVG")
    } else {
        Content::Unknown
    }
}

fn is_svg(data: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&data[..data.len().min(1024)]);
    head.trim_start_matches('\u{FEFF}').trim_start().starts_with('<') && head.contains("<svg")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn content_decides_and_not_the_name() {
        assert_eq!(sniff(&[0xFF, 0xD8, 0xFF, 0xE0]), Content::Readable(Source::Jpeg));
        assert_eq!(sniff(b"Just a note, saved as dome.jpg"), Content::Unknown);
        assert_eq!(sniff(b""), Content::Unknown);
        assert_eq!(sniff(b"RIFF\0\0\0\0WEBPVP8 "), Content::Known("WebP"));
        assert_eq!(sniff(b"\0\0\0\x18ftypheic"), Content::Known("HEIC"));
        assert_eq!(sniff(b"<?xml version='1.0'?><svg/>"), Content::Known("SVG"));
    }

    #[test]
    fn a_side_beyond_the_format_is_refused_with_its_limit() {
        assert!(Format::Webp.check_size(Size::new(16_383, 1)).is_ok());
        let text = Format::Webp.check_size(Size::new(16_384, 1)).unwrap_err().to_string();
        assert!(text.contains("16383") && text.contains("WebP"), "{text}");
    }
}

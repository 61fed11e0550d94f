//! The formats that files are made in.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::geometry::Size;

/// A format that pictures are written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Format {
    /// JPEG, ITU-T T.81.
    Jpeg,
    /// WebP, with or without loss.
    Webp,
    /// AVIF.
    Avif,
    /// PNG, lossless or of a few colours.
    Png,
    /// GIF: 256 colours, for what moves and must move everywhere.
    Gif,
    /// JPEG XL, ISO/IEC 18181: made by an encoder from outside only.
    Jxl,
}

impl Format {
    /// Every format, in the order they are offered.
    pub const ALL: [Self; 6] =
        [Self::Jpeg, Self::Webp, Self::Avif, Self::Png, Self::Gif, Self::Jxl];
    /// Those that are made without an encoder from outside.
    pub const OWN: [Self; 5] = [Self::Jpeg, Self::Webp, Self::Avif, Self::Png, Self::Gif];

    /// Its name in the API and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Jpeg => "jpeg",
            Self::Webp => "webp",
            Self::Avif => "avif",
            Self::Png => "png",
            Self::Gif => "gif",
            Self::Jxl => "jxl",
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
            Self::Gif => "image/gif",
            Self::Jxl => "image/jxl",
        }
    }

    /// Whether a file of it keeps transparency.
    pub const fn has_alpha(self) -> bool {
        !matches!(self, Self::Jpeg)
    }

    /// Whether files of it say which colours they are in; programs from outside may not.
    pub const fn carries_profile(self) -> bool {
        !matches!(self, Self::Gif | Self::Jxl)
    }

    /// Whether it has a quality, by which it throws detail away.
    pub const fn is_lossy(self) -> bool {
        !matches!(self, Self::Png | Self::Gif)
    }

    /// Whether it is made without an encoder from outside.
    pub const fn is_ours(self) -> bool {
        !matches!(self, Self::Jxl)
    }

    /// Which browsers show it, in words.
    pub const fn shown_by(self) -> &'static str {
        match self {
            Self::Jpeg | Self::Png | Self::Gif => "Every browser shows it.",
            Self::Webp => "Every browser of the last years shows it.",
            Self::Avif => "Every current browser shows it; some that are a few years old do not.",
            Self::Jxl => {
                "Safari shows it since 17, and Chromium where it was built with it; every other \
                 browser takes the next format of a set."
            }
        }
    }

    /// Whether every browser reads it.
    pub const fn is_universal(self) -> bool {
        matches!(self, Self::Jpeg | Self::Png | Self::Gif)
    }

    /// Whether a file of it can move.
    pub const fn moves(self) -> bool {
        matches!(self, Self::Webp | Self::Gif)
    }

    /// The longest side that a file of it can have.
    pub const fn max_side(self) -> u32 {
        match self {
            Self::Jpeg => 65_500,
            Self::Webp => 16_383,
            // libaom's own limit on a frame's sides.
            Self::Avif => 65_536,
            Self::Png => 1_000_000,
            Self::Gif => 65_535,
            // As its decoder here takes it: 30 bits, and memory ends far below.
            Self::Jxl => 1 << 30,
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
            Self::Gif => "GIF",
            Self::Jxl => "JPEG XL",
        })
    }
}

impl std::str::FromStr for Format {
    type Err = UnknownFormat;

    /// Of those that are made without an encoder from outside.
    fn from_str(text: &str) -> Result<Self, UnknownFormat> {
        match text {
            "jpg" => Ok(Self::Jpeg),
            _ => Self::OWN
                .into_iter()
                .find(|format| format.name() == text)
                .ok_or_else(|| UnknownFormat(text.to_owned())),
        }
    }
}

/// A word that names no format.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("“{0}” is not a format that can be made: use jpeg, webp, avif, png or gif")]
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_side_beyond_the_format_is_refused_with_its_limit() {
        assert!(Format::Webp.check_size(Size::new(16_383, 1)).is_ok());
        let text = Format::Webp.check_size(Size::new(16_384, 1)).unwrap_err().to_string();
        assert!(text.contains("16383") && text.contains("WebP"), "{text}");
    }
}

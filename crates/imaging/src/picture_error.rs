//! Why a file is not taken as an original, in words for whoever brought it.

use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::UnreadFormat;
use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::codec::CodecError;

/// Why a file was not taken as an original.
#[derive(Debug, Clone, PartialEq, Error, Serialize, Deserialize)]
pub enum PictureError {
    /// No bytes at all.
    #[error("the file is empty; export or transfer it again")]
    Empty,
    /// No picture format that is known.
    #[error(
        "this is not a picture: its content is none of JPEG, PNG, WebP, AVIF, JPEG XL, GIF, TIFF, BMP, SVG \
         and ICO, whatever its name says"
    )]
    NoPicture,
    /// A known format that is not read.
    #[error("this is {}, which is not read; {}", .0.what(), .0.instead())]
    NotRead(UnreadFormat),
    /// More pixels than [`MAX_PIXELS`].
    #[error(
        "the picture claims {0}, {mp} megapixels; at most {limit} are taken: scale it down first",
        mp = .0.pixels() / 1_000_000,
        limit = MAX_PIXELS / 1_000_000
    )]
    TooManyPixels(Size),
    /// The decoder refused it.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

impl PictureError {
    /// Whether the machine is at fault and not the file: later it may be taken.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::Codec(error) if error.is_transient())
    }
}

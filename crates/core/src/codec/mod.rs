//! The codecs: each file one format, the only place where its library is called.
//!
//! C code reports errors by unwinding or by status; both come out as [`CodecError`], so that a
//! bad picture costs one picture. Where it is called from is [`elsewhere`]'s business.

pub mod animation;
pub mod avif;
pub mod elsewhere;
pub mod extras;
pub mod gif;
pub mod jpeg;
pub mod jpeg_copy;
mod jpeg_header;
pub mod png;
pub mod simple;
pub mod svg;
pub mod webp;
mod webp_motion;

use std::panic::{AssertUnwindSafe, catch_unwind};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::format::Format;
use crate::geometry::Size;
use crate::orientation::Orientation;
use crate::source::Source;

/// What stands before the pixels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Header {
    /// Stored size, before orientation.
    pub size: Size,
    /// Whether a pixel can be transparent.
    pub has_alpha: bool,
    /// How many pictures follow each other; 1 for a still one.
    pub frames: u32,
    /// How the container turns its pixels, where it says so itself and not in its EXIF block.
    pub turned: Option<Orientation>,
    /// The ICC profile.
    pub icc: Option<Vec<u8>>,
    /// What is told of the picture.
    pub blocks: Blocks,
}

/// Blocks of metadata, as they stand in the file.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Blocks {
    /// The EXIF block as TIFF bytes.
    pub exif: Option<Vec<u8>>,
    /// The XMP packet.
    pub xmp: Option<Vec<u8>>,
    /// IPTC-IIM records.
    pub iptc: Option<Vec<u8>>,
}

impl Header {
    /// A still picture of which nothing else is told.
    pub(crate) fn plain(size: Size, has_alpha: bool) -> Self {
        Self { size, has_alpha, frames: 1, turned: None, icc: None, blocks: Blocks::default() }
    }
}

/// What a codec could not do.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum CodecError {
    /// The file stops before its last pixel.
    #[error("the {0} file is cut off: it ends before its last row; transfer or export it again")]
    Truncated(Source),
    /// The file breaks the rules of its format.
    #[error("the {format} file is damaged and cannot be read ({detail}); export it again")]
    Damaged {
        /// The file's format.
        format: Source,
        /// The decoder's own words.
        detail: String,
    },
    /// A valid file in a flavour that is not read.
    #[error(
        "this {format} uses {flavour}, which is not read; save it another way and bring it again"
    )]
    Unsupported {
        /// The file's format.
        format: Source,
        /// What is special about it.
        flavour: &'static str,
    },
    /// The codec broke down.
    #[error(transparent)]
    Broken(#[from] elsewhere::Broken),
    /// The encoder gave up.
    #[error("no {format} file could be made ({detail})")]
    Encode {
        /// The format that was asked for.
        format: Format,
        /// The encoder's own words.
        detail: String,
    },
}

impl CodecError {
    /// What a decoder of `format` said in words: some have no other way to tell that a file ends
    /// too early.
    pub(crate) fn told(format: Source, detail: String) -> Self {
        let words = detail.to_lowercase();
        let cut_off = ["end of file", "unexpected eof", "failed to fill whole buffer"];
        if cut_off.iter().any(|phrase| words.contains(phrase)) {
            Self::Truncated(format)
        } else {
            Self::Damaged { format, detail }
        }
    }
}

/// Runs `work`, turning a panic inside a codec into `on_panic` of its message.
fn guarded<T>(
    work: impl FnOnce() -> Result<T, CodecError>,
    on_panic: impl FnOnce(String) -> CodecError,
) -> Result<T, CodecError> {
    catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|payload| {
        let text = payload
            .downcast_ref::<String>()
            .cloned()
            .or_else(|| payload.downcast_ref::<&str>().map(ToString::to_string));
        Err(on_panic(text.unwrap_or_else(|| "codec failure".to_owned())))
    })
}

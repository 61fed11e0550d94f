//! The codecs: each file one format, the only place where its library is called.
//!
//! C code reports errors by unwinding or by status; both come out as [`CodecError`], so that a
//! bad picture costs one picture.

pub mod avif;
pub mod jpeg;
pub mod png;
pub mod webp;

use std::panic::{AssertUnwindSafe, catch_unwind};

use thiserror::Error;

use crate::format::Format;

/// What a codec could not do.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum CodecError {
    /// The file stops before its last pixel.
    #[error("the {0} file is cut off: it ends before its last row; transfer or export it again")]
    Truncated(Format),
    /// The file breaks the rules of its format.
    #[error("the {format} file is damaged and cannot be read ({detail}); export it again")]
    Damaged {
        /// The file's format.
        format: Format,
        /// The decoder's own words.
        detail: String,
    },
    /// A valid file in a flavour that is not read.
    #[error("this {format} uses {flavour}, which is not read; save it as RGB and bring it again")]
    Unsupported {
        /// The file's format.
        format: Format,
        /// What is special about it.
        flavour: &'static str,
    },
    /// The encoder gave up.
    #[error("no {format} file could be made ({detail})")]
    Encode {
        /// The format that was asked for.
        format: Format,
        /// The encoder's own words.
        detail: String,
    },
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

//! What a codec could not do.

use std::borrow::Cow;
use std::panic::{AssertUnwindSafe, catch_unwind};

use brisk_margin_core::format::Format;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// What a codec could not do.
#[derive(Debug, Clone, PartialEq, Eq, Error, Serialize, Deserialize)]
pub enum CodecError {
    /// The file stops before its last pixel.
    #[error("the {0} file is cut off: it ends before its last row; transfer or export it again")]
    Truncated(SourceFormat),
    /// The file breaks the rules of its format.
    #[error("the {format} file is damaged and cannot be read ({detail}); export it again")]
    Damaged {
        /// The file's format.
        format: SourceFormat,
        /// The decoder's own words.
        detail: String,
    },
    /// A valid file in a flavour that is not read.
    #[error(
        "this {format} uses {flavour}, which is not read; save it another way and bring it again"
    )]
    Unsupported {
        /// The file's format.
        format: SourceFormat,
        /// What is special about it.
        flavour: Cow<'static, str>,
    },
    /// The codec broke down.
    #[error(transparent)]
    CodecFailure(#[from] CodecFailure),
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
    pub(crate) fn told(format: SourceFormat, detail: String) -> Self {
        let words = detail.to_lowercase();
        let cut_off = ["end of file", "unexpected eof", "failed to fill whole buffer"];
        if cut_off.iter().any(|phrase| words.contains(phrase)) {
            Self::Truncated(format)
        } else {
            Self::Damaged { format, detail }
        }
    }
}

/// A codec broke down: this costs one picture, which should not be tried again and again.
#[derive(Debug, Clone, PartialEq, Eq, Error, Serialize, Deserialize)]
pub enum CodecFailure {
    /// The process ended in the middle.
    #[error(
        "the codec crashed on this picture and nothing was made of it; export it again with \
         another program"
    )]
    Crashed,
    /// It wanted more memory than such a picture can need.
    #[error("the codec wanted more than {0} for this picture and was ended; export it again")]
    Memory(Bytes),
    /// It did not come to an end in so many seconds of work.
    #[error("the codec was ended after {0} s without a result; export the picture again")]
    Time(u64),
    /// A program from outside made no file.
    #[error("{name} made no file ({words}); look at its words in the site’s settings")]
    Program {
        /// What the site calls it.
        name: String,
        /// Its own words, or what can be said of its end.
        words: String,
    },
    /// It could not be started.
    #[error("no codec process could be started ({0})")]
    NotStarted(String),
}

impl CodecFailure {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::NotStarted(_))
    }
}

impl CodecError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::CodecFailure(failure) if failure.is_transient())
    }
}

/// Runs `work`, turning a panic inside a codec into `on_panic` of its message.
pub(crate) fn guarded<T>(
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

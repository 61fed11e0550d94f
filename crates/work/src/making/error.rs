//! Why no file was made.

use brisk_margin_core::edits::canvas::CanvasError;
use brisk_margin_core::format::SideTooLong;
use brisk_margin_core::render_spec::RenderSpecError;
use brisk_margin_imaging::choosing::ChoiceError;
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::encode::EncodeError;
use brisk_margin_imaging::original::PictureError;
use brisk_margin_imaging::reference::ReferenceError;
use brisk_margin_store::{BlobError, StoreError};
use thiserror::Error;

use crate::work_pool::WorkFailed;

/// Why no file was made.
#[derive(Debug, Error)]
pub enum MakeError {
    /// The picture cannot be framed so.
    #[error(transparent)]
    RenderSpec(#[from] RenderSpecError),
    /// Its edits leave nothing of it.
    #[error(transparent)]
    Canvas(#[from] CanvasError),
    /// The format has no room for the file.
    #[error(transparent)]
    Side(#[from] SideTooLong),
    /// The encoder failed.
    #[error(transparent)]
    Encode(#[from] EncodeError),
    /// The decoder failed on an original that was accepted.
    #[error(transparent)]
    Codec(#[from] CodecError),
    /// The original is not what was accepted.
    #[error("the stored original cannot be read: {0}")]
    Original(#[from] PictureError),
    /// The pixels cannot be compared with files.
    #[error(transparent)]
    Reference(#[from] ReferenceError),
    /// Somebody else made the same pixels and failed.
    #[error("{words}")]
    Shared {
        /// What it came to.
        words: String,
        /// Whether the machine was at fault.
        transient: bool,
    },
    /// No encoding could be chosen.
    #[error(transparent)]
    Choice(#[from] ChoiceError),
    /// The codec broke down.
    #[error(transparent)]
    Work(#[from] WorkFailed),
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The blob store failed.
    #[error(transparent)]
    Blob(#[from] BlobError),
}

impl MakeError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Encode(error) => error.is_transient(),
            Self::Codec(error) => error.is_transient(),
            Self::Original(error) => error.is_transient(),
            Self::Reference(error) => error.is_transient(),
            Self::Choice(error) => error.is_transient(),
            Self::Store(error) => error.is_transient(),
            Self::Blob(error) => error.is_transient(),
            Self::Shared { transient, .. } => *transient,
            Self::RenderSpec(_) | Self::Canvas(_) | Self::Side(_) | Self::Work(_) => false,
        }
    }

    /// Whether a disk is full: it works again when there is room.
    pub fn is_out_of_room(&self) -> bool {
        match self {
            Self::Store(error) => error.is_out_of_room(),
            Self::Blob(error) => error.is_out_of_room(),
            _ => false,
        }
    }
}

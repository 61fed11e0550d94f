//! Why nothing is chosen.

use brisk_margin_core::encoding::EncodingError;
use brisk_margin_core::format::Format;
use thiserror::Error;

use crate::codec::CodecError;
use crate::encode::EncodeError;
use crate::metric::MetricError;

/// Why nothing was chosen.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum ChoiceError {
    /// No file could be made.
    #[error(transparent)]
    Encode(#[from] EncodeError),
    /// A quality or a number of colours that no encoder takes.
    #[error(transparent)]
    Encoding(#[from] EncodingError),
    /// A file that was made could not be read again.
    #[error(transparent)]
    Codec(#[from] CodecError),
    /// A file could not be compared.
    #[error(transparent)]
    QualityMetric(#[from] MetricError),
    /// The format keeps no pixel as it is.
    #[error("{0} has no lossless kind here: use PNG or WebP")]
    NotLossless(Format),
    /// A file that was promised to be the same is not.
    #[error("the {0} file does not hold the same pixels and was thrown away")]
    NotTheSame(Format),
    /// Nobody wants it any more.
    #[error("cancelled")]
    Cancelled,
}

impl ChoiceError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Encode(error) => error.is_transient(),
            Self::Codec(error) => error.is_transient(),
            Self::Cancelled => true,
            _ => false,
        }
    }
}

//! Encodings: a format with its quality, and files made with it.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::codec::{self, CodecError};
use crate::format::{Format, SideTooLong};
use crate::raster::Raster;
use crate::units::Bytes;

/// How hard a lossy encoder tries to keep detail, from 1 to 100; each format has its own scale.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u8))]
pub struct Quality(u8);

impl Quality {
    /// Where a first try starts: seldom visibly worse, mostly well under budget.
    pub const USUAL: Self = Self(75);

    /// A quality from 1 to 100.
    pub fn new(value: u8) -> Result<Self, EncodeError> {
        match value {
            1..=100 => Ok(Self(value)),
            _ => Err(EncodeError::Quality(value)),
        }
    }

    /// Its number.
    pub const fn get(self) -> u8 {
        self.0
    }
}

impl TryFrom<u8> for Quality {
    type Error = EncodeError;

    fn try_from(value: u8) -> Result<Self, EncodeError> {
        Self::new(value)
    }
}

impl From<Quality> for u8 {
    fn from(quality: Quality) -> Self {
        quality.0
    }
}

/// A format and, where it is lossy, its quality.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "format", content = "quality", rename_all = "lowercase")]
pub enum Encoding {
    /// Progressive JPEG.
    Jpeg(Quality),
    /// Lossy WebP.
    Webp(Quality),
    /// Lossy AVIF.
    Avif(Quality),
    /// PNG, which has no quality.
    Png,
}

impl Encoding {
    /// `format` at `quality`, which PNG ignores.
    pub const fn new(format: Format, quality: Quality) -> Self {
        match format {
            Format::Jpeg => Self::Jpeg(quality),
            Format::Webp => Self::Webp(quality),
            Format::Avif => Self::Avif(quality),
            Format::Png => Self::Png,
        }
    }

    /// Its format.
    pub const fn format(self) -> Format {
        match self {
            Self::Jpeg(_) => Format::Jpeg,
            Self::Webp(_) => Format::Webp,
            Self::Avif(_) => Format::Avif,
            Self::Png => Format::Png,
        }
    }

    /// Its quality, where the format has one.
    pub const fn quality(self) -> Option<Quality> {
        match self {
            Self::Jpeg(quality) | Self::Webp(quality) | Self::Avif(quality) => Some(quality),
            Self::Png => None,
        }
    }
}

/// A file that was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Encoded {
    /// The file.
    pub bytes: Vec<u8>,
    /// How it was made; under a byte cap the quality may be lower than asked.
    pub encoding: Encoding,
    /// How many encodes it took.
    pub encodes: u32,
}

/// Encodes `raster`; the same pixels and encoding give the same bytes.
///
/// # Errors
/// [`EncodeError::Size`] where the format has no room for the picture, [`EncodeError::Codec`]
/// where the encoder fails.
pub fn encode(raster: &Raster, encoding: Encoding) -> Result<Encoded, EncodeError> {
    encoding.format().check_size(raster.size())?;
    let bytes = match encoding {
        Encoding::Jpeg(quality) => codec::jpeg::encode(raster, quality.get()),
        Encoding::Webp(quality) => codec::webp::encode(raster, quality.get()),
        Encoding::Avif(quality) => codec::avif::encode(raster, quality.get()),
        Encoding::Png => codec::png::encode(raster),
    }?;
    Ok(Encoded { bytes, encoding, encodes: 1 })
}

/// Encodes `raster` at the highest quality up to `encoding`'s whose file is at most `cap` bytes.
///
/// # Errors
/// [`EncodeError::Cap`] with the smallest size there is, where even that is above the cap.
pub fn encode_under(
    raster: &Raster,
    encoding: Encoding,
    cap: Bytes,
) -> Result<Encoded, EncodeError> {
    let first = encode(raster, encoding)?;
    if Bytes::of(&first.bytes) <= cap {
        return Ok(first);
    }
    let unmet = |bytes: &[u8]| EncodeError::Cap { cap, least: Bytes::of(bytes) };
    let Some(quality) = encoding.quality() else {
        return Err(unmet(&first.bytes));
    };
    let mut encodes = 1;
    let mut best = None;
    let mut least = first.bytes;
    let (mut low, mut high) = (1, quality.get() - 1);
    while low <= high {
        let middle = low.midpoint(high);
        let tried = encode(raster, Encoding::new(encoding.format(), Quality(middle)))?;
        encodes += 1;
        if Bytes::of(&tried.bytes) <= cap {
            best = Some(tried);
            low = middle + 1;
        } else {
            least = tried.bytes;
            high = middle - 1;
        }
    }
    best.map(|found| Encoded { encodes, ..found }).ok_or_else(|| unmet(&least))
}

/// Why no file was made.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum EncodeError {
    /// A quality outside 1 to 100.
    #[error("a quality must lie between 1 and 100, not {0}")]
    Quality(u8),
    /// The format cannot hold the picture.
    #[error(transparent)]
    Size(#[from] SideTooLong),
    /// No quality is low enough.
    #[error("{cap} cannot be met: the smallest file here has {least}")]
    Cap {
        /// The bytes that were allowed.
        cap: Bytes,
        /// The smallest file that was made.
        least: Bytes,
    },
    /// The encoder failed.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

//! Lossless copies of untouched originals: the same picture in a smaller file.
//!
//! A JPEG keeps its coefficients, its profile and, since blocks cannot always be turned, the tag of
//! its turn; a PNG keeps its pixels, its depth and its profile; a WebP keeps what is shown and
//! nothing else, and an AVIF that holds nothing else stays as it is. What is not identical when it is decoded is thrown away.

use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;
use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::codec::extras::{self, Extras};
use crate::codec::jpeg::DctScale;
use crate::codec::{CodecError, avif_boxes, jpeg_copy, png};
use crate::picture_error::PictureError;
use crate::reading::{self, Opened};

/// Why there is no lossless copy.
#[derive(Debug, Clone, PartialEq, Error, Serialize, Deserialize)]
pub enum LosslessError {
    /// The codec failed.
    #[error(transparent)]
    Codec(#[from] CodecError),
    /// The copy is not the same picture.
    #[error("the copy does not hold the same pixels and was thrown away")]
    NotTheSame,
    /// A format that is not copied.
    #[error(
        "such {0} files are not copied without loss: make a PNG or a WebP without loss instead"
    )]
    NoCopy(SourceFormat),
}

/// `file` without its metadata; see [`lossless_copy`](crate::original::Original::lossless_copy).
pub(crate) fn copied(file: &[u8], xmp: Option<Vec<u8>>) -> Result<Vec<u8>, LosslessError> {
    let opened = reading::open(file).map_err(|error| match error {
        PictureError::Codec(error) => LosslessError::Codec(error),
        _ => LosslessError::NotTheSame,
    })?;
    let Opened { facts, stored, orientation, icc, .. } = opened;
    let copy = match facts.format {
        SourceFormat::Jpeg => jpeg_copy::copy(file, orientation, &Extras { icc, xmp })?,
        SourceFormat::Png => png::refiltered(file, xmp)?,
        // Without its metadata a turned one would lie on its side.
        SourceFormat::Webp if orientation == Orientation::UPRIGHT => {
            extras::bare_webp(file, xmp, stored, &facts)?
        }
        SourceFormat::Avif if xmp.is_none() && avif_boxes::is_bare(file) => {
            return Ok(file.to_vec());
        }
        other => return Err(LosslessError::NoCopy(other)),
    };
    let pixels = |file| reading::pixels(facts.format, file, DctScale::FULL, None);
    if pixels(file)? != pixels(&copy)? {
        return Err(LosslessError::NotTheSame);
    }
    Ok(copy)
}

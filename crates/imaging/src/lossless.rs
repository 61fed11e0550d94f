//! Lossless copies of untouched originals: the same picture in a smaller file.
//!
//! A JPEG keeps its coefficients, its profile and, since blocks cannot always be turned, the tag of
//! its turn; a PNG keeps its pixels, its depth and its profile; a WebP keeps all but its metadata,
//! and so does an AVIF that has none. What is not identical when it is decoded is thrown away.

use thiserror::Error;

use crate::codec::extras;
use crate::codec::extras::Extras;
use crate::codec::{Blocks, CodecError, jpeg, png, simple};
use crate::colour::Inks;
use crate::original::Original;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;

/// Why there is no lossless copy.
#[derive(Debug, Clone, PartialEq, Error)]
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

/// `picture`'s file without its metadata, the same to the last bit when it is shown; `xmp` is put
/// in where there is one.
///
/// # Errors
/// [`LosslessError`].
pub fn copy(picture: &Original<'_>, xmp: Option<Vec<u8>>) -> Result<Vec<u8>, LosslessError> {
    let extras = Extras { icc: picture.icc().map(<[u8]>::to_vec), xmp };
    let (codecs, original) = (picture.codecs, picture.bytes);
    let copy = match picture.facts().format {
        SourceFormat::Jpeg => {
            let copy = codecs.copy_jpeg(original, picture.orientation, &extras)?;
            let read = |file| codecs.decode_jpeg(file, jpeg::DctScale::FULL, &Inks::default());
            if read(original)? != read(&copy)? {
                return Err(LosslessError::NotTheSame);
            }
            copy
        }
        SourceFormat::Png => {
            let copy = png::refiltered(original, extras.xmp)?;
            if png::decode(original)? != png::decode(&copy)? {
                return Err(LosslessError::NotTheSame);
            }
            copy
        }
        // Without its metadata a turned one would lie on its side.
        SourceFormat::Webp if picture.orientation == Orientation::UPRIGHT => {
            let copy = extras::bare_webp(original, extras.xmp, picture.stored, picture.facts())?;
            if simple::decode(SourceFormat::Webp, original)?
                != simple::decode(SourceFormat::Webp, &copy)?
            {
                return Err(LosslessError::NotTheSame);
            }
            copy
        }
        SourceFormat::Avif if extras.xmp.is_none() && *picture.blocks() == Blocks::default() => {
            original.to_vec()
        }
        other => return Err(LosslessError::NoCopy(other)),
    };
    Ok(copy)
}

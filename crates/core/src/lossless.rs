//! Lossless copies of untouched originals: the same picture in a smaller file.
//!
//! A JPEG keeps its coefficients, its profile and, since blocks cannot always be turned, the tag of
//! its turn; a PNG keeps its pixels, its depth and its profile. What is not identical when it is
//! decoded is thrown away.

use thiserror::Error;

use crate::codec::extras::Extras;
use crate::codec::{CodecError, elsewhere, jpeg, png};
use crate::colour::Inks;
use crate::picture::Picture;
use crate::source::Source;

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
    #[error("{0} files are not copied without loss: make a PNG or a WebP without loss instead")]
    NoCopy(Source),
}

/// `picture`'s file without its metadata, the same to the last bit when it is shown; `xmp` is put
/// in where there is one.
///
/// # Errors
/// [`LosslessError`].
pub fn copy(picture: &Picture<'_>, xmp: Option<Vec<u8>>) -> Result<Vec<u8>, LosslessError> {
    let extras = Extras { icc: picture.icc().map(<[u8]>::to_vec), xmp };
    let original = picture.bytes;
    let copy = match picture.facts().format {
        Source::Jpeg => {
            let copy = elsewhere::copy_jpeg(original, picture.orientation, &extras)?;
            let read = |file| elsewhere::decode_jpeg(file, jpeg::DctScale::FULL, &Inks::default());
            if read(original)? != read(&copy)? {
                return Err(LosslessError::NotTheSame);
            }
            copy
        }
        Source::Png => {
            let copy = png::refiltered(original, extras.xmp)?;
            if png::decode(original)? != png::decode(&copy)? {
                return Err(LosslessError::NotTheSame);
            }
            copy
        }
        other => return Err(LosslessError::NoCopy(other)),
    };
    Ok(copy)
}

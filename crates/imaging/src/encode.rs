//! Files made of pixels, and the pixels of files that were made.

use brisk_margin_core::encoding::{Encoding, EncodingError};
use brisk_margin_core::format::{Format, SideTooLong};
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use thiserror::Error;

use crate::codec::extras::Extras;
use crate::codec::jpeg::DctScale;
use crate::codec::{CodecError, avif};
use crate::codecs::Codecs;
use crate::effort::Effort;
use crate::own_colours::OwnColours;
use crate::raster::Raster;

/// A file that is judged and thrown away.
pub struct Draft {
    /// How it looks.
    pub shown: Raster,
    /// What it weighs.
    pub bytes: Bytes,
    /// By how much more it likely lacks of a score of 100 than the file that it is a draft of, as a
    /// logarithm.
    pub lacks_more: f64,
}

impl Codecs {
    /// Encodes `raster` with `extras` beside its pixels; the same pixels, encoding and extras give
    /// the same bytes. A GIF carries none: where they name a profile, its pixels are brought to
    /// sRGB.
    ///
    /// # Errors
    /// [`EncodeError::Size`] where the format has no room for the picture, [`EncodeError::Codec`]
    /// where the encoder fails.
    pub fn encode(
        &self,
        raster: &Raster,
        encoding: Encoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, EncodeError> {
        encoding.format().check_size(raster.size())?;
        if encoding.format() == Format::Gif
            && let Some(icc) = &extras.icc
        {
            let mut raster = raster.clone();
            OwnColours::of_profile(self, icc).convert(&mut raster)?;
            return Ok(self.encode_pixels(&raster, encoding, Effort::Full, extras)?);
        }
        Ok(self.encode_pixels(raster, encoding, Effort::Full, extras)?)
    }

    /// A draft of `encoding`, which is made far sooner than the file itself; nothing where the format has
    /// none.
    ///
    /// # Errors
    /// As [`Self::encode`].
    pub fn draft(&self, raster: &Raster, encoding: Encoding) -> Result<Option<Draft>, EncodeError> {
        let format = encoding.format();
        if format != Format::Avif {
            return Ok(None);
        }
        format.check_size(raster.size())?;
        let file = self.encode_pixels(raster, encoding, Effort::Draft, &Extras::default())?;
        let lacks_more = avif::draft_lacks_more(raster);
        let shown = self.decode(format, &file)?;
        Ok(Some(Draft { shown, bytes: Bytes::of(&file), lacks_more }))
    }

    /// What a file of `encoding` weighs, a WebP without loss or of few colours, when its encoder looks as shortly as it
    /// can.
    ///
    /// # Errors
    /// As [`Self::encode`].
    pub fn draft_weight(&self, raster: &Raster, encoding: Encoding) -> Result<Bytes, EncodeError> {
        encoding.format().check_size(raster.size())?;
        let file = self.encode_pixels(raster, encoding, Effort::Draft, &Extras::default())?;
        Ok(Bytes::of(&file))
    }

    /// The pixels of `file`, which was made in `format`, the first ones where it moves.
    ///
    /// # Errors
    /// Those of reading and decoding it.
    pub fn decode(&self, format: Format, file: &[u8]) -> Result<Raster, CodecError> {
        let source = match format {
            Format::Jpeg => SourceFormat::Jpeg,
            Format::Webp => SourceFormat::Webp,
            Format::Avif => SourceFormat::Avif,
            Format::Png => SourceFormat::Png,
            Format::Gif => SourceFormat::Gif,
            Format::Jxl => SourceFormat::Jxl,
        };
        let facts = self.made_facts(source, file)?;
        Ok(self.pixels(&facts, file, DctScale::FULL, None)?.without_idle_alpha())
    }
}

/// Why no file was made.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum EncodeError {
    /// A quality or a number of colours that no encoder takes.
    #[error(transparent)]
    Encoding(#[from] EncodingError),
    /// The format cannot hold the picture.
    #[error(transparent)]
    Size(#[from] SideTooLong),
    /// No encoder of the site makes it, or not any more.
    #[error(
        "this site has no encoder for this {0} file; add one in its settings, or choose another format"
    )]
    NotSetUp(Format),
    /// The encoder failed.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

impl EncodeError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::Codec(error) if error.is_transient())
    }
}

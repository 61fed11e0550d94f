//! Originals: what a file is, and whether it can be taken.

use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;

use crate::codec::CodecError;
use crate::codec::jpeg::DctScale;
use crate::codecs::Codecs;
use crate::lossless::LosslessError;
use crate::own_colours::OwnColours;
pub use crate::picture_error::PictureError;
use crate::raster::Raster;
use crate::reading::Opened;

/// An original: its bytes and what they say.
pub struct Original<'a> {
    pub(crate) codecs: &'a Codecs,
    pub(crate) bytes: &'a [u8],
    pub(crate) stored: Size,
    pub(crate) orientation: Orientation,
    pub(crate) colour: Option<OwnColours>,
    opened: Opened,
}

impl<'a> Original<'a> {
    /// Reads the header of `bytes`; no pixel is decoded.
    ///
    /// # Errors
    /// [`PictureError`] where the file is empty, no picture, of a kind that is not read, too
    /// large, or damaged in its header.
    ///
    /// ```
    /// use brisk_margin_core::encoding::{Encoding, Quality};
    /// use brisk_margin_core::fitting::Fitting;
    /// use brisk_margin_core::geometry::Size;
    /// use brisk_margin_imaging::codec::extras::Extras;
    /// use brisk_margin_imaging::codecs::Codecs;
    /// use brisk_margin_imaging::original::Original;
    /// use brisk_margin_imaging::raster::{Channels, Raster};
    /// use brisk_margin_imaging::render::render;
    ///
    /// let codecs = Codecs::in_process();
    /// let grey = Raster::new(Size::new(90, 60), Channels::Rgb, vec![128; 90 * 60 * 3]);
    /// let file = codecs.encode(&grey, Encoding::Jpeg(Quality::USUAL), &Extras::default())?;
    ///
    /// let original = Original::open(&codecs, &file)?;
    /// assert_eq!(original.facts().size, Size::new(90, 60));
    /// let half = Fitting::whole(original.facts().size, Size::new(45, 30));
    /// assert_eq!(render(&original, &half)?.size(), Size::new(45, 30));
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn open(codecs: &'a Codecs, bytes: &'a [u8]) -> Result<Self, PictureError> {
        let opened = codecs.open(bytes)?;
        let own = || match &opened.icc {
            Some(icc) if !opened.is_p3 => OwnColours::of_profile(codecs, icc),
            _ => OwnColours::display_p3(codecs),
        };
        let colour = opened.facts.profile.is_some().then(own);
        let (stored, orientation) = (opened.stored, opened.orientation);
        Ok(Self { codecs, bytes, stored, orientation, colour, opened })
    }

    /// What decodes it.
    pub fn codecs(&self) -> &'a Codecs {
        self.codecs
    }

    /// What the header says.
    pub fn facts(&self) -> &PictureFacts {
        &self.opened.facts
    }

    /// Its ICC profile, as it stands in the file.
    pub fn icc(&self) -> Option<&[u8]> {
        self.opened.icc.as_deref()
    }

    /// The profile of its colours, where they are RGB and not sRGB's: as it stands in the file, or
    /// written for a container that only names them.
    pub fn own_profile(&self) -> Option<Vec<u8>> {
        self.colour.as_ref()?.to_icc()
    }

    /// What its metadata say.
    pub fn told(&self) -> &EmbeddedMetadata {
        &self.opened.told
    }

    /// The sizes of the pictures inside an icon; none in other files.
    pub fn inside(&self) -> &[Size] {
        &self.opened.inside
    }

    /// Goes through every byte, so that a file that breaks off is found before it is kept.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] or [`CodecError::Damaged`].
    pub fn verify(&self) -> Result<(), CodecError> {
        self.codecs.verify(self.facts(), self.bytes)
    }

    /// A drawing as it is served: cleaned, and in fewer bytes; see
    /// [`minified`](crate::drawing::minified).
    ///
    /// # Errors
    /// [`CodecError::Damaged`], also where it is no drawing.
    pub fn drawing(&self) -> Result<String, CodecError> {
        self.codecs.minified(self.bytes)
    }

    /// The file without its metadata, the same to the last bit when it is shown; `xmp` is put in where
    /// there is one.
    ///
    /// # Errors
    /// [`LosslessError`].
    pub fn lossless_copy(&self, xmp: Option<&[u8]>) -> Result<Vec<u8>, LosslessError> {
        self.codecs.copy(self.facts(), self.bytes, xmp)
    }

    /// The pixels as stored, all of them, before orientation and colour; a JPEG's at `scale`.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] or [`CodecError::Damaged`].
    pub(crate) fn decode_at(&self, scale: DctScale) -> Result<Raster, CodecError> {
        self.codecs.pixels(self.facts(), self.bytes, scale, self.icc())
    }
}

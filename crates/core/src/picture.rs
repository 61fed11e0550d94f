//! Originals: what a file is, and whether it can be taken.

use serde::Serialize;
use thiserror::Error;

use crate::codec::{self, CodecError};
use crate::colour::Profile;
use crate::format::{self, Content, Source};
use crate::geometry::Size;
use crate::orientation::Orientation;
use crate::units::Bytes;

/// The most pixels an original may have: 120 megapixels.
pub const MAX_PIXELS: u64 = 120_000_000;

/// What an original is, read from its header.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Facts {
    /// Its format, by content.
    pub format: Source,
    /// Its size as shown, orientation applied.
    pub size: Size,
    /// Whether a pixel can be transparent.
    pub has_alpha: bool,
    /// Whether its metadata tell where it was taken.
    pub has_location: bool,
    /// The name of its colour profile, where it is not sRGB.
    pub profile: Option<String>,
}

/// An original: its bytes and what they say.
pub struct Picture<'a> {
    pub(crate) bytes: &'a [u8],
    pub(crate) stored: Size,
    pub(crate) orientation: Orientation,
    pub(crate) colour: Option<Profile>,
    facts: Facts,
}

impl Facts {
    /// The memory that verifying or rendering the picture may take at most, its file of `file`
    /// bytes included.
    ///
    /// Pixels as decoded, and for JPEG the coefficients that a progressive file is held in: two
    /// bytes for each of three channels.
    pub fn memory(&self, file: Bytes) -> Bytes {
        let per_pixel = match self.format {
            Source::Jpeg => 3 + 6,
            Source::Png => 4 + 3,
        };
        Bytes(file.get() + self.size.pixels() * per_pixel)
    }
}

impl<'a> Picture<'a> {
    /// Reads the header of `bytes`; no pixel is decoded.
    ///
    /// # Errors
    /// [`PictureError`] where the file is empty, no picture, of a kind that is not read, too
    /// large, or damaged in its header.
    pub fn open(bytes: &'a [u8]) -> Result<Self, PictureError> {
        if bytes.is_empty() {
            return Err(PictureError::Empty);
        }
        let format = match format::sniff(bytes) {
            Content::Readable(format) => format,
            Content::Known(kind) => return Err(PictureError::NotRead(kind)),
            Content::Unknown => return Err(PictureError::NoPicture),
        };
        let (stored, has_alpha, exif, icc) = match format {
            Source::Jpeg => {
                let header = codec::jpeg::header(bytes)?;
                (header.size, false, header.exif, header.icc)
            }
            Source::Png => {
                let header = codec::png::header(bytes)?;
                (header.size, header.has_alpha, header.exif, header.icc)
            }
        };
        if stored.pixels() > MAX_PIXELS {
            return Err(PictureError::TooManyPixels(stored));
        }
        let exif = exif.map(Exif::read).unwrap_or_default();
        let colour = icc.as_deref().and_then(Profile::read);
        let facts = Facts {
            format,
            size: exif.orientation.apply(stored),
            has_alpha,
            has_location: exif.has_location,
            profile: colour.as_ref().map(|profile| profile.name().to_owned()),
        };
        Ok(Self { bytes, stored, orientation: exif.orientation, colour, facts })
    }

    /// What the header says.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    /// Goes through every byte, so that a file that breaks off is found before it is kept.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] or [`CodecError::Damaged`].
    pub fn verify(&self) -> Result<(), CodecError> {
        match self.facts.format {
            Source::Jpeg => {
                codec::jpeg::decode(self.bytes, codec::jpeg::DctScale::EIGHTH).map(drop)
            }
            Source::Png => codec::png::verify(self.bytes),
        }
    }
}

/// What is read of the EXIF block.
struct Exif {
    orientation: Orientation,
    has_location: bool,
}

impl Default for Exif {
    fn default() -> Self {
        Self { orientation: Orientation::UPRIGHT, has_location: false }
    }
}

impl Exif {
    /// An unreadable block counts as none: it says nothing about the pixels.
    fn read(block: Vec<u8>) -> Self {
        let Ok(exif) = exif::Reader::new().read_raw(block) else {
            return Self::default();
        };
        let field = |tag| exif.get_field(tag, exif::In::PRIMARY);
        let orientation = field(exif::Tag::Orientation).and_then(|f| f.value.get_uint(0));
        Self {
            orientation: Orientation::from_exif(orientation.unwrap_or(1)),
            has_location: field(exif::Tag::GPSLatitude).is_some(),
        }
    }
}

/// Why a file was not taken as an original.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum PictureError {
    /// No bytes at all.
    #[error("the file is empty; export or transfer it again")]
    Empty,
    /// No picture format that is known.
    #[error("this is not a picture: its content is neither JPEG nor PNG, whatever its name says")]
    NoPicture,
    /// A known format that is not read.
    #[error("this is {0}, which is not read; save it as JPEG or PNG and bring it again")]
    NotRead(&'static str),
    /// More pixels than [`MAX_PIXELS`].
    #[error(
        "the picture claims {0}, {mp} megapixels; at most {limit} are taken: scale it down first",
        mp = .0.pixels() / 1_000_000,
        limit = MAX_PIXELS / 1_000_000
    )]
    TooManyPixels(Size),
    /// The decoder refused it.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

//! Originals: what a file is, and whether it can be taken.

use serde::Serialize;
use thiserror::Error;

use crate::codec::{self, Blocks, CodecError};
use crate::colour::{Inks, Profile};
use crate::drawing;
use crate::geometry::{Rect, Size};
use crate::orientation::Orientation;
use crate::raster::Raster;
use crate::source::{self, Content, Source, Unread};
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
    /// How many pictures follow each other; 1 for a still one.
    pub frames: u32,
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
    pub(crate) inks: Inks,
    icc: Option<Vec<u8>>,
    blocks: Blocks,
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
            // Drawn at the size that is asked for, twice while alpha is divided out.
            Source::Svg => 4 + 4,
            Source::Webp | Source::Gif | Source::Bmp | Source::Ico => 4 + 4,
            // Planes of up to 16 bits beside the result.
            Source::Avif => 4 + 8,
            Source::Tiff => 4 + 8,
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
        let format = match source::sniff(bytes) {
            Content::Readable(format) => format,
            Content::Known(kind) => return Err(PictureError::NotRead(kind)),
            Content::Unknown => return Err(PictureError::NoPicture),
        };
        let mut is_p3 = false;
        let header = match format {
            Source::Jpeg => codec::jpeg::header(bytes)?,
            Source::Png => codec::png::header(bytes)?,
            Source::Svg => codec::svg::header(bytes)?,
            Source::Avif => {
                let told = codec::elsewhere::read_avif(bytes)?;
                is_p3 = told.is_p3;
                told.header
            }
            _ => codec::simple::header(format, bytes)?,
        };
        if header.size.pixels() > MAX_PIXELS {
            return Err(PictureError::TooManyPixels(header.size));
        }
        let exif = header.blocks.exif.clone().map(Exif::read).unwrap_or_default();
        let orientation = header.turned.unwrap_or(exif.orientation);
        let profile = header.icc.as_deref().and_then(Profile::read);
        let colour = profile.or_else(|| is_p3.then(Profile::display_p3));
        let facts = Facts {
            format,
            size: orientation.apply(header.size),
            has_alpha: header.has_alpha,
            frames: header.frames,
            has_location: exif.has_location,
            profile: colour.as_ref().map(|profile| profile.name().to_owned()),
        };
        let inks = Inks::read(header.icc.as_deref());
        let stored = header.size;
        let (icc, blocks) = (header.icc, header.blocks);
        Ok(Self { bytes, stored, orientation, colour, inks, icc, blocks, facts })
    }

    /// What the header says.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    /// Its ICC profile, as it stands in the file.
    pub fn icc(&self) -> Option<&[u8]> {
        self.icc.as_deref()
    }

    /// The profile of its colours, where they are RGB and not sRGB's: as it stands in the file, or
    /// written for a container that only names them.
    pub fn own_profile(&self) -> Option<Vec<u8>> {
        let profile = self.colour.as_ref()?;
        self.icc.clone().or_else(|| profile.icc())
    }

    /// The blocks of metadata in the file.
    pub fn blocks(&self) -> &Blocks {
        &self.blocks
    }

    /// Goes through every byte, so that a file that breaks off is found before it is kept.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] or [`CodecError::Damaged`].
    pub fn verify(&self) -> Result<(), CodecError> {
        match self.facts.format {
            Source::Jpeg => {
                let scale = codec::jpeg::DctScale::EIGHTH;
                codec::elsewhere::decode_jpeg(self.bytes, scale, &self.inks).map(drop)
            }
            Source::Png => codec::png::verify(self.bytes),
            // Drawn once, since some faults show only then.
            Source::Svg => {
                let whole = Rect::whole(self.stored);
                codec::svg::draw(self.bytes, whole, Size::new(64, 64)).map(drop)
            }
            _ => self.decode().map(drop),
        }
    }

    /// A drawing as it is served: cleaned, and in fewer bytes; see [`drawing::minified`].
    ///
    /// # Errors
    /// [`CodecError::Damaged`], also where it is no drawing.
    pub fn drawing(&self) -> Result<String, CodecError> {
        drawing::minified(self.bytes)
    }

    /// The pixels as stored, all of them, before orientation and colour.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] or [`CodecError::Damaged`].
    pub(crate) fn decode(&self) -> Result<Raster, CodecError> {
        match self.facts.format {
            Source::Jpeg => {
                codec::elsewhere::decode_jpeg(self.bytes, codec::jpeg::DctScale::FULL, &self.inks)
            }
            Source::Png => codec::png::decode(self.bytes),
            Source::Avif => codec::elsewhere::decode_avif(self.bytes),
            Source::Svg => codec::svg::draw(self.bytes, Rect::whole(self.stored), self.stored),
            other => codec::simple::decode(other, self.bytes),
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
    #[error(
        "this is not a picture: its content is none of JPEG, PNG, WebP, AVIF, GIF, TIFF, BMP, SVG \
         and ICO, whatever its name says"
    )]
    NoPicture,
    /// A known format that is not read.
    #[error("this is {}, which is not read; {}", .0.what(), .0.instead())]
    NotRead(Unread),
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

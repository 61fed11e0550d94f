//! Originals: what a file is, and whether it can be taken.

use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::facts::PictureFacts;
use thiserror::Error;

use crate::codec::jpeg::DctScale;
use crate::codec::{self, Blocks, CodecError};
use crate::codecs::Codecs;
use crate::colour::{Inks, Profile};
use crate::drawing;
use crate::raster::Raster;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format;
use brisk_margin_core::source_format::{Content, SourceFormat, UnreadFormat};

/// An original: its bytes and what they say.
pub struct Original<'a> {
    pub(crate) codecs: &'a Codecs,
    pub(crate) bytes: &'a [u8],
    pub(crate) stored: Size,
    pub(crate) orientation: Orientation,
    pub(crate) colour: Option<Profile>,
    pub(crate) inks: Inks,
    icc: Option<Vec<u8>>,
    blocks: Blocks,
    facts: PictureFacts,
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
        if bytes.is_empty() {
            return Err(PictureError::Empty);
        }
        let format = match source_format::sniff(bytes) {
            Content::Readable(format) => format,
            Content::Known(kind) => return Err(PictureError::NotRead(kind)),
            Content::Unknown => return Err(PictureError::NoPicture),
        };
        let mut is_p3 = false;
        let header = match format {
            SourceFormat::Jpeg => codec::jpeg::header(bytes)?,
            SourceFormat::Png => codec::png::header(bytes)?,
            SourceFormat::Svg => codec::svg::header(bytes)?,
            SourceFormat::Avif => {
                let told = codecs.read_avif(bytes)?;
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
        let facts = PictureFacts {
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
        Ok(Self { codecs, bytes, stored, orientation, colour, inks, icc, blocks, facts })
    }

    /// What decodes it.
    pub fn codecs(&self) -> &'a Codecs {
        self.codecs
    }

    /// What the header says.
    pub fn facts(&self) -> &PictureFacts {
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
            SourceFormat::Jpeg => {
                self.codecs.decode_jpeg(self.bytes, DctScale::EIGHTH, &self.inks).map(drop)
            }
            SourceFormat::Png => codec::png::verify(self.bytes),
            // Drawn once, since some faults show only then.
            SourceFormat::Svg => {
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
            SourceFormat::Jpeg => self.codecs.decode_jpeg(self.bytes, DctScale::FULL, &self.inks),
            SourceFormat::Png => codec::png::decode(self.bytes),
            SourceFormat::Avif => self.codecs.decode_avif(self.bytes),
            SourceFormat::Svg => {
                codec::svg::draw(self.bytes, Rect::whole(self.stored), self.stored)
            }
            other => codec::simple::decode(other, self.bytes),
        }
    }
}

/// The pixels of a file as a browser shows them, turned as its metadata say; nothing is decoded, and
/// nothing is told of what is no picture.
pub fn shown_size(codecs: &Codecs, file: &[u8]) -> Option<Size> {
    if let Ok(original) = Original::open(codecs, file) {
        return Some(original.facts().size);
    }
    // What is damaged further down may still say how large it is.
    let size = imagesize::blob_size(file).ok()?;
    Some(Size::new(u32::try_from(size.width).ok()?, u32::try_from(size.height).ok()?))
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
    NotRead(UnreadFormat),
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

impl PictureError {
    /// Whether the machine is at fault and not the file: later it may be taken.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::Codec(error) if error.is_transient())
    }
}

//! Reading a file: what it says before its pixels, whether it is whole, and its pixels as stored.
//!
//! All of it meets untrusted bytes, and is only reached through [`job`](crate::job)s.

use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::facts::{MAX_PIXELS, PictureFacts};
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::{self, Content, SourceFormat};
use serde::{Deserialize, Serialize};

use crate::codec::jpeg::{self, DctScale, Pixels};
use crate::codec::{CodecError, Header, animation, avif, jxl, png, simple, svg, webp_motion};
use crate::colour::{Inks, Profile};
use crate::icon::ico;
use crate::metadata;
use crate::motion::Motion;
use crate::picture_error::PictureError;
use crate::raster::{Channels, Raster};

/// What a file says before its pixels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Opened {
    /// What the picture is.
    pub facts: PictureFacts,
    /// Its size as stored, before it is turned.
    pub stored: Size,
    /// How it is turned.
    pub orientation: Orientation,
    /// Whether its container names the colours of Display P3, and no profile of its own says otherwise.
    pub is_p3: bool,
    /// The sizes of the pictures inside an icon; none in other files.
    pub inside: Vec<Size>,
    /// What its metadata say.
    pub told: EmbeddedMetadata,
    /// Its ICC profile, which goes from process to process beside the words.
    #[serde(skip)]
    pub icc: Option<Vec<u8>>,
}

impl Opened {
    /// Whether it can be so: what another process tells is not taken for granted.
    pub(crate) fn is_sound(&self) -> bool {
        let has_sides = |size: &Size| size.width > 0 && size.height > 0;
        has_sides(&self.stored)
            && self.stored.pixels() <= MAX_PIXELS
            && self.facts.size == self.orientation.apply(self.stored)
            && self.facts.frames > 0
            && self.inside.iter().all(has_sides)
    }
}

/// What `file` says before its pixels, none of which is decoded.
///
/// # Errors
/// [`PictureError`] where it is empty, no picture, of a kind that is not read, too large, or damaged in its header.
pub fn open(file: &[u8]) -> Result<Opened, PictureError> {
    let format = format_of(file)?;
    let (header, is_p3) = header(format, file)?;
    if header.size.pixels() > MAX_PIXELS {
        return Err(PictureError::TooManyPixels(header.size));
    }
    let turn = metadata::turn(&header.blocks);
    let orientation = header.turned.unwrap_or(turn);
    let told = metadata::read(&header.blocks);
    let profile = header.icc.as_deref().and_then(Profile::read);
    let is_p3 = is_p3 && profile.is_none();
    let colour = profile.or_else(|| is_p3.then(Profile::display_p3));
    let facts = PictureFacts {
        format,
        size: orientation.apply(header.size),
        has_alpha: header.has_alpha,
        frames: header.frames,
        has_location: metadata::has_location(&header.blocks),
        profile: colour.as_ref().map(|profile| profile.name().to_owned()),
    };
    let entries = (format == SourceFormat::Ico).then(|| ico::entries(file)).flatten();
    Ok(Opened {
        facts,
        stored: header.size,
        orientation,
        is_p3,
        inside: entries.unwrap_or_default().iter().map(|entry| entry.size).collect(),
        told,
        icc: header.icc,
    })
}

/// The format of `file`, by content.
///
/// # Errors
/// [`PictureError`] where it is empty or not of one that is read.
pub fn format_of(file: &[u8]) -> Result<SourceFormat, PictureError> {
    if file.is_empty() {
        return Err(PictureError::Empty);
    }
    match source_format::sniff(file) {
        Content::Readable(format) => Ok(format),
        Content::Known(kind) => Err(PictureError::NotRead(kind)),
        Content::Unknown => Err(PictureError::NoPicture),
    }
}

/// The header of `file`, and whether it names Display P3 without a profile.
///
/// # Errors
/// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::Unsupported`].
pub fn header(format: SourceFormat, file: &[u8]) -> Result<(Header, bool), CodecError> {
    let header = match format {
        SourceFormat::Jpeg => jpeg::header(file)?,
        SourceFormat::Png => png::header(file)?,
        SourceFormat::Jxl => jxl::header(file)?,
        SourceFormat::Svg => svg::header(file)?,
        SourceFormat::Avif => {
            let told = avif::header(file)?;
            return Ok((told.header, told.is_p3));
        }
        _ => simple::header(format, file)?,
    };
    Ok((header, false))
}

/// Goes through every byte, so that a file that breaks off is found before it is kept.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn verify(format: SourceFormat, file: &[u8]) -> Result<(), CodecError> {
    match format {
        SourceFormat::Jpeg => jpeg::pixels(file, DctScale::EIGHTH).map(drop),
        SourceFormat::Png => png::verify(file),
        // Drawn once, since some faults show only then.
        SourceFormat::Svg => {
            let whole = Rect::whole(svg::header(file)?.size);
            svg::draw(file, whole, Size::new(64, 64)).map(drop)
        }
        _ => pixels(format, file, DctScale::FULL, None).map(drop),
    }
}

/// The pixels of `file` as stored, before they are turned and brought to sRGB, a JPEG's at `scale`;
/// inks are mixed by the profile `icc`.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn pixels(
    format: SourceFormat,
    file: &[u8],
    scale: DctScale,
    icc: Option<&[u8]>,
) -> Result<Raster, CodecError> {
    match format {
        SourceFormat::Jpeg => Ok(match jpeg::pixels(file, scale)? {
            Pixels::Rgb(raster) => raster,
            Pixels::Inks(size, inks) => {
                Raster::new(size, Channels::Rgb, Inks::read(icc).mix(&inks))
            }
        }),
        SourceFormat::Png => png::decode(file),
        SourceFormat::Jxl => jxl::decode(file),
        SourceFormat::Avif => avif::decode(file),
        SourceFormat::Svg => {
            let size = svg::header(file)?.size;
            svg::draw(file, Rect::whole(size), size)
        }
        other => simple::decode(other, file),
    }
}

/// The frames of `file`, each as it is shown, with alpha, so many at most, and how often they are.
///
/// # Errors
/// [`CodecError::Unsupported`] for formats whose frames are not read, else those of decoding.
pub fn motion(format: SourceFormat, file: &[u8], most: u32) -> Result<Motion, CodecError> {
    match format {
        SourceFormat::Gif => animation::decode_gif(file, most),
        // By the library that browsers use: where a frame lies on another, its pixels come out
        // exactly.
        SourceFormat::Webp => {
            let frames = webp_motion::decode(file, most)?;
            match frames.is_empty() {
                true => Err(CodecError::Truncated(format)),
                false => Ok(Motion { frames, loops: animation::webp_loops(file) }),
            }
        }
        format => Err(CodecError::Unsupported { format, flavour: "frames in a rare form".into() }),
    }
}

/// The pixels of `file` as a browser shows them, turned as its metadata say; nothing is told of what is no picture.
pub fn shown_size(file: &[u8]) -> Option<Size> {
    if let Ok(opened) = open(file) {
        return Some(opened.facts.size);
    }
    // What is damaged further down may still say how large it is.
    let size = imagesize::blob_size(file).ok()?;
    let size = Size::new(u32::try_from(size.width).ok()?, u32::try_from(size.height).ok()?);
    (size.width > 0 && size.height > 0).then_some(size)
}

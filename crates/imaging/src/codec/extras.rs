//! What a file carries besides its pixels: a colour profile, and an XMP packet.

use img_parts::png::{Png, PngChunk};
use img_parts::riff::{RiffChunk, RiffContent};
use img_parts::webp::{CHUNK_ICCP, CHUNK_VP8X, CHUNK_XMP, WebP};
use img_parts::{Bytes, ImageICC};

use super::CodecError;
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// Blocks that are written into a file; none of either by default.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Extras {
    /// The ICC profile that the pixels are in; sRGB needs none.
    pub icc: Option<Vec<u8>>,
    /// An XMP packet.
    pub xmp: Option<Vec<u8>>,
}

impl Extras {
    /// Whether there is nothing to write.
    pub const fn is_empty(&self) -> bool {
        self.icc.is_none() && self.xmp.is_none()
    }
}

/// `file`, a PNG of our own, with its blocks before the pixels (PNG, third edition, 11.3).
///
/// # Errors
/// [`CodecError::Encode`] where it is no PNG.
pub(super) fn into_png(file: Vec<u8>, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    if extras.is_empty() {
        return Ok(file);
    }
    let mut png = Png::from_bytes(file.into()).map_err(|error| not_written(Format::Png, error))?;
    if let Some(xmp) = &extras.xmp {
        // Keyword, not compressed, no language, no translated keyword.
        let mut body = b"XML:com.adobe.xmp\0\0\0\0\0".to_vec();
        body.extend(xmp);
        png.chunks_mut().insert(1, PngChunk::new(*b"iTXt", body.into()));
    }
    if let Some(icc) = &extras.icc {
        png.set_icc_profile(Some(icc.clone().into()));
    }
    Ok(png.encoder().bytes().into())
}

fn not_written(format: Format, error: img_parts::Error) -> CodecError {
    CodecError::Encode { format, detail: format!("the encoder wrote no such file: {error}") }
}

/// The chunks of a WebP that are shown, or say how (RFC 9649, 2.7).
const SHOWN: [&[u8; 4]; 7] = [b"VP8X", b"VP8 ", b"VP8L", b"ALPH", b"ANIM", b"ANMF", b"ICCP"];

/// What an extended WebP says that it has (RFC 9649, 2.7).
const ICC: u8 = 0x20;
const ALPHA: u8 = 0x10;
const EXIF: u8 = 0x08;
const XMP: u8 = 0x04;

/// Says of an extended WebP that it is transparent somewhere. Frames are cut to what is seen of
/// them, and where none of those has an alpha of its own, the library says nothing of the rest.
///
/// # Errors
/// [`CodecError::Encode`] where it is no WebP.
pub(super) fn tell_of_alpha(file: Vec<u8>) -> Result<Vec<u8>, CodecError> {
    let mut webp = WebP::from_bytes(file.into()).map_err(|e| not_written(Format::Webp, e))?;
    if let Some(flags) = flags(&webp) {
        set_flags(&mut webp, flags | ALPHA);
    }
    Ok(webp.encoder().bytes().into())
}

/// What an extended WebP says that it has; nothing for a simple one.
fn flags(webp: &WebP) -> Option<u8> {
    webp.chunk_by_id(CHUNK_VP8X)?.content().data()?.first().copied()
}

fn set_flags(webp: &mut WebP, flags: u8) {
    let header = webp.chunks_mut().iter_mut().find(|chunk| chunk.id() == CHUNK_VP8X);
    if let Some(RiffContent::Data(header)) = header.map(RiffChunk::content_mut) {
        let mut told = header.to_vec();
        if let Some(first) = told.first_mut() {
            *first = flags;
        }
        *header = told.into();
    }
}

/// `file`, a WebP of our own, as an extended one with its blocks (RFC 9649, 2.7).
///
/// # Errors
/// [`CodecError::Encode`] where it is no WebP.
pub(super) fn into_webp(
    file: Vec<u8>,
    extras: &Extras,
    size: (u32, u32),
    has_alpha: bool,
) -> Result<Vec<u8>, CodecError> {
    let mut webp = WebP::from_bytes(file.into()).map_err(|e| not_written(Format::Webp, e))?;
    add(&mut webp, extras, size, has_alpha);
    Ok(webp.encoder().bytes().into())
}

fn add(webp: &mut WebP, extras: &Extras, (width, height): (u32, u32), has_alpha: bool) {
    let chunk = |id, data: Vec<u8>| RiffChunk::new(id, RiffContent::Data(Bytes::from(data)));
    // An extended file says what it has by itself.
    let told = flags(webp).unwrap_or_else(|| {
        let mut header = vec![0; 4];
        header.extend(&(width - 1).to_le_bytes()[..3]);
        header.extend(&(height - 1).to_le_bytes()[..3]);
        webp.chunks_mut().insert(0, chunk(CHUNK_VP8X, header));
        if has_alpha { ALPHA } else { 0 }
    });
    let icc = extras.icc.as_ref().map_or(0, |_| ICC);
    let xmp = extras.xmp.as_ref().map_or(0, |_| XMP);
    set_flags(webp, told | icc | xmp);
    if let Some(icc) = &extras.icc {
        webp.chunks_mut().insert(1, chunk(CHUNK_ICCP, icc.clone()));
    }
    if let Some(xmp) = &extras.xmp {
        webp.chunks_mut().push(chunk(CHUNK_XMP, xmp.clone()));
    }
}

/// `file`, a WebP, without its metadata but with `xmp` (RFC 9649, 2.7); `stored` is its size.
///
/// # Errors
/// [`CodecError::Truncated`] where it breaks off.
pub(crate) fn bare_webp(
    file: &[u8],
    xmp: Option<Vec<u8>>,
    stored: Size,
    facts: &PictureFacts,
) -> Result<Vec<u8>, CodecError> {
    let webp = WebP::from_bytes(Bytes::copy_from_slice(file));
    let mut webp = webp.map_err(|_| CodecError::Truncated(SourceFormat::Webp))?;
    // What is shown, and nothing else: unknown chunks may say anything.
    webp.chunks_mut().retain(|chunk| SHOWN.contains(&&chunk.id()));
    if let Some(flags) = flags(&webp) {
        set_flags(&mut webp, flags & !(EXIF | XMP));
    }
    if xmp.is_some() {
        let extras = Extras { icc: None, xmp };
        add(&mut webp, &extras, (stored.width, stored.height), facts.has_alpha);
    }
    Ok(webp.encoder().bytes().into())
}

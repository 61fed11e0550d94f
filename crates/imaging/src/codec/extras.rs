//! What a file carries besides its pixels: a colour profile, and an XMP packet.

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

/// `file`, a PNG, with its blocks before the pixels (PNG, third edition, 11.3).
pub(super) fn into_png(file: &[u8], extras: &Extras) -> Vec<u8> {
    /// Signature, and the header chunk with its length, name and check sum.
    const HEADER: usize = 8 + 12 + 13;
    let mut out = file[..HEADER].to_vec();
    if let Some(icc) = &extras.icc {
        // A name, the one method there is, and the profile deflated.
        let mut body = b"profile\0\0".to_vec();
        body.extend(deflated(icc));
        chunk(&mut out, *b"iCCP", &body);
    }
    if let Some(xmp) = &extras.xmp {
        // Keyword, not compressed, no language, no translated keyword.
        let mut body = b"XML:com.adobe.xmp\0\0\0\0\0".to_vec();
        body.extend(xmp);
        chunk(&mut out, *b"iTXt", &body);
    }
    out.extend(&file[HEADER..]);
    out
}

fn chunk(out: &mut Vec<u8>, name: [u8; 4], body: &[u8]) {
    out.extend((body.len() as u32).to_be_bytes());
    let start = out.len();
    out.extend(name);
    out.extend(body);
    let sum = crc32fast::hash(&out[start..]);
    out.extend(sum.to_be_bytes());
}

fn deflated(data: &[u8]) -> Vec<u8> {
    use std::io::Write;
    let mut encoder = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::best());
    encoder.write_all(data).expect("memory takes it all");
    encoder.finish().expect("memory takes it all")
}

/// Where an extended WebP says what it has.
const FLAGS: usize = 20;
const ALPHA: u8 = 0x10;

/// Says of an extended WebP that it is transparent somewhere. Frames are cut to what is seen of
/// them, and where none of those has an alpha of its own, the library says nothing of the rest.
pub(super) fn tell_of_alpha(file: &mut [u8]) {
    if file.get(12..16) == Some(b"VP8X") {
        file[FLAGS] |= ALPHA;
    }
}

/// `file`, a WebP, as an extended one with its blocks (RFC 9649, 2.7).
pub(super) fn into_webp(
    file: &[u8],
    extras: &Extras,
    size: (u32, u32),
    has_alpha: bool,
) -> Result<Vec<u8>, CodecError> {
    const ICC: u8 = 0x20;
    const XMP: u8 = 0x04;
    let broken = || CodecError::Encode {
        format: Format::Webp,
        detail: "the encoder wrote no RIFF file".to_owned(),
    };
    let mut chunks = file.get(12..).ok_or_else(broken)?;
    let mut flags = 0;
    // An extended file says what it has by itself.
    if chunks.starts_with(b"VP8X") {
        flags = *file.get(FLAGS).ok_or_else(broken)?;
        chunks = chunks.get(18..).ok_or_else(broken)?;
    } else if has_alpha {
        flags = ALPHA;
    }
    flags |= if extras.icc.is_some() { ICC } else { 0 };
    flags |= if extras.xmp.is_some() { XMP } else { 0 };
    let mut header = vec![flags, 0, 0, 0];
    header.extend(&(size.0 - 1).to_le_bytes()[..3]);
    header.extend(&(size.1 - 1).to_le_bytes()[..3]);
    let mut body = b"WEBP".to_vec();
    riff(&mut body, *b"VP8X", &header);
    if let Some(icc) = &extras.icc {
        riff(&mut body, *b"ICCP", icc);
    }
    body.extend(chunks);
    if let Some(xmp) = &extras.xmp {
        riff(&mut body, *b"XMP ", xmp);
    }
    let mut out = Vec::with_capacity(body.len() + 8);
    riff(&mut out, *b"RIFF", &body);
    Ok(out)
}

/// `file`, a WebP, without its metadata but with `xmp` (RFC 9649, 2.7); `stored` is its size.
pub(crate) fn bare_webp(
    file: &[u8],
    xmp: Option<Vec<u8>>,
    stored: Size,
    facts: &PictureFacts,
) -> Result<Vec<u8>, CodecError> {
    const TOLD: u8 = 0x08 | 0x04;
    let mut body = b"WEBP".to_vec();
    let mut rest = file.get(12..).unwrap_or_default();
    while let Some((name, after)) = rest.split_first_chunk::<4>() {
        let cut_off = || CodecError::Truncated(SourceFormat::Webp);
        let (length, content) = after.split_first_chunk::<4>().ok_or_else(cut_off)?;
        let length = u32::from_le_bytes(*length) as usize;
        let content_here = content.get(..length).ok_or_else(cut_off)?;
        if name != b"EXIF" && name != b"XMP " {
            riff(&mut body, *name, content_here);
        }
        rest = content.get(length + (length & 1)..).unwrap_or_default();
    }
    let mut bare = Vec::with_capacity(body.len() + 8);
    riff(&mut bare, *b"RIFF", &body);
    if bare.get(12..16) == Some(b"VP8X") {
        bare[FLAGS] &= !TOLD;
    }
    match xmp {
        None => Ok(bare),
        Some(_) => {
            let extras = Extras { icc: None, xmp };
            into_webp(&bare, &extras, (stored.width, stored.height), facts.has_alpha)
        }
    }
}

fn riff(out: &mut Vec<u8>, name: [u8; 4], body: &[u8]) {
    out.extend(name);
    out.extend((body.len() as u32).to_le_bytes());
    out.extend(body);
    if body.len() % 2 == 1 {
        out.push(0);
    }
}

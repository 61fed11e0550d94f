//! JPEG headers: what stands before the pixels, read without a decoder (ITU-T T.81, annex B).

use super::{Blocks, CodecError, Header};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// Markers that are looked at.
mod marker {
    pub const START_OF_SCAN: u8 = 0xDA;
    pub const END_OF_IMAGE: u8 = 0xD9;
    pub const APP1: u8 = 0xE1;
    pub const APP2: u8 = 0xE2;
    pub const APP13: u8 = 0xED;
    /// Huffman tables, JPEG extensions and arithmetic conditioning share the range of frames.
    pub const NO_FRAMES: [u8; 3] = [0xC4, 0xC8, 0xCC];
    /// The kinds of frame that are read: baseline, extended and progressive.
    pub const READ: [u8; 3] = [0xC0, 0xC1, 0xC2];
}

/// Reads the header of `data`.
///
/// # Errors
/// [`CodecError::Truncated`] where the file ends in it, [`CodecError::Damaged`] where it says
/// nothing of a picture, [`CodecError::Unsupported`] for kinds of compression that browsers do not
/// show either.
pub fn header(data: &[u8]) -> Result<Header, CodecError> {
    let mut size = None;
    let mut blocks = Blocks::default();
    let mut icc = Vec::new();
    for segment in Segments(data.get(2..).unwrap_or_default()) {
        let (marker, body) = segment?;
        let after = |prefix: &[u8]| body.strip_prefix(prefix).map(<[u8]>::to_vec);
        match marker {
            marker::APP1 => {
                blocks.exif = blocks.exif.or_else(|| after(b"Exif\0\0"));
                blocks.xmp = blocks.xmp.or_else(|| after(b"http://ns.adobe.com/xap/1.0/\0"));
            }
            marker::APP2 => icc.extend(after(b"ICC_PROFILE\0")),
            marker::APP13 => {
                let records = || after(b"Photoshop 3.0\0").and_then(|block| iptc_of(&block));
                blocks.iptc = blocks.iptc.or_else(records);
            }
            0xC0..=0xCF if !marker::NO_FRAMES.contains(&marker) => {
                size = Some(frame(marker, body)?)
            }
            _ => {}
        }
    }
    let size = size.ok_or_else(|| damaged("it has no frame"))?;
    Ok(Header { icc: join_icc(icc), blocks, ..Header::plain(size, false) })
}

/// The size that a frame's header tells (B.2.2).
fn frame(marker: u8, body: &[u8]) -> Result<Size, CodecError> {
    let unsupported = |flavour: &'static str| CodecError::Unsupported {
        format: SourceFormat::Jpeg,
        flavour: flavour.into(),
    };
    let &[precision, top, high, left, wide, components, ..] = body else {
        return Err(CodecError::Truncated(SourceFormat::Jpeg));
    };
    if !marker::READ.contains(&marker) {
        return Err(unsupported("arithmetic coding or lossless compression"));
    }
    if precision != 8 {
        return Err(unsupported("more than 8 bits a channel"));
    }
    if !matches!(components, 1 | 3 | 4) {
        return Err(unsupported("an odd number of channels"));
    }
    let size =
        Size::new(u16::from_be_bytes([left, wide]).into(), u16::from_be_bytes([top, high]).into());
    if size.width == 0 || size.height == 0 { Err(damaged("a side of 0 px")) } else { Ok(size) }
}

/// The segments up to the first scan: marker and body.
struct Segments<'a>(&'a [u8]);

impl<'a> Iterator for Segments<'a> {
    type Item = Result<(u8, &'a [u8]), CodecError>;

    fn next(&mut self) -> Option<Self::Item> {
        let cut_off = || Some(Err(CodecError::Truncated(SourceFormat::Jpeg)));
        // Any number of fill bytes may stand before a marker; rubbish between segments is passed
        // over, as decoders do.
        let Some(start) = self.0.windows(2).position(|pair| {
            pair[0] == 0xFF && !matches!(pair[1], 0x00 | 0x01 | 0xFF | 0xD0..=0xD7)
        }) else {
            return if std::mem::take(&mut self.0).is_empty() { None } else { cut_off() };
        };
        let marker = self.0[start + 1];
        let rest = &self.0[start + 2..];
        if matches!(marker, marker::START_OF_SCAN | marker::END_OF_IMAGE) {
            self.0 = &[];
            return None;
        }
        let length = rest.first_chunk::<2>().map(|length| usize::from(u16::from_be_bytes(*length)));
        let body = length.and_then(|length| rest.get(2..length.max(2)));
        let Some(body) = body else {
            self.0 = &[];
            return cut_off();
        };
        self.0 = &rest[2 + body.len()..];
        Some(Ok((marker, body)))
    }
}

/// The IPTC records in a block of image resources (resource 0x0404).
fn iptc_of(resources: &[u8]) -> Option<Vec<u8>> {
    let mut rest = resources;
    while let Some(after) = rest.strip_prefix(b"8BIM") {
        let (id, after) = after.split_first_chunk::<2>()?;
        // A name of even length, its own length byte included.
        let name = (usize::from(*after.first()?) + 2) & !1;
        let (length, after) = after.get(name..)?.split_first_chunk::<4>()?;
        let length = u32::from_be_bytes(*length) as usize;
        let content = after.get(..length)?;
        if *id == [0x04, 0x04] {
            return Some(content.to_vec());
        }
        rest = after.get((length + 1) & !1..)?;
    }
    None
}

/// Joins the parts of a profile, each led by its number and their count (ICC.1, annex B.4).
fn join_icc(mut parts: Vec<Vec<u8>>) -> Option<Vec<u8>> {
    parts.retain(|part| part.len() > 2);
    let count = usize::from(*parts.first()?.get(1)?);
    if parts.len() != count {
        return None;
    }
    parts.sort_by_key(|part| part[0]);
    Some(parts.into_iter().flat_map(|part| part.into_iter().skip(2)).collect())
}

fn damaged(detail: &str) -> CodecError {
    CodecError::Damaged { format: SourceFormat::Jpeg, detail: detail.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(frame: &[u8]) -> Vec<u8> {
        [&[0xFF, 0xD8, 0xFF, 0xFE, 0, 4, b'h', b'i', 0xFF][..], frame, &[0xFF, 0xDA, 0, 2]].concat()
    }

    #[test]
    fn the_size_stands_in_the_frame_also_after_fill_bytes() {
        let found = header(&file(&[0xFF, 0xC2, 0, 11, 8, 0, 30, 1, 0, 1, 0, 0, 0])).unwrap();
        assert_eq!(found.size, Size::new(256, 30));
    }

    #[test]
    fn what_browsers_do_not_show_is_said_to_be_so() {
        let lossless = header(&file(&[0xC3, 0, 11, 8, 0, 30, 1, 0, 1, 0, 0, 0])).unwrap_err();
        assert!(lossless.to_string().contains("lossless"), "{lossless}");
        let deep = header(&file(&[0xC1, 0, 11, 12, 0, 30, 1, 0, 1, 0, 0, 0])).unwrap_err();
        assert!(deep.to_string().contains("8 bits"), "{deep}");
        let flat = header(&file(&[0xC0, 0, 11, 8, 0, 0, 1, 0, 1, 0, 0, 0])).unwrap_err();
        assert!(flat.to_string().contains("0 px"), "{flat}");
    }

    #[test]
    fn a_header_that_breaks_off_is_cut_off() {
        let whole = file(&[0xC0, 0, 11, 8, 0, 30, 1, 0, 1, 0, 0, 0]);
        for end in 2..whole.len() - 4 {
            assert!(header(&whole[..end]).is_err(), "{end} bytes");
        }
    }

    #[test]
    fn profile_parts_are_joined_in_their_order() {
        let parts = vec![vec![2, 2, b'c'], vec![1, 2, b'a', b'b']];
        assert_eq!(join_icc(parts), Some(b"abc".to_vec()));
        assert_eq!(join_icc(vec![vec![1, 2, b'a']]), None);
    }
}

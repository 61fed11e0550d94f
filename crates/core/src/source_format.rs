//! The formats of originals: told by content, never by name.

use serde::{Deserialize, Serialize};

/// A format that originals are read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum SourceFormat {
    /// JPEG, ITU-T T.81.
    Jpeg,
    /// PNG, also animated.
    Png,
    /// WebP, also animated.
    Webp,
    /// AVIF.
    Avif,
    /// JPEG XL.
    Jxl,
    /// GIF, also animated.
    Gif,
    /// TIFF 6.0.
    Tiff,
    /// Windows bitmap.
    Bmp,
    /// SVG: drawings, not pixels.
    Svg,
    /// Windows icon: its largest picture counts.
    Ico,
}

impl SourceFormat {
    /// Every format that is read.
    pub const ALL: [Self; 10] = [
        Self::Jpeg,
        Self::Png,
        Self::Webp,
        Self::Avif,
        Self::Jxl,
        Self::Gif,
        Self::Tiff,
        Self::Bmp,
        Self::Svg,
        Self::Ico,
    ];

    /// Its name in the API and in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Jpeg => "jpeg",
            Self::Png => "png",
            Self::Webp => "webp",
            Self::Avif => "avif",
            Self::Jxl => "jxl",
            Self::Gif => "gif",
            Self::Tiff => "tiff",
            Self::Bmp => "bmp",
            Self::Svg => "svg",
            Self::Ico => "ico",
        }
    }

    /// The format called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|source| source.name() == name)
    }

    /// Its media type.
    pub const fn media_type(self) -> &'static str {
        match self {
            Self::Jpeg => "image/jpeg",
            Self::Png => "image/png",
            Self::Webp => "image/webp",
            Self::Avif => "image/avif",
            Self::Jxl => "image/jxl",
            Self::Gif => "image/gif",
            Self::Tiff => "image/tiff",
            Self::Bmp => "image/bmp",
            Self::Svg => "image/svg+xml",
            Self::Ico => "image/vnd.microsoft.icon",
        }
    }

    /// Whether every browser shows it in a page.
    pub const fn is_for_the_web(self) -> bool {
        !matches!(self, Self::Jxl | Self::Tiff | Self::Bmp | Self::Ico)
    }
}

impl std::fmt::Display for SourceFormat {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Jpeg => "JPEG",
            Self::Png => "PNG",
            Self::Webp => "WebP",
            Self::Avif => "AVIF",
            Self::Jxl => "JPEG XL",
            Self::Gif => "GIF",
            Self::Tiff => "TIFF",
            Self::Bmp => "BMP",
            Self::Svg => "SVG",
            Self::Ico => "ICO",
        })
    }
}

/// A picture format that is recognised but not read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum UnreadFormat {
    /// HEIF with HEVC pictures, as telephones write it.
    Heic,
    /// A camera's own sensor data.
    CameraRaw,
    /// Artwork in layers, in an editor's own format.
    Layered,
    /// A document or drawing for print.
    Print,
}

impl UnreadFormat {
    /// What it is called.
    pub const fn what(self) -> &'static str {
        match self {
            Self::Heic => "HEIC",
            Self::CameraRaw => "a camera's raw file",
            Self::Layered => "layered artwork",
            Self::Print => "a print document",
        }
    }

    /// What to do instead.
    pub const fn instead(self) -> &'static str {
        match self {
            Self::Heic => {
                "share it from the telephone as “most compatible”, or convert it to JPEG, and bring that"
            }
            Self::CameraRaw => "develop it to JPEG or 16-bit TIFF and bring that",
            Self::Layered => "flatten it, save it as PNG or TIFF, and bring that",
            Self::Print => "export the picture in it as PNG or SVG and bring that",
        }
    }
}

/// What the first bytes of a file say it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Content {
    /// A format that pictures are read from.
    Readable(SourceFormat),
    /// A picture format that is known but not read.
    Known(UnreadFormat),
    /// No picture format that is known.
    Unknown,
}

/// Tells the format of a file by its first bytes.
pub fn sniff(data: &[u8]) -> Content {
    match (readable(data), known(data)) {
        // Camera files are TIFF files too, of their own kind.
        (_, Some(kind)) => Content::Known(kind),
        (Some(source), None) => Content::Readable(source),
        (None, None) => Content::Unknown,
    }
}

fn readable(data: &[u8]) -> Option<SourceFormat> {
    let starts = |magic: &[u8]| data.starts_with(magic);
    if starts(&[0xFF, 0xD8, 0xFF]) {
        Some(SourceFormat::Jpeg)
    } else if starts(b"\x89PNG\r\n\x1a\n") {
        Some(SourceFormat::Png)
    } else if starts(b"GIF87a") || starts(b"GIF89a") {
        Some(SourceFormat::Gif)
    } else if starts(b"RIFF") && data.get(8..12) == Some(b"WEBP") {
        Some(SourceFormat::Webp)
    } else if has_brand(data, &[b"avif", b"avis"]) {
        Some(SourceFormat::Avif)
    } else if starts(&[0xFF, 0x0A]) || starts(b"\0\0\0\x0CJXL \r\n\x87\n") {
        Some(SourceFormat::Jxl)
    } else if is_tiff(data) {
        Some(SourceFormat::Tiff)
    } else if starts(b"BM") && data.get(6..10) == Some(&[0; 4]) {
        Some(SourceFormat::Bmp)
    } else if starts(&[0, 0, 1, 0]) && data.get(4..6).is_some_and(|count| count != [0, 0]) {
        Some(SourceFormat::Ico)
    } else if is_svg(data) {
        Some(SourceFormat::Svg)
    } else {
        None
    }
}

fn known(data: &[u8]) -> Option<UnreadFormat> {
    let starts = |magic: &[u8]| data.starts_with(magic);
    if has_brand(data, &[b"heic", b"heix", b"heim", b"heis", b"hevc", b"mif1", b"msf1"]) {
        // The brand of the container alone says nothing of what is in it.
        (!names_brand(data, b"avif")).then_some(UnreadFormat::Heic)
    } else if is_camera_raw(data) {
        Some(UnreadFormat::CameraRaw)
    } else if starts(b"8BPS") || starts(b"gimp xcf") {
        Some(UnreadFormat::Layered)
    } else if starts(b"%PDF-") || starts(b"%!PS") || starts(&[0xC5, 0xD0, 0xD3, 0xC6]) {
        Some(UnreadFormat::Print)
    } else {
        None
    }
}

/// The main brand of an ISO base media file (ISO/IEC 14496-12, 4.3).
fn has_brand(data: &[u8], names: &[&[u8; 4]]) -> bool {
    data.get(4..8) == Some(b"ftyp")
        && data.get(8..12).is_some_and(|brand| {
            names.iter().any(|name| *name == brand)
                || (brand == b"mif1" && names.contains(&b"avif") && names_brand(data, b"avif"))
        })
}

/// Whether the file lists `name` among the brands it is compatible with.
fn names_brand(data: &[u8], name: &[u8; 4]) -> bool {
    let Some(length) = data.first_chunk::<4>() else { return false };
    let end = (u32::from_be_bytes(*length) as usize).min(data.len()).min(256);
    data.get(16..end).is_some_and(|brands| brands.chunks_exact(4).any(|brand| brand == name))
}

fn is_tiff(data: &[u8]) -> bool {
    data.starts_with(b"II*\0") || data.starts_with(b"MM\0*")
}

/// Camera files by their own marks, or by the tags of their first directory: a colour filter
/// array (TIFF/EP), or a version of the Digital Negative specification.
fn is_camera_raw(data: &[u8]) -> bool {
    const MARKS: [&[u8]; 5] = [b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0"];
    has_brand(data, &[b"crx "])
        || MARKS.iter().any(|mark| data.starts_with(mark))
        || data.get(8..10) == Some(b"CR") && is_tiff(data)
        || is_tiff(data) && has_sensor_tags(data)
}

/// The small picture that a camera file starts with tells of its camera and of further pictures.
fn has_sensor_tags(data: &[u8]) -> bool {
    const CFA_PATTERN: u16 = 0x828E;
    const DNG_VERSION: u16 = 0xC612;
    const MAKE: u16 = 0x010F;
    const SUB_IFDS: u16 = 0x014A;
    let has = |wanted| first_tags(data).any(|tag| tag == wanted);
    has(CFA_PATTERN) || has(DNG_VERSION) || has(MAKE) && has(SUB_IFDS)
}

/// The tags of a TIFF file's first directory.
fn first_tags(data: &[u8]) -> impl Iterator<Item = u16> {
    let little = data.starts_with(b"II");
    let short = move |at: usize| {
        let bytes: [u8; 2] = data.get(at..at + 2)?.try_into().ok()?;
        Some(if little { u16::from_le_bytes(bytes) } else { u16::from_be_bytes(bytes) })
    };
    let start = data.get(4..8).and_then(|bytes| bytes.try_into().ok()).map(|bytes: [u8; 4]| {
        (if little { u32::from_le_bytes(bytes) } else { u32::from_be_bytes(bytes) }) as usize
    });
    let start = start.filter(|&at| at < data.len());
    let count = start.and_then(short).unwrap_or(0);
    (0..usize::from(count)).map_while(move |n| short(start? + 2 + 12 * n))
}

fn is_svg(data: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&data[..data.len().min(4096)]);
    head.trim_start_matches('\u{FEFF}').trim_start().starts_with('<') && head.contains("<svg")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn content_decides_and_not_the_name() {
        assert_eq!(sniff(&[0xFF, 0xD8, 0xFF, 0xE0]), Content::Readable(SourceFormat::Jpeg));
        assert_eq!(sniff(b"Just a note, saved as dome.jpg"), Content::Unknown);
        assert_eq!(sniff(b""), Content::Unknown);
        assert_eq!(sniff(&[0xFF, 0x0A, 0x30]), Content::Readable(SourceFormat::Jxl));
        assert_eq!(sniff(b"RIFF\0\0\0\0WEBPVP8 "), Content::Readable(SourceFormat::Webp));
        assert_eq!(sniff(b"<?xml version='1.0'?><svg/>"), Content::Readable(SourceFormat::Svg));
    }

    #[test]
    fn containers_are_told_apart_by_their_brands() {
        assert_eq!(sniff(b"\0\0\0\x18ftypheic"), Content::Known(UnreadFormat::Heic));
        assert_eq!(sniff(b"\0\0\0\x18ftypcrx "), Content::Known(UnreadFormat::CameraRaw));
        let still = b"\0\0\0\x18ftypmif1\0\0\0\0mif1avif";
        assert_eq!(sniff(still), Content::Readable(SourceFormat::Avif));
    }

    #[test]
    fn a_camera_file_is_no_plain_tiff() {
        let tiff = |tag: u16| {
            let mut file = b"II*\0\x08\0\0\0\x01\0".to_vec();
            file.extend(tag.to_le_bytes());
            file.extend([0; 10]);
            file
        };
        assert_eq!(sniff(&tiff(0x0100)), Content::Readable(SourceFormat::Tiff));
        assert_eq!(sniff(&tiff(0xC612)), Content::Known(UnreadFormat::CameraRaw));
        assert_eq!(sniff(b"II*\0\x10\0\0\0CR\x02\0"), Content::Known(UnreadFormat::CameraRaw));
    }
}

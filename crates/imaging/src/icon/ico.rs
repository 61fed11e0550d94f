//! ICO: several sizes in one file, each as a PNG inside.

use brisk_margin_core::geometry::Size;
use image::ExtendedColorType;
use image::codecs::ico::{IcoEncoder, IcoFrame};

use crate::codec::CodecError;
use brisk_margin_core::format::Format;

/// The file that holds `frames`: the PNG of each size.
///
/// # Errors
/// [`CodecError::Encode`] where one is larger than 256 px.
pub fn ico(frames: &[(u32, Vec<u8>)]) -> Result<Vec<u8>, CodecError> {
    let failed = |error: image::ImageError| CodecError::Encode {
        format: Format::Png,
        detail: error.to_string(),
    };
    let inside = frames.iter().map(|(side, png)| {
        IcoFrame::with_encoded(png.as_slice(), *side, *side, ExtendedColorType::Rgba8)
    });
    let inside: Vec<IcoFrame<'_>> = inside.collect::<Result<_, _>>().map_err(failed)?;
    let mut file = Vec::new();
    IcoEncoder::new(&mut file).encode_images(&inside).map_err(failed)?;
    Ok(file)
}

/// A picture inside an ICO.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Entry<'a> {
    /// Its pixels, as the file's list says.
    pub size: Size,
    /// Its bytes: a PNG, or a bitmap without its head.
    pub bytes: &'a [u8],
}

/// The pictures inside `file`; nothing where it is no ICO, or breaks off.
pub fn entries(file: &[u8]) -> Option<Vec<Entry<'_>>> {
    let word = |at: usize| Some(u16::from_le_bytes(file.get(at..at + 2)?.try_into().ok()?));
    let long = |at: usize| Some(u32::from_le_bytes(file.get(at..at + 4)?.try_into().ok()?));
    if (word(0)?, word(2)?) != (0, 1) {
        return None;
    }
    let entry = |n: usize| {
        let head = 6 + n * 16;
        // 0 stands for 256.
        let side = |at: usize| Some(u32::from(*file.get(at)?).wrapping_sub(1) % 256 + 1);
        let (length, at) = (long(head + 8)? as usize, long(head + 12)? as usize);
        let bytes = file.get(at..at.checked_add(length)?)?;
        Some(Entry { size: Size::new(side(head)?, side(head + 1)?), bytes })
    };
    let entries: Option<Vec<Entry<'_>>> = (0..usize::from(word(4)?)).map(entry).collect();
    entries.filter(|entries| !entries.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_breaks_off_or_is_something_else_has_no_entries() {
        let file = ico(&[(16, vec![7; 40]), (256, vec![8; 90])]).unwrap();
        let read = entries(&file).unwrap();
        assert_eq!(read[0], Entry { size: Size::new(16, 16), bytes: &[7; 40] });
        assert_eq!(read[1], Entry { size: Size::new(256, 256), bytes: &[8; 90] });
        for end in 0..file.len() {
            assert_eq!(entries(&file[..end]), None, "{end}");
        }
        assert_eq!(entries(b"<!doctype html><html>"), None);
    }
}

//! A file that a page serves, and what its content says it is.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::picture::Picture;
use brisk_margin_core::units::Bytes;
use serde::Serialize;

use crate::traffic::Fetched;

/// What a file is by its content.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct FileFacts {
    /// Its pixels as shown.
    pub size: Option<Size>,
    /// Its format, in lower case.
    pub format: Option<&'static str>,
}

impl FileFacts {
    /// Reads `body` by its first bytes; nothing is decoded.
    pub fn of(body: &[u8]) -> Self {
        Self { size: size_of(body), format: format_of(body) }
    }
}

/// A file that a page serves.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ServedFile {
    /// Where it is.
    pub url: String,
    /// Its pixels across; nothing where it could not be read.
    pub width: Option<u32>,
    /// Its pixels down.
    pub height: Option<u32>,
    /// Its format by content, in lower case.
    pub format: Option<String>,
    /// Its weight.
    pub bytes: Bytes,
}

impl ServedFile {
    pub(crate) fn new(address: &str, file: Option<&Fetched>) -> Self {
        let facts = file.map(|file| file.facts).unwrap_or_default();
        Self {
            url: address.to_owned(),
            width: facts.size.map(|size| size.width),
            height: facts.size.map(|size| size.height),
            format: facts.format.map(str::to_owned),
            bytes: Bytes(file.map_or(0, |file| file.bytes)),
        }
    }

    /// Its pixels.
    pub fn size(&self) -> Option<Size> {
        Some(Size::new(self.width?, self.height?)).filter(|size| size.pixels() > 0)
    }
}

/// A file's pixels as shown: browsers turn a picture as its metadata say.
fn size_of(body: &[u8]) -> Option<Size> {
    if let Ok(picture) = Picture::open(body) {
        return Some(picture.facts().size);
    }
    let size = imagesize::blob_size(body).ok()?;
    Some(Size::new(u32::try_from(size.width).ok()?, u32::try_from(size.height).ok()?))
}

fn format_of(body: &[u8]) -> Option<&'static str> {
    use imagesize::ImageType;
    match imagesize::image_type(body) {
        Ok(ImageType::Jpeg) => Some("jpeg"),
        Ok(ImageType::Png) => Some("png"),
        Ok(ImageType::Webp) => Some("webp"),
        Ok(ImageType::Gif) => Some("gif"),
        Ok(ImageType::Bmp) => Some("bmp"),
        Ok(ImageType::Ico) => Some("ico"),
        Ok(ImageType::Heif(imagesize::Compression::Av1)) => Some("avif"),
        _ => String::from_utf8_lossy(&body[..body.len().min(1_024)])
            .contains("<svg")
            .then_some("svg"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png, oriented};

    #[test]
    fn a_files_pixels_are_told_as_a_browser_shows_them() {
        let lying = gradient_jpeg(60, 40);
        assert_eq!(size_of(&lying), Some(Size::new(60, 40)));
        assert_eq!(size_of(&oriented(&lying, 6)), Some(Size::new(40, 60)));
        assert_eq!(size_of(&gradient_png(7, 5)), Some(Size::new(7, 5)));
        assert_eq!(size_of(b"GIF89a\x0a\0\x14\0\0\0\0"), Some(Size::new(10, 20)));
        assert_eq!(size_of(b"no picture"), None);
    }
}

//! What stands before the pixels of a file.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;

/// What stands before the pixels.
#[derive(Debug, Clone, PartialEq)]
pub struct Header {
    /// Stored size, before orientation.
    pub size: Size,
    /// Whether a pixel can be transparent.
    pub has_alpha: bool,
    /// How many pictures follow each other; 1 for a still one.
    pub frames: u32,
    /// How the container turns its pixels, where it says so itself and not in its EXIF block.
    pub turned: Option<Orientation>,
    /// The ICC profile.
    pub icc: Option<Vec<u8>>,
    /// What is told of the picture.
    pub blocks: Blocks,
}

/// Blocks of metadata, as they stand in the file.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Blocks {
    /// The EXIF block as TIFF bytes.
    pub exif: Option<Vec<u8>>,
    /// The XMP packet.
    pub xmp: Option<Vec<u8>>,
    /// IPTC-IIM records.
    pub iptc: Option<Vec<u8>>,
}

impl Header {
    /// A still picture of which nothing else is told.
    pub(crate) fn plain(size: Size, has_alpha: bool) -> Self {
        Self { size, has_alpha, frames: 1, turned: None, icc: None, blocks: Blocks::default() }
    }
}

//! Facts about an original: what its header says, before a pixel is decoded.

use serde::{Deserialize, Serialize};

use crate::geometry::Size;
use crate::source_format::SourceFormat;
use crate::units::Bytes;

/// The most pixels an original may have: 120 megapixels.
pub const MAX_PIXELS: u64 = 120_000_000;

/// The memory that a pixel of a JPEG XL file takes while it is decoded, in bytes: planes of floating-point
/// numbers, before and after its filters.
pub const JXL_PER_PIXEL: u64 = 40;

/// What an original is, read from its header.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PictureFacts {
    /// Its format, by content.
    pub format: SourceFormat,
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

impl PictureFacts {
    /// The memory that verifying or rendering the picture may take at most, its file of `file`
    /// bytes included.
    ///
    /// Pixels as decoded, and for JPEG the coefficients that a progressive file is held in: two
    /// bytes for each of three channels.
    pub fn memory(&self, file: Bytes) -> Bytes {
        let per_pixel = match self.format {
            SourceFormat::Jpeg => 3 + 6,
            SourceFormat::Png => 4 + 3,
            // Drawn at the size that is asked for, twice while alpha is divided out.
            SourceFormat::Svg => 4 + 4,
            SourceFormat::Webp | SourceFormat::Gif | SourceFormat::Bmp | SourceFormat::Ico => 4 + 4,
            // Planes of up to 16 bits beside the result.
            SourceFormat::Avif => 4 + 8,
            SourceFormat::Tiff => 4 + 8,
            SourceFormat::Jxl => 4 + JXL_PER_PIXEL,
        };
        Bytes(file.get() + self.size.pixels() * per_pixel)
    }
}

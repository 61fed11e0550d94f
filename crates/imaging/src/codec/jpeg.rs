//! JPEG through mozjpeg: DCT-scaled decoding, and what its files carry.

use std::cell::Cell;
use std::io::{self, BufRead, Read};

use mozjpeg::{ColorSpace, Decompress, Marker};
use serde::{Deserialize, Serialize};

use super::CodecError;
use super::error::guarded;
use super::extras::Extras;
pub use super::jpeg_encode::encode;
pub use super::jpeg_header::header;
use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;

fn is_cmyk(space: ColorSpace) -> bool {
    matches!(space, ColorSpace::JCS_CMYK | ColorSpace::JCS_YCCK)
}

/// A scale of n/8 at which the decoder can leave out detail by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct DctScale(u8);

impl DctScale {
    /// All pixels.
    pub const FULL: Self = Self(8);
    /// One pixel for each block of 8 × 8, the cheapest way through a whole file.
    pub const EIGHTH: Self = Self(1);

    /// The smallest scale that leaves at least twice `output` of `region` along both sides.
    pub fn for_output(region: Size, output: Size) -> Self {
        let enough = |n: &u8| {
            let left = |side: u32| u64::from(side) * u64::from(*n) / 8;
            left(region.width) >= 2 * u64::from(output.width)
                && left(region.height) >= 2 * u64::from(output.height)
        };
        Self((1..=8).find(enough).unwrap_or(8))
    }

    /// Decoded pixels per stored pixel.
    pub fn factor(self) -> f64 {
        f64::from(self.0) / 8.0
    }
}

/// Decoded pixels.
pub enum Pixels {
    /// On a screen.
    Rgb(Raster),
    /// In print: four inks a pixel, 255 for none.
    Inks(Size, Vec<u8>),
}

/// Decodes `data` at `scale`.
///
/// # Errors
/// [`CodecError::Truncated`] where the file ends before the last row is complete.
pub fn pixels(data: &[u8], scale: DctScale) -> Result<Pixels, CodecError> {
    let ran_out = Cell::new(false);
    let reader = WatchedEnd { data, ran_out: &ran_out };
    let decoded = guarded(
        || {
            let kept = [Marker::APP(14)];
            let mut jpeg = Decompress::with_markers(&kept).from_reader(reader).map_err(damaged)?;
            let leaves_ink_out = jpeg.markers().any(|found| found.data.starts_with(b"Adobe"));
            jpeg.scale(scale.0);
            let print = is_cmyk(jpeg.color_space());
            let wanted = if print { ColorSpace::JCS_CMYK } else { ColorSpace::JCS_RGB };
            let mut started = jpeg.to_colorspace(wanted).map_err(damaged)?;
            let size = Size::new(started.width() as u32, started.height() as u32);
            let mut pixels: Vec<u8> = started.read_scanlines().map_err(damaged)?;
            if !print {
                return Ok(Pixels::Rgb(Raster::new(size, Channels::Rgb, pixels)));
            }
            // The marker tells that 255 stands for no ink; without it, 0 does.
            if !leaves_ink_out {
                pixels.iter_mut().for_each(|ink| *ink = 255 - *ink);
            }
            Ok(Pixels::Inks(size, pixels))
        },
        damaged,
    );
    // The library paints what is missing in grey and goes on; the reader knows better.
    if ran_out.get() {
        return Err(CodecError::Truncated(SourceFormat::Jpeg));
    }
    decoded
}

/// A reader over `data` that notes when it was asked for more than there is.
struct WatchedEnd<'a> {
    data: &'a [u8],
    ran_out: &'a Cell<bool>,
}

impl Read for WatchedEnd<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.fill_buf()?.read(buffer)?;
        self.consume(read);
        Ok(read)
    }
}

impl BufRead for WatchedEnd<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.data.is_empty() {
            self.ran_out.set(true);
        }
        Ok(self.data)
    }

    fn consume(&mut self, amount: usize) {
        self.data = &self.data[amount..];
    }
}

/// The markers that a file carries, each with its code: turn, XMP packet and profile.
pub(super) fn markers(extras: &Extras, orientation: Orientation) -> Vec<(u8, Vec<u8>)> {
    const APP1: u8 = 0xE1;
    const APP2: u8 = 0xE2;
    /// The longest body of a marker.
    const LONGEST: usize = 65_533;
    let mut markers = Vec::new();
    if orientation != Orientation::UPRIGHT {
        markers.push((APP1, exif_with(orientation)));
    }
    if let Some(xmp) = &extras.xmp {
        let body = [b"http://ns.adobe.com/xap/1.0/\0", xmp.as_slice()].concat();
        // A longer packet would have to be split, and nothing that is kept here is so long.
        if body.len() <= LONGEST {
            markers.push((APP1, body));
        }
    }
    if let Some(icc) = &extras.icc {
        const LEAD: usize = b"ICC_PROFILE\0".len() + 2;
        let parts: Vec<&[u8]> = icc.chunks(LONGEST - LEAD).collect();
        for (n, part) in parts.iter().enumerate() {
            let numbers = [n as u8 + 1, parts.len() as u8];
            markers.push((APP2, [b"ICC_PROFILE\0", &numbers[..], part].concat()));
        }
    }
    markers
}

/// An EXIF block that tells of the turn and of nothing else (EXIF 2.32, tag 0x0112).
fn exif_with(orientation: Orientation) -> Vec<u8> {
    let mut block = b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01".to_vec();
    block.extend([0, orientation.to_exif(), 0, 0, 0, 0, 0, 0]);
    block
}

pub(super) fn damaged(detail: impl ToString) -> CodecError {
    let detail = detail.to_string();
    let detail = detail.trim_start_matches("libjpeg fatal error: ").to_owned();
    CodecError::Damaged { format: SourceFormat::Jpeg, detail }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_scale_leaves_at_least_twice_the_target() {
        let scale = |w, h| DctScale::for_output(Size::new(6000, 4000), Size::new(w, h));
        assert_eq!(scale(300, 200), DctScale(1));
        assert_eq!(scale(912, 608), DctScale(3));
        assert_eq!(scale(3001, 2001), DctScale::FULL);
    }
}

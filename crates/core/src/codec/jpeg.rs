//! JPEG through mozjpeg: header and markers, DCT-scaled decoding, encoding.

use std::cell::Cell;
use std::io::{self, BufRead, Read};

use mozjpeg::{ColorSpace, Compress, Decompress, Marker};

use super::{Blocks, CodecError, Header, guarded};
use crate::colour::Inks;
use crate::format::Format;
use crate::geometry::Size;
use crate::raster::{Channels, Raster};
use crate::source::Source;

/// Reads the header of `data`.
pub fn header(data: &[u8]) -> Result<Header, CodecError> {
    guarded(
        || {
            let kept = [Marker::APP(1), Marker::APP(2), Marker::APP(13)];
            let jpeg = Decompress::with_markers(&kept).from_mem(data).map_err(damaged)?;
            let blocks = |number, prefix: &'static [u8]| {
                jpeg.markers()
                    .filter(move |found| found.marker == Marker::APP(number))
                    .filter_map(move |found| found.data.strip_prefix(prefix).map(<[u8]>::to_vec))
                    .collect::<Vec<_>>()
            };
            let first = |number, prefix| blocks(number, prefix).into_iter().next();
            let size = Size::new(jpeg.width() as u32, jpeg.height() as u32);
            Ok(Header {
                icc: join_icc(blocks(2, b"ICC_PROFILE\0")),
                blocks: Blocks {
                    exif: first(1, b"Exif\0\0"),
                    xmp: first(1, b"http://ns.adobe.com/xap/1.0/\0"),
                    iptc: first(13, b"Photoshop 3.0\0").and_then(|block| iptc_of(&block)),
                },
                ..Header::plain(size, false)
            })
        },
        damaged,
    )
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

fn is_cmyk(space: ColorSpace) -> bool {
    matches!(space, ColorSpace::JCS_CMYK | ColorSpace::JCS_YCCK)
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

/// A scale of n/8 at which the decoder can leave out detail by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
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

/// Decodes `data` at `scale` to RGB; print colours are mixed by `inks`.
///
/// # Errors
/// [`CodecError::Truncated`] where the file ends before the last row is complete.
pub fn decode(data: &[u8], scale: DctScale, inks: &Inks) -> Result<Raster, CodecError> {
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
            if print {
                // The marker tells that 255 stands for no ink; without it, 0 does.
                if !leaves_ink_out {
                    pixels.iter_mut().for_each(|ink| *ink = 255 - *ink);
                }
                pixels = inks.mix(&pixels);
            }
            Ok(Raster::new(size, Channels::Rgb, pixels))
        },
        damaged,
    );
    // The library paints what is missing in grey and goes on; the reader knows better.
    if ran_out.get() {
        return Err(CodecError::Truncated(Source::Jpeg));
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

/// Encodes `raster` as a progressive JPEG at `quality` (1 to 100); transparency turns white.
///
/// Colour is kept at full resolution from quality 90 up and at half below, where the loss hides
/// under that of the quantisation.
pub fn encode(raster: &Raster, quality: u8) -> Result<Vec<u8>, CodecError> {
    let failed = |detail: String| CodecError::Encode { format: Format::Jpeg, detail };
    guarded(
        || {
            let opaque = raster.flattened([255; 3]);
            let mut jpeg = Compress::new(ColorSpace::JCS_RGB);
            jpeg.set_size(opaque.size().width as usize, opaque.size().height as usize);
            jpeg.set_quality(f32::from(quality));
            jpeg.set_progressive_mode();
            jpeg.set_optimize_scans(true);
            let chroma = if quality >= 90 { (1, 1) } else { (2, 2) };
            jpeg.set_chroma_sampling_pixel_sizes(chroma, chroma);
            let mut started = jpeg.start_compress(Vec::new()).map_err(|e| failed(e.to_string()))?;
            started.write_scanlines(opaque.data()).map_err(|e| failed(e.to_string()))?;
            started.finish().map_err(|e| failed(e.to_string()))
        },
        failed,
    )
}

fn damaged(detail: impl ToString) -> CodecError {
    let detail = detail.to_string();
    let detail = detail.trim_start_matches("libjpeg fatal error: ").to_owned();
    CodecError::Damaged { format: Source::Jpeg, detail }
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

    #[test]
    fn profile_parts_are_joined_in_their_order() {
        let parts = vec![vec![2, 2, b'c'], vec![1, 2, b'a', b'b']];
        assert_eq!(join_icc(parts), Some(b"abc".to_vec()));
        assert_eq!(join_icc(vec![vec![1, 2, b'a']]), None);
    }
}

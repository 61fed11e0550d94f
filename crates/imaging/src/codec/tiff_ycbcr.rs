//! TIFF with brightness and colour apart (YCbCr), as general-purpose libraries write it with JPEG
//! compression (TIFF 6.0, section 21; TIFF Technical Note 2).

use std::io::Cursor;

use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;
use tiff::{ColorType, TiffError};

use super::{Blocks, CodecError, Header};
use crate::raster::{Channels, Raster};

/// Whether `data` is such a file.
pub(super) fn is_one(data: &[u8]) -> bool {
    let mut decoder = decoder(data);
    let colour = decoder.as_mut().ok().and_then(|decoder| decoder.colortype().ok());
    colour == Some(ColorType::YCbCr(8))
}

/// What stands before the pixels of `data`.
pub(super) fn header(data: &[u8]) -> Result<Header, CodecError> {
    let mut decoder = decoder(data).map_err(failure)?;
    let (width, height) = decoder.dimensions().map_err(failure)?;
    let turned = decoder.get_tag_u32(Tag::Orientation).unwrap_or(1);
    let mut block = |tag: Tag| decoder.get_tag_u8_vec(tag).ok();
    let (icc, xmp, iptc) =
        (block(Tag::IccProfile), block(Tag::Unknown(700)), block(Tag::Unknown(33_723)));
    Ok(Header {
        turned: Some(Orientation::from_exif(turned)),
        icc,
        blocks: Blocks { exif: None, xmp, iptc },
        ..Header::plain(Size::new(width, height), false)
    })
}

/// Decodes the first picture of `data`.
pub(super) fn decode(data: &[u8]) -> Result<Raster, CodecError> {
    let mut decoder = decoder(data).map_err(failure)?;
    let (width, height) = decoder.dimensions().map_err(failure)?;
    match decoder.read_image().map_err(failure)? {
        DecodingResult::U8(mut samples) => {
            samples.as_chunks_mut().0.iter_mut().for_each(to_rgb);
            Ok(Raster::new(Size::new(width, height), Channels::Rgb, samples))
        }
        _ => Err(unsupported()),
    }
}

fn decoder(data: &[u8]) -> Result<Decoder<Cursor<&[u8]>>, TiffError> {
    let mut limits = Limits::default();
    limits.decoding_buffer_size = (MAX_PIXELS * 3 + (64 << 20)) as usize;
    limits.intermediate_buffer_size = limits.decoding_buffer_size;
    Ok(Decoder::new(Cursor::new(data))?.with_limits(limits))
}

/// From YCbCr of the full range to RGB, by the weights of ITU-R BT.601, which both TIFF and JPEG take where nothing else
/// is said (JFIF 1.02).
fn to_rgb(pixel: &mut [u8; 3]) {
    let [y, cb, cr] = pixel.map(f32::from);
    let (cb, cr) = (cb - 128.0, cr - 128.0);
    let rgb = [y + 1.402 * cr, y - 0.344_136 * cb - 0.714_136 * cr, y + 1.772 * cb];
    *pixel = rgb.map(|value| value.round().clamp(0.0, 255.0) as u8);
}

fn unsupported() -> CodecError {
    let flavour = "a rare kind of compression or colour".into();
    CodecError::Unsupported { format: SourceFormat::Tiff, flavour }
}

fn failure(error: TiffError) -> CodecError {
    match error {
        TiffError::UnsupportedError(_) => unsupported(),
        other => CodecError::told(SourceFormat::Tiff, other.to_string()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn colours_come_out_as_they_went_in() {
        // By the formulas of JFIF 1.02, rounded.
        let known =
            [([76, 85, 255], [254, 0, 0]), ([149, 43, 21], [0, 255, 0]), ([128; 3], [128; 3])];
        for (mut pixel, rgb) in known {
            to_rgb(&mut pixel);
            let off =
                pixel.iter().zip(rgb).map(|(&a, b): (&u8, i32)| (i32::from(a) - b).abs()).max();
            assert!(off.unwrap() <= 1, "{pixel:?} is not {rgb:?}");
        }
    }
}

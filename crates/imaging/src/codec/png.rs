//! PNG: reading with the png crate, writing with oxipng.

use std::io::Cursor;

use png::{ColorType, Decoder, DecodingError, Transformations};

use super::error::guarded;
use super::extras::{self, Extras};
use super::{Blocks, CodecError, Header};
use crate::palette::Reduced;
use crate::raster::{Channels, Raster};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// The longest text that is unpacked: a few kilobytes may hold gigabytes, and no description is so long.
const MOST_TEXT: usize = 4 << 20;

type Reader<'a> = png::Reader<Cursor<&'a [u8]>>;

/// Reads pixels; texts are left packed, and out.
fn reader(data: &[u8]) -> Result<Reader<'_>, CodecError> {
    reader_with(data, false)
}

fn reader_with(data: &[u8], texts: bool) -> Result<Reader<'_>, CodecError> {
    let mut decoder = Decoder::new(Cursor::new(data));
    decoder.set_ignore_text_chunk(!texts);
    decoder.set_transformations(Transformations::normalize_to_color8());
    decoder.read_info().map_err(failure)
}

/// Reads the header of `data`; no pixel memory is taken.
pub fn header(data: &[u8]) -> Result<Header, CodecError> {
    guarded(
        || {
            let reader = reader_with(data, true)?;
            let info = reader.info();
            let packet = info.utf8_text.iter().find(|text| text.keyword == "XML:com.adobe.xmp");
            let packet = packet.and_then(|packet| {
                let mut packet = packet.clone();
                packet.decompress_text_with_limit(MOST_TEXT).ok()?;
                packet.get_text().ok()
            });
            Ok(Header {
                frames: info.animation_control.map_or(1, |control| control.num_frames.max(1)),
                // A declared sRGB wins over a profile beside it (PNG, 11.3.2).
                icc: match info.srgb {
                    Some(_) => None,
                    None => info.icc_profile.as_deref().map(<[u8]>::to_vec),
                },
                blocks: Blocks {
                    exif: info.exif_metadata.as_deref().map(<[u8]>::to_vec),
                    xmp: packet.map(String::into_bytes),
                    iptc: None,
                },
                ..Header::plain(
                    Size::new(info.width, info.height),
                    info.trns.is_some()
                        || matches!(info.color_type, ColorType::Rgba | ColorType::GrayscaleAlpha),
                )
            })
        },
        damaged,
    )
}

/// Reads every row and every checksum, holding one row at a time where the file is not
/// interlaced.
pub fn verify(data: &[u8]) -> Result<(), CodecError> {
    guarded(
        || {
            let mut reader = reader(data)?;
            while reader.next_row().map_err(failure)?.is_some() {}
            reader.finish().map_err(failure)
        },
        damaged,
    )
}

/// Decodes `data` to 8 bits a channel, grey and palette expanded.
pub fn decode(data: &[u8]) -> Result<Raster, CodecError> {
    guarded(
        || {
            let mut reader = reader(data)?;
            let length = reader.output_buffer_size().ok_or_else(|| damaged("too large"))?;
            let mut pixels = vec![0; length];
            let frame = reader.next_frame(&mut pixels).map_err(failure)?;
            pixels.truncate(frame.buffer_size());
            let size = Size::new(frame.width, frame.height);
            Ok(match frame.color_type {
                ColorType::Rgb => Raster::new(size, Channels::Rgb, pixels),
                ColorType::Rgba => Raster::new(size, Channels::Rgba, pixels),
                ColorType::Grayscale => {
                    let rgb = pixels.iter().flat_map(|&grey| [grey; 3]).collect();
                    Raster::new(size, Channels::Rgb, rgb)
                }
                ColorType::GrayscaleAlpha => {
                    let rgba = pixels.chunks_exact(2).flat_map(|p| [p[0], p[0], p[0], p[1]]);
                    Raster::new(size, Channels::Rgba, rgba.collect())
                }
                ColorType::Indexed => return Err(damaged("a palette that was not expanded")),
            })
        },
        damaged,
    )
}

/// Encodes what is seen of `raster` losslessly, as small as oxipng's second preset makes it, with `extras`; clear pixels
/// get the colours that pack best.
pub fn encode(raster: &Raster, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    let colour = match raster.channels() {
        Channels::Rgb => oxipng::ColorType::RGB { transparent_color: None },
        Channels::Rgba => oxipng::ColorType::RGBA,
    };
    smallest(raster.size(), colour, raster.data().to_vec(), extras)
}

/// `file` with the same pixels at the same depth, filtered and deflated anew, without its metadata
/// but with all that decides how it is shown, and with `xmp`.
pub fn refiltered(file: &[u8], xmp: Option<Vec<u8>>) -> Result<Vec<u8>, CodecError> {
    let mut options = oxipng::Options::from_preset(3);
    let shown = [b"cICP", b"iCCP", b"sRGB", b"gAMA", b"cHRM", b"acTL", b"fcTL", b"fdAT"];
    options.strip = oxipng::StripChunks::Keep(shown.into_iter().copied().collect());
    // Depth and colours stay: what shows the same need not be the same.
    options.bit_depth_reduction = false;
    options.color_type_reduction = false;
    options.grayscale_reduction = false;
    options.palette_reduction = false;
    let copy = guarded(|| oxipng::optimize_from_memory(file, &options).map_err(damaged), damaged)?;
    let extras = Extras { icc: None, xmp };
    extras::into_png(copy, &extras)
}

/// Encodes pixels of a few colours, with `extras`.
pub fn encode_palette(reduced: &Reduced, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    let palette = reduced.palette().iter().map(|&[r, g, b, a]| oxipng::RGBA8::new(r, g, b, a));
    let colour = oxipng::ColorType::Indexed { palette: palette.collect() };
    smallest(reduced.size(), colour, reduced.indices().to_vec(), extras)
}

fn smallest(
    size: Size,
    colour: oxipng::ColorType,
    data: Vec<u8>,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let failed = |detail: String| CodecError::Encode { format: Format::Png, detail };
    let options = oxipng::Options { optimize_alpha: true, ..oxipng::Options::from_preset(2) };
    let file = guarded(
        || {
            oxipng::RawImage::new(size.width, size.height, colour, oxipng::BitDepth::Eight, data)
                .and_then(|raw| raw.create_optimized_png(&options))
                .map_err(|error| failed(error.to_string()))
        },
        failed,
    )?;
    extras::into_png(file, extras)
}

/// Encodes `raster` losslessly and fast, for a picture that is only looked at, with `extras`.
pub fn encode_fast_with(raster: &Raster, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    let file = encode_fast(raster)?;
    extras::into_png(file, extras)
}

/// Encodes `raster` losslessly and fast, for a picture that is only looked at.
pub fn encode_fast(raster: &Raster) -> Result<Vec<u8>, CodecError> {
    let failed = |error: png::EncodingError| CodecError::Encode {
        format: Format::Png,
        detail: error.to_string(),
    };
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, raster.size().width, raster.size().height);
    encoder.set_color(match raster.channels() {
        Channels::Rgb => ColorType::Rgb,
        Channels::Rgba => ColorType::Rgba,
    });
    encoder.set_compression(png::Compression::Fast);
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(raster.data()).map_err(failed)?;
    writer.finish().map_err(failed)?;
    Ok(file)
}

fn failure(error: DecodingError) -> CodecError {
    match error {
        DecodingError::IoError(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
            CodecError::Truncated(SourceFormat::Png)
        }
        other => damaged(other),
    }
}

fn damaged(detail: impl ToString) -> CodecError {
    CodecError::Damaged { format: SourceFormat::Png, detail: detail.to_string() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use png::text_metadata::ITXtChunk;

    /// A picture with a packed text of so many bytes.
    fn described(length: usize) -> Vec<u8> {
        let mut info = png::Info::with_size(2, 2);
        info.color_type = ColorType::Grayscale;
        let mut text = ITXtChunk::new("XML:com.adobe.xmp", " ".repeat(length));
        text.compressed = true;
        info.utf8_text.push(text);
        let mut file = Vec::new();
        let mut writer = png::Encoder::with_info(&mut file, info).unwrap().write_header().unwrap();
        writer.write_image_data(&[0; 4]).unwrap();
        writer.finish().unwrap();
        file
    }

    #[test]
    fn a_text_that_unpacks_without_end_is_left_out_and_the_picture_taken() {
        let short = described(3_000);
        assert_eq!(header(&short).unwrap().blocks.xmp.unwrap().len(), 3_000);
        let bomb = described(64 << 20);
        assert!(bomb.len() < 1 << 20, "{} bytes", bomb.len());
        let told = header(&bomb).unwrap();
        assert_eq!((told.size, told.blocks.xmp), (Size::new(2, 2), None));
        verify(&bomb).unwrap();
        assert_eq!(decode(&bomb).unwrap().size(), Size::new(2, 2));
    }
}

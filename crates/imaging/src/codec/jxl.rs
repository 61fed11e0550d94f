//! JPEG XL (ISO/IEC 18181), read through jxl-oxide, which is memory-safe.
//!
//! Pixels come out upright. Colours of a named space come with the profile of that space; grey and
//! HDR ones come as sRGB.

use std::io::Cursor;

use brisk_margin_core::facts::{JXL_PER_PIXEL, MAX_PIXELS};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;
use jxl_oxide::{AllocTracker, EnumColourEncoding, JxlImage, PixelFormat, RenderingIntent};

use super::error::guarded;
use super::{Blocks, CodecError, Header};
use crate::raster::{Channels, Raster};

/// The code points of sRGB (ITU-T H.273).
const SRGB: [u8; 4] = [1, 13, 0, 1];

/// What stands before the pixels of `data`.
///
/// # Errors
/// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::Unsupported`].
pub fn header(data: &[u8]) -> Result<Header, CodecError> {
    guarded(
        || {
            let (image, _) = opened(data)?;
            let boxes = image.aux_boxes();
            let exif = boxes.first_exif().ok().and_then(|found| match found {
                jxl_oxide::AuxBoxData::Data(exif) => Some(exif.payload().to_vec()),
                _ => None,
            });
            let xmp = match boxes.first_xml() {
                jxl_oxide::AuxBoxData::Data(xmp) => Some(xmp.to_vec()),
                _ => None,
            };
            let is_named =
                image.pixel_format().is_grayscale() || image.rendered_cicp() == Some(SRGB);
            let frames = u32::try_from(image.num_loaded_keyframes()).unwrap_or(u32::MAX);
            Ok(Header {
                frames: frames.max(1),
                turned: Some(Orientation::UPRIGHT),
                icc: (!is_named).then(|| image.rendered_icc()),
                blocks: Blocks { exif, xmp, iptc: None },
                ..Header::plain(
                    Size::new(image.width(), image.height()),
                    image.pixel_format().has_alpha(),
                )
            })
        },
        damaged,
    )
}

/// Decodes the first frame of `data` to 8 bits a channel, upright.
///
/// # Errors
/// As [`header`].
pub fn decode(data: &[u8]) -> Result<Raster, CodecError> {
    guarded(
        || {
            let (image, is_associated) = opened(data)?;
            if !image.is_loading_done() {
                return Err(CodecError::Truncated(SourceFormat::Jxl));
            }
            let render = image.render_frame(0).map_err(failure)?;
            let mut stream = render.stream();
            let size = Size::new(stream.width(), stream.height());
            let channels = stream.channels() as usize;
            let mut samples = vec![0_u8; size.pixels() as usize * channels];
            stream.write_to_buffer(&mut samples);
            drop(render);
            if is_associated && channels.is_multiple_of(2) {
                samples.chunks_exact_mut(channels).for_each(separate);
            }
            Ok(match channels {
                1 => Raster::new(size, Channels::Rgb, spread(&samples, |&[grey]| [grey; 3])),
                2 => {
                    let rgba = spread(&samples, |&[grey, alpha]| [grey, grey, grey, alpha]);
                    Raster::new(size, Channels::Rgba, rgba)
                }
                3 => Raster::new(size, Channels::Rgb, samples),
                _ => Raster::new(size, Channels::Rgba, samples),
            })
        },
        damaged,
    )
}

/// The file with all its frames, none of which is decoded, and whether its colours are multiplied by their alpha.
fn opened(data: &[u8]) -> Result<(JxlImage, bool), CodecError> {
    let memory = AllocTracker::with_limit((MAX_PIXELS * JXL_PER_PIXEL) as usize);
    let read = JxlImage::builder().alloc_tracker(memory).read(Cursor::new(data));
    let mut image = read.map_err(failure)?;
    let extra = &image.image_header().metadata.ec_info;
    let is_associated = extra.iter().any(|channel| channel.alpha_associated() == Some(true));
    match image.pixel_format() {
        PixelFormat::Cmyk | PixelFormat::Cmyka => {
            let flavour = "inks instead of light".into();
            return Err(CodecError::Unsupported { format: SourceFormat::Jxl, flavour });
        }
        PixelFormat::Gray | PixelFormat::Graya => {
            image.request_color_encoding(EnumColourEncoding::gray_srgb(RenderingIntent::Relative));
        }
        _ if image.hdr_type().is_some() => {
            image.request_color_encoding(EnumColourEncoding::srgb(RenderingIntent::Relative));
        }
        _ => {}
    }
    Ok((image, is_associated))
}

/// Divides the colours of a pixel by its alpha, which comes last.
fn separate(pixel: &mut [u8]) {
    if let Some((&mut alpha, colours)) = pixel.split_last_mut()
        && alpha > 0
    {
        for colour in colours {
            let divided = (u32::from(*colour) * 255 + u32::from(alpha) / 2) / u32::from(alpha);
            *colour = divided.min(255) as u8;
        }
    }
}

fn spread<const N: usize, const M: usize>(
    samples: &[u8],
    pixel: impl Fn(&[u8; N]) -> [u8; M],
) -> Vec<u8> {
    samples.as_chunks().0.iter().flat_map(pixel).collect()
}

fn failure(error: Box<dyn std::error::Error + Send + Sync>) -> CodecError {
    CodecError::told(SourceFormat::Jxl, error.to_string())
}

fn damaged(detail: String) -> CodecError {
    CodecError::Damaged { format: SourceFormat::Jxl, detail }
}

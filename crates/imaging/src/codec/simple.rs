//! BMP, GIF, ICO, TIFF and WebP: reading through the image crate, which is memory-safe.

use std::io::{Cursor, ErrorKind};

use image::codecs::{bmp, gif, ico, tiff, webp};
use image::{DynamicImage, ImageDecoder, ImageError, Limits};

use super::error::guarded;
use super::{Blocks, CodecError, Header, animation, tiff_ycbcr};
use crate::raster::{Channels, Raster};
use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// Reads the header of `data`, a file of `source`; no pixel memory is taken.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn header(source: SourceFormat, data: &[u8]) -> Result<Header, CodecError> {
    let damaged = |detail: String| CodecError::Damaged { format: source, detail };
    guarded(
        || {
            if source == SourceFormat::Tiff && tiff_ycbcr::is_one(data) {
                return tiff_ycbcr::header(data);
            }
            let mut decoder = decoder(source, data)?;
            let (width, height) = decoder.dimensions();
            let block = |read: Result<Option<Vec<u8>>, ImageError>| read.ok().flatten();
            Ok(Header {
                frames: animation::frames(source, data)?,
                turned: (source == SourceFormat::Tiff)
                    .then(|| decoder.orientation().ok())
                    .flatten()
                    .map(|turn| {
                        brisk_margin_core::orientation::Orientation::from_exif(
                            turn.to_exif().into(),
                        )
                    }),
                icc: block(decoder.icc_profile()),
                blocks: Blocks {
                    exif: block(decoder.exif_metadata()),
                    xmp: block(decoder.xmp_metadata()),
                    iptc: block(decoder.iptc_metadata()),
                },
                ..Header::plain(Size::new(width, height), decoder.color_type().has_alpha())
            })
        },
        damaged,
    )
}

/// Decodes the first picture of `data`, a file of `source`, to 8 bits a channel.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn decode(source: SourceFormat, data: &[u8]) -> Result<Raster, CodecError> {
    let damaged = |detail: String| CodecError::Damaged { format: source, detail };
    guarded(
        || {
            if source == SourceFormat::Tiff && tiff_ycbcr::is_one(data) {
                return tiff_ycbcr::decode(data);
            }
            let mut decoder = decoder(source, data)?;
            let mut limits = Limits::no_limits();
            // Eight bytes for each pixel at most, sixteen bits in four channels.
            limits.max_alloc = Some(MAX_PIXELS * 8 + (64 << 20));
            decoder.set_limits(limits).map_err(|error| failure(source, error))?;
            let picture =
                DynamicImage::from_decoder(decoder).map_err(|error| failure(source, error))?;
            let size = Size::new(picture.width(), picture.height());
            Ok(if picture.color().has_alpha() {
                Raster::new(size, Channels::Rgba, picture.into_rgba8().into_raw())
            } else {
                Raster::new(size, Channels::Rgb, picture.into_rgb8().into_raw())
            })
        },
        damaged,
    )
}

fn decoder(source: SourceFormat, data: &[u8]) -> Result<Box<dyn ImageDecoder + '_>, CodecError> {
    let file = Cursor::new(data);
    let opened: Result<Box<dyn ImageDecoder + '_>, ImageError> = match source {
        SourceFormat::Bmp => bmp::BmpDecoder::new(file).map(|decoder| Box::new(decoder) as _),
        SourceFormat::Gif => gif::GifDecoder::new(file).map(|decoder| Box::new(decoder) as _),
        SourceFormat::Ico => ico::IcoDecoder::new(file).map(|decoder| Box::new(decoder) as _),
        SourceFormat::Tiff => tiff::TiffDecoder::new(file).map(|decoder| Box::new(decoder) as _),
        SourceFormat::Webp => webp::WebPDecoder::new(file).map(|decoder| Box::new(decoder) as _),
        other => unreachable!("{other} has a reader of its own"),
    };
    opened.map_err(|error| failure(source, error))
}

fn failure(source: SourceFormat, error: ImageError) -> CodecError {
    match error {
        ImageError::IoError(e) if e.kind() == ErrorKind::UnexpectedEof => {
            CodecError::Truncated(source)
        }
        ImageError::Unsupported(_) => CodecError::Unsupported {
            format: source,
            flavour: "a rare kind of compression or colour".into(),
        },
        other => CodecError::told(source, other.to_string()),
    }
}

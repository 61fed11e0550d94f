//! Rendering: from an original and a fitting to the pixels of the file.
//!
//! The order is chosen for memory: cropping and scaling happen as stored, and only the small
//! result is turned upright and converted to sRGB.

use crate::codec::jpeg::DctScale;
use crate::codec::{self, CodecError};
use crate::fitting::Fitting;
use crate::geometry::{Rect, Size};
use crate::picture::Picture;
use crate::raster::Raster;
use crate::resize::{self, Region};
use crate::source::Source;

/// The pixels of `picture` as `fitting` shows it: upright, in sRGB, without metadata.
pub fn render(picture: &Picture<'_>, fitting: &Fitting) -> Result<Raster, CodecError> {
    let crop = picture.orientation.to_stored(fitting.crop, picture.stored);
    let output = picture.orientation.apply(fitting.output);
    let (source, scale) = match picture.facts().format {
        // A drawing has no pixels to be scaled.
        Source::Svg => return codec::svg::draw(picture.bytes, crop, output),
        Source::Jpeg => {
            let scale = DctScale::for_output(crop.size(), output);
            (codec::elsewhere::decode_jpeg(picture.bytes, scale, &picture.inks)?, scale.factor())
        }
        _ => (picture.decode()?, 1.0),
    };
    let scaled = if scale == 1.0 && crop.size() == output {
        source.crop(crop)
    } else {
        resize::resize(&source, region(crop, scale, source.size()), output)
    };
    let mut upright = picture.orientation.turn(scaled);
    if let Some(profile) = &picture.colour {
        profile.convert(&mut upright);
    }
    Ok(upright)
}

/// The whole of `picture`, shrunk to at most `long_side` pixels, for looking at.
pub fn preview(picture: &Picture<'_>, long_side: u32) -> Result<Raster, CodecError> {
    let size = picture.facts().size;
    let factor = (f64::from(long_side) / f64::from(size.width.max(size.height))).min(1.0);
    let side = |length: u32| ((f64::from(length) * factor).round() as u32).max(1);
    let fitting = Fitting::whole(size, Size::new(side(size.width), side(size.height)));
    render(picture, &fitting)
}

fn region(crop: Rect, scale: f64, source: Size) -> Region {
    let (x, y) = (f64::from(crop.x) * scale, f64::from(crop.y) * scale);
    Region {
        x,
        y,
        width: (f64::from(crop.width) * scale).min(f64::from(source.width) - x),
        height: (f64::from(crop.height) * scale).min(f64::from(source.height) - y),
    }
}

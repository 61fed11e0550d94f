//! Rendering: from an original and a fitting to the pixels of the file.
//!
//! The order is chosen for memory: cropping and scaling happen as stored, and only the small
//! result is turned upright and converted to sRGB.

use crate::codec::CodecError;
use crate::codec::jpeg::DctScale;
use crate::motion::MOST_PIXELS;
use crate::motion::Motion;
use crate::original::Original;
use crate::raster::Raster;
use crate::resize;
use crate::resize::Region;
use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::source_format::SourceFormat;

/// The pixels of `picture` as `fitting` shows it: upright, in sRGB, without metadata.
///
/// # Errors
/// Those of decoding it.
pub fn render(picture: &Original<'_>, fitting: &Fitting) -> Result<Raster, CodecError> {
    render_in(picture, fitting, ColourSpace::Srgb)
}

/// As [`render`], in `colours`.
///
/// # Errors
/// Those of decoding it.
pub fn render_in(
    picture: &Original<'_>,
    fitting: &Fitting,
    colours: ColourSpace,
) -> Result<Raster, CodecError> {
    if picture.facts().format == SourceFormat::Svg {
        return draw(picture, fitting);
    }
    Decoded::for_all(picture, std::slice::from_ref(fitting))?.show(fitting, colours)
}

/// The pixels of `picture` as each of `fittings` shows it in `colours`, decoded once; `each` gets
/// their place among them, the largest first. What shows the same part at half the size or less is
/// made from the larger one.
///
/// # Errors
/// Those of decoding it, and those of `each`.
pub fn render_ladder<E: From<CodecError>>(
    picture: &Original<'_>,
    fittings: &[Fitting],
    colours: ColourSpace,
    mut each: impl FnMut(usize, &Raster) -> Result<(), E>,
) -> Result<(), E> {
    let mut order: Vec<usize> = (0..fittings.len()).collect();
    order.sort_by_key(|&n| std::cmp::Reverse(fittings[n].output.pixels()));
    let decoded = match picture.facts().format {
        SourceFormat::Svg => None,
        _ => Some(Decoded::for_all(picture, fittings)?),
    };
    let mut made: Vec<(Rect, Raster)> = Vec::new();
    for n in order {
        let Fitting { crop, output, .. } = fittings[n];
        let has_twice = |(part, raster): &&(Rect, Raster)| {
            let size = raster.size();
            *part == crop && size.width >= 2 * output.width && size.height >= 2 * output.height
        };
        let raster = match (made.iter().rev().find(has_twice), &decoded) {
            (Some((_, larger)), _) => resize::resize(larger, Region::whole(larger.size()), output),
            (None, Some(decoded)) => decoded.show(&fittings[n], colours)?,
            (None, None) => draw(picture, &fittings[n])?,
        };
        each(n, &raster)?;
        made.push((crop, raster));
    }
    Ok(())
}

/// A drawing has no pixels to be scaled.
fn draw(picture: &Original<'_>, fitting: &Fitting) -> Result<Raster, CodecError> {
    let crop = picture.orientation.to_stored(fitting.crop, picture.stored);
    picture.codecs.draw(picture.bytes, crop, picture.orientation.apply(fitting.output))
}

/// A picture's pixels as stored, at a scale that is enough for what is made of them.
struct Decoded<'a> {
    picture: &'a Original<'a>,
    pixels: Raster,
    scale: f64,
}

impl<'a> Decoded<'a> {
    fn for_all(picture: &'a Original<'a>, fittings: &[Fitting]) -> Result<Self, CodecError> {
        if picture.facts().format != SourceFormat::Jpeg {
            let pixels = picture.decode_at(DctScale::FULL)?;
            return Ok(Self { picture, pixels, scale: 1.0 });
        }
        let enough = |fitting: &Fitting| {
            let crop = picture.orientation.to_stored(fitting.crop, picture.stored);
            DctScale::for_output(crop.size(), picture.orientation.apply(fitting.output))
        };
        let scale = fittings.iter().map(enough).max().unwrap_or(DctScale::FULL);
        let pixels = picture.decode_at(scale)?;
        Ok(Self { picture, pixels, scale: scale.factor() })
    }

    fn show(&self, fitting: &Fitting, colours: ColourSpace) -> Result<Raster, CodecError> {
        let orientation = self.picture.orientation;
        let crop = orientation.to_stored(fitting.crop, self.picture.stored);
        let output = orientation.apply(fitting.output);
        let scaled = if self.scale == 1.0 && crop.size() == output {
            self.pixels.crop(crop)
        } else {
            resize::resize(&self.pixels, region(crop, self.scale, self.pixels.size()), output)
        };
        let mut upright = crate::turn::upright(orientation, scaled);
        if let (ColourSpace::Srgb, Some(profile)) = (colours, &self.picture.colour) {
            profile.convert(&mut upright)?;
        }
        Ok(upright)
    }
}

/// The frames of `picture` as `fitting` shows them.
///
/// # Errors
/// [`CodecError::Unsupported`] where there are more than [`MOST_PIXELS`], or where the format
/// is not one whose frames are read; else those of decoding.
pub fn render_motion(picture: &Original<'_>, fitting: &Fitting) -> Result<Motion, CodecError> {
    let facts = picture.facts();
    let too_much = |flavour: &'static str| CodecError::Unsupported {
        format: facts.format,
        flavour: flavour.into(),
    };
    if u64::from(facts.frames) * facts.size.pixels() > MOST_PIXELS {
        return Err(too_much("more frames than can be worked on at once"));
    }
    let mut motion = picture.codecs.frames(facts, picture.bytes)?;
    for frame in &mut motion.frames {
        let crop = fitting.crop;
        let mut raster = match crop.size() == fitting.output {
            true => frame.raster.crop(crop),
            false => resize::resize(&frame.raster, Region::of(crop), fitting.output),
        };
        if let Some(profile) = &picture.colour {
            profile.convert(&mut raster)?;
        }
        frame.raster = raster;
    }
    Ok(motion)
}

/// The whole of `picture`, shrunk to at most `long_side` pixels, for looking at.
pub fn preview(picture: &Original<'_>, long_side: u32) -> Result<Raster, CodecError> {
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

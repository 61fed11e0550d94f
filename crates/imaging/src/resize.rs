//! Shrinking in linear light, in strips so that memory stays bounded.

use std::sync::LazyLock;

use fast_image_resize::images::{TypedImage, TypedImageRef};
use fast_image_resize::pixels::{InnerPixel, U16x3, U16x4};
use fast_image_resize::{FilterType, PixelTrait, ResizeAlg, ResizeOptions, Resizer};

use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::{Rect, Size};

/// Source samples that one strip holds at most: 16 MiB at two bytes each.
const STRIP_SAMPLES: usize = 8 << 20;
/// Lanczos reaches three output pixels to each side.
const REACH: f64 = 3.0;

/// A part of a picture whose edges may lie between its pixels.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Region {
    /// Pixels from the left edge.
    pub x: f64,
    /// Pixels from the top edge.
    pub y: f64,
    /// Pixels across.
    pub width: f64,
    /// Pixels down.
    pub height: f64,
}

impl Region {
    /// All of a picture of size `size`.
    pub fn whole(size: Size) -> Self {
        Self { x: 0.0, y: 0.0, width: size.width.into(), height: size.height.into() }
    }

    /// The part of a picture inside `rect`.
    pub fn of(rect: Rect) -> Self {
        Self {
            x: rect.x.into(),
            y: rect.y.into(),
            width: rect.width.into(),
            height: rect.height.into(),
        }
    }
}

/// Scales `region` of `source` to `output` with Lanczos3, in linear light, alpha premultiplied.
///
/// # Panics
/// When the region does not lie inside the source.
///
/// ```
/// use brisk_margin_core::geometry::Size;
/// use brisk_margin_imaging::raster::{Channels, Raster};
/// use brisk_margin_imaging::resize::{Region, resize};
///
/// // Black and white in equal parts are half of the light, which sRGB writes as 188.
/// let stripes: Vec<u8> = (0..64 * 64).flat_map(|n| [255 * (n % 2) as u8; 3]).collect();
/// let stripes = Raster::new(Size::new(64, 64), Channels::Rgb, stripes);
/// let small = resize(&stripes, Region::whole(stripes.size()), Size::new(8, 8));
/// let middle = small.data()[3 * (4 * 8 + 4)];
/// assert!(middle.abs_diff(188) <= 2, "{middle}");
/// ```
pub fn resize(source: &Raster, region: Region, output: Size) -> Raster {
    let data = match source.channels() {
        Channels::Rgb => {
            in_strips(source, region, output, STRIP_SAMPLES, U16x3::new, |p| encode_pixel(p.0))
        }
        Channels::Rgba => {
            in_strips(source, region, output, STRIP_SAMPLES, U16x4::new, |p| encode_pixel(p.0))
        }
    };
    Raster::new(output, source.channels(), data)
}

/// As [`resize`], but the result stays light: 16 bits a channel, alpha straight.
///
/// # Panics
/// When the region does not lie inside the source.
pub fn resize_light(source: &Raster, region: Region, output: Size) -> Vec<u16> {
    match source.channels() {
        Channels::Rgb => in_strips(source, region, output, STRIP_SAMPLES, U16x3::new, |p| p.0),
        Channels::Rgba => in_strips(source, region, output, STRIP_SAMPLES, U16x4::new, |p| p.0),
    }
}

fn in_strips<P, T: Copy, const N: usize>(
    source: &Raster,
    region: Region,
    output: Size,
    samples: usize,
    pixel: fn([u16; N]) -> P,
    sink: impl Fn(P) -> [T; N],
) -> Vec<T>
where
    P: PixelTrait + InnerPixel + Copy,
{
    let per_row = region.height / f64::from(output.height);
    let reach = REACH * per_row.max(1.0) + 1.0;
    let row_samples = source.stride().max(1);
    let rows = ((samples / row_samples) as f64 - 2.0 * reach).max(per_row) / per_row;
    let rows = (rows as u32).clamp(1, output.height);
    let per_column = region.width / f64::from(output.width);
    let reach_across = REACH * per_column.max(1.0) + 1.0;
    let left = (region.x - reach_across).floor().max(0.0) as u32;
    let right = (region.x + region.width + reach_across).ceil() as u32;
    let right = right.min(source.size().width);
    let x = region.x - f64::from(left);
    let width = region.width.min(f64::from(right - left) - x);
    let mut resizer = Resizer::new();
    let mut data = Vec::with_capacity(output.pixels() as usize * N);
    let mut first = 0;
    while first < output.height {
        let count = rows.min(output.height - first);
        let top = region.y + f64::from(first) * per_row;
        let height = f64::from(count) * per_row;
        let from = (top - reach).floor().max(0.0) as u32;
        let to = ((top + height + reach).ceil() as u32).min(source.size().height);
        let part = Rect { x: left, y: from, width: right - left, height: to - from };
        let linear = linear_part(source, part, pixel);
        let view = TypedImageRef::new(part.width, part.height, &linear)
            .expect("as many pixels as the part holds");
        let mut strip = TypedImage::<P>::new(output.width, count);
        let top = top - f64::from(from);
        // Adding up rows may overshoot the last one by a rounding error.
        let height = height.min(f64::from(to - from) - top);
        let options = ResizeOptions::new()
            .resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3))
            .crop(x, top, width, height);
        resizer.resize_typed(&view, &mut strip, &options).expect("a region inside the source");
        for &pixel in strip.pixels() {
            data.extend_from_slice(&sink(pixel));
        }
        first += count;
    }
    data
}

fn linear_part<P, const N: usize>(source: &Raster, part: Rect, pixel: fn([u16; N]) -> P) -> Vec<P> {
    let mut linear = Vec::with_capacity(part.size().pixels() as usize);
    for y in part.y..part.y + part.height {
        let start = y as usize * source.stride() + part.x as usize * N;
        let row = &source.data()[start..start + part.width as usize * N];
        linear.extend(row.as_chunks::<N>().0.iter().map(|samples| {
            let mut light = samples.map(|s| TO_LINEAR[usize::from(s)]);
            if N == 4 {
                light[3] = u16::from(samples[3]) * 257;
            }
            pixel(light)
        }));
    }
    linear
}

fn encode_pixel<const N: usize>(samples: [u16; N]) -> [u8; N] {
    let mut encoded = samples.map(|s| FROM_LINEAR[usize::from(s)]);
    if N == 4 {
        encoded[3] = ((u32::from(samples[3]) + 128) / 257) as u8;
    }
    encoded
}

/// Light of an sRGB shade, both from 0 to 1 (IEC 61966-2-1).
pub(crate) fn decode(shade: f64) -> f64 {
    if shade <= 0.04045 { shade / 12.92 } else { ((shade + 0.055) / 1.055).powf(2.4) }
}

/// The sRGB shade of light, both from 0 to 1 (IEC 61966-2-1).
pub(crate) fn encode(light: f64) -> f64 {
    if light <= 0.003_130_8 { light * 12.92 } else { 1.055 * light.powf(1.0 / 2.4) - 0.055 }
}

/// The sRGB transfer function (IEC 61966-2-1), 8 bits to 16 bits of light.
pub(crate) static TO_LINEAR: LazyLock<[u16; 256]> = LazyLock::new(|| {
    std::array::from_fn(|value| (decode(value as f64 / 255.0) * 65_535.0).round() as u16)
});

/// Its inverse, 16 bits of light to 8 bits.
pub(crate) static FROM_LINEAR: LazyLock<Vec<u8>> = LazyLock::new(|| {
    (0..=65_535)
        .map(|value| {
            let light = f64::from(value) / 65_535.0;
            (encode(light) * 255.0).round() as u8
        })
        .collect()
});

#[cfg(test)]
mod tests {
    use super::*;

    fn whole(size: Size) -> Region {
        Region { x: 0.0, y: 0.0, width: size.width.into(), height: size.height.into() }
    }

    #[test]
    fn a_fine_checkerboard_keeps_its_light() {
        let size = Size::new(64, 64);
        let data = (0..64 * 64).flat_map(|i| [if (i + i / 64) % 2 == 0 { 0 } else { 255 }; 3]);
        let board = Raster::new(size, Channels::Rgb, data.collect());
        let small = resize(&board, whole(size), Size::new(8, 8));
        // Half the light is sRGB 188; averaging the bytes would give 128.
        assert!(small.data().iter().all(|v| v.abs_diff(188) <= 2), "{:?}", small.data());
    }

    #[test]
    fn a_transparent_ground_leaves_no_halo() {
        let size = Size::new(40, 40);
        let data = (0..1600).flat_map(|i| if i % 40 < 20 { [200, 40, 40, 255] } else { [0; 4] });
        let raster = Raster::new(size, Channels::Rgba, data.collect());
        let small = resize(&raster, whole(size), Size::new(10, 10));
        for pixel in small.data().chunks_exact(4).filter(|p| p[3] > 16) {
            assert!(pixel[0].abs_diff(200) <= 3 && pixel[1].abs_diff(40) <= 5, "{pixel:?}");
        }
    }

    #[test]
    fn strips_make_the_same_picture_as_one_piece() {
        let size = Size::new(90, 210);
        let data = (0..90 * 210 * 3).map(|i: u32| (i.wrapping_mul(2_654_435_761) >> 24) as u8);
        let raster = Raster::new(size, Channels::Rgb, data.collect());
        let region = Region { x: 3.5, y: 10.25, width: 70.0, height: 180.5 };
        let output = Size::new(31, 77);
        let strips = |samples| {
            in_strips(&raster, region, output, samples, U16x3::new, |p| encode_pixel(p.0))
        };
        let (once, often) = (strips(usize::MAX >> 8), strips(90 * 3 * 40));
        let worst = once.iter().zip(often).map(|(a, b)| a.abs_diff(b)).max();
        assert!(worst <= Some(1), "{worst:?}");
    }
}

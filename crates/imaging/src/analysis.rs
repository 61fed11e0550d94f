//! Analysis: what the pixels of a picture say by themselves: its content class, its colours, a hash
//! of how it looks, and how heavy it is to encode.

use crate::codec::CodecError;
use crate::codec::extras::Extras;
use crate::codecs::Codecs;
use crate::effort::Effort;
use crate::original::Original;
use crate::raster::Raster;
use crate::render;
use crate::resize;
use crate::resize::Region;
use brisk_margin_core::content::{
    ContentClass, ImageAnalysis, MOST_COLOURS, PerceptualHash, WeightSample,
};
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// The long side of the copy that is analysed, in pixels.
const ANALYSED: u32 = 1024;
/// The sampled encodes.
const SAMPLE_ENCODING: Encoding = Encoding::Webp(Quality::SAMPLED);

/// Luma of a pixel (ITU-R BT.601), 0 to 255.
fn luma(pixel: &[u8]) -> f64 {
    0.299 * f64::from(pixel[0]) + 0.587 * f64::from(pixel[1]) + 0.114 * f64::from(pixel[2])
}

/// Analyses `original`.
///
/// # Errors
/// Those of decoding it.
pub fn analyse(original: &Original<'_>) -> Result<ImageAnalysis, CodecError> {
    let copy = render::preview(original, ANALYSED)?;
    let facts = original.facts();
    let class = match facts.format {
        SourceFormat::Svg => ContentClass::Drawing,
        _ if facts.frames > 1 => ContentClass::Animation,
        _ => content_class(&copy),
    };
    let is_transparent =
        copy.channels().count() == 4 && copy.data().chunks_exact(4).any(|p| p[3] < 255);
    Ok(ImageAnalysis {
        class,
        colours: colours(&copy),
        is_transparent,
        hash: hash_of(&copy),
        sample: sample_of(original.codecs, &copy)?,
    })
}

fn colours(raster: &Raster) -> u32 {
    let mut seen = std::collections::HashSet::new();
    for pixel in raster.data().chunks_exact(raster.channels().count()) {
        seen.insert(pixel);
        if seen.len() as u32 >= MOST_COLOURS {
            break;
        }
    }
    seen.len() as u32
}

/// Tells the class by how many colours cover most of the picture, and how often neighbours are
/// exactly alike: light on a sensor has many shades, and its noise leaves hardly any two alike.
/// The bounds part the demo's pictures by a wide gap (docs/performance.md).
///
/// ```
/// use brisk_margin_core::content::ContentClass;
/// use brisk_margin_core::geometry::Size;
/// use brisk_margin_imaging::analysis::content_class;
/// use brisk_margin_imaging::raster::{Channels, Raster};
///
/// let flag: Vec<u8> = (0..96 * 96).flat_map(|n| if n % 96 < 48 { [0, 90, 90] } else { [250; 3] }).collect();
/// let flag = Raster::new(Size::new(96, 96), Channels::Rgb, flag);
/// assert_eq!(content_class(&flag), ContentClass::Graphic);
/// ```
pub fn content_class(raster: &Raster) -> ContentClass {
    const FEW: usize = 12;
    const EVEN: f64 = 0.4;
    const SHARP: f64 = 0.04;
    let steps = Steps::of(raster);
    if covering_colours(raster) > FEW || steps.alike < EVEN {
        ContentClass::Photograph
    } else if steps.sharp > SHARP {
        ContentClass::Text
    } else {
        ContentClass::Graphic
    }
}

/// How neighbours along the rows differ, as shares of all of them.
struct Steps {
    alike: f64,
    sharp: f64,
}

impl Steps {
    fn of(raster: &Raster) -> Self {
        const CLEAR: u8 = 64;
        let (mut alike, mut sharp, mut all) = (0u64, 0u64, 0u64);
        let bytes = raster.channels().count();
        for row in raster.data().chunks_exact(raster.stride()) {
            for pair in row.windows(2 * bytes).step_by(bytes) {
                let (left, right) = pair.split_at(bytes);
                // What is not seen says nothing.
                if bytes == 4 && left[3] == 0 && right[3] == 0 {
                    continue;
                }
                let step = left.iter().zip(right).map(|(a, b)| a.abs_diff(*b)).max().unwrap_or(0);
                alike += u64::from(step == 0);
                sharp += u64::from(step > CLEAR);
                all += 1;
            }
        }
        let share = |count: u64| count as f64 / all.max(1) as f64;
        Self { alike: share(alike), sharp: share(sharp) }
    }
}

/// How many colours, told apart by five bits a channel, cover nine tenths of what is seen.
fn covering_colours(raster: &Raster) -> usize {
    let mut counts = vec![0u64; 1 << 15];
    for pixel in raster.data().chunks_exact(raster.channels().count()) {
        if pixel.get(3) != Some(&0) {
            let [red, green, blue] = [pixel[0], pixel[1], pixel[2]].map(|v| usize::from(v >> 3));
            counts[red << 10 | green << 5 | blue] += 1;
        }
    }
    let most = counts.iter().sum::<u64>() * 9 / 10;
    counts.sort_unstable_by(|a, b| b.cmp(a));
    let mut covered = 0;
    counts
        .iter()
        .take_while(|&&count| {
            let open = covered < most;
            covered += count;
            open
        })
        .count()
}

/// The hash of `raster`: the signs of its 8 × 8 lowest frequencies (type II discrete cosine
/// transform of 32 × 32 shades of grey) about their median.
pub fn hash_of(raster: &Raster) -> PerceptualHash {
    const SIDE: usize = 32;
    const KEPT: usize = 8;
    let whole = Region::whole(raster.size());
    let grey = resize::resize(&raster.flattened([128; 3]), whole, Size::new(32, 32));
    let shades: Vec<f64> = grey.data().chunks_exact(3).map(luma).collect();
    let wave = |k: usize, n: usize| {
        (std::f64::consts::PI * (n as f64 + 0.5) * k as f64 / SIDE as f64).cos()
    };
    let frequency = |u: usize, v: usize| -> f64 {
        let row = |y: usize| -> f64 {
            (0..SIDE).map(|x| shades[y * SIDE + x] * wave(u, x)).sum::<f64>() * wave(v, y)
        };
        (0..SIDE).map(row).sum()
    };
    // Without the first row and column, which tell of the light and of its slope only.
    let kept: Vec<f64> = (1..=KEPT)
        .flat_map(|v| (1..=KEPT).map(move |u| (u, v)))
        .map(|(u, v)| frequency(u, v))
        .collect();
    let mut sorted = kept.clone();
    sorted.sort_by(f64::total_cmp);
    let median = (sorted[31] + sorted[32]) / 2.0;
    let bits = kept.iter().enumerate().filter(|(_, value)| **value > median);
    PerceptualHash(bits.fold(0, |hash, (n, _)| hash | 1 << n))
}

fn sample_of(codecs: &Codecs, copy: &Raster) -> Result<WeightSample, CodecError> {
    let weigh = |raster: &Raster| {
        let bytes =
            codecs.encode_pixels(raster, SAMPLE_ENCODING, Effort::Full, &Extras::default())?.len();
        Ok::<_, CodecError>((raster.size().pixels(), bytes as u64))
    };
    let shrunk = |raster: &Raster| {
        let half = |side: u32| (side / 2).max(1);
        let size = Size::new(half(raster.size().width), half(raster.size().height));
        resize::resize(raster, Region::whole(raster.size()), size)
    };
    let half = shrunk(copy);
    let quarter = shrunk(&half);
    Ok(WeightSample::new([weigh(&quarter)?, weigh(&half)?, weigh(copy)?]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;

    /// A picture of soft spots, told apart by `seed`, with noise from 0 to `noise`.
    fn scene(size: (u32, u32), seed: u32, noise: u32) -> Raster {
        let mut state = seed;
        let mut random = move || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            f64::from(state >> 8) / f64::from(1 << 24)
        };
        let spots: Vec<[f64; 4]> = (0..40)
            .map(|_| [random(), random(), 0.03 + 0.12 * random(), 160.0 * random() - 80.0])
            .collect();
        let mut pixels = Vec::new();
        for y in 0..size.1 {
            for x in 0..size.0 {
                let (u, v) = (f64::from(x) / f64::from(size.0), f64::from(y) / f64::from(size.1));
                let spot = |&[a, b, wide, high]: &[f64; 4]| {
                    high * (-((u - a).powi(2) + (v - b).powi(2)) / (wide * wide)).exp()
                };
                let shade =
                    110.0 + spots.iter().map(spot).sum::<f64>() + random() * f64::from(noise);
                pixels.extend([shade.clamp(0.0, 255.0) as u8; 3]);
            }
        }
        Raster::new(Size::new(size.0, size.1), Channels::Rgb, pixels)
    }

    #[test]
    fn a_copy_that_is_smaller_or_coarser_looks_the_same_and_another_picture_does_not() {
        let large = hash_of(&scene((600, 400), 7, 6));
        let small = hash_of(&scene((150, 100), 7, 25));
        let other = hash_of(&scene((600, 400), 8, 6));
        assert!(large.distance(small) <= PerceptualHash::NEAR, "{}", large.distance(small));
        assert!(large.distance(other) > 2 * PerceptualHash::NEAR, "{}", large.distance(other));
    }

    #[test]
    fn the_class_is_told_by_the_pixels() {
        assert_eq!(content_class(&scene((300, 200), 7, 24)), ContentClass::Photograph);
        let halves: Vec<u8> =
            (0..200 * 200).flat_map(|n: u32| [if n % 200 < 90 { 30 } else { 200 }; 3]).collect();
        let sign = Raster::new(Size::new(200, 200), Channels::Rgb, halves);
        assert_eq!(content_class(&sign), ContentClass::Graphic);
        let stripes: Vec<u8> = (0..200 * 200)
            .flat_map(|n: u32| [if (n % 200 / 3).is_multiple_of(4) { 0 } else { 255 }; 3])
            .collect();
        let letters = Raster::new(Size::new(200, 200), Channels::Rgb, stripes);
        assert_eq!(content_class(&letters), ContentClass::Text);
    }

    #[test]
    fn a_sample_tells_the_weight_at_other_sizes() {
        let raster = scene((1024, 700), 7, 3);
        let sample = sample_of(&Codecs::in_process(), &raster).unwrap();
        for size in [(300, 205), (400, 273), (800, 547)] {
            let region = Region::whole(raster.size());
            let scaled = resize::resize(&raster, region, Size::new(size.0, size.1));
            let real = Codecs::in_process()
                .encode_pixels(&scaled, SAMPLE_ENCODING, Effort::Full, &Extras::default())
                .unwrap()
                .len() as f64;
            let told = sample.weight(scaled.size().pixels()).get() as f64;
            assert!((told / real).ln().abs() < 0.35, "{size:?}: {told} told, {real} real");
        }
    }
}

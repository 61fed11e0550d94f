//! Looks: what the pixels of a picture say without anybody looking: its content class, its
//! colours, a hash of how it looks, and how heavy it is to encode.

use serde::{Deserialize, Serialize};

use crate::codec::extras::Extras;
use crate::codec::{CodecError, elsewhere};
use crate::encode::{Encoding, Quality};
use crate::geometry::Size;
use crate::picture::Picture;
use crate::raster::Raster;
use crate::render;
use crate::resize::{self, Region};
use crate::units::Bytes;

/// The long side of the copy that is looked at, in pixels.
const LOOKED_AT: u32 = 1024;
/// Colours are counted up to so many.
pub const MOST_COLOURS: u32 = 4_096;
/// The sampled encodes.
const SAMPLE_ENCODING: Encoding = Encoding::Webp(Quality::SAMPLED);

/// What kind of picture it is; it decides which formats suit it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum ContentClass {
    /// Light on a sensor, or painted as if: noise and soft shades everywhere.
    Photograph,
    /// Even colours with clear edges.
    Graphic,
    /// Letters or a screenshot: few colours, very many sharp edges.
    Text,
    /// Several pictures, one after the other.
    Animation,
    /// Lines and shapes without pixels.
    Drawing,
}

impl ContentClass {
    /// Every class.
    pub const ALL: [Self; 5] =
        [Self::Photograph, Self::Graphic, Self::Text, Self::Animation, Self::Drawing];

    /// The class that pixels show by themselves: a photograph, a graphic or text.
    pub fn of(raster: &Raster) -> Self {
        class(raster)
    }

    /// Its name in the API and in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Photograph => "photograph",
            Self::Graphic => "graphic",
            Self::Text => "text",
            Self::Animation => "animation",
            Self::Drawing => "drawing",
        }
    }

    /// The class called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|class| class.name() == name)
    }
}

/// What a picture weighs as WebP at a few sizes: enough to tell any other.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Sample {
    /// Pixels and bytes, the fewest first.
    points: [(u64, u64); 3],
}

/// How a picture looks.
#[derive(Debug, Clone, PartialEq)]
pub struct Look {
    /// What kind it is.
    pub class: ContentClass,
    /// How many colours a copy of at most 1,024 pixels a side has, up to [`MOST_COLOURS`].
    pub colours: u32,
    /// Whether a pixel of that copy is transparent.
    pub is_transparent: bool,
    /// A hash that hardly changes when the picture is scaled, compressed or lightened.
    pub hash: LookHash,
    /// How heavy it is to encode.
    pub sample: Sample,
}

/// 64 signs of a picture's coarsest shades.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct LookHash(pub u64);

impl LookHash {
    /// Hashes that differ in at most so many signs are of pictures that look the same.
    pub const NEAR: u32 = 7;

    /// In how many signs two hashes differ, 0 to 64.
    pub const fn distance(self, other: Self) -> u32 {
        (self.0 ^ other.0).count_ones()
    }

    /// The hash of `raster`: the signs of its 8 × 8 lowest frequencies (type II discrete cosine
    /// transform of 32 × 32 shades of grey) about their median.
    pub fn of(raster: &Raster) -> Self {
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
        Self(bits.fold(0, |hash, (n, _)| hash | 1 << n))
    }
}

/// Luma of a pixel (ITU-R BT.601), 0 to 255.
fn luma(pixel: &[u8]) -> f64 {
    0.299 * f64::from(pixel[0]) + 0.587 * f64::from(pixel[1]) + 0.114 * f64::from(pixel[2])
}

impl Look {
    /// Looks at `picture`.
    ///
    /// # Errors
    /// Those of decoding it.
    pub fn at(picture: &Picture<'_>) -> Result<Self, CodecError> {
        let copy = render::preview(picture, LOOKED_AT)?;
        let facts = picture.facts();
        let colours = colours(&copy);
        let class = match facts.format {
            crate::source::Source::Svg => ContentClass::Drawing,
            _ if facts.frames > 1 => ContentClass::Animation,
            _ => ContentClass::of(&copy),
        };
        let is_transparent =
            copy.channels().count() == 4 && copy.data().chunks_exact(4).any(|p| p[3] < 255);
        Ok(Self {
            class,
            colours,
            is_transparent,
            hash: LookHash::of(&copy),
            sample: Sample::of(&copy)?,
        })
    }
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
fn class(raster: &Raster) -> ContentClass {
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

impl Sample {
    /// A sample that weighs `bytes` at `pixels`, and in proportion at any other size.
    pub const fn even(pixels: u64, bytes: u64) -> Self {
        Self { points: [(pixels / 16, bytes / 16), (pixels / 4, bytes / 4), (pixels, bytes)] }
    }

    fn of(copy: &Raster) -> Result<Self, CodecError> {
        let weigh = |raster: &Raster| {
            let bytes = elsewhere::encode(raster, SAMPLE_ENCODING, &Extras::default())?.len();
            Ok::<_, CodecError>((raster.size().pixels(), bytes as u64))
        };
        let shrunk = |raster: &Raster| {
            let half = |side: u32| (side / 2).max(1);
            let size = Size::new(half(raster.size().width), half(raster.size().height));
            resize::resize(raster, Region::whole(raster.size()), size)
        };
        let half = shrunk(copy);
        let quarter = shrunk(&half);
        Ok(Self { points: [weigh(&quarter)?, weigh(&half)?, weigh(copy)?] })
    }

    /// About what the picture weighs at so many pixels: between two samples, and beyond the last
    /// two, bytes grow by a power of the pixels.
    pub fn weight(&self, pixels: u64) -> Bytes {
        let [small, middle, large] = self.points;
        let (from, to) = if pixels <= middle.0 { (small, middle) } else { (middle, large) };
        let log = |value: u64| (value.max(1) as f64).ln();
        let growth = (log(to.1) - log(from.1)) / (log(to.0) - log(from.0));
        // Beyond the samples, a growth that noise or a bare ground made would run away.
        let growth = match (growth.is_finite(), pixels > large.0) {
            (false, _) => 1.0,
            (true, true) => growth.clamp(0.5, 1.1),
            (true, false) => growth,
        };
        Bytes((log(to.1) + growth * (log(pixels) - log(to.0))).exp().round() as u64)
    }
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
        let large = LookHash::of(&scene((600, 400), 7, 6));
        let small = LookHash::of(&scene((150, 100), 7, 25));
        let other = LookHash::of(&scene((600, 400), 8, 6));
        assert!(large.distance(small) <= LookHash::NEAR, "{}", large.distance(small));
        assert!(large.distance(other) > 2 * LookHash::NEAR, "{}", large.distance(other));
    }

    #[test]
    fn the_class_is_told_by_the_pixels() {
        assert_eq!(class(&scene((300, 200), 7, 24)), ContentClass::Photograph);
        let halves: Vec<u8> =
            (0..200 * 200).flat_map(|n: u32| [if n % 200 < 90 { 30 } else { 200 }; 3]).collect();
        let sign = Raster::new(Size::new(200, 200), Channels::Rgb, halves);
        assert_eq!(class(&sign), ContentClass::Graphic);
        let stripes: Vec<u8> = (0..200 * 200)
            .flat_map(|n: u32| [if (n % 200 / 3).is_multiple_of(4) { 0 } else { 255 }; 3])
            .collect();
        let letters = Raster::new(Size::new(200, 200), Channels::Rgb, stripes);
        assert_eq!(class(&letters), ContentClass::Text);
    }

    #[test]
    fn a_sample_tells_the_weight_at_other_sizes() {
        let raster = scene((1024, 700), 7, 3);
        let sample = Sample::of(&raster).unwrap();
        for size in [(300, 205), (400, 273), (800, 547)] {
            let region = Region::whole(raster.size());
            let scaled = resize::resize(&raster, region, Size::new(size.0, size.1));
            let real = elsewhere::encode(&scaled, SAMPLE_ENCODING, &Extras::default())
                .unwrap()
                .len() as f64;
            let told = sample.weight(scaled.size().pixels()).get() as f64;
            assert!((told / real).ln().abs() < 0.35, "{size:?}: {told} told, {real} real");
        }
    }
}

//! Content: what the pixels of a picture say by themselves: its class, its colours, a hash of how
//! it looks, and how heavy it is to encode.

use serde::{Deserialize, Serialize};

use crate::units::Bytes;

/// Colours are counted up to so many.
pub const MOST_COLOURS: u32 = 4_096;
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
    /// About what a picture of this class and `sample` weighs at so many pixels; nothing for an
    /// animation or a drawing: its frames or shapes are not told by sampled pixels.
    pub fn weight(self, sample: &WeightSample, pixels: u64) -> Option<Bytes> {
        let is_told = !matches!(self, Self::Animation | Self::Drawing);
        is_told.then(|| sample.weight(pixels))
    }

    /// Every class.
    pub const ALL: [Self; 5] =
        [Self::Photograph, Self::Graphic, Self::Text, Self::Animation, Self::Drawing];

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
pub struct WeightSample {
    /// Pixels and bytes, the fewest first.
    points: [(u64, u64); 3],
}

/// How a picture looks.
#[derive(Debug, Clone, PartialEq)]
pub struct ImageAnalysis {
    /// What kind it is.
    pub class: ContentClass,
    /// How many colours a copy of at most 1,024 pixels a side has, up to [`MOST_COLOURS`].
    pub colours: u32,
    /// Whether a pixel of that copy is transparent.
    pub is_transparent: bool,
    /// A hash that hardly changes when the picture is scaled, compressed or lightened.
    pub hash: PerceptualHash,
    /// How heavy it is to encode.
    pub sample: WeightSample,
}

/// 64 signs of a picture's coarsest shades.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct PerceptualHash(pub u64);

impl PerceptualHash {
    /// Hashes that differ in at most so many signs are of pictures that look the same.
    pub const NEAR: u32 = 7;

    /// Its four parts of 16 signs, each with its place among them: equal parts are equal numbers.
    pub fn parts(self) -> [i32; 4] {
        std::array::from_fn(|place| {
            let part = (self.0 >> (16 * place)) & 0xFFFF;
            (place << 16) as i32 + part as i32
        })
    }

    /// The parts of which every near hash has at least one: of [`Self::NEAR`] signs that differ,
    /// one of four parts has one at most.
    pub fn near_parts(self) -> Vec<i32> {
        let one_off = |part: i32| (0..16).map(move |sign| part ^ (1 << sign));
        self.parts().into_iter().flat_map(|part| one_off(part).chain([part])).collect()
    }

    /// In how many signs two hashes differ, 0 to 64.
    pub const fn distance(self, other: Self) -> u32 {
        (self.0 ^ other.0).count_ones()
    }
}

impl WeightSample {
    /// A sample that weighs `bytes` at `pixels`, and in proportion at any other size.
    pub const fn even(pixels: u64, bytes: u64) -> Self {
        Self { points: [(pixels / 16, bytes / 16), (pixels / 4, bytes / 4), (pixels, bytes)] }
    }

    /// What the picture weighs at three sizes: pixels and bytes, the fewest pixels first.
    pub const fn new(points: [(u64, u64); 3]) -> Self {
        Self { points }
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
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn every_near_hash_has_one_of_the_parts_that_are_searched(
            hash: u64, signs in prop::collection::btree_set(0u32..64, 0..=7),
        ) {
            let near = signs.iter().fold(hash, |hash, sign| hash ^ (1 << sign));
            let searched = PerceptualHash(hash).near_parts();
            prop_assert_eq!(searched.len(), 4 * 17);
            prop_assert!(PerceptualHash(near).parts().iter().any(|part| searched.contains(part)));
        }
    }

    #[test]
    fn a_weight_grows_by_the_samples_and_stays_sane_beyond_them() {
        let even = WeightSample::even(160_000, 16_000);
        assert_eq!(even.weight(40_000), Bytes(4_000));
        let noise = WeightSample::new([(10, 10), (100, 10_000), (1_000, 90_000_000)]);
        assert!(noise.weight(2_000) < Bytes(90_000_000 * 3));
    }
}

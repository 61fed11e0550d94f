//! Pictures to choose encodings for.

use brisk_margin_core::content::ContentClass;
use brisk_margin_core::geometry::Size;
use brisk_margin_imaging::analysis::content_class;
use brisk_margin_imaging::choosing::{Choosing, Hints, never};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::raster::{Channels, Raster};

use crate::CODECS;

/// Hills of light with grain, as a camera sees them.
pub fn scene(width: u32, height: u32) -> Raster {
    let mut state = 11u32;
    let mut grain = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state >> 24) / 16.0
    };
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (f64::from(x), f64::from(y))));
    let data = pixels.flat_map(|(x, y)| {
        let light =
            110.0 + 60.0 * (x / 37.0).sin() * (y / 23.0).cos() + 30.0 * (x * y / 900.0).sin();
        [light + grain(), light * 0.8 + grain() + 10.0, 140.0 - light / 3.0 + grain()]
            .map(|v| v as u8)
    });
    Raster::new(Size::new(width, height), Channels::Rgb, data.collect())
}

/// A sign with a clear ground: letters, a plate, a hole.
pub fn sign(width: u32, height: u32) -> Raster {
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    let data = pixels.flat_map(|(x, y)| match (x / 9 % 4, y / 9 % 3) {
        (0, 0) => [0, 0, 0, 0],
        (1, _) => [14, 90, 90, 255],
        (_, 2) => [250, 244, 230, 255],
        _ => [200, 60, 30, 255],
    });
    Raster::new(Size::new(width, height), Channels::Rgba, data.collect())
}

/// Pixels, and what is known of them.
pub struct Desk {
    pub metric: QualityMetric,
    pub class: ContentClass,
}

impl Desk {
    pub fn new(raster: Raster) -> Self {
        let class = content_class(&raster);
        Self { metric: QualityMetric::new(raster).unwrap(), class }
    }

    pub fn choosing(&self) -> Choosing<'_> {
        static NOTHING: Extras = Extras { icc: None, xmp: None };
        Choosing {
            encoders: (&CODECS).into(),
            metric: &self.metric,
            moving: None,
            class: self.class,
            hints: Hints::NONE,
            extras: &NOTHING,
            stop: &never,
        }
    }
}

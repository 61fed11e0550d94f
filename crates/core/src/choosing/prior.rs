//! Priors: how score and bytes go with quality, before anything is known of a picture.

use crate::format::Format;
use crate::look::ContentClass;

/// What usually comes of a quality in a format, for a kind of picture.
pub struct Prior {
    format: Format,
    curve: &'static Curve,
}

/// At qualities 10, 20 … 100: what is lacking of a score of 100, and bytes relative to those at
/// 100.
struct Curve {
    lack: [f64; 10],
    weight: [f64; 10],
}

impl Prior {
    /// The prior of a picture of `class` in `format`.
    pub fn of(format: Format, class: ContentClass) -> Self {
        let drawn = !matches!(class, ContentClass::Photograph | ContentClass::Animation);
        let curve = match (format, drawn) {
            (Format::Webp, false) => &WEBP_PHOTOGRAPH,
            (Format::Webp, true) => &WEBP_DRAWN,
            (Format::Avif, false) => &AVIF_PHOTOGRAPH,
            (Format::Avif, true) => &AVIF_DRAWN,
            (_, false) => &JPEG_PHOTOGRAPH,
            (_, true) => &JPEG_DRAWN,
        };
        Self { format, curve }
    }

    /// Its format.
    pub const fn format(&self) -> Format {
        self.format
    }

    /// What a file of `quality` usually lacks of a score of 100.
    pub fn lack(&self, quality: u8) -> f64 {
        along(&self.curve.lack, quality)
    }

    /// The bytes of a file of `quality`, relative to those at 100.
    pub fn weight(&self, quality: u8) -> f64 {
        along(&self.curve.weight, quality)
    }
}

/// In proportion on a scale of logarithms between the tens, and on from the first two below them.
fn along(values: &[f64; 10], quality: u8) -> f64 {
    let place = f64::from(quality) / 10.0 - 1.0;
    let at = (place.floor().max(0.0) as usize).min(8);
    let (from, to) = (values[at].ln(), values[at + 1].ln());
    (from + (to - from) * (place - at as f64)).exp()
}

const JPEG_PHOTOGRAPH: Curve = Curve {
    lack: [95.0, 70.0, 55.0, 47.0, 41.0, 36.0, 31.0, 25.0, 16.0, 7.0],
    weight: [0.03, 0.05, 0.07, 0.09, 0.11, 0.13, 0.17, 0.23, 0.4, 1.0],
};
const JPEG_DRAWN: Curve = JPEG_PHOTOGRAPH_LIKE;
const JPEG_PHOTOGRAPH_LIKE: Curve = Curve {
    lack: [95.0, 70.0, 55.0, 47.0, 41.0, 36.0, 31.0, 25.0, 16.0, 7.0],
    weight: [0.03, 0.05, 0.07, 0.09, 0.11, 0.13, 0.17, 0.23, 0.4, 1.0],
};
const WEBP_PHOTOGRAPH: Curve = JPEG_PHOTOGRAPH_LIKE;
const WEBP_DRAWN: Curve = JPEG_PHOTOGRAPH_LIKE;
const AVIF_PHOTOGRAPH: Curve = JPEG_PHOTOGRAPH_LIKE;
const AVIF_DRAWN: Curve = JPEG_PHOTOGRAPH_LIKE;

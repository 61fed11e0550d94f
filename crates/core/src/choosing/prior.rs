//! Priors: how score and bytes go with quality, before anything is known of a picture.

use crate::format::Format;
use crate::look::ContentClass;

/// What usually comes of a quality in a format, for a kind of picture.
pub struct Prior {
    format: Format,
    curve: &'static Curve,
}

/// At qualities 10, 20 … 100: what is lacking of a score of 100, and bytes relative to those at
/// 100. Geometric means over the pictures of `crates/demo`, nine photographs and two drawings, each
/// 400 and 900 px long, on 2026-11-25 with the encoders of that day; for JPEG without the drawing
/// that is transparent.
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
    lack: [112.2, 80.7, 65.1, 56.1, 48.4, 40.7, 34.7, 27.4, 17.0, 4.7],
    weight: [0.019, 0.034, 0.049, 0.062, 0.075, 0.090, 0.113, 0.147, 0.284, 1.000],
};

const JPEG_DRAWN: Curve = Curve {
    lack: [66.9, 47.2, 38.3, 33.9, 29.4, 26.5, 24.1, 20.8, 14.9, 7.2],
    weight: [0.037, 0.061, 0.081, 0.097, 0.118, 0.136, 0.164, 0.202, 0.389, 1.000],
};

const WEBP_PHOTOGRAPH: Curve = Curve {
    lack: [76.7, 62.9, 52.4, 45.5, 40.5, 36.4, 32.5, 26.4, 17.4, 11.3],
    weight: [0.070, 0.096, 0.124, 0.150, 0.172, 0.196, 0.224, 0.293, 0.476, 1.000],
};

const WEBP_DRAWN: Curve = Curve {
    lack: [36.2, 32.7, 25.6, 22.8, 19.7, 16.5, 16.1, 13.1, 10.3, 8.9],
    weight: [0.322, 0.350, 0.379, 0.412, 0.434, 0.460, 0.491, 0.555, 0.694, 1.000],
};

const AVIF_PHOTOGRAPH: Curve = Curve {
    lack: [125.0, 96.7, 71.5, 52.7, 38.6, 27.2, 21.6, 16.9, 11.3, 6.0],
    weight: [0.011, 0.022, 0.037, 0.059, 0.088, 0.130, 0.166, 0.212, 0.354, 1.000],
};

const AVIF_DRAWN: Curve = Curve {
    lack: [60.6, 44.2, 32.3, 26.3, 17.9, 13.7, 12.6, 11.0, 8.8, 7.3],
    weight: [0.065, 0.084, 0.111, 0.148, 0.193, 0.237, 0.276, 0.322, 0.450, 1.000],
};

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
    lack: [127.2, 93.4, 71.8, 60.5, 51.9, 46.2, 37.9, 28.3, 17.5, 4.7],
    weight: [0.017, 0.031, 0.046, 0.059, 0.071, 0.086, 0.106, 0.145, 0.273, 1.000],
};

const JPEG_DRAWN: Curve = Curve {
    lack: [125.9, 55.0, 43.6, 40.3, 34.2, 28.5, 24.9, 20.7, 15.3, 7.3],
    weight: [0.041, 0.056, 0.077, 0.093, 0.114, 0.135, 0.159, 0.207, 0.382, 1.000],
};

const WEBP_PHOTOGRAPH: Curve = Curve {
    lack: [79.2, 64.5, 54.5, 46.4, 41.1, 36.7, 33.1, 25.9, 16.5, 10.1],
    weight: [0.068, 0.093, 0.117, 0.142, 0.166, 0.189, 0.214, 0.281, 0.469, 1.000],
};

const WEBP_DRAWN: Curve = Curve {
    lack: [31.7, 27.2, 22.8, 20.7, 19.5, 16.6, 15.3, 12.4, 10.2, 8.2],
    weight: [0.289, 0.320, 0.346, 0.378, 0.407, 0.434, 0.460, 0.528, 0.672, 1.000],
};

const AVIF_PHOTOGRAPH: Curve = Curve {
    lack: [121.2, 95.1, 71.0, 52.9, 38.5, 27.5, 22.1, 17.4, 11.7, 6.0],
    weight: [0.011, 0.021, 0.036, 0.058, 0.087, 0.129, 0.164, 0.211, 0.338, 1.000],
};

const AVIF_DRAWN: Curve = Curve {
    lack: [63.1, 43.2, 32.2, 27.1, 18.6, 13.7, 12.3, 10.7, 8.4, 7.3],
    weight: [0.067, 0.081, 0.110, 0.148, 0.194, 0.243, 0.283, 0.335, 0.452, 1.000],
};

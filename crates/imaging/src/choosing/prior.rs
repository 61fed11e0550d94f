//! Priors: how score and bytes go with quality, before anything is known of a picture.

use brisk_margin_core::content::ContentClass;
use brisk_margin_core::format::Format;

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
    lack: [124.5, 90.1, 69.6, 58.0, 49.9, 43.3, 34.5, 24.7, 14.6, 4.7],
    weight: [0.015, 0.029, 0.043, 0.056, 0.070, 0.084, 0.106, 0.145, 0.277, 1.000],
};

const JPEG_DRAWN: Curve = Curve {
    lack: [69.3, 52.5, 44.1, 39.7, 36.2, 27.1, 23.8, 20.0, 13.0, 7.4],
    weight: [0.034, 0.053, 0.074, 0.091, 0.110, 0.131, 0.156, 0.203, 0.388, 1.000],
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
    lack: [122.5, 97.0, 74.3, 57.4, 42.4, 31.5, 25.6, 20.4, 14.3, 6.1],
    weight: [0.010, 0.019, 0.032, 0.049, 0.073, 0.108, 0.139, 0.180, 0.271, 1.000],
};

const AVIF_DRAWN: Curve = Curve {
    lack: [61.5, 41.2, 31.0, 24.8, 19.5, 13.9, 12.4, 11.0, 8.8, 7.0],
    weight: [0.076, 0.091, 0.114, 0.141, 0.181, 0.226, 0.261, 0.304, 0.408, 1.000],
};

//! Priors: how score and bytes go with quality, before anything is known of a picture.

use crate::chroma;
use crate::detail::detail;
use crate::raster::Raster;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::format::Format;

/// What usually comes of a quality in a format, for a kind of picture.
pub struct Prior {
    curve: &'static Curve,
}

/// At qualities 10, 20 … 100: what is lacking of a score of 100, and bytes relative to those at
/// 100. Geometric means: of photographs over the training set of docs/decisions/0029, twelve of them, each 366 and
/// 960 px wide; of what is drawn over the two drawings of `crates/demo`, each 400 and 900 px long, for JPEG over the one
/// that is opaque. With the encoders of 2026-11-29, except for drawn WebPs (2026-11-25). A photograph as AVIF of 100 may lack nothing: 3 stands for
/// that.
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
            (Format::Jxl, false) => &JXL_PHOTOGRAPH,
            (Format::Jxl, true) => &JXL_DRAWN,
            (_, false) => &JPEG_PHOTOGRAPH,
            (_, true) => &JPEG_DRAWN,
        };
        Self { curve }
    }

    /// What a file of `quality` usually lacks of a score of 100.
    pub fn lack(&self, quality: Quality) -> f64 {
        along(&self.curve.lack, quality)
    }

    /// The bytes of a file of `quality`, relative to those at 100.
    pub fn weight(&self, quality: Quality) -> f64 {
        along(&self.curve.weight, quality)
    }
}

/// By how much `raster` likely lacks more in `format` than the prior of its `class` says, as a logarithm: fine detail is
/// dear, and colours hide what is lost of it. Fitted to the training and the third set of docs/decisions/0029; what is
/// left of the difference is a quarter less on the held-back one (0035).
pub fn foretold(format: Format, class: ContentClass, raster: &Raster) -> f64 {
    let [base, of_detail, of_colour] = match (format, class) {
        (Format::Jpeg, ContentClass::Photograph) => [-0.057, 0.070, -0.036],
        (Format::Avif, ContentClass::Photograph) => [-0.087, 0.112, -0.098],
        _ => return 0.0,
    };
    let detail = detail(raster).clamp(0.5, 50.0).ln();
    let colour = chroma::loss(raster).clamp(0.3, 6.0).ln();
    base + of_detail * detail + of_colour * colour
}

/// In proportion on a scale of logarithms between the tens, and on from the first two below them.
fn along(values: &[f64; 10], quality: Quality) -> f64 {
    let place = quality.get() / 10.0 - 1.0;
    let at = (place.floor().max(0.0) as usize).min(8);
    let (from, to) = (values[at].ln(), values[at + 1].ln());
    (from + (to - from) * (place - at as f64)).exp()
}

const JPEG_PHOTOGRAPH: Curve = Curve {
    lack: [94.0, 61.6, 46.5, 38.8, 33.4, 28.6, 23.9, 18.8, 10.5, 4.9],
    weight: [0.020, 0.032, 0.043, 0.052, 0.061, 0.070, 0.085, 0.109, 0.237, 1.000],
};

const JPEG_DRAWN: Curve = Curve {
    lack: [71.2, 52.2, 42.5, 39.6, 31.0, 27.6, 23.1, 18.0, 11.3, 7.1],
    weight: [0.035, 0.054, 0.074, 0.092, 0.109, 0.128, 0.158, 0.207, 0.398, 1.000],
};

const WEBP_PHOTOGRAPH: Curve = Curve {
    lack: [63.0, 52.1, 44.5, 39.0, 34.7, 31.3, 28.3, 22.8, 15.6, 10.5],
    weight: [0.074, 0.092, 0.110, 0.128, 0.146, 0.164, 0.185, 0.238, 0.405, 1.000],
};

const WEBP_DRAWN: Curve = Curve {
    lack: [36.2, 32.7, 25.6, 22.8, 19.7, 16.5, 16.1, 13.1, 10.3, 8.9],
    weight: [0.322, 0.350, 0.379, 0.412, 0.434, 0.460, 0.491, 0.555, 0.694, 1.000],
};

const AVIF_PHOTOGRAPH: Curve = Curve {
    lack: [93.2, 67.8, 51.7, 39.4, 30.0, 22.8, 19.0, 13.6, 9.1, 3.0],
    weight: [0.008, 0.012, 0.016, 0.021, 0.029, 0.040, 0.051, 0.076, 0.161, 1.000],
};

const AVIF_DRAWN: Curve = Curve {
    lack: [66.4, 48.7, 36.4, 26.5, 20.5, 14.5, 12.7, 10.3, 8.2, 7.1],
    weight: [0.046, 0.054, 0.065, 0.083, 0.111, 0.144, 0.168, 0.212, 0.323, 1.000],
};

const JXL_PHOTOGRAPH: Curve = Curve {
    lack: [56.9, 38.7, 35.2, 32.2, 28.9, 24.3, 20.8, 17.5, 11.6, 5.6],
    weight: [0.036, 0.056, 0.063, 0.069, 0.078, 0.094, 0.112, 0.140, 0.223, 1.000],
};

const JXL_DRAWN: Curve = Curve {
    lack: [53.4, 35.6, 32.5, 29.1, 25.9, 23.6, 19.9, 16.4, 11.7, 6.9],
    weight: [0.130, 0.194, 0.212, 0.233, 0.260, 0.276, 0.319, 0.385, 0.519, 1.000],
};

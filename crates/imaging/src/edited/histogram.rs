//! Histograms: how the shades of a picture are spread, for figures before and after an edit.

use serde::Serialize;

use crate::raster::{Channels, Raster};

/// How many classes a histogram has.
pub const CLASSES: usize = 64;

/// How often each shade occurs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Histogram {
    /// Luma, from black to white, in 64 classes; the most frequent is 1.
    pub luma: Vec<f64>,
    /// Red, in the same classes and measure.
    pub red: Vec<f64>,
    /// Green.
    pub green: Vec<f64>,
    /// Blue.
    pub blue: Vec<f64>,
    /// The middle of all luma, 0 to 100.
    pub mean: f64,
    /// Pixels that are quite black, in percent.
    pub black: f64,
    /// Pixels that are quite white, in percent.
    pub white: f64,
    /// The mean distance of colours from grey, 0 to 100.
    pub colourfulness: f64,
}

impl Histogram {
    /// The shades of `raster`; what is transparent is left out.
    pub fn of(raster: &Raster) -> Self {
        let each = raster.channels().count();
        let mut counts = [[0u64; CLASSES]; 4];
        let (mut pixels, mut sum, mut black, mut white, mut chroma) = (0u64, 0.0, 0u64, 0u64, 0.0);
        for pixel in raster.data().chunks_exact(each) {
            if raster.channels() == Channels::Rgba && pixel[3] < 128 {
                continue;
            }
            let [r, g, b] = [0, 1, 2].map(|n| f64::from(pixel[n]));
            let luma = 0.2126 * r + 0.7152 * g + 0.0722 * b;
            for (counts, shade) in counts.iter_mut().zip([luma, r, g, b]) {
                counts[((shade / 256.0 * CLASSES as f64) as usize).min(CLASSES - 1)] += 1;
            }
            pixels += 1;
            sum += luma;
            chroma += r.max(g).max(b) - r.min(g).min(b);
            black += u64::from(pixel[..3].iter().all(|&shade| shade == 0));
            white += u64::from(pixel[..3].iter().all(|&shade| shade == 255));
        }
        let share = |value: f64, whole: f64| 100.0 * value / whole / (pixels.max(1) as f64);
        let [luma, red, green, blue] = counts.map(|counts| {
            let most = counts.iter().copied().max().unwrap_or(1).max(1);
            counts.iter().map(|&count| count as f64 / most as f64).collect()
        });
        Self {
            luma,
            red,
            green,
            blue,
            mean: share(sum, 255.0),
            black: share(black as f64, 1.0),
            white: share(white as f64, 1.0),
            colourfulness: share(chroma, 255.0),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::geometry::Size;

    #[test]
    fn ends_and_middle_are_counted_and_transparency_is_not() {
        let data = vec![0, 0, 0, 255, 255, 255, 255, 255, 128, 128, 128, 255, 9, 9, 9, 0];
        let told = Histogram::of(&Raster::new(Size::new(4, 1), Channels::Rgba, data));
        assert!((told.black - 100.0 / 3.0).abs() < 1e-9 && (told.white - 100.0 / 3.0).abs() < 1e-9);
        assert!((told.mean - 50.07).abs() < 0.01);
        assert_eq!((told.luma[0], told.luma[32], told.luma[63]), (1.0, 1.0, 1.0));
        assert_eq!(told.luma.iter().sum::<f64>(), 3.0);
        assert_eq!(told.colourfulness, 0.0);
    }
}

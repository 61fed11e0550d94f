//! Quantisation tables for JPEG: by how much the frequencies of light and of both colours are rounded.
//!
//! They are our own: the library's table for MS-SSIM, bent by fourteen figures until twelve photographs came to the
//! fewest bytes at the same SSIMULACRA2 score (docs/decisions/0030). High frequencies are rounded less than that
//! table says; the weighing of rate, which goes with it ([`RATE`]), drops most of them anyway.

use brisk_margin_core::encoding::Quality;

/// A table in rows of frequencies across, for a scale of 1, which is a quality of 50.
type Table = [f32; 64];

/// Light (Y).
#[rustfmt::skip]
const LIGHT: Table = [
    9.9, 16.3, 20.4, 25.4, 35.4, 37.5, 55.2, 53.2,
    17.2, 22.0, 26.2, 33.2, 33.4, 54.4, 55.7, 41.2,
    19.3, 26.2, 29.0, 33.5, 38.0, 57.3, 55.9, 35.0,
    31.4, 33.2, 33.5, 37.4, 49.1, 76.2, 59.2, 34.2,
    36.5, 39.3, 41.5, 42.7, 43.6, 71.5, 56.0, 29.5,
    44.0, 37.2, 45.4, 54.3, 60.3, 60.6, 48.5, 27.4,
    45.2, 60.1, 61.4, 59.1, 57.1, 52.8, 39.1, 21.8,
    57.2, 67.2, 57.1, 49.6, 45.6, 30.7, 22.6, 15.2,
];

/// Blue difference (Cb).
#[rustfmt::skip]
const BLUE: Table = [
    10.7, 20.7, 25.0, 30.3, 41.1, 42.6, 61.7, 58.7,
    21.9, 27.1, 31.2, 38.5, 37.9, 60.7, 61.4, 45.0,
    23.7, 31.2, 33.7, 38.1, 42.5, 63.2, 61.1, 38.1,
    37.4, 38.5, 38.1, 41.8, 54.2, 83.3, 64.4, 37.2,
    42.4, 44.6, 46.3, 47.1, 47.6, 77.8, 61.0, 32.2,
    50.0, 41.6, 50.0, 59.3, 65.6, 65.9, 53.0, 30.2,
    50.5, 66.3, 67.2, 64.3, 62.1, 57.7, 43.1, 24.3,
    63.1, 73.5, 62.2, 54.0, 49.8, 33.8, 25.2, 17.2,
];

/// Red difference (Cr).
#[rustfmt::skip]
const RED: Table = [
    8.6, 16.7, 20.3, 24.7, 33.6, 35.0, 50.9, 48.6,
    17.7, 22.0, 25.4, 31.5, 31.2, 50.1, 50.8, 37.4,
    19.3, 25.4, 27.5, 31.3, 35.0, 52.3, 50.8, 31.8,
    30.5, 31.5, 31.3, 34.5, 44.8, 69.2, 53.8, 31.2,
    34.7, 36.7, 38.2, 39.0, 39.6, 64.9, 51.1, 27.1,
    41.0, 34.3, 41.4, 49.3, 54.7, 55.2, 44.5, 25.5,
    41.6, 54.9, 55.8, 53.7, 52.0, 48.5, 36.4, 20.6,
    52.2, 61.0, 51.9, 45.2, 41.8, 28.6, 21.4, 14.7,
];

/// How the search for coefficients weighs bits against squared error: the weight is 2 to the power of the first over
/// 2 to the power of the second plus the block's squares, so that a busy block may lose more. The library's own are
/// 14.75 and 16.5.
pub(super) const RATE: [f32; 2] = [14.97, 17.033];

/// The tables of light and both colours at `quality`: all ones at 100.
pub(super) fn tables(quality: Quality) -> [[u32; 64]; 3] {
    // IJG: from half the rounding at 75 and twice at 25 to none at 100.
    let quality = quality.get() as f32;
    let scale = if quality < 50.0 { 50.0 / quality } else { (100.0 - quality) / 50.0 };
    [LIGHT, BLUE, RED]
        .map(|table| table.map(|step| (step * scale).round().clamp(1.0, 255.0) as u32))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn less_is_rounded_the_higher_the_quality() {
        let all: Vec<_> = Quality::all().map(tables).collect();
        assert_eq!(all[all.len() - 1], [[1; 64]; 3]);
        let sum = |tables: &[[u32; 64]; 3]| tables.as_flattened().iter().sum::<u32>();
        assert!(all.windows(2).all(|two| sum(&two[1]) <= sum(&two[0])));
        assert!(all[0].as_flattened().iter().all(|&step| step <= 255), "baseline has 8 bits");
    }
}

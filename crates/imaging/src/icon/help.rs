//! Helps: what is done to a mark before it is small, and once it is, so that it can be read.

use std::collections::BTreeMap;

use brisk_margin_core::icon::legibility::WHOLE_STROKE;

use super::figure::{Figure, FigureGround};
use crate::raster::Raster;

/// How much of its way from the middle a shade goes further where contrast is raised.
const CONTRAST: f32 = 1.35;
/// Colours that are left of many.
const COLOURS: usize = 5;
/// How often the middles of colours are found anew.
const ROUNDS: usize = 12;
/// The share of what a blurred copy lacks that is added.
const SHARPENING: f32 = 0.6;
/// Strokes are made thicker by so many px of the small version at most, on each side, and by no less than the other.
const THICKER: [f64; 2] = [0.15, 0.6];

/// Makes the strokes of `mark`, whose figure is `figure`, thicker, so that they are whole pixels at a `times`th of its
/// size.
pub(super) fn thicken(mark: &Raster, figure: &Figure, times: u32) -> Raster {
    let stroke = figure.stroke() / f64::from(times);
    let more = ((WHOLE_STROKE - stroke) / 2.0).clamp(THICKER[0], THICKER[1]) * f64::from(times);
    let (side, reach) = (mark.size().width as i64, more.ceil() as i64);
    let disc: Vec<(i64, i64)> = (-reach..=reach)
        .flat_map(|y| (-reach..=reach).map(move |x| (x, y)))
        .filter(|&(x, y)| (x as f64).hypot(y as f64) <= more)
        .collect();
    let weights = figure.weights();
    let mut thick = mark.clone();
    for (n, pixel) in thick.data_mut().chunks_exact_mut(4).enumerate() {
        let (x, y) = (n as i64 % side, n as i64 / side);
        let near = disc.iter().filter_map(|(dx, dy)| {
            let (x, y) = (x + dx, y + dy);
            let is_there = (0..side).contains(&x) && (0..side).contains(&y);
            is_there.then_some((y * side + x) as usize)
        });
        // Of what is as much of the figure, the nearest is itself.
        let best = near.fold(n, |best, at| if weights[at] > weights[best] { at } else { best });
        pixel.copy_from_slice(&mark.data()[best * 4..][..4]);
    }
    thick
}

/// Moves figure and ground of `mark` apart.
pub(super) fn raise_contrast(mark: &Raster, figure: &Figure) -> Raster {
    let mean = |of_figure: bool| {
        let pixels = mark.data().chunks_exact(4).zip(figure.weights());
        let (sum, all) = pixels.fold(([0.0; 3], 0.0_f32), |(sum, all), (pixel, weight)| {
            let part = if of_figure { *weight } else { 1.0 - weight };
            let weight = part * f32::from(pixel[3]) / 255.0;
            ([0, 1, 2].map(|n: usize| sum[n] + weight * f32::from(pixel[n])), all + weight)
        });
        sum.map(|sum| sum / all.max(f32::EPSILON))
    };
    let own = mean(true);
    let middle = match figure.ground() {
        FigureGround::Clear => own,
        _ => {
            let ground = mean(false);
            [0, 1, 2].map(|n: usize| (own[n] + ground[n]) / 2.0)
        }
    };
    let mut raised = mark.clone();
    for pixel in raised.data_mut().chunks_exact_mut(4) {
        for (value, middle) in pixel.iter_mut().zip(middle) {
            *value = (middle + (f32::from(*value) - middle) * CONTRAST).round() as u8;
        }
    }
    raised
}

/// `mark` in a few colours; how transparent it is stays.
pub(super) fn in_few_colours(mark: &Raster) -> Raster {
    let mut counts: BTreeMap<[u8; 3], f32> = BTreeMap::new();
    for pixel in mark.data().chunks_exact(4).filter(|pixel| pixel[3] > 0) {
        // To a thirty-second: a mark has few colours, and shades between them along its edges.
        let key = [0, 1, 2].map(|n: usize| pixel[n] >> 3 << 3 | 4);
        *counts.entry(key).or_default() += f32::from(pixel[3]);
    }
    let middles = middles(&counts);
    let mut few = mark.clone();
    for pixel in few.data_mut().chunks_exact_mut(4) {
        let colour = [0, 1, 2].map(|n: usize| f32::from(pixel[n]));
        if let Some(&nearest) = nearest(&middles, colour).map(|at| &middles[at]) {
            pixel[..3].copy_from_slice(&nearest.map(|value| value.round() as u8));
        }
    }
    few
}

/// The middles of the groups that colours fall into (Lloyd's algorithm, from the most frequent ones that are far apart).
fn middles(counts: &BTreeMap<[u8; 3], f32>) -> Vec<[f32; 3]> {
    let shades = |key: &[u8; 3]| key.map(f32::from);
    let mut found: Vec<[f32; 3]> = Vec::new();
    while found.len() < COLOURS {
        let far = |colour: [f32; 3]| {
            let near = found.iter().map(|&one| apart(one, colour)).fold(f32::INFINITY, f32::min);
            if near.is_finite() { near } else { 1.0 }
        };
        let next = counts
            .iter()
            .max_by(|a, b| (a.1 * far(shades(a.0))).total_cmp(&(b.1 * far(shades(b.0)))));
        match next {
            Some((key, _)) if far(shades(key)) > 0.0 => found.push(shades(key)),
            _ => break,
        }
    }
    for _ in 0..ROUNDS {
        let mut sums = vec![([0.0_f32; 3], 0.0_f32); found.len()];
        for (key, count) in counts {
            let Some(at) = nearest(&found, shades(key)) else { continue };
            let (sum, all) = &mut sums[at];
            *sum = [0, 1, 2].map(|n: usize| sum[n] + shades(key)[n] * count);
            *all += count;
        }
        for (middle, (sum, all)) in found.iter_mut().zip(sums) {
            if all > 0.0 {
                *middle = sum.map(|sum| sum / all);
            }
        }
    }
    found
}

fn nearest(middles: &[[f32; 3]], colour: [f32; 3]) -> Option<usize> {
    let far = |&at: &usize| apart(middles[at], colour);
    (0..middles.len()).min_by(|a, b| far(a).total_cmp(&far(b)))
}

fn apart(a: [f32; 3], b: [f32; 3]) -> f32 {
    a.iter().zip(b).map(|(a, b)| (a - b) * (a - b)).sum()
}

/// Moves `mark` by less than a pixel of its `times`th, to where most of its edges are on the pixel grid.
pub(super) fn snap(mark: &Raster, figure: &Figure, times: u32) -> Raster {
    let (side, reach) = (mark.size().width as i64, i64::from(times) / 2);
    let sharpness = |by: &(i64, i64)| {
        let cells = side / i64::from(times);
        let mut covered = vec![0.0_f32; (cells * cells) as usize];
        for (n, weight) in figure.weights().iter().enumerate() {
            let (x, y) = (n as i64 % side + by.0, n as i64 / side + by.1);
            if (0..side).contains(&x) && (0..side).contains(&y) {
                covered[(y / i64::from(times) * cells + x / i64::from(times)) as usize] += weight;
            }
        }
        let full = (times * times) as f32;
        // Pixels that are in the figure or not, and not in between.
        covered.iter().map(|one| (one / full - 0.5).powi(2)).sum::<f32>()
    };
    let moves = (-reach..=reach).flat_map(|y| (-reach..=reach).map(move |x| (x, y)));
    let far = |by: (i64, i64)| by.0.abs() + by.1.abs();
    let judged = moves.map(|by| (by, sharpness(&by)));
    // Of what is as sharp, the shortest way.
    let best = judged.max_by(|(a, sharp), (b, other)| {
        sharp.total_cmp(other).then_with(|| far(*b).cmp(&far(*a)))
    });
    moved(mark, best.map_or((0, 0), |(by, _)| by))
}

/// `mark` moved by whole pixels; along its edge it goes on as it was.
fn moved(mark: &Raster, (dx, dy): (i64, i64)) -> Raster {
    let side = mark.size().width as i64;
    let mut there = mark.clone();
    for (n, pixel) in there.data_mut().chunks_exact_mut(4).enumerate() {
        let x = (n as i64 % side - dx).clamp(0, side - 1);
        let y = (n as i64 / side - dy).clamp(0, side - 1);
        pixel.copy_from_slice(&mark.data()[((y * side + x) * 4) as usize..][..4]);
    }
    there
}

/// Sharpens what is small already.
pub(super) fn sharpen(small: &Raster) -> Raster {
    let side = small.size().width as usize;
    let premultiplied: Vec<[f32; 4]> = small
        .data()
        .chunks_exact(4)
        .map(|pixel| {
            let alpha = f32::from(pixel[3]) / 255.0;
            [0, 1, 2, 3].map(|n: usize| f32::from(pixel[n]) * if n < 3 { alpha } else { 1.0 })
        })
        .collect();
    let mut sharp = small.clone();
    for (n, pixel) in sharp.data_mut().chunks_exact_mut(4).enumerate() {
        let (x, y) = (n % side, n / side);
        let near = |at: usize| at.saturating_sub(1)..=(at + 1).min(side - 1);
        let (mut sum, mut all) = ([0.0; 4], 0.0);
        for at in near(y).flat_map(|y| near(x).map(move |x| y * side + x)) {
            sum = [0, 1, 2, 3].map(|n: usize| sum[n] + premultiplied[at][n]);
            all += 1.0;
        }
        let own = premultiplied[n];
        let more = [0, 1, 2, 3]
            .map(|n: usize| (own[n] + (own[n] - sum[n] / all) * SHARPENING).clamp(0.0, 255.0));
        let alpha = more[3] / 255.0;
        for (value, more) in pixel.iter_mut().zip(&more[..3]) {
            *value = (more / alpha.max(1.0 / 255.0)).clamp(0.0, 255.0).round() as u8;
        }
        pixel[3] = more[3].round() as u8;
    }
    sharp
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use brisk_margin_core::geometry::Size;
    use proptest::prelude::*;

    const INK: [u8; 4] = [20, 40, 80, 255];
    const PAPER: [u8; 4] = [240, 240, 240, 255];

    fn drawn(side: u32, colour: impl Fn(u32, u32) -> [u8; 4]) -> Raster {
        let data = (0..side * side).flat_map(|n| colour(n % side, n / side)).collect();
        Raster::new(Size::new(side, side), Channels::Rgba, data)
    }

    /// A bar from `left`, so many px wide, on paper.
    fn bar(left: u32, width: u32) -> Raster {
        drawn(128, |x, _| if (left..left + width).contains(&x) { INK } else { PAPER })
    }

    fn width_of_ink(raster: &Raster) -> usize {
        raster.data()[..raster.stride()].chunks_exact(4).filter(|pixel| pixel[0] < 128).count()
    }

    #[test]
    fn a_thin_stroke_becomes_a_whole_pixel_and_a_half_of_the_small_version() {
        let thin = bar(60, 4);
        let thick = thicken(&thin, &Figure::of(&thin), 8);
        // Half a pixel of 16 at first; 1.5 px of 8 are 12, less what a disc cannot reach.
        assert_eq!(width_of_ink(&thin), 4);
        assert!((11..=12).contains(&width_of_ink(&thick)), "{}", width_of_ink(&thick));
        let wide = bar(40, 48);
        let thicker = thicken(&wide, &Figure::of(&wide), 8);
        assert!(width_of_ink(&thicker) <= 48 + 4, "wide ones stay about as they are");
    }

    #[test]
    fn snapping_moves_an_edge_onto_the_grid_and_no_further() {
        for left in 40..56 {
            let mark = bar(left, 24);
            let snapped = snap(&mark, &Figure::of(&mark), 8);
            let row = snapped.data()[..snapped.stride()].chunks_exact(4);
            let at = row.take_while(|pixel| pixel[0] > 128).count();
            assert_eq!(at % 8, 0, "from {left}");
            assert!(at.abs_diff(left as usize) <= 4, "from {left} to {at}");
        }
    }

    #[test]
    fn contrast_moves_figure_and_ground_apart_on_both_sides() {
        let grey = drawn(32, |x, _| {
            if (10..16).contains(&x) { [100, 100, 100, 255] } else { [150, 150, 150, 255] }
        });
        let raised = raise_contrast(&grey, &Figure::of(&grey));
        let at = |x: usize| raised.data()[x * 4];
        assert!(at(12) < 95 && at(2) > 155, "{} {}", at(12), at(2));
    }

    #[test]
    fn sharpening_leaves_what_is_even_alone() {
        let even = drawn(16, |_, _| INK);
        assert_eq!(sharpen(&even), even);
        let edge = drawn(16, |x, _| if x < 8 { [90, 90, 90, 255] } else { [160, 160, 160, 255] });
        let sharp = sharpen(&edge);
        assert!(sharp.data()[7 * 4] < 90 && sharp.data()[8 * 4] > 160);
        let clear = drawn(16, |x, _| if x < 8 { INK } else { [0; 4] });
        assert_eq!(sharpen(&clear).data()[12 * 4 + 3], 0, "what is clear stays so");
    }

    proptest! {
        #[test]
        fn few_colours_are_few_and_transparency_stays(data in prop::collection::vec(any::<u8>(), 4 * 256)) {
            let mark = Raster::new(Size::new(16, 16), Channels::Rgba, data);
            let few = in_few_colours(&mark);
            let seen: std::collections::BTreeSet<&[u8]> =
                few.data().chunks_exact(4).map(|pixel| &pixel[..3]).collect();
            prop_assert!(seen.len() <= COLOURS, "{}", seen.len());
            let alphas = |raster: &Raster| -> Vec<u8> {
                raster.data().chunks_exact(4).map(|pixel| pixel[3]).collect()
            };
            prop_assert_eq!(alphas(&few), alphas(&mark));
        }
    }
}

//! Measuring how well a small version can be read; the figure that comes of it is the core's
//! [`legibility`](brisk_margin_core::icon::legibility).

use brisk_margin_core::icon::legibility::Legibility;

use super::figure::{Figure, FigureGround, lightness};
use crate::contrast::{contrast, luminance};
use crate::raster::Raster;

/// Grounds of tabs on light and dark themes.
pub const TABS: [[u8; 3]; 2] = [[246, 246, 246], [40, 40, 40]];
/// Local contrasts below this are no detail.
const NOTHING: f32 = 0.02;

/// How well `small` can be read on `ground`: `full` is the same at a whole number of times its size, before its edges were
/// softened by scaling, and `stroked` the mark as it was scaled down, at that size as well.
pub fn legibility(small: &Raster, full: &Raster, stroked: &Figure, ground: [u8; 3]) -> Legibility {
    let times = f64::from(full.size().width) / f64::from(small.size().width);
    let figure = Figure::of(full);
    let weights = shrunk(figure.weights(), small.size().width as usize, times as usize);
    let shown = small.flattened(ground);
    let seen = match figure.ground() {
        FigureGround::Clear => against(&shown, &weights, ground),
        _ => within(&shown, &weights),
    };
    let full = full.flattened(ground);
    Legibility::new(seen, detail(&shown, &full, times as usize), stroked.stroke() / times)
}

/// The contrast of a mark, which is `weights` of `shown`, and its ground in one colour.
fn against(shown: &Raster, weights: &[f32], ground: [u8; 3]) -> f64 {
    let own = mean(shown, weights, |weight| weight * weight);
    contrast(own, luminance(ground))
}

/// The contrast of a mark and what is around it in the picture.
fn within(shown: &Raster, weights: &[f32]) -> f64 {
    let own = mean(shown, weights, |weight| weight * weight);
    let around = mean(shown, weights, |weight| (1.0 - weight) * (1.0 - weight));
    contrast(own, around)
}

fn mean(shown: &Raster, weights: &[f32], weigh: impl Fn(f32) -> f32) -> f64 {
    let (pixels, _) = shown.data().as_chunks::<3>();
    let (sum, all) = pixels.iter().zip(weights).fold((0.0, 0.0), |(sum, all), (&pixel, &own)| {
        let weight = f64::from(weigh(own));
        (sum + weight * luminance(pixel), all + weight)
    });
    if all > 0.0 { sum / all } else { 0.0 }
}

/// `values` of a square at a `times`th of its size, `side` across.
fn shrunk(values: &[f32], side: usize, times: usize) -> Vec<f32> {
    let wide = side * times;
    let cell = |n: usize| {
        let (x, y) = (n % side * times, n / side * times);
        let rows = (y..y + times).map(|y| values[y * wide + x..][..times].iter().sum::<f32>());
        rows.sum::<f32>() / (times * times) as f32
    };
    (0..side * side).map(cell).collect()
}

/// The share of the local contrasts of `full` that is left in `shown`, times how well the two go along.
fn detail(shown: &Raster, full: &Raster, times: usize) -> f64 {
    let side = shown.size().width as usize;
    let small: Vec<f32> = shown.data().chunks_exact(3).map(lightness).collect();
    let large: Vec<f32> = full.data().chunks_exact(3).map(lightness).collect();
    let (low, high) = extremes(&large, side, times);
    let (mut there, mut left) = (0.0, 0.0);
    for n in 0..side * side {
        let ranges = around(n, side);
        let (mut least, mut most) = ([1.0_f32; 2], [0.0_f32; 2]);
        for at in ranges {
            least = [least[0].min(low[at]), least[1].min(small[at])];
            most = [most[0].max(high[at]), most[1].max(small[at])];
        }
        let (own, seen) = (most[0] - least[0], most[1] - least[1]);
        if own > NOTHING {
            there += f64::from(own);
            left += f64::from(seen.min(own));
        }
    }
    let share = if there > 0.0 { left / there } else { 0.0 };
    share * correlation(&small, &shrunk(&large, side, times)).max(0.0)
}

/// The least and the most of the values in each cell of `times` by `times`.
fn extremes(values: &[f32], side: usize, times: usize) -> (Vec<f32>, Vec<f32>) {
    let wide = side * times;
    let (mut low, mut high) = (vec![1.0_f32; side * side], vec![0.0_f32; side * side]);
    for (n, &value) in values.iter().enumerate() {
        let at = n / wide / times * side + n % wide / times;
        low[at] = low[at].min(value);
        high[at] = high[at].max(value);
    }
    (low, high)
}

/// The cells next to cell `n`, and itself.
fn around(n: usize, side: usize) -> impl Iterator<Item = usize> {
    let (x, y) = (n % side, n / side);
    let near = move |at: usize| at.saturating_sub(1)..=(at + 1).min(side - 1);
    near(y).flat_map(move |y| near(x).map(move |x| y * side + x))
}

fn correlation(a: &[f32], b: &[f32]) -> f64 {
    let mean = |values: &[f32]| values.iter().map(|&v| f64::from(v)).sum::<f64>() / a.len() as f64;
    let (mean_a, mean_b) = (mean(a), mean(b));
    let (mut both, mut own_a, mut own_b) = (0.0, 0.0, 0.0);
    for (&a, &b) in a.iter().zip(b) {
        let (a, b) = (f64::from(a) - mean_a, f64::from(b) - mean_b);
        both += a * b;
        own_a += a * a;
        own_b += b * b;
    }
    let all = (own_a * own_b).sqrt();
    if all > 0.0 { both / all } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use brisk_margin_core::geometry::Size;

    fn drawn(side: u32, colour: impl Fn(u32, u32) -> [u8; 4]) -> Raster {
        let data = (0..side * side).flat_map(|n| colour(n % side, n / side)).collect();
        Raster::new(Size::new(side, side), Channels::Rgba, data)
    }

    /// A bar of 4 px at 16, drawn 8 times as large, in `ink` on nothing.
    fn full(ink: [u8; 3]) -> Raster {
        let [r, g, b] = ink;
        drawn(128, |x, _| if (48..80).contains(&x) { [r, g, b, 255] } else { [0; 4] })
    }

    fn small(colour: impl Fn(u32, u32) -> [u8; 4]) -> Legibility {
        let mark = full([0; 3]);
        legibility(&drawn(16, colour), &mark, &Figure::of(&mark), [255; 3])
    }

    #[test]
    fn what_is_as_it_was_keeps_all_of_its_detail_and_its_contrast() {
        let same = small(|x, _| if (6..10).contains(&x) { [0, 0, 0, 255] } else { [0; 4] });
        assert!((same.contrast - 21.0).abs() < 0.01, "{same:?}");
        // The corners of so short a bar are thinner than the bar.
        assert!(same.detail > 0.999 && (2.0..=4.0).contains(&same.stroke), "{same:?}");
    }

    #[test]
    fn blurred_lost_and_made_up_detail_counts_less() {
        let blurred = small(|x, _| match x {
            6..10 => [0, 0, 0, 150],
            5 | 10 => [0, 0, 0, 60],
            _ => [0; 4],
        });
        let elsewhere = small(|x, _| if (0..4).contains(&x) { [0, 0, 0, 255] } else { [0; 4] });
        let gone = small(|_, _| [0; 4]);
        assert!((0.3..0.8).contains(&blurred.detail), "{blurred:?}");
        assert!(elsewhere.detail < 0.1, "{elsewhere:?}");
        assert_eq!(gone.detail, 0.0);
        assert!((gone.contrast - 1.0).abs() < 0.01, "{gone:?}");
    }

    #[test]
    fn a_mark_of_the_colour_of_its_tab_is_lost_on_that_and_readable_on_the_other() {
        use brisk_margin_core::icon::legibility::Verdict;
        let mark = full([44, 44, 44]);
        let shown = drawn(16, |x, _| if (6..10).contains(&x) { [44, 44, 44, 255] } else { [0; 4] });
        let on = TABS.map(|tab| legibility(&shown, &mark, &Figure::of(&mark), tab).verdict);
        assert_eq!(on, [Verdict::Readable, Verdict::Lost]);
    }
}

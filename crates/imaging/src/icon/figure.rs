//! Figures: the mark on a picture, told from its ground.

use crate::raster::Raster;
use crate::resize::Region;

/// Colours nearer than this, as a share of the way from black to white, are one.
const SAME: f32 = 0.06;
/// A ground of one colour fills so much of the border.
const EVEN_BORDER: f32 = 0.9;
/// Where so much of a picture lets through what is behind it, its mark is what does not.
const TRANSPARENT: f32 = 0.03;
/// Weight from which a pixel belongs to the figure.
const INSIDE: f32 = 0.5;
/// So much of a figure has thinner parts than its stroke.
const THIN: f64 = 0.1;

/// A picture's mark.
#[derive(Debug, Clone, PartialEq)]
pub struct Figure {
    side: usize,
    /// How much of each pixel belongs to it, 0 to 1.
    weights: Vec<f32>,
    ground: FigureGround,
}

/// What a mark stands on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FigureGround {
    /// Nothing: it shows what is behind it.
    Clear,
    /// One colour.
    Even([u8; 3]),
    /// Many, as in a photograph.
    Uneven,
}

impl Figure {
    /// The mark on `raster`, a square with alpha: what is not transparent; else what differs from the one colour along its
    /// border; else the lighter or darker part, whichever is less.
    pub fn of(raster: &Raster) -> Self {
        let side = raster.size().width as usize;
        let pixels = || raster.data().chunks_exact(4);
        let clear = pixels().filter(|pixel| pixel[3] < 128).count() as f32;
        if clear > TRANSPARENT * (side * side) as f32 {
            let weights = pixels().map(|pixel| f32::from(pixel[3]) / 255.0).collect();
            return Self { side, weights, ground: FigureGround::Clear };
        }
        match even_border(raster) {
            Some(colour) => {
                let distances: Vec<f32> = pixels().map(|pixel| distance(pixel, colour)).collect();
                let most = distances.iter().fold(SAME, |most, &one| most.max(one));
                // What is half as far from the ground as the farthest belongs to the figure as a whole.
                let weights = distances.iter().map(|one| (2.0 * one / most).min(1.0)).collect();
                Self { side, weights, ground: FigureGround::Even(colour) }
            }
            None => {
                let light: Vec<f32> = pixels().map(lightness).collect();
                let between = parted_at(&light);
                let above = light.iter().filter(|&&one| one > between).count();
                let is_light = above * 2 < light.len();
                let weight = |one: &f32| f32::from(u8::from((*one > between) == is_light));
                let weights = light.iter().map(weight).collect();
                Self { side, weights, ground: FigureGround::Uneven }
            }
        }
    }

    /// What it stands on.
    pub const fn ground(&self) -> FigureGround {
        self.ground
    }

    /// How much of each pixel belongs to it, row by row.
    pub fn weights(&self) -> &[f32] {
        &self.weights
    }

    /// How far it reaches from the centre, as a share of the side; a picture without a ground has no end.
    pub fn reach(&self) -> f64 {
        if self.ground == FigureGround::Uneven {
            return 0.0;
        }
        let centre = self.side as f64 / 2.0;
        let far = self.inside().map(|(x, y)| {
            let out = |at: usize| (at as f64 + 0.5 - centre).abs() + 0.5;
            out(x).hypot(out(y))
        });
        far.fold(0.0, f64::max) / self.side as f64
    }

    /// The smallest square around it, in pixels of the picture and inside of it; all of it where it is empty.
    pub fn square(&self) -> Region {
        let side = self.side as f64;
        let whole = Region { x: 0.0, y: 0.0, width: side, height: side };
        let ends = self.inside().fold(None, |ends: Option<[usize; 4]>, (x, y)| {
            let [left, top, right, bottom] = ends.unwrap_or([x, y, x, y]);
            Some([left.min(x), top.min(y), right.max(x), bottom.max(y)])
        });
        let Some([left, top, right, bottom]) = ends else { return whole };
        let length = ((right - left).max(bottom - top) + 1) as f64;
        let start = |low: usize, high: usize| {
            let centre = (low + high + 1) as f64 / 2.0;
            (centre - length / 2.0).clamp(0.0, side - length)
        };
        Region { x: start(left, right), y: start(top, bottom), width: length, height: length }
    }

    /// The width of its thin parts, in pixels of the picture: of each of its pixels the shortest way through it in four
    /// directions, of which a tenth is shorter.
    pub fn stroke(&self) -> f64 {
        let ways = [
            (1, 0, 1.0),
            (0, 1, 1.0),
            (1, 1, std::f64::consts::SQRT_2),
            (1, -1, std::f64::consts::SQRT_2),
        ];
        let mut shortest = vec![f64::INFINITY; self.weights.len()];
        for (dx, dy, step) in ways {
            self.shorten(&mut shortest, (dx, dy), step);
        }
        let mut inside: Vec<f64> = shortest.into_iter().filter(|one| one.is_finite()).collect();
        if inside.is_empty() {
            return 0.0;
        }
        let at = (inside.len() as f64 * THIN) as usize;
        *inside.select_nth_unstable_by(at, f64::total_cmp).1
    }

    /// Has `shortest` be no longer than the ways through the figure along `(dx, dy)`.
    fn shorten(&self, shortest: &mut [f64], (dx, dy): (i64, i64), step: f64) {
        let side = self.side as i64;
        let is_inside = |x: i64, y: i64| {
            (0..side).contains(&x)
                && (0..side).contains(&y)
                && self.weights[(y * side + x) as usize] > INSIDE
        };
        for y in 0..side {
            for x in 0..side {
                if !is_inside(x, y) || is_inside(x - dx, y - dy) {
                    continue;
                }
                let mut length = 0;
                while is_inside(x + dx * length, y + dy * length) {
                    length += 1;
                }
                for n in 0..length {
                    let at = ((y + dy * n) * side + x + dx * n) as usize;
                    shortest[at] = shortest[at].min(length as f64 * step);
                }
            }
        }
    }

    fn inside(&self) -> impl Iterator<Item = (usize, usize)> {
        let weights = self.weights.iter().enumerate();
        let inside = weights.filter(|(_, weight)| **weight > INSIDE);
        inside.map(|(n, _)| (n % self.side, n / self.side))
    }
}

/// The colour along the border of `raster`, where it is one.
fn even_border(raster: &Raster) -> Option<[u8; 3]> {
    let side = raster.size().width as usize;
    let at = |x: usize, y: usize| &raster.data()[(y * side + x) * 4..][..4];
    let border: Vec<&[u8]> =
        (0..side).flat_map(|n| [at(n, 0), at(n, side - 1), at(0, n), at(side - 1, n)]).collect();
    // Of the corners, that which most of the border is like.
    let corners = [at(0, 0), at(side - 1, 0), at(0, side - 1), at(side - 1, side - 1)];
    let alike = |colour: [u8; 3]| border.iter().filter(|one| distance(one, colour) < SAME).count();
    let colours = corners.map(|corner| [corner[0], corner[1], corner[2]]);
    let best = colours.into_iter().max_by_key(|&colour| alike(colour))?;
    (alike(best) as f32 >= EVEN_BORDER * border.len() as f32).then_some(best)
}

/// How far a pixel is from a colour: 0 to 1, the greatest difference of a channel.
fn distance(pixel: &[u8], colour: [u8; 3]) -> f32 {
    let apart = pixel.iter().zip(colour).map(|(a, b)| a.abs_diff(b)).max().unwrap_or(0);
    f32::from(apart) / 255.0
}

/// How light a pixel is to the eye, 0 to 1: luma (ITU-R BT.709) of its shades.
pub(super) fn lightness(pixel: &[u8]) -> f32 {
    let [r, g, b] = [0, 1, 2].map(|n| f32::from(pixel[n]));
    (0.2126 * r + 0.7152 * g + 0.0722 * b) / 255.0
}

/// Where values part into two groups that differ most (Otsu 1979).
fn parted_at(values: &[f32]) -> f32 {
    let mut counts = [0_u32; 256];
    for value in values {
        counts[(value * 255.0).clamp(0.0, 255.0) as usize] += 1;
    }
    let total = values.len() as f64;
    let weighed = |n: usize| n as f64 * f64::from(counts[n]);
    let sum: f64 = (0..256).map(weighed).sum();
    let (mut below, mut sum_below) = (0.0, 0.0);
    let (mut best, mut at) = (-1.0, 127);
    for (n, &count) in counts.iter().enumerate() {
        below += f64::from(count);
        sum_below += weighed(n);
        let above = total - below;
        if below == 0.0 || above == 0.0 {
            continue;
        }
        let apart = sum_below / below - (sum - sum_below) / above;
        let between = below * above * apart * apart;
        if between > best {
            (best, at) = (between, n);
        }
    }
    (at as f32 + 0.5) / 255.0
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

    const INK: [u8; 4] = [10, 20, 60, 255];

    #[test]
    fn a_mark_is_what_is_not_transparent_or_not_its_ground() {
        let is_bar = |x: u32| (20..26).contains(&x);
        let clear = drawn(64, |x, _| if is_bar(x) { INK } else { [0; 4] });
        let paper =
            drawn(
                64,
                |x, y| {
                    if is_bar(x) && (8..56).contains(&y) { INK } else { [250, 250, 240, 255] }
                },
            );
        assert_eq!(Figure::of(&clear).ground(), FigureGround::Clear);
        let figure = Figure::of(&paper);
        assert_eq!(figure.ground(), FigureGround::Even([250, 250, 240]));
        assert!((5.0..=6.0).contains(&figure.stroke()), "{}", figure.stroke());
        let around = figure.square();
        assert_eq!((around.y, around.width), (8.0, 48.0));
        assert!(figure.reach() > 24.0 / 64.0 && figure.reach() < 0.5);
    }

    #[test]
    fn a_photograph_has_no_end_and_two_parts() {
        let sky = drawn(64, |x, y| {
            let light = (40 + y * 3 + x % 7 * 4) as u8;
            [light, light, light.saturating_add(9), 255]
        });
        let figure = Figure::of(&sky);
        assert_eq!((figure.ground(), figure.reach()), (FigureGround::Uneven, 0.0));
        let share = figure.weights().iter().sum::<f32>() / (64.0 * 64.0);
        assert!((0.2..=0.6).contains(&share), "{share}");
    }
}

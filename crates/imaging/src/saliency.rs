//! Where a picture's subject may be: a suggestion for its focal point, from its pixels alone.

use crate::raster::Raster;
use crate::resize;
use crate::resize::Region;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;

/// The long side of the copy that is looked at.
const LOOKED_AT: f64 = 96.0;

/// The point around which `raster` differs most from its surround, in light and in colour.
///
/// Centre and surround are compared on three opponent channels (after Itti, Koch and Niebur, 1998,
/// with one pair of scales), the middle of the picture counts a little more than its edges, and the
/// result is the weighted middle of the strongest region. An even picture has its own middle.
pub fn suggest(raster: &Raster) -> FocalPoint {
    let map = Map::of(raster);
    let (width, height) = (map.width, map.height);
    let smooth = blurred(&map.values, width, height, (width.max(height) / 16).max(1));
    let Some((best, &most)) = smooth.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)) else {
        return FocalPoint::CENTRE;
    };
    let mean = smooth.iter().sum::<f64>() / smooth.len() as f64;
    // Without anything that stands out there is nothing to suggest.
    if most < 0.004 || most < mean * 1.25 {
        return FocalPoint::CENTRE;
    }
    let reach = (width.max(height) / 6).max(1);
    let (cx, cy) = (best % width, best / width);
    let mut sums = [0.0; 3];
    for y in cy.saturating_sub(reach)..(cy + reach + 1).min(height) {
        for x in cx.saturating_sub(reach)..(cx + reach + 1).min(width) {
            let weight = (smooth[y * width + x] - mean).max(0.0);
            sums[0] += weight * (x as f64 + 0.5);
            sums[1] += weight * (y as f64 + 0.5);
            sums[2] += weight;
        }
    }
    // To the hundredth: nothing finer is meant.
    let share = |sum: f64, side: usize| (100.0 * sum / sums[2] / side as f64).round() / 100.0;
    FocalPoint::new(share(sums[0], width), share(sums[1], height)).unwrap_or(FocalPoint::CENTRE)
}

struct Map {
    width: usize,
    height: usize,
    values: Vec<f64>,
}

impl Map {
    fn of(raster: &Raster) -> Self {
        let size = raster.size();
        let factor = (LOOKED_AT / f64::from(size.width.max(size.height))).min(1.0);
        let side = |length: u32| ((f64::from(length) * factor).round() as u32).max(1);
        let small = Size::new(side(size.width), side(size.height));
        let small = resize::resize(&raster.flattened([128; 3]), Region::whole(size), small);
        let (width, height) = (small.size().width as usize, small.size().height as usize);
        let (pixels, _) = small.data().as_chunks::<3>();
        let channel = |of: fn([f64; 3]) -> f64| -> Vec<f64> {
            pixels.iter().map(|pixel| of(pixel.map(|shade| f64::from(shade) / 255.0))).collect()
        };
        let channels = [
            channel(|[r, g, b]| 0.299 * r + 0.587 * g + 0.114 * b),
            channel(|[r, g, _]| (r - g) / 2.0),
            channel(|[r, g, b]| b / 2.0 - (r + g) / 4.0),
        ];
        let mut values = vec![0.0; width * height];
        for channel in channels {
            let centre = blurred(&channel, width, height, 1);
            let surround = blurred(&channel, width, height, (width.max(height) / 5).max(2));
            for (value, (a, b)) in values.iter_mut().zip(centre.iter().zip(surround)) {
                *value += (a - b).powi(2);
            }
        }
        for (n, value) in values.iter_mut().enumerate() {
            let far = |at: usize, side: usize| ((at as f64 + 0.5) / side as f64 - 0.5).powi(2);
            *value *= (-1.5 * (far(n % width, width) + far(n / width, height))).exp();
        }
        Self { width, height, values }
    }
}

/// The mean of a square of `reach` pixels around each.
fn blurred(values: &[f64], width: usize, height: usize, reach: usize) -> Vec<f64> {
    let along = |values: &[f64], length: usize, step: usize, starts: &dyn Fn(usize) -> usize| {
        let mut out = vec![0.0; values.len()];
        for line in 0..values.len() / length {
            let start = starts(line);
            let at = |n: usize| values[start + n * step];
            let mut sums = vec![0.0; length + 1];
            for n in 0..length {
                sums[n + 1] = sums[n] + at(n);
            }
            for n in 0..length {
                let (from, to) = (n.saturating_sub(reach), (n + reach + 1).min(length));
                out[start + n * step] = (sums[to] - sums[from]) / (to - from) as f64;
            }
        }
        out
    };
    let across = along(values, width, 1, &|line| line * width);
    along(&across, height, width, &|line| line)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;

    fn ground_with(disc: Option<(i32, i32)>) -> Raster {
        let data = (0..200 * 300).flat_map(|n| {
            let (x, y) = (n % 300, n / 300);
            match disc {
                Some((cx, cy)) if (x - cx).pow(2) + (y - cy).pow(2) < 20 * 20 => [240, 180, 60],
                _ => [30, 40, 70 + (y / 8) as u8],
            }
        });
        Raster::new(Size::new(300, 200), Channels::Rgb, data.collect())
    }

    #[test]
    fn the_moon_in_the_sky_is_found_and_an_even_sky_has_its_middle() {
        let moon = suggest(&ground_with(Some((230, 60))));
        assert!((moon.x() - 230.0 / 300.0).abs() < 0.05, "{moon:?}");
        assert!((moon.y() - 60.0 / 200.0).abs() < 0.06, "{moon:?}");
        assert_eq!(suggest(&ground_with(None)), FocalPoint::CENTRE);
    }

    #[test]
    fn a_single_pixel_has_a_middle_too() {
        let dot = Raster::new(Size::new(1, 1), Channels::Rgb, vec![9; 3]);
        assert_eq!(suggest(&dot), FocalPoint::CENTRE);
    }
}

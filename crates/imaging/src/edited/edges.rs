//! Edges: sharpening, darkening towards the edges, the border and the outline.

use super::light::{Light, Lit};
use super::shade::{decoded, encoded};
use crate::raster::Raster;
use brisk_margin_core::edits::values::Colour;

/// A Gaussian reaches about so many times its radius.
const REACH: f64 = 3.0;

/// Sharpening: what a blurred copy lacks, added.
#[derive(Debug, Clone, Copy)]
pub(super) struct Sharpening {
    share: f32,
    /// In pixels of what is rendered.
    radius: f64,
}

impl Sharpening {
    pub(super) const fn new(percent: f64, radius: f64) -> Self {
        Self { share: (percent / 100.0) as f32, radius }
    }

    /// Pixels that it looks at on each side.
    pub(super) fn reach(&self) -> u32 {
        (self.radius * REACH).ceil() as u32
    }

    /// Only luminance is sharpened, so that colours get no fringes.
    pub(super) fn apply(&self, light: &mut Light) {
        let (width, height) = (light.size.width as usize, light.size.height as usize);
        let luma: Vec<f32> = light.pixels.iter().map(luma).collect();
        let kernel = self.kernel();
        let across = blurred(&luma, width, height, &kernel, true);
        let soft = blurred(&across, width, height, &kernel, false);
        for ((pixel, sharp), soft) in light.pixels.iter_mut().zip(&luma).zip(soft) {
            let added = (sharp - soft) * self.share;
            let alpha = pixel[3];
            if added == 0.0 || alpha <= 0.0 {
                continue;
            }
            for value in &mut pixel[..3] {
                *value = decoded(encoded(*value / alpha) + added) * alpha;
            }
        }
    }

    fn kernel(&self) -> Vec<f32> {
        let reach = self.reach() as i32;
        let weight = |n: i32| (-f64::from(n * n) / (2.0 * self.radius * self.radius)).exp();
        let sum: f64 = (-reach..=reach).map(weight).sum();
        (-reach..=reach).map(|n| (weight(n) / sum) as f32).collect()
    }
}

/// Luma of a pixel as a fraction (ITU-R BT.709 on shades).
fn luma(&[r, g, b, alpha]: &Lit) -> f32 {
    if alpha <= 0.0 {
        return 0.0;
    }
    0.2126 * encoded(r / alpha) + 0.7152 * encoded(g / alpha) + 0.0722 * encoded(b / alpha)
}

fn blurred(values: &[f32], width: usize, height: usize, kernel: &[f32], across: bool) -> Vec<f32> {
    let reach = kernel.len() / 2;
    let (length, step) = if across { (width, 1) } else { (height, width) };
    let mut soft = Vec::with_capacity(values.len());
    for y in 0..height {
        for x in 0..width {
            let at = if across { x } else { y };
            let start = y * width + x - at * step;
            let sum = kernel.iter().enumerate().map(|(n, weight)| {
                // The edge goes on outside.
                let place = (at + n).saturating_sub(reach).min(length - 1);
                weight * values[start + place * step]
            });
            soft.push(sum.sum());
        }
    }
    soft
}

/// How much light stays at a point of the frame, each from 0 to 1: all of it within `reach` of the
/// way from the middle to a corner, and less beyond.
pub(super) fn darkened(x: f32, y: f32, share: f32, reach: f32) -> f32 {
    let (dx, dy) = (2.0 * x - 1.0, 2.0 * y - 1.0);
    let far = ((dx * dx + dy * dy) / 2.0).sqrt();
    let t = ((far - reach) / (1.0 - reach)).clamp(0.0, 1.0);
    1.0 - share * t * t * (3.0 - 2.0 * t)
}

/// A rectangle with rounded corners, as large as a raster.
pub(crate) struct Outline {
    width: f64,
    height: f64,
    radius: f64,
}

impl Outline {
    /// With corners of `radius` pixels, at most half of the shorter side.
    pub(crate) fn new(raster: &Raster, radius: f64) -> Self {
        let (width, height) = (f64::from(raster.size().width), f64::from(raster.size().height));
        Self { width, height, radius: radius.clamp(0.0, width.min(height) / 2.0) }
    }

    /// How far inside the outline the middle of a pixel lies.
    fn depth(&self, x: usize, y: usize) -> f64 {
        let (x, y) = (x as f64 + 0.5, y as f64 + 0.5);
        let (dx, dy) = (x.min(self.width - x), y.min(self.height - y));
        if dx >= self.radius || dy >= self.radius {
            return dx.min(dy);
        }
        self.radius - (self.radius - dx).hypot(self.radius - dy)
    }

    /// Draws a line of `width` pixels along its inner edge.
    pub(crate) fn line(&self, raster: &mut Raster, width: f64, colour: Colour) {
        self.each(raster, |depth, pixel| {
            let share = (width - depth + 0.5).clamp(0.0, 1.0);
            if share > 0.0 {
                let [r, g, b] = colour.0;
                over(pixel, [r, g, b], share as f32);
            }
        });
    }

    /// Makes what lies outside transparent.
    pub(crate) fn cut(&self, raster: &mut Raster) {
        self.each(raster, |depth, pixel| {
            let share = (depth + 0.5).clamp(0.0, 1.0);
            pixel[3] = (f64::from(pixel[3]) * share).round() as u8;
            if pixel[3] == 0 {
                pixel.fill(0);
            }
        });
    }

    fn each(&self, raster: &mut Raster, change: impl Fn(f64, &mut [u8])) {
        let stride = raster.stride();
        for (y, row) in raster.data_mut().chunks_exact_mut(stride).enumerate() {
            for (x, pixel) in row.chunks_exact_mut(4).enumerate() {
                change(self.depth(x, y), pixel);
            }
        }
    }
}

/// Lays a colour over a straight pixel, as far as `share` says (Porter and Duff, 1984).
pub(super) fn over(pixel: &mut [u8], colour: [u8; 3], share: f32) {
    let below = f32::from(pixel[3]) / 255.0 * (1.0 - share);
    let alpha = share + below;
    if alpha <= 0.0 {
        return;
    }
    for (value, colour) in pixel.iter_mut().zip(colour) {
        let mixed = (f32::from(colour) * share + f32::from(*value) * below) / alpha;
        *value = (mixed + 0.5) as u8;
    }
    pixel[3] = (alpha * 255.0 + 0.5) as u8;
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use brisk_margin_core::geometry::Size;

    #[test]
    fn sharpening_steepens_a_step_and_leaves_even_ground_alone() {
        let grey = |shade: f32| [decoded(shade), decoded(shade), decoded(shade), 1.0];
        let row = (0..20).map(|x| grey(if x < 10 { 0.3 } else { 0.6 }));
        let mut light = Light { size: Size::new(20, 1), pixels: row.collect() };
        Sharpening::new(100.0, 1.0).apply(&mut light);
        let shades: Vec<f32> = light.pixels.iter().map(|p| encoded(p[0])).collect();
        assert!(shades[9] < 0.25 && shades[10] > 0.65, "{shades:?}");
        assert!((shades[2] - 0.3).abs() < 1e-3 && (shades[17] - 0.6).abs() < 1e-3);
    }

    #[test]
    fn a_border_is_as_wide_as_asked_to_the_part_of_a_pixel() {
        let size = Size::new(10, 10);
        let mut raster = Raster::new(size, Channels::Rgba, [0, 0, 0, 255].repeat(100));
        Outline::new(&raster, 0.0).line(&mut raster, 2.5, Colour::WHITE);
        let row: Vec<u8> = raster.data()[5 * 40..6 * 40].chunks(4).map(|p| p[0]).collect();
        assert_eq!(row, [255, 255, 128, 0, 0, 0, 0, 128, 255, 255]);
    }

    #[test]
    fn rounded_corners_are_transparent_and_the_rest_is_not() {
        let size = Size::new(12, 12);
        let mut raster = Raster::new(size, Channels::Rgba, [9, 9, 9, 255].repeat(144));
        Outline::new(&raster, 4.0).cut(&mut raster);
        let alpha = |x: usize, y: usize| raster.data()[(y * 12 + x) * 4 + 3];
        assert_eq!((alpha(0, 0), alpha(6, 0), alpha(0, 6), alpha(6, 6)), (0, 255, 255, 255));
        assert!((1..255).contains(&alpha(1, 1)), "the edge is smooth");
    }

    #[test]
    fn the_middle_stays_light_and_corners_get_dark() {
        assert_eq!(darkened(0.5, 0.5, 0.6, 0.3), 1.0);
        assert!((darkened(0.0, 1.0, 0.6, 0.3) - 0.4).abs() < 1e-6);
    }
}

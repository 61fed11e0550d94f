//! Painting: a colour for every point, on all cores.

use rayon::prelude::*;

use crate::noise::{hash, mix};

/// Red, green and blue, from 0 to 1, as encoded for display.
pub type Colour = [f32; 3];

/// A picture of 8-bit pixels.
pub struct Painting {
    pub width: u32,
    pub height: u32,
    /// 3 for opaque pixels, 4 with alpha.
    pub channels: u8,
    pub data: Vec<u8>,
}

/// A point of a picture: `x` from 0 at the left to the aspect ratio, `y` from 0 at the top to 1,
/// `px` the size of one pixel in the same measure.
#[derive(Clone, Copy)]
pub struct Point {
    pub x: f32,
    pub y: f32,
    pub px: f32,
}

impl Point {
    pub fn distance(self, x: f32, y: f32) -> f32 {
        ((self.x - x).powi(2) + (self.y - y).powi(2)).sqrt()
    }

    /// Distance to the line from `a` to `b`, and how far along it that is, from 0 to 1.
    pub fn along(self, a: (f32, f32), b: (f32, f32)) -> (f32, f32) {
        let (dx, dy) = (b.0 - a.0, b.1 - a.1);
        let t = ((self.x - a.0) * dx + (self.y - a.1) * dy) / (dx * dx + dy * dy);
        let t = t.clamp(0.0, 1.0);
        (self.distance(a.0 + t * dx, a.1 + t * dy), t)
    }

    /// 1 inside an edge at `distance` 0, 0 outside, blended over one pixel.
    pub fn inside(self, distance: f32) -> f32 {
        (0.5 - distance / self.px).clamp(0.0, 1.0)
    }
}

/// Paints `width` × `height` pixels, each with sensor grain of the given strength.
pub fn photograph(
    (width, height): (u32, u32),
    grain: f32,
    colour: impl Fn(Point) -> Colour + Sync,
) -> Painting {
    paint(width, height, 3, |point, x, y| {
        let [r, g, b] = colour(point);
        // Darker parts are noisier, and colour channels differ, as on a sensor.
        let at = |channel: u32, value: f32| {
            let noise = hash(x as i32, y as i32, 90 + channel) - 0.5;
            value + noise * grain * (1.2 - value.clamp(0.0, 1.0))
        };
        [at(0, r), at(1, g), at(2, b), 1.0]
    })
}

/// Paints without grain, with straight alpha.
pub fn cutout((width, height): (u32, u32), colour: impl Fn(Point) -> [f32; 4] + Sync) -> Painting {
    paint(width, height, 4, |point, _, _| colour(point))
}

/// Paints without grain, opaque.
pub fn drawing((width, height): (u32, u32), colour: impl Fn(Point) -> Colour + Sync) -> Painting {
    paint(width, height, 3, |point, _, _| {
        let [r, g, b] = colour(point);
        [r, g, b, 1.0]
    })
}

fn paint(
    width: u32,
    height: u32,
    channels: u8,
    colour: impl Fn(Point, u32, u32) -> [f32; 4] + Sync,
) -> Painting {
    let px = 1.0 / height as f32;
    let count = usize::from(channels);
    let mut data = vec![0; width as usize * height as usize * count];
    data.par_chunks_exact_mut(width as usize * count).enumerate().for_each(|(y, row)| {
        for (x, pixel) in row.chunks_exact_mut(count).enumerate() {
            let point = Point { x: (x as f32 + 0.5) * px, y: (y as f32 + 0.5) * px, px };
            let colour = colour(point, x as u32, y as u32);
            for (byte, value) in pixel.iter_mut().zip(colour) {
                *byte = (value.clamp(0.0, 1.0) * 255.0).round() as u8;
            }
        }
    });
    Painting { width, height, channels, data }
}

/// From colour `a` at 0 to `b` at 1.
pub fn blend(a: Colour, b: Colour, t: f32) -> Colour {
    std::array::from_fn(|i| mix(a[i], b[i], t))
}

/// `colour` times `light`.
pub fn lit(colour: Colour, light: f32) -> Colour {
    colour.map(|value| value * light)
}

/// The sum of two lights.
pub fn add(a: Colour, b: Colour) -> Colour {
    std::array::from_fn(|i| a[i] + b[i])
}

//! Night skies: stars, the galaxy's band, a nebula, the moon.

use crate::noise::{hash, rough, step};
use crate::paint::{Colour, Point, add, blend, lit};

/// Stars as light to be added: a few bright ones, many faint.
pub fn stars(point: Point, amount: f32) -> Colour {
    let mut light = [0.0; 3];
    for (layer, (cells, bright)) in [(26.0, 1.3), (60.0, 0.9), (140.0, 0.6)].into_iter().enumerate()
    {
        let seed = 40 + layer as u32;
        let (gx, gy) = ((point.x * cells).floor(), (point.y * cells).floor());
        let (cx, cy) = (gx as i32, gy as i32);
        if hash(cx, cy, seed) > amount {
            continue;
        }
        // Kept off the cell's edge, so that no star is cut.
        let place = |n| 0.25 + 0.5 * hash(cx, cy, seed + n);
        let distance = point.distance((gx + place(10)) / cells, (gy + place(20)) / cells);
        let magnitude = hash(cx, cy, seed + 30).powi(4);
        let radius = (0.0006 + 0.0012 * magnitude).max(point.px * 0.6);
        let glow = (-(distance / radius).powi(2)).exp() * bright * (0.25 + magnitude);
        let warmth = hash(cx, cy, seed + 50);
        light = add(light, lit(blend([0.75, 0.85, 1.0], [1.0, 0.86, 0.7], warmth), glow));
    }
    light
}

/// The galaxy's band over a dark sky, with a faint glow low down.
pub fn milky_way(point: Point) -> Colour {
    let wander = rough(point.x * 1.2, 3.0, 3, 7) - 0.5;
    let across = (point.y - 0.62 + point.x * 0.22 + wander * 0.18).abs();
    let dust = rough(point.x * 3.0, point.y * 5.0, 6, 11);
    let band = (-(across / 0.17).powi(2)).exp() * step(0.3, 0.75, dust);
    let night = blend([0.015, 0.02, 0.05], [0.10, 0.085, 0.10], step(0.35, 1.0, point.y));
    let cloud = lit(blend([0.55, 0.50, 0.62], [0.85, 0.66, 0.52], dust), band * 0.75);
    add(add(night, cloud), stars(point, 0.35 + 0.45 * band))
}

/// A nebula: two gases, folded into each other.
pub fn nebula(point: Point) -> Colour {
    let warp = rough(point.x * 2.0, point.y * 2.0, 4, 3);
    let red = rough(point.x * 3.0 + warp * 2.2, point.y * 3.0, 7, 5);
    let teal = rough(point.x * 3.4, point.y * 3.4 + warp * 2.6, 7, 9);
    let middle = (-(point.distance(0.8, 0.48) / 0.52).powi(2)).exp();
    let gas = add(
        lit([0.95, 0.32, 0.30], step(0.42, 0.85, red) * middle * 1.5),
        lit([0.16, 0.62, 0.66], step(0.45, 0.9, teal) * middle * 1.3),
    );
    add(add([0.02, 0.016, 0.03], gas), stars(point, 0.5))
}

/// The moon, a little past half.
pub fn moon(point: Point) -> Colour {
    let (x, y) = ((point.x - 0.5) / 0.42, (point.y - 0.5) / 0.42);
    let r2 = x * x + y * y;
    let edge = point.inside((r2.sqrt() - 1.0) * 0.42);
    if edge <= 0.0 {
        return add([0.012, 0.013, 0.018], lit(stars(point, 0.08), 0.5));
    }
    let z = (1.0 - r2.min(1.0)).sqrt();
    let seas = step(0.46, 0.62, rough(x * 1.7 + 4.0, y * 1.7, 5, 21));
    let ground = 0.78 - 0.34 * seas + 0.16 * (rough(x * 22.0, y * 22.0, 5, 25) - 0.5);
    let relief = [(5.0, 0.55), (11.0, 0.5), (24.0, 0.4), (52.0, 0.3)]
        .into_iter()
        .enumerate()
        .map(|(n, (cells, depth))| crater(x, y, cells, 60 + n as u32) * depth)
        .sum::<f32>();
    // The sun stands at the right and a little in front.
    let sun = (x * 0.86 + z * 0.36 - y * 0.1).max(0.0).powf(0.7);
    let tone = (ground * sun * 1.15 + relief * sun.sqrt() * 0.55).clamp(0.0, 1.0) * edge;
    [tone, tone * 0.985, tone * 0.95]
}

/// The slope of a crater field towards the sun, from −1 to 1.
fn crater(x: f32, y: f32, cells: f32, seed: u32) -> f32 {
    let (gx, gy) = ((x * cells).floor(), (y * cells).floor());
    let (cx, cy) = (gx as i32, gy as i32);
    if hash(cx, cy, seed) > 0.55 {
        return 0.0;
    }
    let place = |n| 0.4 + 0.2 * hash(cx, cy, seed + n);
    let radius = 0.12 + 0.26 * hash(cx, cy, seed + 3);
    let (dx, dy) = (x * cells - gx - place(1), y * cells - gy - place(2));
    let d = (dx * dx + dy * dy).sqrt() / radius;
    if d > 1.4 || d == 0.0 {
        return 0.0;
    }
    let towards = (dx * 0.95 - dy * 0.3) / (d * radius);
    // The wall faces inwards up to the rim, outwards beyond it.
    let wall = if d < 1.0 { -(d * d) } else { (1.4 - d) / 0.4 };
    towards * wall
}

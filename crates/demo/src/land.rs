//! The park by day and dusk: the dome, hills, heather, a path.

use crate::noise::{rough, step, value};
use crate::paint::{Colour, Point, add, blend, lit};
use crate::sky::stars;

/// The dome on its hill at dusk, its slit open.
pub fn dome_at_dusk(point: Point) -> Colour {
    let front = 0.70 + 0.05 * (rough(point.x * 1.1, 0.0, 4, 33) - 0.5);
    in_front(point, front - point.y, || far_dome(point), || heather(point, front, 0.34))
}

fn far_dome(point: Point) -> Colour {
    let mut colour = dusk(point, 0.66);
    for (n, (base, height, tone)) in
        [(0.60, 0.10, [0.26, 0.24, 0.36]), (0.66, 0.09, [0.16, 0.15, 0.24])].into_iter().enumerate()
    {
        colour = hill(point, colour, base, height, tone, 30 + n as u32);
    }
    dome(point, colour, (0.98, 0.585), 0.135)
}

/// The path through the heather up to the dome, upright.
pub fn heather_path(point: Point) -> Colour {
    let front = 0.41 + 0.02 * (rough(point.x * 3.0, 0.0, 4, 53) - 0.5);
    let far = || {
        let hills = hill(point, dusk(point, 0.42), 0.37, 0.06, [0.30, 0.27, 0.38], 50);
        dome(point, hills, (0.40, 0.375), 0.035)
    };
    in_front(point, front - point.y, far, || path(point, front))
}

fn path(point: Point, front: f32) -> Colour {
    let depth = ((point.y - front) / (1.0 - front)).clamp(0.0, 1.0);
    let bend = 0.40 + 0.12 * (depth * 3.4).sin() * (1.0 - depth) - 0.06 * depth;
    let half = 0.008 + 0.11 * depth * depth;
    let rough_edge = (rough(point.x * 60.0, point.y * 60.0, 2, 55) - 0.5) * 0.05 * depth;
    let path = step(half, half * 0.72, (point.x - bend).abs() + rough_edge);
    let gravel = 0.45 + 0.35 * rough(point.x * 240.0, point.y * 150.0, 2, 57);
    blend(heather(point, front, 0.62), lit([0.72, 0.62, 0.54], gravel + 0.2), path)
}

/// What stands before its edge at `distance` 0, and what is behind it; each drawn only where it
/// shows, since most of the time goes into their noise.
fn in_front(
    point: Point,
    distance: f32,
    behind: impl Fn() -> Colour,
    before: impl Fn() -> Colour,
) -> Colour {
    match point.inside(distance) {
        0.0 => behind(),
        1.0 => before(),
        cover => blend(behind(), before(), cover),
    }
}

/// A small group with red lamps on a star walk, seen from far.
pub fn star_walk(point: Point) -> Colour {
    let night = add(blend([0.02, 0.03, 0.08], [0.12, 0.11, 0.18], point.y), stars(point, 0.5));
    let mut colour = hill(point, night, 0.74, 0.10, [0.02, 0.02, 0.035], 70);
    for n in 0..7 {
        let x = 0.45 + n as f32 * 0.085 + 0.03 * value(n as f32, 2.0, 71);
        let y = 0.70 + 0.02 * value(n as f32, 5.0, 72);
        let body = point.along((x, y), (x, y + 0.075)).0 - 0.013;
        colour = blend(colour, [0.015, 0.013, 0.02], point.inside(body));
        let glow = (-(point.distance(x + 0.014, y + 0.03) / 0.022).powi(2)).exp();
        colour = add(colour, lit([0.9, 0.16, 0.08], glow));
    }
    colour
}

fn dusk(point: Point, horizon: f32) -> Colour {
    let height = (point.y / horizon).clamp(0.0, 1.0);
    let high = blend([0.05, 0.08, 0.20], [0.28, 0.32, 0.50], step(0.0, 0.7, height));
    let sky = blend(high, [0.95, 0.60, 0.36], step(0.55, 1.05, height));
    let cloud = rough(point.x * 2.2, point.y * 9.0, 5, 17);
    let veil = step(0.52, 0.78, cloud) * step(0.25, 0.8, height) * 0.55;
    let sky = blend(sky, [0.86, 0.50, 0.44], veil);
    add(sky, lit(stars(point, 0.22), (1.0 - height * 1.5).max(0.0)))
}

fn hill(point: Point, behind: Colour, base: f32, height: f32, tone: Colour, seed: u32) -> Colour {
    let ridge = base - height * (rough(point.x * 1.7, 0.5, 5, seed) - 0.5);
    let ground = || lit(tone, 0.75 + 0.5 * rough(point.x * 18.0, point.y * 30.0, 4, seed + 1));
    in_front(point, ridge - point.y, || behind, ground)
}

/// A hemisphere on a drum, standing at `foot`, lit from inside through its slit.
fn dome(point: Point, behind: Colour, foot: (f32, f32), radius: f32) -> Colour {
    let (x, y) = ((point.x - foot.0) / radius, (point.y - foot.1) / radius);
    let shell = if y < 0.0 { (x * x + y * y).sqrt() - 1.0 } else { x.abs() - 0.97 };
    let body = shell.max(y - 0.75);
    let cover = point.inside(body * radius);
    if cover <= 0.0 {
        return behind;
    }
    // Round towards the glow at the left; ribs run down the shell.
    let round = 0.30 + 0.55 * (0.5 - 0.5 * x).powi(2) + 0.18 * (-y).max(0.0);
    let rib = 1.0 - 0.10 * step(0.92, 1.0, ((x.asin() * 9.0).fract().abs() * 2.0 - 1.0).abs());
    let grain = 0.95 + 0.1 * rough(point.x * 90.0, point.y * 90.0, 3, 27);
    let mut colour = lit([0.80, 0.74, 0.76], round * rib * grain);
    if (0.0..0.05).contains(&y) {
        colour = lit(colour, 0.55);
    }
    let slit = (x + 0.12).abs() - 0.10;
    if y < 0.02 {
        let inside = point.inside(slit * radius);
        let warm = lit([1.0, 0.72, 0.38], 0.75 + 0.5 * (-y).max(0.0));
        colour = blend(colour, warm, inside);
    }
    let window = (x - 0.55).abs().max((y - 0.38).abs() * 0.8) - 0.09;
    colour = blend(colour, [1.0, 0.80, 0.48], point.inside(window * radius));
    blend(behind, colour, cover)
}

/// Heather in flower, coarser the nearer it is.
fn heather(point: Point, front: f32, light: f32) -> Colour {
    let depth = ((point.y - front) / (1.0 - front)).max(0.004);
    let scale = 26.0 / (0.12 + depth);
    let tufts = rough(point.x * scale, (point.y - front) * scale * 2.4, 4, 61);
    let fine = rough(point.x * scale * 5.0, point.y * scale * 7.0, 2, 63);
    let green = [0.24, 0.27, 0.17];
    let bloom = [0.66, 0.34, 0.58];
    let colour = blend(green, bloom, step(0.42, 0.66, tufts));
    lit(colour, (0.35 + 0.9 * fine) * (light + 0.75 * depth) * (0.6 + 0.6 * tufts))
}

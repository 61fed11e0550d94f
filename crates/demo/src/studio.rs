//! Things and people of the park: a telescope for hire, a guide.

use std::sync::LazyLock;

use crate::noise::{hash, rough, step};
use crate::paint::{Colour, Point, add, blend, lit};

/// A telescope on its tripod before a plain ground.
pub fn telescope(point: Point) -> Colour {
    let wall = lit([0.80, 0.81, 0.82], 1.08 - 0.45 * point.distance(0.55, 0.35));
    let floor = step(0.80, 0.84, point.y);
    let mut colour = blend(wall, [0.58, 0.58, 0.59], floor * 0.8);
    let shadow = ((point.x - 0.70) / 0.42).powi(2) + ((point.y - 0.93) / 0.05).powi(2);
    colour = lit(colour, 1.0 - 0.5 * (-shadow).exp());
    let head = (0.66, 0.50);
    for foot in [(0.40, 0.93), (0.70, 0.96), (0.93, 0.92)] {
        let (distance, t) = point.along(head, foot);
        let side = ((point.x - head.0) - (foot.0 - head.0) * t) / 0.013;
        let wood = lit([0.52, 0.36, 0.22], 0.75 + 0.4 * rough(side * 2.0, t * 30.0, 3, 80));
        colour = blend(colour, lit(wood, 1.0 - 0.35 * side.abs()), point.inside(distance - 0.013));
    }
    for (a, b, radius, tone) in [
        ((0.36, 0.62), (1.00, 0.24), 0.062, [0.13, 0.36, 0.38]),
        ((0.93, 0.28), (1.04, 0.215), 0.074, [0.10, 0.10, 0.11]),
        ((0.30, 0.655), (0.37, 0.614), 0.030, [0.10, 0.10, 0.11]),
        ((0.45, 0.50), (0.62, 0.40), 0.016, [0.12, 0.12, 0.13]),
    ] {
        colour = tube(point, colour, a, b, radius, tone);
    }
    let knob = point.distance(head.0, head.1) - 0.035;
    blend(colour, [0.20, 0.20, 0.21], point.inside(knob))
}

/// A round tube from `a` to `b` with a highlight along its upper side.
fn tube(
    point: Point,
    behind: Colour,
    a: (f32, f32),
    b: (f32, f32),
    radius: f32,
    tone: Colour,
) -> Colour {
    let (dx, dy) = (b.0 - a.0, b.1 - a.1);
    let length = (dx * dx + dy * dy).sqrt();
    let (ux, uy) = (dx / length, dy / length);
    let along = (point.x - a.0) * ux + (point.y - a.1) * uy;
    let across = (point.x - a.0) * -uy + (point.y - a.1) * ux;
    let outside = (across.abs() - radius).max(-along).max(along - length);
    let round = (1.0 - (across / radius).powi(2)).max(0.0).sqrt();
    let shine = (-((across / radius + 0.45) / 0.16).powi(2)).exp();
    let paint = add(lit(tone, 0.35 + 0.85 * round), [0.45 * shine; 3]);
    blend(behind, paint, point.inside(outside))
}

/// A light far behind, blurred to a disc.
struct Light {
    x: f32,
    y: f32,
    radius: f32,
    strength: f32,
    tone: Colour,
}

static LIGHTS: LazyLock<[Light; 46]> = LazyLock::new(|| {
    std::array::from_fn(|n| {
        let at = |seed| hash(n as i32, 0, seed);
        Light {
            x: at(92) * 0.8,
            y: 0.35 + 0.5 * at(93),
            radius: 0.012 + 0.03 * at(91),
            strength: 0.25 + 0.4 * at(94),
            tone: blend([1.0, 0.75, 0.45], [0.6, 0.75, 1.0], at(95)),
        }
    })
});

/// A guide before the lights of the visitors' terrace, as a silhouette.
pub fn guide(point: Point) -> Colour {
    let mut colour = blend([0.10, 0.14, 0.26], [0.80, 0.50, 0.36], step(0.1, 0.95, point.y));
    for light in LIGHTS.iter() {
        let distance = point.distance(light.x, light.y);
        let disc = step(light.radius, light.radius * 0.86, distance) * light.strength;
        colour = add(colour, lit(light.tone, disc * 0.5));
    }
    let head = (((point.x - 0.40) / 0.105).powi(2) + ((point.y - 0.33) / 0.135).powi(2)).sqrt();
    let brim = point.along((0.25, 0.265), (0.55, 0.25)).0 - 0.014;
    let crown = point.along((0.36, 0.215), (0.44, 0.213)).0 - 0.055;
    let neck = point.along((0.40, 0.42), (0.40, 0.58)).0 - 0.058;
    let shoulders = point.along((0.22, 0.66), (0.58, 0.66)).0 - 0.075;
    let coat = (point.x - 0.40).abs().max(0.64 - point.y) - 0.255 - 0.10 * (point.y - 0.7);
    let body = ((head - 1.0) * 0.11).min(brim).min(crown).min(neck).min(shoulders).min(coat);
    let cloth = 0.05 + 0.05 * rough(point.x * 120.0, point.y * 120.0, 3, 97);
    let rim = (-((body + 0.006) / 0.008).powi(2)).exp() * step(0.36, 0.5, point.x);
    let figure = add([cloth, cloth, cloth * 1.2], lit([0.9, 0.6, 0.4], rim * 0.7));
    blend(colour, figure, point.inside(body))
}

//! Flat graphics: the park's mark and its plan.

use crate::paint::{Colour, Point, blend};

/// The park's mark, transparent around it: a crescent over two hills.
pub fn mark(point: Point) -> [f32; 4] {
    let ink = [0.07, 0.29, 0.31];
    let crescent = (point.distance(0.62, 0.36) - 0.26).max(0.24 - point.distance(0.74, 0.30));
    let left = point.distance(0.42, 1.32) - 0.62;
    let right = point.distance(0.98, 1.42) - 0.66;
    // The right hill stands in front, a gap of clear ground around it.
    let hills = right.min(left.max(0.03 - right)).max(point.y - 0.94);
    let [r, g, b] = ink;
    [r, g, b, point.inside(crescent.min(hills))]
}

/// The plan of the park: water, paths, places.
pub fn plan(point: Point) -> Colour {
    let mut colour = [0.91, 0.93, 0.87];
    let cell = |v: f32| ((v * 10.0).fract() - 0.5).abs() > 0.5 - 10.0 * point.px;
    if cell(point.x) || cell(point.y) {
        colour = [0.84, 0.87, 0.80];
    }
    let tarn = ((point.x - 0.42) / 0.28).powi(2) + ((point.y - 0.64) / 0.17).powi(2);
    let bay = ((point.x - 0.60) / 0.16).powi(2) + ((point.y - 0.70) / 0.13).powi(2);
    colour = blend(colour, [0.55, 0.74, 0.80], point.inside((tarn.min(bay).sqrt() - 1.0) * 0.17));
    let paths = [
        [(0.10, 0.95), (0.30, 0.36)],
        [(0.30, 0.36), (0.82, 0.26)],
        [(0.82, 0.26), (1.05, 0.52)],
        [(1.05, 0.52), (1.45, 0.80)],
        [(0.82, 0.26), (1.30, 0.14)],
    ];
    for [a, b] in paths {
        let distance = point.along(a, b).0;
        colour = blend(colour, [1.0; 3], point.inside(distance - 0.014));
        colour = blend(colour, [0.55, 0.45, 0.35], point.inside((distance - 0.014).abs() - 0.0025));
    }
    for ((x, y), tone) in [
        ((0.30, 0.36), [0.07, 0.29, 0.31]),
        ((0.82, 0.26), [0.75, 0.32, 0.20]),
        ((1.05, 0.52), [0.42, 0.30, 0.55]),
        ((1.30, 0.14), [0.07, 0.29, 0.31]),
        ((1.45, 0.80), [0.75, 0.32, 0.20]),
    ] {
        let distance = point.distance(x, y);
        colour = blend(colour, [1.0; 3], point.inside(distance - 0.042));
        colour = blend(colour, tone, point.inside(distance - 0.034));
    }
    colour
}

//! Seeded noise: what makes drawn pictures as rough as photographs.

/// A number in 0..1 for a point of an integer grid.
pub fn hash(x: i32, y: i32, seed: u32) -> f32 {
    // Two rounds of a multiply-xorshift mix; any odd constants with spread bits will do.
    let mut h = (x as u32).wrapping_mul(0x9E37_79B1)
        ^ (y as u32).wrapping_mul(0x85EB_CA77)
        ^ seed.wrapping_mul(0xC2B2_AE3D);
    h = (h ^ (h >> 15)).wrapping_mul(0x2C1B_3C6D);
    h = (h ^ (h >> 12)).wrapping_mul(0x297A_2D39);
    (h ^ (h >> 15)) as f32 / u32::MAX as f32
}

/// Smooth noise in 0..1 with features of about one unit.
pub fn value(x: f32, y: f32, seed: u32) -> f32 {
    let (ix, iy) = (x.floor(), y.floor());
    let (fx, fy) = (smooth(x - ix), smooth(y - iy));
    let (ix, iy) = (ix as i32, iy as i32);
    let top = mix(hash(ix, iy, seed), hash(ix + 1, iy, seed), fx);
    let bottom = mix(hash(ix, iy + 1, seed), hash(ix + 1, iy + 1, seed), fx);
    mix(top, bottom, fy)
}

/// Noise in 0..1 with `octaves` of detail, each half as strong and twice as fine.
pub fn rough(x: f32, y: f32, octaves: u32, seed: u32) -> f32 {
    let (mut sum, mut weight, mut total, mut scale) = (0.0, 0.5, 0.0, 1.0);
    for octave in 0..octaves {
        sum += weight * value(x * scale, y * scale, seed.wrapping_add(octave));
        total += weight;
        weight *= 0.5;
        scale *= 2.03;
    }
    sum / total
}

/// From `a` at 0 to `b` at 1.
pub fn mix(a: f32, b: f32, t: f32) -> f32 {
    a + (b - a) * t
}

/// 0 up to `from`, 1 from `to` on, smooth between.
pub fn step(from: f32, to: f32, x: f32) -> f32 {
    smooth(((x - from) / (to - from)).clamp(0.0, 1.0))
}

fn smooth(t: f32) -> f32 {
    t * t * (3.0 - 2.0 * t)
}

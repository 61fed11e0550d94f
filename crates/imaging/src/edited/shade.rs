//! Tone and colour: edits that look at one pixel at a time.
//!
//! Neighbouring edits of one kind become one step, so that a long list costs little more than a
//! short one, and nothing is rounded or clipped between them.

use std::sync::Arc;

use super::light::Lit;
use crate::resize;
use brisk_margin_core::edits::values::Colour;
use brisk_margin_core::edits::{Edit, EditList, Stage};

/// The tone and colour edits of a list, ready to be applied.
pub(super) struct Shading(Vec<Op>);

enum Op {
    /// Each channel by itself.
    Curve(Arc<Curve>),
    /// Channels mixed, in linear light.
    Matrix([[f32; 3]; 3]),
    /// Mixed with a colour.
    Wash(Wash),
}

/// A function of light, from 0 to four times white.
struct Curve(Vec<f32>);

struct Wash {
    from: [f32; 3],
    to: [f32; 3],
    /// Where the run leads, on a frame from 0 to 1 each way: how far a point is along it.
    along: [f32; 3],
    share: f32,
}

/// Luminance of linear sRGB (IEC 61966-2-1, from ITU-R BT.709).
const LUMINANCE: [f64; 3] = [0.2126, 0.7152, 0.0722];

/// The tone curves of a list of edits, computed once for all views of a picture.
pub struct ToneCurves(Vec<Arc<Curve>>);

impl ToneCurves {
    /// Those of `edits`: neighbours among exposure, contrast and points share one.
    pub fn of(edits: &EditList) -> Self {
        let edits: Vec<&Edit> = edits.edits().filter(|edit| edit.stage() == Stage::Shade).collect();
        let runs = edits.chunk_by(|a, b| is_tone(a) == is_tone(b));
        let tones = runs.filter(|run| is_tone(run[0]));
        Self(tones.map(|run| Arc::new(Curve::of(run))).collect())
    }
}

const fn is_tone(edit: &Edit) -> bool {
    matches!(edit, Edit::Exposure { .. } | Edit::Contrast { .. } | Edit::Points { .. })
}

impl Shading {
    /// The edits of `edits`, which have the curves `tones`, for a frame of shape `aspect`.
    pub(super) fn of(edits: &EditList, tones: &ToneCurves, aspect: f64) -> Self {
        let mut ops = Vec::new();
        let mut tones = tones.0.iter().map(Arc::clone);
        let mut in_tones = false;
        for edit in edits.edits().filter(|edit| edit.stage() == Stage::Shade) {
            if is_tone(edit) {
                if !in_tones {
                    ops.extend(tones.next().map(Op::Curve));
                }
                in_tones = true;
                continue;
            }
            in_tones = false;
            let op = match *edit {
                Edit::Saturation { percent } => Op::Matrix(saturated(1.0 + percent / 100.0)),
                Edit::Greyscale { percent } => Op::Matrix(saturated(1.0 - percent / 100.0)),
                Edit::Temperature { mireds } => Op::Matrix(tempered(mireds)),
                Edit::Wash { from, to, degrees, percent } => {
                    Op::Wash(Wash::new(from, to.unwrap_or(from), degrees, percent, aspect))
                }
                _ => continue,
            };
            match (ops.last_mut(), op) {
                (Some(Op::Matrix(before)), Op::Matrix(next)) => *before = product(next, *before),
                (_, op) => ops.push(op),
            }
        }
        Self(ops)
    }

    pub(super) fn is_nothing(&self) -> bool {
        self.0.is_empty()
    }

    /// Applies them to a pixel at `x`, `y` of its frame, each from 0 to 1.
    pub(super) fn apply(&self, pixel: Lit, x: f32, y: f32) -> Lit {
        let [r, g, b, alpha] = pixel;
        if alpha <= 0.0 {
            return pixel;
        }
        let mut rgb = [r / alpha, g / alpha, b / alpha];
        for op in &self.0 {
            rgb = match op {
                Op::Curve(curve) => rgb.map(|light| curve.at(light)),
                Op::Matrix(matrix) => {
                    matrix.map(|row| (row[0] * rgb[0] + row[1] * rgb[1] + row[2] * rgb[2]).max(0.0))
                }
                Op::Wash(wash) => wash.over(rgb, x, y),
            };
        }
        [rgb[0] * alpha, rgb[1] * alpha, rgb[2] * alpha, alpha]
    }
}

impl Curve {
    /// Nodes stand closer where shadows are.
    const NODES: usize = 8_192;
    const BRIGHTEST: f32 = 4.0;

    fn of(edits: &[&Edit]) -> Self {
        let node = |n: usize| {
            let root = n as f64 / Self::NODES as f64;
            let light = root * root * f64::from(Self::BRIGHTEST);
            edits.iter().fold(light, |light, edit| toned(edit, light)) as f32
        };
        Self((0..=Self::NODES).map(node).collect())
    }

    fn at(&self, light: f32) -> f32 {
        let place =
            (light.clamp(0.0, Self::BRIGHTEST) / Self::BRIGHTEST).sqrt() * Self::NODES as f32;
        let node = (place as usize).min(Self::NODES - 1);
        let share = place - node as f32;
        self.0[node] + (self.0[node + 1] - self.0[node]) * share
    }
}

/// What one edit makes of light.
fn toned(edit: &Edit, light: f64) -> f64 {
    // Lighter than white goes on as the function does there.
    let shade = |of: &dyn Fn(f64) -> f64| resize::decode(of(resize::encode(light))).max(0.0);
    match *edit {
        Edit::Exposure { stops } => light * stops.exp2(),
        Edit::Contrast { percent } => {
            // A straight line through middle grey, upright at 100 and level at −100.
            let slope = ((percent / 100.0 + 1.0) * std::f64::consts::FRAC_PI_4).tan();
            shade(&|shade| 0.5 + (shade - 0.5) * slope)
        }
        Edit::Points { black, white } => {
            shade(&|shade| (shade - black / 100.0) / ((white - black) / 100.0))
        }
        _ => light,
    }
}

/// Colours moved away from their own grey by `factor`.
fn saturated(factor: f64) -> [[f32; 3]; 3] {
    std::array::from_fn(|row| {
        std::array::from_fn(|column| {
            let own = if row == column { factor } else { 0.0 };
            (LUMINANCE[column] * (1.0 - factor) + own) as f32
        })
    })
}

/// White moved along daylight by `mireds`, adapted after Bradford (ICC.1, annex E).
fn tempered(mireds: f64) -> [[f32; 3]; 3] {
    const TO_XYZ: [[f64; 3]; 3] = [
        [0.412_456_4, 0.357_576_1, 0.180_437_5],
        [0.212_672_9, 0.715_152_2, 0.072_175_0],
        [0.019_333_9, 0.119_192_0, 0.950_304_1],
    ];
    const TO_CONES: [[f64; 3]; 3] =
        [[0.895_1, 0.266_4, -0.161_4], [-0.750_2, 1.713_5, 0.036_7], [0.038_9, -0.068_5, 1.029_6]];
    const D65: f64 = 6_504.0;
    let cones = times(TO_CONES, TO_XYZ);
    let white = |kelvin: f64| {
        let xyz = daylight(kelvin);
        TO_CONES.map(|row| row[0] * xyz[0] + row[1] * xyz[1] + row[2] * xyz[2])
    };
    let (from, to) = (white(D65), white(1e6 / (1e6 / D65 + mireds)));
    let scaled: [[f64; 3]; 3] =
        std::array::from_fn(|row| cones[row].map(|value| value * to[row] / from[row]));
    times(inverse(cones), scaled).map(|row| row.map(|value| value as f32))
}

/// The colour of daylight at a temperature in kelvin, 4,000 to 25,000, as XYZ with Y of 1
/// (CIE 015, 3.1).
fn daylight(kelvin: f64) -> [f64; 3] {
    let t = 1e3 / kelvin;
    let x = if kelvin <= 7_000.0 {
        -4.607_0 * t.powi(3) + 2.967_8 * t.powi(2) + 0.099_11 * t + 0.244_063
    } else {
        -2.006_4 * t.powi(3) + 1.901_8 * t.powi(2) + 0.247_48 * t + 0.237_040
    };
    let y = -3.0 * x * x + 2.87 * x - 0.275;
    [x / y, 1.0, (1.0 - x - y) / y]
}

fn times(a: [[f64; 3]; 3], b: [[f64; 3]; 3]) -> [[f64; 3]; 3] {
    a.map(|row| std::array::from_fn(|n| (0..3).map(|k| row[k] * b[k][n]).sum()))
}

fn product(a: [[f32; 3]; 3], b: [[f32; 3]; 3]) -> [[f32; 3]; 3] {
    a.map(|row| std::array::from_fn(|n| (0..3).map(|k| row[k] * b[k][n]).sum()))
}

fn inverse(m: [[f64; 3]; 3]) -> [[f64; 3]; 3] {
    let minor = |row: usize, column: usize| {
        let (a, b) = ((row + 1) % 3, (row + 2) % 3);
        let (c, d) = ((column + 1) % 3, (column + 2) % 3);
        m[a][c] * m[b][d] - m[a][d] * m[b][c]
    };
    let determinant: f64 = (0..3).map(|column| m[0][column] * minor(0, column)).sum();
    std::array::from_fn(|row| std::array::from_fn(|column| minor(column, row) / determinant))
}

impl Wash {
    fn new(from: Colour, to: Colour, degrees: f64, percent: f64, aspect: f64) -> Self {
        // The run of a CSS linear gradient: its ends stand where its corners do.
        let (sin, cos) = degrees.to_radians().sin_cos();
        let (w, h) = (aspect, 1.0);
        let length = (w * sin).abs() + (h * cos).abs();
        let (across, down) = (w * sin / length, -h * cos / length);
        let start = 0.5 - (across + down) / 2.0;
        Self {
            from: from.0.map(|shade| f32::from(shade) / 255.0),
            to: to.0.map(|shade| f32::from(shade) / 255.0),
            along: [across as f32, down as f32, start as f32],
            share: (percent / 100.0) as f32,
        }
    }

    /// Mixed as shades and not as light, as people expect of “half of it”.
    fn over(&self, rgb: [f32; 3], x: f32, y: f32) -> [f32; 3] {
        let along = (self.along[0] * x + self.along[1] * y + self.along[2]).clamp(0.0, 1.0);
        std::array::from_fn(|n| {
            let colour = self.from[n] + (self.to[n] - self.from[n]) * along;
            let shade = encoded(rgb[n]);
            decoded(shade + (colour - shade) * self.share)
        })
    }
}

/// The sRGB shade of light, both as fractions; beyond white is white.
pub(super) fn encoded(light: f32) -> f32 {
    ENCODED.at(light.min(1.0))
}

/// The light of an sRGB shade, both as fractions.
pub(super) fn decoded(shade: f32) -> f32 {
    DECODED.at(shade.clamp(0.0, 1.0))
}

static ENCODED: std::sync::LazyLock<Curve> = std::sync::LazyLock::new(|| {
    let node = |n: usize| {
        let root = n as f64 / Curve::NODES as f64;
        resize::encode(root * root * f64::from(Curve::BRIGHTEST)) as f32
    };
    Curve((0..=Curve::NODES).map(node).collect())
});

static DECODED: std::sync::LazyLock<Curve> = std::sync::LazyLock::new(|| {
    let node = |n: usize| {
        let root = n as f64 / Curve::NODES as f64;
        resize::decode(root * root * f64::from(Curve::BRIGHTEST)) as f32
    };
    Curve((0..=Curve::NODES).map(node).collect())
});

#[cfg(test)]
mod tests {
    use super::*;

    fn shaded(edits: Vec<Edit>, grey: [u8; 3]) -> [u8; 3] {
        let edits = EditList::new(edits.into_iter().map(Into::into).collect()).unwrap();
        let light = |shade: u8| resize::decode(f64::from(shade) / 255.0) as f32;
        let pixel = [light(grey[0]), light(grey[1]), light(grey[2]), 1.0];
        let [r, g, b, _] = Shading::of(&edits, &ToneCurves::of(&edits), 1.5).apply(pixel, 0.5, 0.5);
        [r, g, b].map(|v| (resize::encode(f64::from(v.clamp(0.0, 1.0))) * 255.0).round() as u8)
    }

    #[test]
    fn a_stop_doubles_the_light_and_comes_back() {
        let up = Edit::Exposure { stops: 1.0 };
        // Light 0.5 of mid-grey 188 becomes white.
        assert_eq!(shaded(vec![up.clone()], [188; 3]), [255; 3]);
        let down = Edit::Exposure { stops: -1.0 };
        assert_eq!(
            shaded(vec![up, down], [220, 100, 3]),
            [220, 100, 3],
            "nothing is clipped between"
        );
    }

    #[test]
    fn contrast_turns_about_middle_grey_and_points_reach_the_ends() {
        let more = shaded(vec![Edit::Contrast { percent: 30.0 }], [60, 128, 200]);
        assert!(more[0] < 60 && more[1].abs_diff(128) <= 1 && more[2] > 200, "{more:?}");
        assert_eq!(shaded(vec![Edit::Contrast { percent: -100.0 }], [0, 90, 255]), [128; 3]);
        let points = Edit::Points { black: 20.0, white: 80.0 };
        assert_eq!(shaded(vec![points], [51, 204, 128]), [0, 255, 128]);
    }

    #[test]
    fn greyscale_keeps_luminance_and_half_of_it_half_of_the_colour() {
        let grey = shaded(vec![Edit::Greyscale { percent: 100.0 }], [200, 60, 30]);
        assert!(grey[0] == grey[1] && grey[1] == grey[2], "{grey:?}");
        let luminance: f64 = [200.0, 60.0, 30.0]
            .iter()
            .zip(LUMINANCE)
            .map(|(shade, weight)| resize::decode(shade / 255.0) * weight)
            .sum();
        let expected = (resize::encode(luminance) * 255.0).round() as u8;
        assert!(grey[0].abs_diff(expected) <= 1, "{grey:?} for {expected}");
    }

    #[test]
    fn warmth_moves_white_along_daylight() {
        assert_eq!(shaded(vec![Edit::Temperature { mireds: 0.0 }], [200, 150, 90]), [200, 150, 90]);
        let warm = shaded(vec![Edit::Temperature { mireds: 50.0 }], [180; 3]);
        assert!(warm[0] > warm[1] && warm[1] > warm[2], "{warm:?}");
        let cool = shaded(vec![Edit::Temperature { mireds: -50.0 }], [180; 3]);
        assert!(cool[0] < cool[1] && cool[1] < cool[2], "{cool:?}");
        // 100 mireds from 6,504 K is 3,940 K; at 5,003 K the table of CIE 015 has x = 0.3457.
        let [x, y, z] = daylight(5_003.0);
        assert!((x / (x + y + z) - 0.3457).abs() < 2e-4);
    }

    #[test]
    fn a_wash_mixes_by_its_share_and_runs_between_two_colours() {
        let wash = |to, percent| Edit::Wash { from: Colour::BLACK, to, degrees: 90.0, percent };
        assert_eq!(shaded(vec![wash(None, 50.0)], [200, 100, 0]), [100, 50, 0]);
        // In the middle of the frame, halfway from black to white.
        assert_eq!(shaded(vec![wash(Some(Colour::WHITE), 100.0)], [9; 3]), [128; 3]);
    }
}

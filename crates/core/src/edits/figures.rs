//! The numbers that edits are given: what each is called, its unit, and the range it must lie in.

use serde::Serialize;

use super::edit::Edit;
use super::error::EditError;
use super::text::{Behind, TextBlock};
use super::values::{Length, Spot};

/// A number of an edit, and which values it may have.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Figure {
    /// The field of the edit that holds it.
    pub key: &'static str,
    /// What it is called beside its field and in messages.
    pub words: &'static str,
    /// What it counts.
    pub unit: &'static str,
    /// The least.
    pub min: f64,
    /// The most.
    pub max: f64,
    /// By how much it is nudged.
    pub step: f64,
}

impl Figure {
    const fn new(key: &'static str, words: &'static str, range: (f64, f64), step: f64) -> Self {
        Self { key, words, unit: "%", min: range.0, max: range.1, step }
    }

    const fn of(self, unit: &'static str) -> Self {
        Self { unit, ..self }
    }

    pub(super) fn check(self, edit: &'static str, value: f64) -> Result<(), EditError> {
        let Self { words: what, min: from, max: to, .. } = self;
        if (from..=to).contains(&value) {
            Ok(())
        } else {
            Err(EditError::Range { edit, what, value, from, to })
        }
    }
}

/// The longest length that an edit takes, in pixels.
const LONGEST: f64 = 20_000.0;

const fn length(key: &'static str, words: &'static str, least: f64) -> Figure {
    Figure::new(key, words, (least, LONGEST), 1.0).of("px")
}

const QUARTERS: Figure = Figure::new("quarters", "quarters", (1.0, 3.0), 1.0).of("quarters");
/// How far a picture is straightened.
pub(super) const ANGLE: Figure = Figure::new("degrees", "angle", (-45.0, 45.0), 0.1).of("°");
const CONTRAST: Figure = Figure::new("percent", "contrast", (-100.0, 99.0), 1.0);
const STOPS: Figure = Figure::new("stops", "exposure", (-5.0, 5.0), 0.1).of("stops");
const BLACK: Figure = Figure::new("black", "black point", (0.0, 99.0), 0.5);
const WHITE: Figure = Figure::new("white", "white point", (1.0, 100.0), 0.5);
const COLOUR: Figure = Figure::new("percent", "saturation", (-100.0, 200.0), 1.0);
const MIREDS: Figure = Figure::new("mireds", "warmth", (-90.0, 90.0), 1.0).of("mired");
const GREY: Figure = Figure::new("percent", "strength", (0.0, 100.0), 1.0);
const OPACITY: Figure = Figure::new("percent", "opacity", (0.0, 100.0), 1.0);
const TOWARDS: Figure = Figure::new("degrees", "direction", (-360.0, 360.0), 15.0).of("°");
const SHARPER: Figure = Figure::new("percent", "strength", (0.0, 300.0), 5.0);
const EDGE: Figure = Figure::new("radius", "radius", (0.3, 3.0), 0.1).of("px");
const DARKER: Figure = Figure::new("percent", "strength", (0.0, 100.0), 1.0);
const BEYOND: Figure = Figure::new("reach", "starts at", (0.0, 99.0), 1.0).of("% from the middle");
const COVERS: Figure = Figure::new("opacity", "opacity", (0.0, 100.0), 5.0);
const MAX_WIDTH: Figure = Figure::new("width", "max width", (5.0, 100.0), 5.0).of("% of the frame");
const LEADING: Figure = Figure::new("leading", "line height", (0.5, 4.0), 0.05).of("×");
const BACKING: Figure = Figure::new("percent", "opacity behind", (0.0, 100.0), 5.0);
const SOFT: Figure = Figure::new("soft", "softness", (0.0, 1.0), 0.1).of("×");
const ROOM: Figure = Figure::new("room", "room", (0.0, 3.0), 0.1).of("×");

const fn side(key: &'static str) -> Figure {
    Figure::new(key, key, (-30_000.0, 30_000.0), 1.0).of("px")
}

impl Edit {
    /// Its plain numbers, each with the value that it has.
    pub fn figures(&self) -> Vec<(Figure, f64)> {
        match self {
            Self::Turn { quarters } => vec![(QUARTERS, f64::from(*quarters))],
            Self::Straighten { degrees, .. } => vec![(ANGLE, *degrees)],
            Self::Canvas { left, top, right, bottom, .. } => {
                let sides = [("left", left), ("top", top), ("right", right), ("bottom", bottom)];
                sides.map(|(key, &px)| (side(key), f64::from(px))).into()
            }
            Self::Exposure { stops } => vec![(STOPS, *stops)],
            Self::Contrast { percent } => vec![(CONTRAST, *percent)],
            Self::Points { black, white } => vec![(BLACK, *black), (WHITE, *white)],
            Self::Saturation { percent } => vec![(COLOUR, *percent)],
            Self::Temperature { mireds } => vec![(MIREDS, *mireds)],
            Self::Greyscale { percent } => vec![(GREY, *percent)],
            Self::Wash { percent, degrees, .. } => vec![(OPACITY, *percent), (TOWARDS, *degrees)],
            Self::Sharpen { percent, radius } => vec![(SHARPER, *percent), (EDGE, *radius)],
            Self::Darken { percent, reach } => vec![(DARKER, *percent), (BEYOND, *reach)],
            Self::Logo { opacity, .. } => vec![(COVERS, *opacity)],
            Self::Text(TextBlock { width, leading, behind, .. }) => {
                let mut figures = vec![(MAX_WIDTH, *width), (LEADING, *leading)];
                figures.extend(behind.figures());
                figures
            }
            Self::Flip { .. }
            | Self::Padding { .. }
            | Self::Border { .. }
            | Self::Corners { .. } => Vec::new(),
        }
    }

    /// Its lengths.
    pub fn lengths(&self) -> Vec<(Figure, Length)> {
        let spot = |Spot { x, y, .. }: &Spot| {
            [(length("x", "across", -LONGEST), *x), (length("y", "down", -LONGEST), *y)]
        };
        match self {
            Self::Padding { width, .. } | Self::Border { width, .. } => {
                vec![(length("width", "width", 0.0), *width)]
            }
            Self::Corners { radius } => vec![(length("radius", "radius", 0.0), *radius)],
            Self::Logo { at, width, .. } => {
                let mut lengths = vec![(length("width", "width", 1.0), *width)];
                lengths.extend(spot(at));
                lengths
            }
            Self::Text(text) => {
                let mut lengths = vec![(length("size", "size", 1.0), text.size)];
                lengths.extend(spot(&text.at));
                lengths
            }
            _ => Vec::new(),
        }
    }
}

impl Behind {
    fn figures(self) -> Vec<(Figure, f64)> {
        match self {
            Self::Nothing => Vec::new(),
            Self::Shadow { soft, .. } => vec![(SOFT, soft)],
            Self::Backing { percent, room, .. } => vec![(BACKING, percent), (ROOM, room)],
        }
    }
}

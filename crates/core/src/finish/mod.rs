//! Finishing: the ordered list of edits that a picture gets, each of them reversible.
//!
//! Edits never touch the original: whatever is shown or written is rendered from it anew. They are
//! applied stage by stage: geometry, then framing and scaling, then tone and colour, sharpening,
//! what lies around the picture, and what lies on it. Within tone and colour, and among what lies
//! on the picture, the order of the list counts; elsewhere it has no meaning, and the list is kept
//! in the order in which its edits are applied.

pub mod canvas;
mod edges;
pub mod histogram;
mod light;
mod overlay;
pub mod plan;
pub mod render;
mod shade;
pub mod text;
pub mod values;

use std::collections::HashSet;

use serde::{Deserialize, Serialize};
use thiserror::Error;

pub use text::TextBlock;
use values::{Colour, Ground, Length, Spot};

use crate::framing::Cuts;
use crate::geometry::Rect;

/// The version of the lists that this program writes, and the newest that it reads.
pub const VERSION: u32 = 1;
/// The most edits that a list holds.
pub const MOST_STEPS: usize = 60;

/// One change of a picture.
///
/// Percentages run to 100, from −100 where they can go both ways.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Edit {
    /// Turned clockwise.
    Turn {
        /// By so many quarters, 1 to 3.
        quarters: u8,
    },
    /// Mirrored, after it was turned.
    Flip {
        /// Left becomes right.
        across: bool,
        /// Top becomes bottom.
        down: bool,
    },
    /// Turned by an angle, so that what should be level is.
    Straighten {
        /// Clockwise, −45 to 45.
        degrees: f64,
        /// What becomes of the corners that are left empty.
        corners: Corners,
    },
    /// Pixels added on its sides, or cut off where they are negative.
    Canvas {
        /// On the left, in pixels of the picture as turned and straightened.
        left: i32,
        /// On the top.
        top: i32,
        /// On the right.
        right: i32,
        /// On the bottom.
        bottom: i32,
        /// What fills the pixels that are added.
        ground: Ground,
    },
    /// Lightened or darkened, as by more or less light.
    Exposure {
        /// In stops, −5 to 5: one doubles the light.
        stops: f64,
    },
    /// Lights and shadows moved apart or together.
    Contrast {
        /// How much, −100 to 99.
        percent: f64,
    },
    /// Which shades become black and white.
    Points {
        /// The shade that becomes black, 0 to 99.
        black: f64,
        /// The shade that becomes white, above it and up to 100.
        white: f64,
    },
    /// Colours made stronger or weaker.
    Saturation {
        /// How much, −100 to 200.
        percent: f64,
    },
    /// The colour of the light moved towards candles or towards the sky.
    Temperature {
        /// By so many mireds, −90 (bluer) to 90 (warmer).
        mireds: f64,
    },
    /// Colours taken away.
    Greyscale {
        /// How much of them, 0 to 100.
        percent: f64,
    },
    /// Mixed with a colour, or with a run from one to another across the frame.
    Wash {
        /// The colour, or the one that the run starts with.
        from: Colour,
        /// The colour that the run ends with.
        to: Option<Colour>,
        /// Where the run leads, clockwise from straight up, as in CSS gradients.
        degrees: f64,
        /// How much of it, 0 to 100.
        percent: f64,
    },
    /// Edges made clearer, after scaling.
    Sharpen {
        /// How much, 0 to 300.
        percent: f64,
        /// How wide an edge is, in pixels of the file, 0.3 to 3.
        radius: f64,
    },
    /// Darkened towards the edges of the frame.
    Darken {
        /// How much in the corners, 0 to 100.
        percent: f64,
        /// How far the middle stays as it is, from the middle to a corner, 0 to 99.
        reach: f64,
    },
    /// A ground around the picture, which is scaled down to leave room for it.
    Padding {
        /// How wide.
        width: Length,
        /// What it is filled with.
        ground: Ground,
    },
    /// A line inside the edge of the frame.
    Border {
        /// How wide.
        width: Length,
        /// Its colour.
        colour: Colour,
    },
    /// Another picture laid on this one.
    Logo {
        /// The hash of its original.
        image: String,
        /// Where.
        at: Spot,
        /// How wide.
        width: Length,
        /// How much it covers, 0 to 100.
        opacity: f64,
    },
    /// Text laid on the picture.
    Text(TextBlock),
    /// Rounded corners, transparent outside.
    Corners {
        /// Their radius.
        radius: Length,
    },
}

/// What becomes of the corners that straightening leaves empty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Corners {
    /// The largest part of the picture's shape without them is kept.
    Cut,
    /// All of the picture is kept, and they are filled.
    Fill(
        /// With this.
        Ground,
    ),
}

/// When an edit is applied.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Stage {
    /// Before framing.
    Geometry,
    /// Tone and colour.
    Shade,
    /// Sharpening, darkening, padding.
    Edges,
    /// Border, logo, text.
    Overlay,
    /// What is cut from the result.
    Outline,
}

impl Edit {
    /// When it is applied.
    pub const fn stage(&self) -> Stage {
        match self {
            Self::Turn { .. }
            | Self::Flip { .. }
            | Self::Straighten { .. }
            | Self::Canvas { .. } => Stage::Geometry,
            Self::Exposure { .. }
            | Self::Contrast { .. }
            | Self::Points { .. }
            | Self::Saturation { .. }
            | Self::Temperature { .. }
            | Self::Greyscale { .. }
            | Self::Wash { .. } => Stage::Shade,
            Self::Sharpen { .. } | Self::Darken { .. } | Self::Padding { .. } => Stage::Edges,
            Self::Border { .. } | Self::Logo { .. } | Self::Text(_) => Stage::Overlay,
            Self::Corners { .. } => Stage::Outline,
        }
    }

    /// Its place among the edits of its stage, where that does not follow the list.
    const fn rank(&self) -> u8 {
        match self {
            Self::Flip { .. } | Self::Darken { .. } => 1,
            Self::Straighten { .. } | Self::Padding { .. } => 2,
            Self::Canvas { .. } => 3,
            _ => 0,
        }
    }

    /// Whether a list holds it at most once.
    const fn is_single(&self) -> bool {
        !matches!(self.stage(), Stage::Shade | Stage::Overlay)
    }

    /// Whether its place among its like can be changed.
    pub const fn moves(&self) -> bool {
        !self.is_single()
    }

    /// Whether what it does depends on the frame, so that it cannot be seen on the whole picture.
    pub const fn is_of_the_frame(&self) -> bool {
        !matches!(self.stage(), Stage::Geometry | Stage::Shade)
            || matches!(self, Self::Wash { to: Some(_), .. })
    }

    /// Its lengths.
    fn lengths(&self) -> Vec<Length> {
        match self {
            Self::Padding { width, .. } | Self::Border { width, .. } => vec![*width],
            Self::Corners { radius } => vec![*radius],
            Self::Logo { at, width, .. } => vec![at.x, at.y, *width],
            Self::Text(text) => vec![text.at.x, text.at.y, text.size],
            _ => Vec::new(),
        }
    }

    /// Its name in messages.
    pub const fn name(&self) -> &'static str {
        match self {
            Self::Turn { .. } => "turn",
            Self::Flip { .. } => "flip",
            Self::Straighten { .. } => "straighten",
            Self::Canvas { .. } => "canvas",
            Self::Exposure { .. } => "exposure",
            Self::Contrast { .. } => "contrast",
            Self::Points { .. } => "black and white point",
            Self::Saturation { .. } => "saturation",
            Self::Temperature { .. } => "colour temperature",
            Self::Greyscale { .. } => "greyscale",
            Self::Wash { .. } => "colour wash",
            Self::Sharpen { .. } => "sharpening",
            Self::Darken { .. } => "darker edges",
            Self::Padding { .. } => "padding",
            Self::Border { .. } => "border",
            Self::Logo { .. } => "logo",
            Self::Text(_) => "text",
            Self::Corners { .. } => "rounded corners",
        }
    }

    fn check(&self) -> Result<(), FinishError> {
        let within = |what: &'static str, value: f64, from: f64, to: f64| {
            if (from..=to).contains(&value) {
                Ok(())
            } else {
                Err(FinishError::Range { edit: self.name(), what, value, from, to })
            }
        };
        match self {
            Self::Turn { quarters } => within("quarters", f64::from(*quarters), 1.0, 3.0)?,
            Self::Straighten { degrees, .. } => within("angle", *degrees, -45.0, 45.0)?,
            Self::Canvas { left, top, right, bottom, .. } => {
                for side in [left, top, right, bottom] {
                    within("pixels of a side", f64::from(*side), -30_000.0, 30_000.0)?;
                }
            }
            Self::Exposure { stops } => within("stops", *stops, -5.0, 5.0)?,
            Self::Contrast { percent } => within("percentage", *percent, -100.0, 99.0)?,
            Self::Points { black, white } => {
                within("black point", *black, 0.0, 99.0)?;
                within("white point", *white, black + 1.0, 100.0)?;
            }
            Self::Saturation { percent } => within("percentage", *percent, -100.0, 200.0)?,
            Self::Temperature { mireds } => within("mireds", *mireds, -90.0, 90.0)?,
            Self::Greyscale { percent } => within("percentage", *percent, 0.0, 100.0)?,
            Self::Wash { percent, degrees, .. } => {
                within("percentage", *percent, 0.0, 100.0)?;
                within("direction", *degrees, -360.0, 360.0)?;
            }
            Self::Sharpen { percent, radius } => {
                within("percentage", *percent, 0.0, 300.0)?;
                within("radius", *radius, 0.3, 3.0)?;
            }
            Self::Darken { percent, reach } => {
                within("percentage", *percent, 0.0, 100.0)?;
                within("reach", *reach, 0.0, 99.0)?;
            }
            Self::Logo { opacity, width, .. } => {
                within("opacity", *opacity, 0.0, 100.0)?;
                within("width", width.px, 1.0, 20_000.0)?;
            }
            Self::Padding { width, .. } | Self::Border { width, .. } => {
                within("width", width.px, 0.0, 20_000.0)?;
            }
            Self::Corners { radius } => within("radius", radius.px, 0.0, 20_000.0)?,
            Self::Text(text) => {
                text.check()?;
                within("size", text.size.px, 1.0, 20_000.0)?;
                within("width", text.width, 5.0, 100.0)?;
                within("line height", text.leading, 0.5, 4.0)?;
            }
            Self::Flip { .. } => {}
        }
        self.lengths()
            .iter()
            .try_for_each(|length| within("length in pixels", length.px, -20_000.0, 20_000.0))
    }
}

/// An edit, in use or set aside.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Step {
    /// What it does.
    #[serde(flatten)]
    pub edit: Edit,
    /// Whether it is set aside: kept in the list, but not applied.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub off: bool,
}

impl From<Edit> for Step {
    fn from(edit: Edit) -> Self {
        Self { edit, off: false }
    }
}

/// A checked list of edits, in the order in which they are applied.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = Written))]
pub struct Finish(Vec<Step>);

/// A list of edits as it is written.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Written {
    /// The version of the list; 1.
    version: u32,
    /// The edits.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Step>))]
    steps: Vec<serde_json::Value>,
}

impl Finish {
    /// A list of `steps`, brought into the order in which they are applied.
    ///
    /// # Errors
    /// [`FinishError`] where a value is out of its range, an edit that has its place once stands
    /// twice, or there are too many.
    pub fn new(mut steps: Vec<Step>) -> Result<Self, FinishError> {
        if steps.len() > MOST_STEPS {
            return Err(FinishError::TooMany(steps.len()));
        }
        let mut seen = HashSet::new();
        for Step { edit, .. } in &steps {
            edit.check()?;
            if edit.is_single() && !seen.insert(edit.name()) {
                return Err(FinishError::Twice(edit.name()));
            }
        }
        steps.sort_by_key(|step| (step.edit.stage(), step.edit.rank()));
        Ok(Self(steps))
    }

    /// Its edits, those set aside among them.
    pub fn steps(&self) -> &[Step] {
        &self.0
    }

    /// The edits in use.
    pub fn edits(&self) -> impl Iterator<Item = &Edit> {
        self.0.iter().filter(|step| !step.off).map(|step| &step.edit)
    }

    /// The same without what is set aside.
    pub fn in_use(&self) -> Self {
        Self(self.0.iter().filter(|step| !step.off).cloned().collect())
    }

    /// Whether it leaves a picture as it is.
    pub fn is_plain(&self) -> bool {
        self.edits().next().is_none()
    }

    /// The edits in use that change the whole picture alike, wherever it is shown.
    pub fn of_the_picture(&self) -> Self {
        let steps = self.0.iter().filter(|step| !step.off && !step.edit.is_of_the_frame());
        Self(steps.cloned().collect())
    }

    /// Whether an edit in use depends on the frame.
    pub fn has_frame(&self) -> bool {
        self.edits().any(Edit::is_of_the_frame)
    }

    /// Whether a length keeps its size in CSS pixels, so that each layout width needs a source of
    /// its own.
    pub fn keeps_css_size(&self) -> bool {
        self.edits()
            .flat_map(Edit::lengths)
            .any(|length| length.of == values::Of::Css && length.px != 0.0)
    }

    /// The same without tone and colour, to see what they do.
    pub fn without_shades(&self) -> Self {
        let kept = self.0.iter().filter(|step| step.edit.stage() != Stage::Shade);
        Self(kept.cloned().collect())
    }

    /// The same, of a picture that is `canvas` with it, trimmed to `crop` of that.
    ///
    /// # Errors
    /// [`FinishError`] where more is cut off than a list can say.
    pub fn trimmed(&self, canvas: &canvas::Canvas, crop: Rect) -> Result<Self, FinishError> {
        let size = canvas.size();
        let cuts = Cuts::of(size, crop);
        let was = self.edits().find_map(|edit| match *edit {
            Edit::Canvas { left, top, right, bottom, ground } => {
                Some(([left, top, right, bottom], ground))
            }
            _ => None,
        });
        let (sides, ground) = was.unwrap_or(([0; 4], Ground::TRANSPARENT));
        let less =
            |side: i32, cut: u32| side.saturating_sub(i32::try_from(cut).unwrap_or(i32::MAX));
        let trim = Edit::Canvas {
            left: less(sides[0], cuts.left),
            top: less(sides[1], cuts.top),
            right: less(sides[2], cuts.right),
            bottom: less(sides[3], cuts.bottom),
            ground,
        };
        let others = self.0.iter().filter(|step| !matches!(step.edit, Edit::Canvas { .. }));
        Self::new(others.cloned().chain([trim.into()]).collect())
    }

    /// The hashes of the pictures that lie on it.
    pub fn logos(&self) -> impl Iterator<Item = &str> {
        self.edits().filter_map(|edit| match edit {
            Edit::Logo { image, .. } => Some(image.as_str()),
            _ => None,
        })
    }

    /// Laid on a picture that has `own` edits: those of this list take the place of its own, whose
    /// geometry stays unless this list has some.
    pub fn laid_on(&self, own: &Self) -> Self {
        let is_geometry = |step: &&Step| step.edit.stage() == Stage::Geometry;
        let has_geometry = self.0.iter().any(|step| is_geometry(&step));
        let kept = own.0.iter().filter(|step| !has_geometry && is_geometry(step));
        Self(kept.chain(&self.0).cloned().collect())
    }
}

impl TryFrom<Written> for Finish {
    type Error = FinishError;

    fn try_from(written: Written) -> Result<Self, FinishError> {
        if written.version > VERSION {
            return Err(FinishError::Newer(written.version));
        }
        let read = |value| {
            serde_json::from_value(value).map_err(|error| FinishError::Unread(error.to_string()))
        };
        Self::new(written.steps.into_iter().map(read).collect::<Result<_, _>>()?)
    }
}

impl From<Finish> for Written {
    fn from(finish: Finish) -> Self {
        let write = |step| serde_json::to_value(step).expect("plain values");
        Self { version: VERSION, steps: finish.0.into_iter().map(write).collect() }
    }
}

/// Why a list of edits was refused.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum FinishError {
    /// It was written by a later version of the program.
    #[error(
        "this list of edits is of version {0}, and this program reads up to version {VERSION}: \
         update it; nothing was changed"
    )]
    Newer(u32),
    /// An edit that is not known, or lacks a value.
    #[error("an edit could not be read: {0}")]
    Unread(String),
    /// More than [`MOST_STEPS`].
    #[error("{0} edits are too many: a list holds at most {MOST_STEPS}")]
    TooMany(usize),
    /// An edit that has its place once.
    #[error("{0} stands twice in the list; change the one that is there")]
    Twice(&'static str),
    /// A value out of its range.
    #[error("{edit}: the {what} must lie between {from} and {to}, not {value}")]
    Range {
        /// Of which edit.
        edit: &'static str,
        /// Which value.
        what: &'static str,
        /// As given.
        value: f64,
        /// The least.
        from: f64,
        /// The most.
        to: f64,
    },
    /// A text that cannot be set.
    #[error(transparent)]
    Text(#[from] text::TextError),
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<Finish, String> {
        serde_json::from_str(text).map_err(|error| error.to_string())
    }

    #[test]
    fn a_list_is_brought_into_the_order_in_which_it_is_applied() {
        let list = read(
            r##"{"version":1,"steps":[
                {"kind":"border","width":{"px":4,"of":"css"},"colour":"#ffffff"},
                {"kind":"saturation","percent":10},
                {"kind":"exposure","stops":0.5},
                {"kind":"straighten","degrees":1.5,"corners":"cut"},
                {"kind":"turn","quarters":1}
            ]}"##,
        )
        .unwrap();
        let names: Vec<_> = list.edits().map(Edit::name).collect();
        assert_eq!(names, ["turn", "straighten", "saturation", "exposure", "border"]);
        assert!(list.keeps_css_size());
        assert_eq!(read(&serde_json::to_string(&list).unwrap()).unwrap(), list);
    }

    #[test]
    fn a_list_of_a_later_version_is_told_from_a_broken_one() {
        let newer = read(r#"{"version":7,"steps":[{"kind":"unheard-of"}]}"#).unwrap_err();
        assert!(newer.contains("version 7") && newer.contains("update"), "{newer}");
        let broken = read(r#"{"version":1,"steps":[{"kind":"unheard-of"}]}"#).unwrap_err();
        assert!(broken.contains("unheard-of"), "{broken}");
    }

    #[test]
    fn values_out_of_range_and_second_frames_are_refused_by_name() {
        let far = read(r#"{"version":1,"steps":[{"kind":"exposure","stops":9}]}"#).unwrap_err();
        assert!(far.contains("exposure") && far.contains("between -5 and 5"), "{far}");
        let border = |px| Edit::Padding {
            width: Length { px, of: values::Of::Picture },
            ground: Ground::TRANSPARENT,
        };
        let twice = Finish::new(vec![border(1.0).into(), border(2.0).into()]).unwrap_err();
        assert_eq!(twice, FinishError::Twice("padding"));
        assert!(Finish::new(vec![border(f64::NAN).into()]).is_err());
    }

    #[test]
    fn what_is_laid_on_many_keeps_how_each_was_straightened() {
        let own = Finish::new(vec![
            Edit::Turn { quarters: 1 }.into(),
            Edit::Exposure { stops: 1.0 }.into(),
        ])
        .unwrap();
        let laid = Finish::new(vec![Edit::Greyscale { percent: 100.0 }.into()]).unwrap();
        let names: Vec<_> = laid.laid_on(&own).edits().map(Edit::name).collect();
        assert_eq!(names, ["turn", "greyscale"]);
    }
}

//! One edit: what it does, within which range, and when it is applied.

use serde::{Deserialize, Serialize};

use super::error::EditError;
use super::text::TextBlock;
use super::values::{Colour, Ground, Length, Spot};

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
    pub(super) const fn rank(&self) -> u8 {
        match self {
            Self::Flip { .. } | Self::Darken { .. } => 1,
            Self::Straighten { .. } | Self::Padding { .. } => 2,
            Self::Canvas { .. } => 3,
            _ => 0,
        }
    }

    /// Whether a list holds it at most once.
    pub(super) const fn is_single(&self) -> bool {
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
    pub(super) fn lengths(&self) -> Vec<Length> {
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

    pub(super) fn check(&self) -> Result<(), EditError> {
        let within = |what: &'static str, value: f64, from: f64, to: f64| {
            if (from..=to).contains(&value) {
                Ok(())
            } else {
                Err(EditError::Range { edit: self.name(), what, value, from, to })
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

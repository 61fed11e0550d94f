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

    /// What it is called.
    pub const fn name(&self) -> &'static str {
        match self {
            Self::Turn { .. } => "Rotate",
            Self::Flip { .. } => "Flip",
            Self::Straighten { .. } => "Straighten",
            Self::Canvas { .. } => "Canvas",
            Self::Exposure { .. } => "Exposure",
            Self::Contrast { .. } => "Contrast",
            Self::Points { .. } => "Black and white point",
            Self::Saturation { .. } => "Saturation",
            Self::Temperature { .. } => "Colour temperature",
            Self::Greyscale { .. } => "Greyscale",
            Self::Wash { .. } => "Colour overlay",
            Self::Sharpen { .. } => "Sharpening",
            Self::Darken { .. } => "Vignette",
            Self::Padding { .. } => "Padding",
            Self::Border { .. } => "Border",
            Self::Logo { .. } => "Logo",
            Self::Text(_) => "Text",
            Self::Corners { .. } => "Rounded corners",
        }
    }

    /// Its `kind` as it is written.
    pub const fn kind(&self) -> &'static str {
        match self {
            Self::Turn { .. } => "turn",
            Self::Flip { .. } => "flip",
            Self::Straighten { .. } => "straighten",
            Self::Canvas { .. } => "canvas",
            Self::Exposure { .. } => "exposure",
            Self::Contrast { .. } => "contrast",
            Self::Points { .. } => "points",
            Self::Saturation { .. } => "saturation",
            Self::Temperature { .. } => "temperature",
            Self::Greyscale { .. } => "greyscale",
            Self::Wash { .. } => "wash",
            Self::Sharpen { .. } => "sharpen",
            Self::Darken { .. } => "darken",
            Self::Padding { .. } => "padding",
            Self::Border { .. } => "border",
            Self::Logo { .. } => "logo",
            Self::Text(_) => "text",
            Self::Corners { .. } => "corners",
        }
    }

    pub(super) fn check(&self) -> Result<(), EditError> {
        if let Self::Text(text) = self {
            text.check()?;
        }
        for (figure, value) in self.figures() {
            figure.check(self.name(), value)?;
        }
        for (figure, length) in self.lengths() {
            figure.check(self.name(), length.px)?;
        }
        match self {
            Self::Points { black, white } if *white < black + 1.0 => Err(EditError::Range {
                edit: self.name(),
                what: "white point",
                value: *white,
                from: black + 1.0,
                to: 100.0,
            }),
            _ => Ok(()),
        }
    }
}

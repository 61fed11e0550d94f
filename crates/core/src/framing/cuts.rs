//! What a framing cuts: of the picture, and of its keep area.

use serde::{Deserialize, Serialize};

use crate::geometry::{Rect, Size};

/// How much of a keep area a framing cuts, in pixels and in percent of the area's own side.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KeepCut {
    /// Pixels cut from its left.
    pub left: u32,
    /// Pixels cut from its top.
    pub top: u32,
    /// Pixels cut from its right.
    pub right: u32,
    /// Pixels cut from its bottom.
    pub bottom: u32,
    /// Of its width, in percent.
    pub percent_across: f64,
    /// Of its height, in percent.
    pub percent_down: f64,
}

impl KeepCut {
    /// What `crop` cuts of `keep` (left, top, right, bottom); nothing where it holds all of it.
    pub fn of(keep: [f64; 4], crop: Rect) -> Option<Self> {
        let [left, top, right, bottom] = keep;
        // A whole pixel is cut where more than a hundredth of it is.
        let cut = |length: f64| if length > 0.01 { length.ceil() as u32 } else { 0 };
        let end = |start: u32, length: u32| f64::from(start) + f64::from(length);
        let cuts = Self {
            left: cut(f64::from(crop.x).min(right) - left),
            top: cut(f64::from(crop.y).min(bottom) - top),
            right: cut(right - end(crop.x, crop.width).max(left)),
            bottom: cut(bottom - end(crop.y, crop.height).max(top)),
            percent_across: 0.0,
            percent_down: 0.0,
        };
        let percent = |a: u32, b: u32, side: f64| (100.0 * f64::from(a + b) / side).min(100.0);
        let cuts = Self {
            percent_across: percent(cuts.left, cuts.right, right - left),
            percent_down: percent(cuts.top, cuts.bottom, bottom - top),
            ..cuts
        };
        (cuts.left + cuts.top + cuts.right + cuts.bottom > 0).then_some(cuts)
    }
}

/// What a framing cuts from each side of the picture, in source pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Cuts {
    /// Pixels cut from the left.
    pub left: u32,
    /// Pixels cut from the top.
    pub top: u32,
    /// Pixels cut from the right.
    pub right: u32,
    /// Pixels cut from the bottom.
    pub bottom: u32,
}

impl Cuts {
    /// What `crop` leaves out of a picture of size `source`; the crop lies inside it.
    pub fn of(source: Size, crop: Rect) -> Self {
        Self {
            left: crop.x,
            top: crop.y,
            right: source.width - crop.x - crop.width,
            bottom: source.height - crop.y - crop.height,
        }
    }

    /// The percentage of a picture of size `source` that stays, by area.
    pub fn kept_percent(self, source: Size) -> f64 {
        let kept = Size::new(
            source.width - self.left - self.right,
            source.height - self.top - self.bottom,
        );
        100.0 * kept.pixels() as f64 / source.pixels() as f64
    }
}

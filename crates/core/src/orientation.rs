//! EXIF orientation: how a stored picture is turned to stand upright.

use serde::{Deserialize, Serialize};

use crate::geometry::{Rect, Size};

/// The turn that brings stored pixels upright (EXIF 2.32, tag 0x0112).
///
/// Made of a mirror along the stored rows' direction, then clockwise quarter turns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Orientation {
    mirrored: bool,
    quarter_turns: u8,
}

impl Orientation {
    /// Stored as shown.
    pub const UPRIGHT: Self = Self { mirrored: false, quarter_turns: 0 };

    /// Mirrored or not along the stored rows, then turned clockwise by `quarter_turns` of 0 to 3.
    pub const fn new(mirrored: bool, quarter_turns: u8) -> Self {
        Self { mirrored, quarter_turns }
    }

    /// From the tag's value; what is not 1 to 8 counts as upright.
    pub const fn from_exif(tag: u32) -> Self {
        let (mirrored, quarter_turns) = match tag {
            2 => (true, 0),
            3 => (false, 2),
            4 => (true, 2),
            5 => (true, 3),
            6 => (false, 1),
            7 => (true, 1),
            8 => (false, 3),
            _ => (false, 0),
        };
        Self { mirrored, quarter_turns }
    }

    /// The tag's value, 1 to 8.
    pub const fn to_exif(self) -> u8 {
        match (self.mirrored, self.quarter_turns) {
            (false, 0) => 1,
            (true, 0) => 2,
            (false, 2) => 3,
            (true, 2) => 4,
            (true, 3) => 5,
            (false, 1) => 6,
            (true, 1) => 7,
            _ => 8,
        }
    }

    /// Whether it exchanges width and height.
    pub const fn swaps_sides(self) -> bool {
        self.quarter_turns % 2 == 1
    }

    /// The upright size of a picture stored as `stored`; the same call also goes back.
    pub const fn apply(self, stored: Size) -> Size {
        if self.swaps_sides() { stored.turned() } else { stored }
    }

    /// This turn and then `next`, as one.
    pub const fn then(self, next: Self) -> Self {
        // A mirror after turns is the same as one before turns the other way.
        let turns = if next.mirrored { 4 - self.quarter_turns } else { self.quarter_turns };
        Self {
            mirrored: self.mirrored != next.mirrored,
            quarter_turns: (turns + next.quarter_turns) % 4,
        }
    }

    /// The turn that goes back.
    pub const fn inverse(self) -> Self {
        let turns = if self.mirrored { self.quarter_turns } else { 4 - self.quarter_turns };
        Self { mirrored: self.mirrored, quarter_turns: turns % 4 }
    }

    /// Where a point of a picture of size `stored` comes to lie when it is turned.
    pub fn point(self, x: f64, y: f64, stored: Size) -> (f64, f64) {
        let (w, h) = (f64::from(stored.width), f64::from(stored.height));
        let x = if self.mirrored { w - x } else { x };
        match self.quarter_turns {
            1 => (h - y, x),
            2 => (w - x, h - y),
            3 => (y, w - x),
            _ => (x, y),
        }
    }

    /// Where a rectangle of the upright picture lies in the stored one of size `stored`.
    pub fn to_stored(self, upright: Rect, stored: Size) -> Rect {
        let mut rect = upright;
        let mut size = self.apply(stored);
        for _ in 0..self.quarter_turns {
            // Undo one clockwise turn: the upright top was the stored left.
            rect = Rect {
                x: rect.y,
                y: size.width - rect.x - rect.width,
                width: rect.height,
                height: rect.width,
            };
            size = size.turned();
        }
        if self.mirrored {
            rect.x = size.width - rect.x - rect.width;
        }
        rect
    }
}

//! EXIF orientation: how a stored picture is turned to stand upright.

use serde::{Deserialize, Serialize};

use crate::geometry::{Rect, Size};
use crate::raster::Raster;

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
    pub(crate) const fn new(mirrored: bool, quarter_turns: u8) -> Self {
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

    /// Turns stored pixels upright.
    pub fn turn(self, stored: Raster) -> Raster {
        if self == Self::UPRIGHT {
            return stored;
        }
        let (size, channels) = (stored.size(), stored.channels());
        let data = self.turn_samples(stored.data(), size, channels.count());
        Raster::new(self.apply(size), channels, data)
    }

    /// Turns stored samples upright, `each` of them a pixel.
    pub(crate) fn turn_samples<T: Copy>(self, stored: &[T], size: Size, each: usize) -> Vec<T> {
        let turned = self.apply(size);
        let mut samples = Vec::with_capacity(stored.len());
        for y in 0..turned.height {
            for x in 0..turned.width {
                let from = self.to_stored(Rect { x, y, width: 1, height: 1 }, size);
                let at = (from.y as usize * size.width as usize + from.x as usize) * each;
                samples.extend_from_slice(&stored[at..at + each]);
            }
        }
        samples
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use proptest::prelude::*;

    /// A 3 × 2 picture whose pixels are numbered along its rows.
    fn numbered() -> Raster {
        let data = (1..=6).flat_map(|n| [n, n, n]).collect();
        Raster::new(Size::new(3, 2), Channels::Rgb, data)
    }

    fn shown(tag: u32) -> (u32, Vec<u8>) {
        let raster = Orientation::from_exif(tag).turn(numbered());
        let numbers = raster.data().iter().step_by(3).copied().collect();
        (raster.size().width, numbers)
    }

    #[test]
    fn every_tag_turns_as_exif_says() {
        // Row 0 and column 0 of the stored picture, by the standard: 6 is "right, top".
        assert_eq!(shown(1), (3, vec![1, 2, 3, 4, 5, 6]));
        assert_eq!(shown(2), (3, vec![3, 2, 1, 6, 5, 4]));
        assert_eq!(shown(3), (3, vec![6, 5, 4, 3, 2, 1]));
        assert_eq!(shown(4), (3, vec![4, 5, 6, 1, 2, 3]));
        assert_eq!(shown(5), (2, vec![1, 4, 2, 5, 3, 6]));
        assert_eq!(shown(6), (2, vec![4, 1, 5, 2, 6, 3]));
        assert_eq!(shown(7), (2, vec![6, 3, 5, 2, 4, 1]));
        assert_eq!(shown(8), (2, vec![3, 6, 2, 5, 1, 4]));
        assert_eq!(shown(99), shown(1));
    }

    proptest! {
        #[test]
        fn turns_in_a_row_are_one_turn(first in 1u32..=8, second in 1u32..=8) {
            let (first, second) = (Orientation::from_exif(first), Orientation::from_exif(second));
            let one = first.then(second);
            prop_assert_eq!(one.turn(numbered()), second.turn(first.turn(numbered())));
            prop_assert_eq!(one.then(one.inverse()), Orientation::UPRIGHT);
            let (x, y) = first.point(0.5, 1.25, Size::new(3, 2));
            let on = second.point(x, y, first.apply(Size::new(3, 2)));
            prop_assert_eq!(one.point(0.5, 1.25, Size::new(3, 2)), on);
        }

        #[test]
        fn cropping_then_turning_equals_turning_then_cropping(
            tag in 1u32..=8, x in 0u32..5, y in 0u32..5, w in 1u32..5, h in 1u32..5,
        ) {
            let orientation = Orientation::from_exif(tag);
            let stored = Size::new(10, 9);
            let data = (0..90u8).flat_map(|n| [n, 0, 0]).collect();
            let raster = Raster::new(stored, Channels::Rgb, data);
            let upright = Rect { x, y, width: w, height: h };
            let early = orientation.turn(raster.crop(orientation.to_stored(upright, stored)));
            prop_assert_eq!(early, orientation.turn(raster).crop(upright));
        }
    }
}

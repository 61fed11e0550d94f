//! Turning pixels upright.

use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::orientation::Orientation;

use crate::raster::Raster;

/// Stored pixels turned upright.
pub fn upright(turn: Orientation, stored: Raster) -> Raster {
    if turn == Orientation::UPRIGHT {
        return stored;
    }
    let (size, channels) = (stored.size(), stored.channels());
    let data = samples(turn, stored.data(), size, channels.count());
    Raster::new(turn.apply(size), channels, data)
}

/// Stored samples turned upright, `each` of them a pixel.
pub fn samples<T: Copy>(turn: Orientation, stored: &[T], size: Size, each: usize) -> Vec<T> {
    let turned = turn.apply(size);
    let mut samples = Vec::with_capacity(stored.len());
    for y in 0..turned.height {
        for x in 0..turned.width {
            let from = turn.to_stored(Rect { x, y, width: 1, height: 1 }, size);
            let at = (from.y as usize * size.width as usize + from.x as usize) * each;
            samples.extend_from_slice(&stored[at..at + each]);
        }
    }
    samples
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
        let raster = upright(Orientation::from_exif(tag), numbered());
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
            prop_assert_eq!(upright(one, numbered()), upright(second, upright(first, numbered())));
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
            let early = super::upright(orientation, raster.crop(orientation.to_stored(upright, stored)));
            prop_assert_eq!(early, super::upright(orientation, raster).crop(upright));
        }
    }
}

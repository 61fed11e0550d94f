//! Looks: whether a place that offers other files is seen as it was.

use serde::{Deserialize, Serialize};

use crate::geometry::{Rect, Size};
use crate::grade::Score;
use crate::layout::BoxSize;

/// Parts of a page of fewer pixels a side tell nothing.
const LEAST: f64 = 24.0;
/// A place is judged as it is seen in passing, this many pixels at its longer side, and not fewer than that at its
/// shorter one: a browser that scales a large file blurs what a file of the right size keeps sharp, as stars in the sky,
/// while another picture, part or colour is seen at any size.
const SEEN: (f64, f64) = (96.0, 16.0);
/// What faithful files score at that size at least: on the stand-in site 26 to 84, where a part that lies 7 % beside
/// it scores 19 and another picture −64 (decision 23).
const FAITHFUL: f64 = 20.0;

/// How a place is seen beside how it was, where it differs most: in pictures of its page, which hold what lies
/// over it, too.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Look {
    /// At which layout width, in CSS px.
    pub width: u32,
    /// The score of SSIMULACRA2, 100 where nothing differs.
    pub score: Score,
}

impl Look {
    /// Whether it is seen otherwise than a faithful file of the same picture is.
    pub fn is_otherwise(self) -> bool {
        self.score.0 < FAITHFUL
    }

    /// Of several, that which differs most.
    pub fn worst(looks: impl IntoIterator<Item = Self>) -> Option<Self> {
        looks.into_iter().min_by(|a, b| a.score.0.total_cmp(&b.score.0))
    }
}

/// The part of a picture of a page, `width` × `height` pixels, that shows a place `at` so many CSS px from the left
/// and the top; nothing where too little of it can be seen there.
pub fn part_of(at: (f64, f64), size: BoxSize, width: u32, height: u32) -> Option<Rect> {
    let (left, top) = (at.0.max(0.0), at.1.max(0.0));
    let right = (at.0 + size.width).min(f64::from(width));
    let bottom = (at.1 + size.height).min(f64::from(height));
    // Pixels that lie in it as a whole.
    let (left, top, right, bottom) = (left.ceil(), top.ceil(), right.floor(), bottom.floor());
    let is_enough = right - left >= LEAST && bottom - top >= LEAST;
    is_enough.then(|| {
        let pixels = |length: f64| length as u32;
        let (x, y) = (pixels(left), pixels(top));
        Rect { x, y, width: pixels(right - left), height: pixels(bottom - top) }
    })
}

/// The size at which a part of so many pixels is judged.
pub fn seen_as(part: Size) -> Size {
    let (width, height) = (f64::from(part.width), f64::from(part.height));
    let scale = (SEEN.0 / width.max(height)).max(SEEN.1 / width.min(height)).min(1.0);
    let scaled = |length: f64| (length * scale).round() as u32;
    Size::new(scaled(width), scaled(height))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_is_the_pixels_that_lie_in_it_and_in_the_picture() {
        let rect = |x, y, width, height| Some(Rect { x, y, width, height });
        let of = |x: f64, y: f64, w: f64, h: f64| part_of((x, y), BoxSize::new(w, h), 390, 800);
        assert_eq!(of(10.5, 20.0, 100.0, 50.0), rect(11, 20, 99, 50));
        assert_eq!(of(-40.0, 780.0, 600.0, 400.0), None, "20 rows of it are in the picture");
        assert_eq!(of(-40.0, 700.0, 600.0, 400.0), rect(0, 700, 390, 100));
        assert_eq!(of(500.0, 0.0, 100.0, 100.0), None);
        assert_eq!(of(0.0, 0.0, 20.0, 20.0), None, "an icon");
    }

    #[test]
    fn a_place_is_judged_as_it_is_seen_in_passing() {
        assert_eq!(seen_as(Size::new(960, 640)), Size::new(96, 64));
        assert_eq!(seen_as(Size::new(80, 40)), Size::new(80, 40), "never enlarged");
        assert_eq!(seen_as(Size::new(1_920, 80)), Size::new(384, 16), "and high enough");
    }

    #[test]
    fn what_differs_more_than_faithful_files_do_is_another_look() {
        let look = |width, score| Look { width, score: Score(score) };
        assert!(look(390, 19.9).is_otherwise() && !look(390, 20.0).is_otherwise());
        let worst = Look::worst([look(390, 80.0), look(1_280, 41.0), look(820, 77.0)]);
        assert_eq!(worst, Some(look(1_280, 41.0)));
    }
}

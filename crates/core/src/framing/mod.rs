//! Framing: which part of a picture a slot shows.

mod by_hand;
mod cuts;
mod position;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::geometry::{Rect, Size};
pub use by_hand::{Holding, drawn};
pub use cuts::{Cuts, KeepCut};
pub use position::{object_position, shown_at};

/// The point of a picture that every framing keeps as near its middle as it can.
///
/// Fractions of the upright original, from its left and top edges, each within 0 to 1.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "PointSpec")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FocalPoint {
    x: f64,
    y: f64,
}

impl FocalPoint {
    /// The middle of the picture, where a focal point starts.
    pub const CENTRE: Self = Self { x: 0.5, y: 0.5 };

    /// The point `x` of the width from the left and `y` of the height from the top.
    pub fn new(x: f64, y: f64) -> Result<Self, FramingError> {
        let within = |value: f64| (0.0..=1.0).contains(&value);
        if within(x) && within(y) {
            Ok(Self { x, y })
        } else {
            Err(FramingError::FocalPointOutside { x, y })
        }
    }

    /// Fraction of the width, from the left.
    pub const fn x(self) -> f64 {
        self.x
    }

    /// Fraction of the height, from the top.
    pub const fn y(self) -> f64 {
        self.y
    }
}

#[derive(Deserialize)]
struct PointSpec {
    x: f64,
    y: f64,
}

impl TryFrom<PointSpec> for FocalPoint {
    type Error = FramingError;

    fn try_from(spec: PointSpec) -> Result<Self, FramingError> {
        Self::new(spec.x, spec.y)
    }
}

/// The part of a picture that no framing may cut.
///
/// Fractions of the upright original, from its left and top edges.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "AreaSpec")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KeepArea {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
}

impl KeepArea {
    /// The area from `x`, `y`, `width` wide and `height` high, wholly on the picture.
    pub fn new(x: f64, y: f64, width: f64, height: f64) -> Result<Self, FramingError> {
        // A pixel of the largest picture is more than this; sums of decimals may be off by less.
        const ROUNDING: f64 = 1e-6;
        let lies = |start: f64, length: f64| {
            start >= 0.0 && length > 0.0 && start + length <= 1.0 + ROUNDING
        };
        if lies(x, width) && lies(y, height) {
            Ok(Self { x, y, width, height })
        } else {
            Err(FramingError::KeepAreaOutside { x, y, width, height })
        }
    }

    /// Its left, top, right and bottom edges.
    pub fn edges(self) -> [f64; 4] {
        [self.x, self.y, (self.x + self.width).min(1.0), (self.y + self.height).min(1.0)]
    }
}

#[derive(Deserialize)]
struct AreaSpec {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
}

impl TryFrom<AreaSpec> for KeepArea {
    type Error = FramingError;

    fn try_from(spec: AreaSpec) -> Result<Self, FramingError> {
        Self::new(spec.x, spec.y, spec.width, spec.height)
    }
}

/// Why a framing was refused.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum FramingError {
    /// A focal point that is not on the picture.
    #[error(
        "the focal point ({x}, {y}) is not on the picture: both must lie between 0 and 1, \
         from the left and from the top"
    )]
    FocalPointOutside {
        /// Fraction of the width.
        x: f64,
        /// Fraction of the height.
        y: f64,
    },
    /// A keep area that is empty or not on the picture.
    #[error(
        "the keep area ({width} × {height} from {x}, {y}) does not lie on the picture: all are \
         fractions of it, the sides above 0, and it must end within 1"
    )]
    KeepAreaOutside {
        /// Fraction of the width.
        x: f64,
        /// Fraction of the height.
        y: f64,
        /// Fraction of the width.
        width: f64,
        /// Fraction of the height.
        height: f64,
    },
}

/// The largest rectangle of shape `aspect` (width over height) inside `source`, its centre moved
/// to the focal point as far as the source allows, in whole pixels.
///
/// ```
/// use brisk_margin_core::framing::{FocalPoint, cover};
/// use brisk_margin_core::geometry::{Rect, Size};
///
/// // A square of a wide picture, whose subject is far on the left.
/// let subject = FocalPoint::new(0.1, 0.5)?;
/// let crop = cover(Size::new(3000, 1000), 1.0, subject);
/// assert_eq!(crop, Rect { x: 0, y: 0, width: 1000, height: 1000 });
/// # Ok::<_, Box<dyn std::error::Error>>(())
/// ```
pub fn cover(source: Size, aspect: f64, focal: FocalPoint) -> Rect {
    let (w, h) = (f64::from(source.width), f64::from(source.height));
    frame(source, aspect, (focal.x * w, focal.y * h), None)
}

/// The largest rectangle of shape `aspect` inside `source`, its centre moved to `focal` as far as
/// the source allows, and then by the least that holds `keep` (left, top, right, bottom). Where
/// `keep` is longer than the rectangle, that stays inside it. All in pixels of the source.
pub fn frame(source: Size, aspect: f64, focal: (f64, f64), keep: Option<[f64; 4]>) -> Rect {
    let (width, height) = if source.aspect() > aspect {
        (whole(f64::from(source.height) * aspect, source.width), source.height)
    } else {
        (source.width, whole(f64::from(source.width) / aspect, source.height))
    };
    let [across, down] = keep.map_or([None; 2], |[l, t, r, b]| [Some((l, r)), Some((t, b))]);
    Rect {
        x: offset(focal.0, source.width, width, across),
        y: offset(focal.1, source.height, height, down),
        width,
        height,
    }
}

fn whole(length: f64, limit: u32) -> u32 {
    (length.round() as u32).clamp(1, limit)
}

fn offset(focal: f64, source: u32, frame: u32, keep: Option<(f64, f64)>) -> u32 {
    let length = f64::from(frame);
    let mut start = (focal - length / 2.0).round();
    if let Some((from, to)) = keep {
        // Whole pixels that hold all of it.
        let (from, to) = (from.floor(), to.ceil());
        let (least, most) = (from.min(to - length), from.max(to - length));
        start = start.clamp(least, most);
    }
    // A negative start saturates to zero.
    (start as u32).min(source - frame)
}

/// The smallest rectangle that holds all of `rects`; nothing where there are none.
pub fn union(rects: impl IntoIterator<Item = Rect>) -> Option<Rect> {
    rects.into_iter().reduce(|a, b| {
        let (x, y) = (a.x.min(b.x), a.y.min(b.y));
        Rect {
            x,
            y,
            width: (a.x + a.width).max(b.x + b.width) - x,
            height: (a.y + a.height).max(b.y + b.height) - y,
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_wide_slot_cuts_top_and_bottom_around_the_focal_point() {
        let crop = cover(Size::new(6000, 4000), 912.0 / 344.0, FocalPoint::CENTRE);
        assert_eq!((crop.width, crop.height), (6000, 2263));
        assert_eq!((crop.x, crop.y), (0, 869));
        let high = cover(Size::new(6000, 4000), 912.0 / 344.0, FocalPoint::new(0.5, 0.1).unwrap());
        assert_eq!(high.y, 0);
    }

    #[test]
    fn a_keep_area_larger_than_the_frame_tells_what_is_cut_of_it() {
        // A square of 1,000 px out of 2,000 × 1,000, and an area of 1,200 × 500 to be kept.
        let keep = [400.0, 250.0, 1_600.0, 750.0];
        let crop = frame(Size::new(2_000, 1_000), 1.0, (1_000.0, 500.0), Some(keep));
        assert_eq!((crop.x, crop.width), (500, 1_000));
        let cut = KeepCut::of(keep, crop).unwrap();
        assert_eq!((cut.left, cut.top, cut.right, cut.bottom), (100, 0, 100, 0));
        assert!((cut.percent_across - 100.0 / 6.0).abs() < 1e-9 && cut.percent_down == 0.0);
    }

    #[test]
    fn a_keep_area_that_is_empty_or_ends_outside_is_refused() {
        assert!(KeepArea::new(0.1, 0.1, 0.9, 0.9).is_ok());
        for (x, width) in [(0.2, 0.9), (-0.1, 0.5), (0.5, 0.0), (f64::NAN, 0.5), (0.5, -0.1)] {
            assert!(KeepArea::new(x, 0.0, width, 1.0).is_err(), "{x} {width}");
        }
    }

    #[test]
    fn a_part_drawn_by_hand_ends_at_the_edge_and_a_moved_one_keeps_its_size() {
        let source = Size::new(1_000, 500);
        let part = Rect { x: 800, y: 100, width: 400, height: 200 };
        let edge = drawn(source, part, None, Holding::TopLeft).unwrap();
        assert_eq!(edge, Rect { width: 200, ..part });
        let moved = drawn(source, part, None, Holding::Size).unwrap();
        assert_eq!(moved, Rect { x: 600, ..part });
        let square = drawn(source, part, Some(1.0), Holding::BottomRight).unwrap();
        assert_eq!(square, Rect { width: 200, ..part });
        let tall = Rect { width: 100, ..part };
        let low = drawn(source, tall, Some(1.0), Holding::BottomLeft).unwrap();
        assert_eq!(low, Rect { y: 200, width: 100, height: 100, ..part });
        assert_eq!(drawn(source, Rect { height: 0, ..part }, None, Holding::Size), None);
    }

    #[test]
    fn a_focal_point_off_the_picture_is_refused() {
        assert!(FocalPoint::new(1.01, 0.5).is_err());
        assert!(FocalPoint::new(0.5, f64::NAN).is_err());
        assert!(serde_json::from_str::<FocalPoint>(r#"{"x":-1,"y":0}"#).is_err());
    }

    prop_compose! {
        fn case()(
            w in 1u32..12_000, h in 1u32..12_000,
            a in 1u32..4_000, b in 1u32..4_000,
            fx in 0.0..=1.0f64, fy in 0.0..=1.0f64,
        ) -> (Size, f64, FocalPoint) {
            (Size::new(w, h), f64::from(a) / f64::from(b), FocalPoint::new(fx, fy).unwrap())
        }
    }

    proptest! {
        #[test]
        fn always_inside_the_source((source, aspect, focal) in case()) {
            let crop = cover(source, aspect, focal);
            prop_assert!(crop.width > 0 && crop.height > 0 && crop.is_inside(source));
        }

        #[test]
        fn as_large_as_can_be_and_of_the_right_shape((source, aspect, focal) in case()) {
            let crop = cover(source, aspect, focal);
            prop_assert!(crop.width == source.width || crop.height == source.height);
            // One side was rounded; where that made it the source's own, either may have been.
            let across = f64::from(crop.width) - (f64::from(crop.height) * aspect).max(1.0);
            let down = f64::from(crop.height) - (f64::from(crop.width) / aspect).max(1.0);
            let off = across.abs().min(down.abs());
            prop_assert!(off <= 0.5 + 1e-6, "{off} px from the slot's shape");
        }

        #[test]
        fn no_other_place_is_nearer_the_focal_point((source, aspect, focal) in case()) {
            let crop = cover(source, aspect, focal);
            let far = |start: u32, length: u32, point: f64| {
                (f64::from(start) + f64::from(length) / 2.0 - point).abs()
            };
            let (px, py) = (focal.x() * f64::from(source.width), focal.y() * f64::from(source.height));
            for x in [crop.x.saturating_sub(1), (crop.x + 1).min(source.width - crop.width)] {
                prop_assert!(far(crop.x, crop.width, px) <= far(x, crop.width, px) + 1e-6);
            }
            for y in [crop.y.saturating_sub(1), (crop.y + 1).min(source.height - crop.height)] {
                prop_assert!(far(crop.y, crop.height, py) <= far(y, crop.height, py) + 1e-6);
            }
        }

        #[test]
        fn a_keep_area_is_kept_whenever_that_can_be(
            (source, aspect, focal) in case(), a in 0.0..1.0f64, b in 0.0..1.0f64,
            c in 0.01..1.0f64, d in 0.01..1.0f64,
        ) {
            let (w, h) = (f64::from(source.width), f64::from(source.height));
            let keep = [a * w, b * h, (a + c * (1.0 - a)) * w, (b + d * (1.0 - b)) * h];
            let point = (focal.x() * w, focal.y() * h);
            let crop = frame(source, aspect, point, Some(keep));
            let free = frame(source, aspect, point, None);
            prop_assert!(crop.is_inside(source));
            prop_assert_eq!(crop.size(), free.size(), "it is moved and never shrunk");
            let sides = [
                (crop.x, crop.width, free.x, keep[0], keep[2]),
                (crop.y, crop.height, free.y, keep[1], keep[3]),
            ];
            for (start, length, free, from, to) in sides {
                let (start, end) = (f64::from(start), f64::from(start) + f64::from(length));
                let (from, to) = (from.floor(), to.ceil());
                if to - from <= f64::from(length) {
                    prop_assert!(start <= from && end >= to, "{start}..{end} cuts {from}..{to}");
                    // By the least: only as far as an edge of the area forces it.
                    let forced = start == from || end == to;
                    prop_assert!(start == f64::from(free) || forced);
                } else {
                    prop_assert!(start >= from && end <= to, "{start}..{end} leaves {from}..{to}");
                }
            }
            let fits = keep[2].ceil() - keep[0].floor() <= f64::from(crop.width)
                && keep[3].ceil() - keep[1].floor() <= f64::from(crop.height);
            prop_assert!(!fits || KeepCut::of(keep, crop).is_none());
        }

        #[test]
        fn a_browser_told_the_object_position_shows_the_crop(
            (source, aspect, focal) in case(), other in 0.2..5.0f64,
        ) {
            let crops = [aspect, aspect * other].map(|aspect| cover(source, aspect, focal));
            let file = union(crops).unwrap();
            for (crop, aspect) in crops.into_iter().zip([aspect, aspect * other]) {
                let shown = shown_at(file, aspect, object_position(file, crop));
                // Half a pixel of rounding on the short side is this much on the long one.
                let long = aspect.max(aspect.recip());
                let crop = [crop.x, crop.y, crop.width, crop.height].map(f64::from);
                for (shown, crop) in shown.into_iter().zip(crop) {
                    let off = (shown - crop).abs();
                    prop_assert!(off <= 1.0 + long / 2.0, "{shown} shown, {crop} framed");
                }
            }
        }

        #[test]
        fn cuts_and_crop_add_up_to_the_source((source, aspect, focal) in case()) {
            let crop = cover(source, aspect, focal);
            let cuts = Cuts::of(source, crop);
            prop_assert_eq!(cuts.left + crop.width + cuts.right, source.width);
            prop_assert_eq!(cuts.top + crop.height + cuts.bottom, source.height);
        }
    }
}

//! Framing: which part of a picture a slot shows.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::geometry::{Rect, Size};

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
}

/// The largest rectangle of shape `aspect` (width over height) inside `source`, its centre moved
/// to the focal point as far as the source allows, in whole pixels.
pub fn cover(source: Size, aspect: f64, focal: FocalPoint) -> Rect {
    let (width, height) = if source.aspect() > aspect {
        (whole(f64::from(source.height) * aspect, source.width), source.height)
    } else {
        (source.width, whole(f64::from(source.width) / aspect, source.height))
    };
    Rect {
        x: offset(focal.x, source.width, width),
        y: offset(focal.y, source.height, height),
        width,
        height,
    }
}

fn whole(length: f64, limit: u32) -> u32 {
    (length.round() as u32).clamp(1, limit)
}

fn offset(fraction: f64, source: u32, frame: u32) -> u32 {
    let start = (fraction * f64::from(source) - f64::from(frame) / 2.0).round();
    // A negative start saturates to zero.
    (start as u32).min(source - frame)
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
            let off = if crop.height == source.height && crop.width != source.width {
                f64::from(crop.width) - (f64::from(crop.height) * aspect).max(1.0)
            } else {
                f64::from(crop.height) - (f64::from(crop.width) / aspect).max(1.0)
            };
            prop_assert!(off.abs() <= 0.5 + 1e-6, "{off} px from the slot's shape");
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
        fn cuts_and_crop_add_up_to_the_source((source, aspect, focal) in case()) {
            let crop = cover(source, aspect, focal);
            let cuts = Cuts::of(source, crop);
            prop_assert_eq!(cuts.left + crop.width + cuts.right, source.width);
            prop_assert_eq!(cuts.top + crop.height + cuts.bottom, source.height);
        }
    }
}

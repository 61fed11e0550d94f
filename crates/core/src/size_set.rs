//! Named sets of sizes: the boxes that slots are given by hand, many at once.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::layout::{BoxSize, Boxes, LayoutWidth};
use crate::slot_shape::{Fit, MAX_SIDE};

/// Width against height in a set of sizes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Ratio {
    /// As the slot has it, or as width and height say.
    Free,
    /// Both sides alike.
    Square,
    /// As typed, as in 3 to 2.
    Typed {
        /// Parts across.
        across: f64,
        /// Parts down.
        down: f64,
    },
}

impl Ratio {
    /// Width over height, where it is fixed.
    fn aspect(self) -> Option<f64> {
        match self {
            Self::Free => None,
            Self::Square => Some(1.0),
            Self::Typed { across, down } => Some(across / down),
        }
    }
}

/// One size of a set, in CSS px.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "SetSizeSpec")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetSize {
    width: Option<f64>,
    height: Option<f64>,
    ratio: Ratio,
}

/// A [`SetSize`] before it is checked.
#[derive(Deserialize)]
struct SetSizeSpec {
    width: Option<f64>,
    height: Option<f64>,
    ratio: Ratio,
}

impl TryFrom<SetSizeSpec> for SetSize {
    type Error = SetSizeError;

    fn try_from(spec: SetSizeSpec) -> Result<Self, SetSizeError> {
        Self::new(spec.width, spec.height, spec.ratio)
    }
}

/// Why a size says nothing.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum SetSizeError {
    /// A side that no slot has.
    #[error("a side of {0} CSS px cannot be: give one above 0 and up to 20,000")]
    Side(f64),
    /// Parts that make no ratio.
    #[error("{across} : {down} is no ratio: give two numbers above 0, as in 3 : 2")]
    Ratio {
        /// Parts across.
        across: f64,
        /// Parts down.
        down: f64,
    },
    /// Three things of which two decide.
    #[error("width, height and a ratio cannot all hold: leave out one of them")]
    TooMuch,
    /// Nothing at all.
    #[error("give a width, a height or a ratio")]
    Nothing,
    /// A size that follows from the slot that it is given to.
    #[error(
        "one of its sizes has no width, nor a height with a ratio, so only slots can be given it"
    )]
    NeedsSlot,
    /// Sizes that cut pictures to their shape beside some that do not.
    #[error("some of its sizes have a shape and some do not: give all of them one, or none")]
    SomeShaped,
    /// Narrower than where its sizes begin.
    #[error("its sizes begin at {0} px, beyond the site's widest layout width")]
    BeyondLayouts(u32),
}

impl SetSize {
    /// A size with `width` or `height`, or both, or either with a ratio, or a ratio alone.
    pub fn new(
        width: Option<f64>,
        height: Option<f64>,
        ratio: Ratio,
    ) -> Result<Self, SetSizeError> {
        for side in [width, height].into_iter().flatten() {
            if !(side > 0.0 && side <= MAX_SIDE) {
                return Err(SetSizeError::Side(side));
            }
        }
        if let Ratio::Typed { across, down } = ratio
            && !(across > 0.0 && down > 0.0 && (across / down).is_normal())
        {
            return Err(SetSizeError::Ratio { across, down });
        }
        match (width, height, ratio.aspect()) {
            (None, None, None) => Err(SetSizeError::Nothing),
            (Some(_), Some(_), Some(_)) => Err(SetSizeError::TooMuch),
            _ => Ok(Self { width, height, ratio }),
        }
    }

    /// Its width, and its height where it has one, without a slot; nothing where that has no width.
    fn alone(self) -> Option<(f64, Option<f64>)> {
        match (self.width, self.height, self.ratio.aspect()) {
            (Some(width), height, aspect) => {
                Some((width, height.or(aspect.map(|aspect| width / aspect))))
            }
            (None, Some(height), Some(aspect)) => Some((height * aspect, Some(height))),
            (None, _, _) => None,
        }
    }

    /// The box that a slot gets which is `now` so large. What is not given follows from the ratio,
    /// and where that is free, from the slot's own shape; a ratio alone keeps the slot's width.
    pub fn of(self, now: BoxSize) -> BoxSize {
        let aspect = self.ratio.aspect().unwrap_or_else(|| now.aspect());
        match (self.width, self.height) {
            (Some(width), Some(height)) => BoxSize { width, height },
            (None, Some(height)) => BoxSize { width: height * aspect, height },
            (width, None) => {
                let width = width.unwrap_or(now.width);
                BoxSize { width, height: width / aspect }
            }
        }
    }
}

/// Sizes by the narrowest viewport they hold for: each up to the next.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "BTreeMap<u32, SetSize>", into = "BTreeMap<u32, SetSize>")]
pub struct SizeSet(BTreeMap<u32, SetSize>);

impl TryFrom<BTreeMap<u32, SetSize>> for SizeSet {
    type Error = SetSizeError;

    fn try_from(sizes: BTreeMap<u32, SetSize>) -> Result<Self, SetSizeError> {
        if sizes.is_empty() { Err(SetSizeError::Nothing) } else { Ok(Self(sizes)) }
    }
}

impl From<SizeSet> for BTreeMap<u32, SetSize> {
    fn from(set: SizeSet) -> Self {
        set.0
    }
}

impl SizeSet {
    /// The sizes, by the narrowest viewport each holds for.
    pub const fn sizes(&self) -> &BTreeMap<u32, SetSize> {
        &self.0
    }

    /// The boxes that a slot gets which now has `boxes`. One that is not shown somewhere stays
    /// so, and below the narrowest viewport of the set the slot stays as it is.
    pub fn of(&self, boxes: &Boxes) -> Boxes {
        let sized = |viewport: u32, now: BoxSize| match self.0.range(..=viewport).next_back() {
            Some((_, size)) if now.is_shown() => size.of(now),
            _ => now,
        };
        boxes.iter().map(|(&viewport, &now)| (viewport, sized(viewport, now))).collect()
    }

    /// What the sizes are without a slot to give them to: how a picture fills them, and the boxes at the
    /// site's layout widths. Pictures are cut where the sizes have a shape, and keep their own where
    /// only a width is given; the boxes are squares then, of which the width counts.
    ///
    /// # Errors
    /// Where a size follows from a slot's, where only some have a shape, or where no layout width is as
    /// wide as the narrowest size needs.
    pub fn alone(&self, layouts: &[LayoutWidth]) -> Result<(Fit, Boxes), SetSizeError> {
        let alone = |(&from, size): (&u32, &SetSize)| Some((from, size.alone()?));
        let sizes: Option<BTreeMap<u32, _>> = self.0.iter().map(alone).collect();
        let sizes = sizes.ok_or(SetSizeError::NeedsSlot)?;
        let shaped = sizes.values().filter(|(_, height)| height.is_some()).count();
        let fit = match shaped {
            0 => Fit::Width,
            _ if shaped == sizes.len() => Fit::Cover,
            _ => return Err(SetSizeError::SomeShaped),
        };
        let at = |layout: &LayoutWidth| {
            let (_, &(width, height)) = sizes.range(..=layout.width).next_back()?;
            Some((layout.width, BoxSize { width, height: height.unwrap_or(width) }))
        };
        let boxes: Boxes = layouts.iter().filter_map(at).collect();
        if boxes.is_empty() {
            let narrowest = sizes.first_key_value().map_or(0, |(&from, _)| from);
            return Err(SetSizeError::BeyondLayouts(narrowest));
        }
        Ok((fit, boxes))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const NOW: BoxSize = BoxSize { width: 360.0, height: 240.0 };

    fn size(width: Option<f64>, height: Option<f64>, ratio: Ratio) -> [f64; 2] {
        SetSize::new(width, height, ratio).unwrap().of(NOW).into()
    }

    #[test]
    fn what_is_not_given_follows_from_the_ratio() {
        let typed = Ratio::Typed { across: 16.0, down: 9.0 };
        assert_eq!(size(Some(320.0), None, typed), [320.0, 180.0]);
        assert_eq!(size(None, Some(90.0), typed), [160.0, 90.0]);
        assert_eq!(size(Some(150.0), None, Ratio::Square), [150.0, 150.0]);
        assert_eq!(size(None, None, Ratio::Square), [360.0, 360.0]);
        assert_eq!(size(Some(300.0), None, Ratio::Free), [300.0, 200.0]);
        assert_eq!(size(Some(300.0), Some(300.0), Ratio::Free), [300.0, 300.0]);
    }

    #[test]
    fn a_size_that_says_nothing_or_too_much_is_refused() {
        let refused = |width, height, ratio| SetSize::new(width, height, ratio).unwrap_err();
        assert_eq!(refused(None, None, Ratio::Free), SetSizeError::Nothing);
        assert_eq!(refused(Some(1.0), Some(2.0), Ratio::Square), SetSizeError::TooMuch);
        assert_eq!(refused(Some(-1.0), None, Ratio::Free), SetSizeError::Side(-1.0));
        assert!(refused(Some(f64::NAN), None, Ratio::Free).to_string().contains("CSS px"));
        let flat = Ratio::Typed { across: 1.0, down: 0.0 };
        assert_eq!(refused(Some(1.0), None, flat), SetSizeError::Ratio { across: 1.0, down: 0.0 });
        assert!(serde_json::from_str::<SizeSet>("{}").is_err());
    }

    #[test]
    fn each_size_holds_up_to_the_next_and_hidden_boxes_stay_hidden() {
        let square = SetSize::new(Some(120.0), None, Ratio::Square).unwrap();
        let wide = SetSize::new(None, Some(300.0), Ratio::Free).unwrap();
        let set = SizeSet::try_from(BTreeMap::from([(600, square), (1280, wide)])).unwrap();
        let hidden = BoxSize { width: 0.0, height: 0.0 };
        let boxes: Boxes = [(390, NOW), (700, hidden), (820, NOW), (1920, NOW)].into();
        let given: Vec<[f64; 2]> = set.of(&boxes).into_values().map(Into::into).collect();
        assert_eq!(given, [[360.0, 240.0], [0.0, 0.0], [120.0, 120.0], [450.0, 300.0]]);
    }

    #[test]
    fn sizes_without_a_slot_hold_at_the_layout_widths() {
        let layouts = [390, 820, 1280].map(LayoutWidth::of);
        let of = |sizes: &[(u32, SetSize)]| {
            let set = SizeSet::try_from(sizes.iter().copied().collect::<BTreeMap<_, _>>()).unwrap();
            let told = |(fit, boxes): (Fit, Boxes)| {
                (fit, boxes.into_iter().map(|(at, size)| (at, size.into())).collect::<Vec<_>>())
            };
            set.alone(&layouts).map(told)
        };
        let wide = SetSize::new(Some(640.0), None, Ratio::Free).unwrap();
        let narrow = SetSize::new(Some(320.0), None, Ratio::Free).unwrap();
        let square = SetSize::new(None, Some(120.0), Ratio::Square).unwrap();
        let low = SetSize::new(None, Some(300.0), Ratio::Free).unwrap();
        let by_width = vec![(390, [320.0, 320.0]), (820, [640.0; 2]), (1280, [640.0; 2])];
        assert_eq!(of(&[(0, narrow), (600, wide)]), Ok((Fit::Width, by_width)));
        assert_eq!(of(&[(900, square)]), Ok((Fit::Cover, vec![(1280, [120.0, 120.0])])));
        assert_eq!(of(&[(0, narrow), (600, square)]), Err(SetSizeError::SomeShaped));
        assert_eq!(of(&[(0, low)]), Err(SetSizeError::NeedsSlot));
        assert_eq!(of(&[(1600, wide)]), Err(SetSizeError::BeyondLayouts(1600)));
    }

    proptest! {
        #[test]
        fn a_fixed_ratio_holds_in_every_box(
            across in 0.1f64..50.0, down in 0.1f64..50.0, side in 1.0f64..4_000.0,
            width in 1.0f64..4_000.0, height in 1.0f64..4_000.0, by_height: bool,
        ) {
            let ratio = Ratio::Typed { across, down };
            let (w, h) = if by_height { (None, Some(side)) } else { (Some(side), None) };
            let given = SetSize::new(w, h, ratio).unwrap().of(BoxSize { width, height });
            prop_assert!((given.aspect() * down / across - 1.0).abs() < 1e-9);
            let kept = if by_height { given.height } else { given.width };
            prop_assert!((kept - side).abs() < 1e-9);
        }
    }
}

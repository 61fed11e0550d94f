//! Fitting a picture to a slot: what is cut, how it is scaled, and what it lacks.

use serde::Serialize;
use thiserror::Error;

use crate::framing;
use crate::framing::{Cuts, FocalPoint};
use crate::geometry::{Rect, Size};
use crate::layout::BoxSize;
use crate::needs;
use crate::slot_shape::{Fit, SlotShape};
use crate::units::Density;

/// How one picture fills one slot at one density.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fitting {
    /// The part of the upright original that is used, in source pixels.
    pub crop: Rect,
    /// What is cut from each side, in source pixels.
    pub cuts: Cuts,
    /// The device pixels that the slot asks for.
    pub needed: Size,
    /// The pixels that the file will have: never more than the source gives.
    pub output: Size,
    /// Output pixels per source pixel, at most 1.
    pub scale: f64,
    /// Needed over available pixels, along the side where it is worse. Above 1 the picture is
    /// too small for the slot.
    pub shortfall: f64,
}

impl Fitting {
    /// Fits a picture of upright size `source` to `slot` at `density`.
    ///
    /// A source that is too small is not enlarged: the file then has the pixels there are.
    ///
    /// # Errors
    /// [`TooSmall`] with [`Fit::Exact`], which promises the slot's pixels.
    ///
    /// ```
    /// use brisk_margin_core::fitting::Fitting;
    /// use brisk_margin_core::framing::FocalPoint;
    /// use brisk_margin_core::geometry::Size;
    /// use brisk_margin_core::slot_shape::{Fit, SlotShape};
    /// use brisk_margin_core::units::Density;
    ///
    /// let slot = SlotShape::new(912.0, 344.0, Fit::Cover)?;
    /// let two = Density::new(2.0)?;
    /// let fitting = Fitting::new(Size::new(6000, 4000), slot, two, FocalPoint::CENTRE)?;
    /// assert_eq!(fitting.output, Size::new(1824, 688));
    /// assert!(!fitting.is_short());
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn new(
        source: Size,
        slot: SlotShape,
        density: Density,
        focal: FocalPoint,
    ) -> Result<Self, TooSmall> {
        let fitting = Self::unchecked(source, slot, density, focal);
        if slot.fit() == Fit::Exact && fitting.is_short() {
            return Err(TooSmall(fitting));
        }
        Ok(fitting)
    }

    /// The whole of `source` scaled to `output`, with no slot in mind.
    pub fn whole(source: Size, output: Size) -> Self {
        let crop = Rect::whole(source);
        Self {
            crop,
            cuts: Cuts::of(source, crop),
            needed: output,
            output,
            scale: ratio(output.width, source.width),
            shortfall: ratio(output.width, source.width),
        }
    }

    /// Whether the source has fewer pixels than the slot asks for.
    pub fn is_short(&self) -> bool {
        self.shortfall > 1.0
    }

    fn unchecked(source: Size, slot: SlotShape, density: Density, focal: FocalPoint) -> Self {
        let choose = |aspect: Option<f64>| match aspect {
            Some(aspect) => framing::cover(source, aspect, focal),
            None => Rect::whole(source),
        };
        Self::framed(source, slot, density, 0, choose).fitting
    }

    /// Fits the part of `source` that `choose` gives for a shape, or for none where the fit does
    /// not crop, with a ground of `padding` device pixels on each side.
    ///
    /// A part of another shape than the slot's, chosen by hand, is shown by the browser as far as
    /// the slot has room, but for [`Fit::Exact`], which takes the largest part of it that fits.
    pub(crate) fn framed(
        source: Size,
        slot: SlotShape,
        density: Density,
        padding: u32,
        choose: impl Fn(Option<f64>) -> Rect,
    ) -> Padded {
        let (width, height) = (slot.width().get(), slot.height().get());
        let asked = needs::device(width, height, density);
        // What is left of a slot for the picture is at least a tenth of its shorter side.
        let padding = match slot.fit() {
            Fit::Width => padding.min(asked.width * 9 / 20),
            _ => padding.min(asked.width.min(asked.height) * 9 / 20),
        };
        let room =
            Size::new(asked.width - 2 * padding, asked.height.saturating_sub(2 * padding).max(1));
        // Without padding the box counts to the part of a pixel.
        let aspect = if padding == 0 { slot.aspect() } else { room.aspect() };
        let mut crop = choose(slot.fit().crops().then_some(aspect));
        if slot.fit() == Fit::Exact && !has_shape(crop, aspect) {
            crop = inside(crop, aspect);
        }
        let inner = if slot.fit().crops() && has_shape(crop, aspect) {
            room
        } else {
            let lost = 2.0 * f64::from(padding) / density.get();
            let left = BoxSize { width: width - lost, height: (height - lost).max(lost.min(1.0)) };
            let left = if padding == 0 { BoxSize { width, height } } else { left };
            let rendered = left.rendered(slot.fit(), crop.size().aspect());
            needs::device(rendered.width, rendered.height, density)
        };
        let available = crop.size();
        let shortfall =
            ratio(inner.width, available.width).max(ratio(inner.height, available.height));
        let shown = if shortfall > 1.0 { available } else { inner };
        let scale = ratio(shown.width, available.width).max(ratio(shown.height, available.height));
        let around = |size: Size, padding: u32| {
            Size::new(size.width + 2 * padding, size.height + 2 * padding)
        };
        let left = (f64::from(padding) * ratio(shown.width, inner.width)).round() as u32;
        let fitting = Self {
            crop,
            cuts: Cuts::of(source, crop),
            needed: around(inner, padding),
            output: around(shown, left),
            scale,
            shortfall,
        };
        let inner = Rect { x: left, y: left, width: shown.width, height: shown.height };
        Padded { fitting, inner }
    }
}

/// A fitting, and where in its file the picture lies.
pub(crate) struct Padded {
    pub fitting: Fitting,
    pub inner: Rect,
}

/// Whether `crop` has shape `aspect`, to half a pixel.
pub(crate) fn has_shape(crop: Rect, aspect: f64) -> bool {
    let (width, height) = (f64::from(crop.width), f64::from(crop.height));
    (width - height * aspect).abs() <= 0.5 + 1e-6 || (height - width / aspect).abs() <= 0.5 + 1e-6
}

/// The largest part of `crop` of shape `aspect`, in its middle.
fn inside(crop: Rect, aspect: f64) -> Rect {
    let part = framing::cover(crop.size(), aspect, FocalPoint::CENTRE);
    Rect { x: crop.x + part.x, y: crop.y + part.y, ..part }
}

fn ratio(part: u32, whole: u32) -> f64 {
    f64::from(part) / f64::from(whole)
}

/// An exact slot asks for more pixels than the picture has.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[error(
    "the picture is too small for this exact slot: it asks for {}, the picture gives {} once \
     cropped, {:.2} times too few; choose cover to use the pixels there are, or a larger picture",
    .0.needed, .0.crop.size(), .0.shortfall
)]
pub struct TooSmall(
    /// The fitting as it would be without the promise of exact pixels.
    pub Fitting,
);

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn fitting(source: (u32, u32), slot: (f64, f64), fit: Fit, density: f64) -> Fitting {
        Fitting::new(
            Size::new(source.0, source.1),
            SlotShape::new(slot.0, slot.1, fit).unwrap(),
            Density::new(density).unwrap(),
            FocalPoint::CENTRE,
        )
        .unwrap()
    }

    #[test]
    fn cover_gives_the_boxs_pixels_and_says_what_was_cut() {
        let f = fitting((6000, 4000), (912.0, 344.0), Fit::Cover, 1.0);
        assert_eq!(f.output, Size::new(912, 344));
        assert_eq!((f.cuts.top, f.cuts.bottom), (869, 868));
        assert_eq!((f.cuts.left, f.cuts.right), (0, 0));
        assert!((f.scale - 0.152).abs() < 1e-3);
        assert!(!f.is_short());
    }

    #[test]
    fn contain_keeps_all_of_the_picture_inside_the_box() {
        let f = fitting((6000, 4000), (912.0, 344.0), Fit::Contain, 1.0);
        assert_eq!(f.output, Size::new(516, 344));
        assert_eq!(f.crop, Rect::whole(Size::new(6000, 4000)));
    }

    #[test]
    fn width_lets_the_height_follow() {
        let f = fitting((6000, 4000), (912.0, 1.0), Fit::Width, 2.0);
        assert_eq!(f.output, Size::new(1824, 1216));
    }

    #[test]
    fn a_small_source_is_used_as_it_is_and_the_shortfall_told() {
        let f = fitting((640, 480), (912.0, 344.0), Fit::Cover, 1.0);
        assert_eq!(f.output, Size::new(640, 241));
        assert!((f.shortfall - 344.0 / 241.0).abs() < 1e-9);
        assert_eq!(f.scale, 1.0);
    }

    #[test]
    fn exact_refuses_a_small_source_with_the_figures() {
        let error = Fitting::new(
            Size::new(640, 480),
            SlotShape::new(912.0, 344.0, Fit::Exact).unwrap(),
            Density::ONE,
            FocalPoint::CENTRE,
        )
        .unwrap_err();
        let text = error.to_string();
        assert!(text.contains("912 × 344 px") && text.contains("640 × 241 px"), "{text}");
    }

    #[test]
    fn a_picture_one_pixel_high_survives_every_fit() {
        for fit in Fit::ALL {
            let f = Fitting::unchecked(
                Size::new(20_000, 1),
                SlotShape::new(300.0, 200.0, fit).unwrap(),
                Density::ONE,
                FocalPoint::CENTRE,
            );
            assert!(f.output.width >= 1 && f.output.height >= 1, "{fit:?}");
        }
    }

    prop_compose! {
        fn case()(
            w in 1u32..9_000, h in 1u32..9_000,
            bw in 1.0..4_000.0f64, bh in 1.0..4_000.0f64,
            fit in prop::sample::select(Fit::ALL.to_vec()),
            density in 0.5..4.0f64,
            fx in 0.0..=1.0f64, fy in 0.0..=1.0f64,
        ) -> (Size, SlotShape, Density, FocalPoint) {
            (
                Size::new(w, h),
                SlotShape::new(bw, bh, fit).unwrap(),
                Density::new(density).unwrap(),
                FocalPoint::new(fx, fy).unwrap(),
            )
        }
    }

    proptest! {
        #[test]
        fn never_enlarged_and_never_off_the_picture((source, slot, density, focal) in case()) {
            let f = Fitting::unchecked(source, slot, density, focal);
            prop_assert!(f.crop.is_inside(source));
            prop_assert!(f.output.width <= f.crop.width && f.output.height <= f.crop.height);
            prop_assert!(f.scale <= 1.0);
        }

        #[test]
        fn never_squashed_by_more_than_a_rounded_pixel((source, slot, density, focal) in case()) {
            let f = Fitting::unchecked(source, slot, density, focal);
            // The height that the width's scale would give, against the height there is. One
            // pixel comes from rounding the output, half a source pixel from the crop.
            let per_px = f64::from(f.output.width) / f64::from(f.crop.width);
            let across = f64::from(f.output.height) - f64::from(f.crop.height) * per_px;
            let per_py = f64::from(f.output.height) / f64::from(f.crop.height);
            let down = f64::from(f.output.width) - f64::from(f.crop.width) * per_py;
            prop_assert!(across.abs() <= 1.6 || down.abs() <= 1.6, "{across} {down} in {f:?}");
        }

        #[test]
        fn exact_has_the_slots_pixels_or_is_refused((source, slot, density, focal) in case()) {
            let slot = SlotShape::new(slot.width().get(), slot.height().get(), Fit::Exact).unwrap();
            match Fitting::new(source, slot, density, focal) {
                Ok(f) => prop_assert_eq!(
                    f.output,
                    Size::new(slot.width().at(density).get(), slot.height().at(density).get())
                ),
                Err(TooSmall(f)) => prop_assert!(
                    f.needed.width > f.crop.width || f.needed.height > f.crop.height
                ),
            }
        }
    }
}

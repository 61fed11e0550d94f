//! Plans: how one picture with its edits fills one slot, before a pixel is rendered.

use serde::{Deserialize, Serialize};

use super::canvas::{Canvas, HandCrop};
use super::values::Scales;
use super::{Edit, EditList};
use crate::fitting::{Fitting, TooSmall};
use crate::framing;
use crate::framing::{FocalPoint, KeepArea};
use crate::geometry::{Rect, Size};
use crate::slot_shape::{Fit, SlotShape};
use crate::units::Density;

/// What a framing goes by.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct CropSpec {
    /// The point that comes as near the middle as can be.
    pub focal: FocalPoint,
    /// What is not cut.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub keep: Option<KeepArea>,
    /// A crop made by hand, which goes before both.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by_hand: Option<HandCrop>,
}

impl CropSpec {
    /// Around `focal`, with nothing else to mind.
    pub const fn at(focal: FocalPoint) -> Self {
        Self { focal, keep: None, by_hand: None }
    }

    /// What it makes of `canvas` for a shape, or all of it.
    pub fn crop(&self, canvas: &Canvas, aspect: Option<f64>) -> Rect {
        match (self.by_hand, aspect) {
            (Some(crop), _) => canvas.crop(crop),
            (None, None) => Rect::whole(canvas.size()),
            (None, Some(aspect)) => {
                let keep = self.keep.and_then(|keep| canvas.keep(keep));
                framing::frame(canvas.size(), aspect, canvas.focal(self.focal), keep)
            }
        }
    }
}

/// All that decides the pixels of a file, but for the picture and its edits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Plan {
    /// What is cut, scaled and short; its crop lies on the canvas, and its output is the file with
    /// its padding.
    pub fitting: Fitting,
    /// Where in the file the picture lies.
    pub inner: Rect,
    /// What lengths of edits come to in it.
    pub scales: Scales,
    /// How large it is beside the file it stands for; 1 for the file itself.
    pub zoom: f64,
}

impl Plan {
    /// A picture on `canvas` with the edits of `edits` in `slot` at `density`.
    ///
    /// # Errors
    /// [`TooSmall`] with [`Fit::Exact`], which promises the slot's pixels.
    pub fn new(
        canvas: &Canvas,
        edits: &EditList,
        slot: SlotShape,
        density: Density,
        aim: &CropSpec,
    ) -> Result<Self, TooSmall> {
        let choose = |aspect| aim.crop(canvas, aspect);
        let framed = |padding| Fitting::framed(canvas.size(), slot, density, padding, choose);
        let mut padded = framed(0);
        let scales = Scales::new(padded.fitting.scale, density);
        let width = edits.edits().find_map(|edit| match edit {
            Edit::Padding { width, .. } => Some(*width),
            _ => None,
        });
        if let Some(width) = width {
            padded = framed(scales.of(width).round().max(0.0) as u32);
        }
        let fitting = padded.fitting;
        if slot.fit() == Fit::Exact && fitting.is_short() {
            return Err(TooSmall(fitting));
        }
        // A file of fewer pixels than the slot asks for is shown enlarged, and its lengths with it.
        let css = density.get() * f64::from(fitting.output.width) / f64::from(fitting.needed.width);
        let scales = Scales { picture: fitting.scale, css };
        Ok(Self { fitting, inner: padded.inner, scales, zoom: 1.0 })
    }

    /// All of `canvas` at its own size, with no slot in mind.
    pub fn whole(canvas: &Canvas, edits: &EditList) -> Self {
        let size = canvas.size();
        let fitting = Fitting::whole(size, size);
        let width = edits.edits().find_map(|edit| match edit {
            Edit::Padding { width, .. } => Some(Scales::PLAIN.of(*width)),
            _ => None,
        });
        let padding = width.unwrap_or(0.0).round() as u32;
        let padding = padding.min(size.width.min(size.height) * 9 / 20);
        let room = Size::new(size.width - 2 * padding, size.height - 2 * padding);
        let crop = framing::frame(
            size,
            room.aspect(),
            (f64::from(size.width) / 2.0, f64::from(size.height) / 2.0),
            None,
        );
        let inner = Rect { x: padding, y: padding, width: room.width, height: room.height };
        Self { fitting: Fitting { crop, ..fitting }, inner, scales: Scales::PLAIN, zoom: 1.0 }
    }

    /// File pixels for each pixel of the canvas, along the side where that is more.
    pub fn scale(&self) -> f64 {
        let crop = self.fitting.crop;
        let ratio = |part: u32, whole: u32| f64::from(part) / f64::from(whole);
        ratio(self.inner.width, crop.width).max(ratio(self.inner.height, crop.height))
    }

    /// The same at another size, to be looked at: `width` pixels wide, or as wide as it is where
    /// that is less.
    pub fn no_wider_than(self, width: u32) -> Self {
        let output = self.fitting.output;
        if width >= output.width {
            return self;
        }
        self.at_width(width)
    }

    /// The same with a long side of at most so many pixels.
    pub fn no_longer_than(self, side: u32) -> Self {
        let output = self.fitting.output;
        let long = output.width.max(output.height);
        if side >= long {
            return self;
        }
        let width = f64::from(output.width) * f64::from(side) / f64::from(long);
        self.at_width((width.round() as u32).max(1))
    }

    fn at_width(self, width: u32) -> Self {
        let output = self.fitting.output;
        let factor = f64::from(width) / f64::from(output.width);
        let side = |length: u32| ((f64::from(length) * factor).round() as u32).max(1);
        let output = Size::new(side(output.width), side(output.height));
        let place = |start: u32, length: u32, most: u32| {
            let from = ((f64::from(start) * factor).round() as u32).min(most - 1);
            let to = (f64::from(start + length) * factor).round() as u32;
            (from, to.clamp(from + 1, most) - from)
        };
        let (x, width) = place(self.inner.x, self.inner.width, output.width);
        let (y, height) = place(self.inner.y, self.inner.height, output.height);
        Self {
            fitting: Fitting { output, ..self.fitting },
            inner: Rect { x, y, width, height },
            scales: self.scales.times(factor),
            zoom: self.zoom * factor,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edits::values::{Ground, Length, Of};

    fn plan(source: (u32, u32), slot: (f64, f64), fit: Fit, padding: Option<Length>) -> Plan {
        let steps =
            padding.map(|width| Edit::Padding { width, ground: Ground::TRANSPARENT }.into());
        let edits = EditList::new(steps.into_iter().collect()).unwrap();
        let canvas = Canvas::new(Size::new(source.0, source.1), &edits).unwrap();
        let slot = SlotShape::new(slot.0, slot.1, fit).unwrap();
        let density = Density::new(2.0).unwrap();
        Plan::new(&canvas, &edits, slot, density, &CropSpec::at(FocalPoint::CENTRE)).unwrap()
    }

    #[test]
    fn padding_stays_inside_the_slots_exact_pixels() {
        let css = Length { px: 10.0, of: Of::Css };
        let plan = plan((3_000, 2_000), (300.0, 200.0), Fit::Exact, Some(css));
        assert_eq!(plan.fitting.output, Size::new(600, 400));
        assert_eq!(plan.inner, Rect { x: 20, y: 20, width: 560, height: 360 });
        // The picture keeps its shape: 560 × 360 of 3,000 × 2,000.
        assert_eq!(plan.fitting.crop.size(), Size::new(3_000, 1_929));
    }

    #[test]
    fn padding_of_the_picture_scales_with_it() {
        let of_picture = Length { px: 50.0, of: Of::Picture };
        let small = plan((3_000, 2_000), (150.0, 100.0), Fit::Cover, Some(of_picture));
        let large = plan((3_000, 2_000), (600.0, 400.0), Fit::Cover, Some(of_picture));
        assert_eq!((small.inner.x, large.inner.x), (5, 20));
    }

    #[test]
    fn a_short_picture_has_its_padding_in_proportion() {
        let css = Length { px: 30.0, of: Of::Css };
        let plan = plan((300, 200), (300.0, 200.0), Fit::Cover, Some(css));
        // 480 × 280 asked for, 300 × 175 there.
        assert_eq!(plan.fitting.needed, Size::new(600, 400));
        assert_eq!((plan.inner.width, plan.inner.height), (300, 175));
        assert_eq!(plan.inner.x, 38);
    }

    #[test]
    fn a_crop_of_another_shape_is_refused_by_no_fit_and_squashed_by_none() {
        let canvas = Canvas::plain(Size::new(3_000, 2_000));
        let by_hand = canvas.hand_crop(Rect { x: 100, y: 50, width: 900, height: 900 }).ok();
        let aim = CropSpec { by_hand, ..CropSpec::at(FocalPoint::CENTRE) };
        for fit in Fit::ALL {
            let slot = SlotShape::new(300.0, 200.0, fit).unwrap();
            let plan = Plan::new(&canvas, &EditList::default(), slot, Density::ONE, &aim).unwrap();
            let (crop, output) = (plan.fitting.crop.size(), plan.fitting.output);
            let off = f64::from(output.height) * crop.aspect() - f64::from(output.width);
            assert!(off.abs() <= 1.0, "{fit:?}: {crop} to {output}");
        }
    }
}

//! Placements: one picture in one place, at every layout width and density.

use std::collections::BTreeMap;

use crate::adjustments::Adjustments;
use crate::edits::canvas::Canvas;
use crate::fitting::Fitting;
use crate::geometry::Size;
use crate::layout::BoxSize;
use crate::needs::Need;
use crate::object_fit::ObjectFit;
use crate::place::Place;
use crate::render_spec::RenderSpec;
use crate::showing::Showing;
use crate::slot::Slot;
use crate::slot_shape::SlotShape;
use crate::status::Use;
use crate::units::Bytes;

/// What `slot` asks of a picture of upright size `source` on its most demanding screen, wherever it
/// would be placed; nothing where the slot is never shown.
pub fn asked_by(slot: &Slot, adjustments: &Adjustments, source: Size) -> Option<Use> {
    let fittings = slot.needs().into_iter().filter_map(|need| {
        fitting(slot, adjustments, source, need, *slot.boxes().get(&need.viewport)?)
    });
    largest(fittings)
}

/// How a picture of upright size `source` fills the box that `slot` has on the screen of `need`.
fn fitting(
    slot: &Slot,
    adjustments: &Adjustments,
    source: Size,
    need: Need,
    size: BoxSize,
) -> Option<Fitting> {
    let shape = SlotShape::new(size.width, size.height, slot.fit).ok()?;
    let crop = adjustments.crop_spec(Some((slot.id, need.viewport)));
    RenderSpec::new(shape, need.density, crop, &adjustments.edits).fitting(source)
}

fn largest(fittings: impl Iterator<Item = Fitting>) -> Option<Use> {
    let fittings: Vec<Fitting> = fittings.collect();
    let output = fittings.iter().map(|one| one.output).max_by_key(|size| size.pixels())?;
    let shortfall = fittings.iter().map(|one| one.shortfall).fold(0.0, f64::max);
    Some(Use { output, shortfall })
}

/// A picture of upright size `source` in a place.
#[derive(Debug, Clone, Copy)]
pub struct Placement<'a> {
    /// The slot.
    pub slot: &'a Slot,
    /// Where it occurs.
    pub place: &'a Place,
    /// How the picture is framed and edited.
    pub adjustments: &'a Adjustments,
    /// The size of the upright original.
    pub source: Size,
}

impl<'a> Placement<'a> {
    /// How the picture fills the place at each layout width and density, with the box it fills
    /// there. Its file has the pixels that each screen needs, as far as the picture has them.
    pub fn fittings(self) -> impl Iterator<Item = (BoxSize, Need, Fitting)> + 'a {
        let Self { slot, place, adjustments, source } = self;
        slot.needs().into_iter().filter_map(move |need| {
            let size = place.box_at(slot, need.viewport)?;
            Some((size, need, fitting(slot, adjustments, source, need, size)?))
        })
    }

    /// What the place asks of the picture on its most demanding screen; nothing where it is never
    /// shown.
    pub fn asked(self) -> Option<Use> {
        largest(self.fittings().map(|(_, _, fitting)| fitting))
    }

    /// How the picture will be shown on every screen.
    pub fn showings(self) -> Vec<Showing> {
        let showing = |(size, need, fitting): (BoxSize, Need, Fitting)| Showing {
            size: size.rendered(self.slot.fit, fitting.output.aspect()),
            painting: ObjectFit::Cover,
            density: need.density,
            file: fitting.output,
            bytes: Bytes(0),
        };
        self.fittings().map(showing).collect()
    }

    /// The part of the picture that is shown at each layout width: left, top, width and height as
    /// fractions of it as it is edited.
    pub fn parts(self) -> BTreeMap<u32, [f64; 4]> {
        let canvas = Canvas::new(self.source, &self.adjustments.edits);
        let canvas = canvas.map_or(self.source, |canvas| canvas.size());
        let share = |part: u32, whole: u32| f64::from(part) / f64::from(whole);
        let part = |(_, need, fitting): (BoxSize, Need, Fitting)| {
            let crop = fitting.crop;
            let part = [
                share(crop.x, canvas.width),
                share(crop.y, canvas.height),
                share(crop.width, canvas.width),
                share(crop.height, canvas.height),
            ];
            (need.viewport, part)
        };
        self.fittings().map(part).collect()
    }
}

//! Slots as they are stored: what they need, under which budget, and how a picture does in them.

use brisk_margin_core::budget;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::needs::{self, Need};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::standing::Use;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::{Occurrence, SlotRow};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::Framing;

/// The shape of the slot's largest box, which its files get.
fn aspect(slot: &SlotRow) -> f64 {
    let shown = slot.boxes().values().filter(|size| size.is_shown());
    let largest = shown.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)));
    largest.map_or(1.0, |size| size.aspect())
}

/// Device pixels at each layout width and density.
pub fn slot_needs(slot: &SlotRow) -> Vec<Need> {
    needs::needs(slot.boxes(), slot.fit, aspect(slot), &slot.densities)
}

/// The slot's budget: set by hand, or by its largest need.
pub fn slot_budget(slot: &SlotRow) -> Bytes {
    slot.budget.unwrap_or_else(|| {
        let most = slot_needs(slot).into_iter().map(|need| need.pixels).max_by_key(|p| p.pixels());
        budget::default_budget(most.unwrap_or(Size::new(1, 1)))
    })
}

/// The box that a place has at `viewport`, where it is laid out there.
pub fn box_at(slot: &SlotRow, place: &Occurrence, viewport: u32) -> Option<BoxSize> {
    let by_hand = slot.hand_boxes.as_ref().and_then(|boxes| boxes.get(&viewport));
    by_hand.or_else(|| place.details.boxes.get(&viewport)).copied()
}

/// What a place asks of `picture` on its most demanding screen; nothing where it is never shown.
pub fn use_of(picture: &Picture, slot: &SlotRow, place: &Occurrence) -> Option<Use> {
    let asked = |need: Need| {
        let size = box_at(slot, place, need.viewport)?;
        let slot = Slot::new(size.width, size.height, slot.fit).ok()?;
        let framing = Framing::new(slot, need.density, picture.focal);
        let fitting = framing.fit(picture.facts.size).unwrap_or_else(|short| short.0);
        Some(Use { output: fitting.output, shortfall: fitting.shortfall })
    };
    let asked: Vec<Use> = slot_needs(slot).into_iter().filter_map(asked).collect();
    let output = asked.iter().map(|one| one.output).max_by_key(|size| size.pixels())?;
    let shortfall = asked.iter().map(|one| one.shortfall).fold(0.0, f64::max);
    Some(Use { output, shortfall })
}

/// What the page transfers for a place today on its most demanding screen.
pub fn served_today(place: &Occurrence) -> Option<Bytes> {
    let heaviest = |at: &std::collections::BTreeMap<
        String,
        brisk_margin_store::layouts::Served,
    >| { at.values().map(|file| file.bytes).max() };
    place.details.files.values().filter_map(heaviest).max()
}

//! Slots as they are stored: what they need, under which budget, and how a picture does in them.

use brisk_margin_core::budget;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::{BoxSize, Cropping};
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::needs::{self, Need};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::standing::Use;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::{Occurrence, Served, SlotRow};
use brisk_margin_store::pictures::{Picture, UsedIn, Work};
use brisk_margin_store::variants::Framing;

/// The shape of the slot's largest box, which its files get.
fn aspect(slot: &SlotRow) -> f64 {
    let shown = slot.boxes().values().filter(|size| size.is_shown());
    let largest = shown.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)));
    largest.map_or(1.0, |size| size.aspect())
}

/// What holds the slot's pictures.
pub fn holder(slot: &SlotRow) -> Holder {
    if slot.kind == "background" { Holder::Background } else { Holder::Element }
}

/// The selector of what holds the slot's pictures; a name to be replaced where none is known.
pub fn selector(slot: &SlotRow) -> &str {
    let usual = match holder(slot) {
        Holder::Background => ".background",
        Holder::Element => "img",
    };
    slot.selector.as_deref().unwrap_or(usual)
}

/// Device pixels at each layout width and density.
pub fn slot_needs(slot: &SlotRow) -> Vec<Need> {
    needs::needs(slot.boxes(), slot.fit, aspect(slot), &slot.densities)
}

/// Who crops `slot`'s picture with this work on it, and why it is not who the shape of the boxes
/// says.
pub fn who_crops(slot: &SlotRow, work: &Work) -> (Cropping, Option<&'static str>) {
    let usual = slot.cropping.unwrap_or_else(|| Cropping::of(slot.boxes(), slot.fit));
    if usual != Cropping::Browser {
        return (usual, None);
    }
    let is_shown = |viewport: &u32| slot.boxes().get(viewport).is_some_and(|size| size.is_shown());
    // What is smaller than the largest part of its shape cannot be said by a position alone.
    if work.crops.get(&slot.id).is_some_and(|crops| crops.keys().any(is_shown)) {
        return (Cropping::ArtDirection, Some("a layout width is framed by hand"));
    }
    if work.finish.has_frame() {
        return (Cropping::ArtDirection, Some("an edit depends on the frame"));
    }
    (usual, None)
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

/// How `picture` fills a place at each layout width and density, with the box it fills there. Its
/// file has the pixels that each screen needs, as far as the picture has them.
pub fn fittings<'a>(
    picture: &'a Picture,
    slot: &'a SlotRow,
    place: &'a Occurrence,
) -> impl Iterator<Item = (BoxSize, Need, Fitting)> + 'a {
    slot_needs(slot).into_iter().filter_map(move |need| {
        let size = box_at(slot, place, need.viewport)?;
        let shape = Slot::new(size.width, size.height, slot.fit).ok()?;
        let aim = picture.work.aim(Some((slot.id, need.viewport)));
        let framing = Framing::new(shape, need.density, aim, &picture.work.finish);
        Some((size, need, framing.fitting(picture.facts.size)?))
    })
}

/// What a place asks of `picture` on its most demanding screen; nothing where it is never shown.
pub fn use_of(picture: &Picture, slot: &SlotRow, place: &Occurrence) -> Option<Use> {
    let asked: Vec<Fitting> =
        fittings(picture, slot, place).map(|(_, _, fitting)| fitting).collect();
    let output = asked.iter().map(|one| one.output).max_by_key(|size| size.pixels())?;
    let shortfall = asked.iter().map(|one| one.shortfall).fold(0.0, f64::max);
    Some(Use { output, shortfall })
}

/// The file that the reference browser downloads for a place at each layout width, at density 2.
pub fn downloaded(place: &Occurrence) -> impl Iterator<Item = (u32, &Served)> {
    place
        .details
        .files
        .iter()
        .filter_map(|(&viewport, at)| Some((viewport, at.get("2").or_else(|| at.values().last())?)))
}

/// What a page that shows `picture` in a place transfers for it today at most.
pub fn today(picture: &Picture, used: &UsedIn) -> Option<Bytes> {
    if used.placed {
        downloaded(&used.place).map(|(_, file)| file.bytes).max()
    } else {
        Some(picture.bytes)
    }
}

/// The alt text that a page has for a picture: the first of its places that has one.
pub fn page_alt(uses: &[UsedIn]) -> &str {
    let alts = uses.iter().filter_map(|used| used.place.details.alt.as_deref());
    alts.map(str::trim).find(|alt| !alt.is_empty()).unwrap_or_default()
}

//! Places on pages, judged: how well each picture does in its slot, and under which budget.

use std::collections::{BTreeMap, HashMap};

use brisk_margin_core::budget::{Margin, Share};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::needs::Need;
use brisk_margin_core::state::{Painting, Showing, State, states};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::StoreError;
use brisk_margin_store::layouts::{Occurrence, Page, Served, SlotRow};
use brisk_margin_store::pictures::Picture;
use uuid::Uuid;

use crate::app::App;
use crate::slots::{box_at, downloaded, fittings, slot_budget};

/// All pages and slots of the site, and its places judged.
pub(super) struct Site {
    pub(super) pages: Vec<Page>,
    pub(super) slots: Vec<SlotRow>,
    pub(super) places: Vec<Judged>,
}

/// A place on a page, the state of what is in it, and the margin of what it weighs today.
pub(super) struct Judged {
    pub(super) place: Occurrence,
    pub(super) budget: Bytes,
    /// The most serious first.
    pub(super) states: Vec<State>,
    /// How the picture placed in it is shown.
    pub(super) placed: Option<Placed>,
}

/// A picture placed in a place.
pub(super) struct Placed {
    /// The step of its work that holds.
    pub(super) step: Option<Uuid>,
    /// The part of it that is shown at each layout width: left, top, width and height as fractions.
    pub(super) parts: BTreeMap<u32, [f64; 4]>,
}

impl Placed {
    fn of(slot: &SlotRow, place: &Occurrence, picture: &Picture) -> Self {
        let canvas = picture.shown_size();
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
        Self { step: picture.step, parts: fittings(picture, slot, place).map(part).collect() }
    }
}

impl Site {
    pub(super) async fn load(app: &App) -> Result<Self, StoreError> {
        let pages = app.store.pages().await?;
        let slots = app.store.slots().await?;
        let places = app.store.occurrences(None).await?;
        let placed: Vec<Uuid> = places.iter().filter_map(|place| place.picture_id).collect();
        let pictures = app.store.pictures_of(&placed).await?;
        let pictures: HashMap<Uuid, &Picture> = pictures.iter().map(|p| (p.id, p)).collect();
        let by_id: HashMap<Uuid, (&SlotRow, Bytes)> =
            slots.iter().map(|slot| (slot.id, (slot, slot_budget(slot)))).collect();
        let judge = |place: Occurrence| {
            // A place never outlives its slot.
            let &(slot, budget) = by_id.get(&place.slot_id)?;
            let picture = place.picture_id.and_then(|id| pictures.get(&id).copied());
            let states = match picture {
                Some(picture) => states(&showings_of_placed(slot, &place, picture)),
                None => states(&showings_today(slot, &place)),
            };
            let placed = picture.map(|picture| Placed::of(slot, &place, picture));
            Some(Judged { place, budget, states, placed })
        };
        let places = places.into_iter().filter_map(judge).collect();
        Ok(Self { pages, slots, places })
    }
}

impl Judged {
    /// Bytes of pixels that no screen uses.
    pub(super) fn wasted(&self) -> Bytes {
        let wasted = |state: &State| match state {
            State::TooLarge { wasted, .. } => *wasted,
            _ => Bytes(0),
        };
        self.states.iter().map(wasted).sum()
    }

    /// Whether something about it should be mended.
    pub(super) fn to_mend(&self) -> bool {
        self.states.iter().any(|state| state.severity() > 1)
    }

    /// Today's weight at the heaviest layout width; nothing where nothing is served.
    pub(super) fn margin(&self) -> Option<Margin> {
        let heaviest = downloaded(&self.place).map(|(_, file)| file.bytes).max()?;
        Some(Margin::new(self.budget, heaviest))
    }

    /// What it adds to its page.
    pub(super) fn share(&self) -> Share<'_> {
        let files =
            downloaded(&self.place).map(|(viewport, file)| (viewport, (&*file.url, file.bytes)));
        Share { budget: self.budget, files: files.collect() }
    }
}

fn showings_today(slot: &SlotRow, place: &Occurrence) -> Vec<Showing> {
    let at = |(&viewport, files): (&u32, &BTreeMap<String, Served>)| -> Vec<Showing> {
        let Some(size) = box_at(slot, place, viewport) else { return Vec::new() };
        let showing = |(density, file): (&String, &Served)| {
            let (width, height) = file.size?;
            Some(Showing {
                size,
                painting: place.details.painting,
                density: Density::new(density.parse().ok()?).ok()?,
                file: Size::new(width, height),
                bytes: file.bytes,
            })
        };
        files.iter().filter_map(showing).collect()
    };
    place.details.files.iter().flat_map(at).collect()
}

/// How a picture of the library will do.
fn showings_of_placed(slot: &SlotRow, place: &Occurrence, picture: &Picture) -> Vec<Showing> {
    let showing = |(size, need, fitting): (BoxSize, Need, Fitting)| Showing {
        size: size.rendered(slot.fit, fitting.output.aspect()),
        painting: Painting::Cover,
        density: need.density,
        file: fitting.output,
        bytes: Bytes(0),
    };
    fittings(picture, slot, place).map(showing).collect()
}

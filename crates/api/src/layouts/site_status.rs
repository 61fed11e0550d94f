//! The status of a site's places, from as many rows as are asked for.

use std::collections::{BTreeSet, HashMap};

use brisk_margin_core::place_status::PlaceStatus;
use brisk_margin_core::slot::Slot;
use brisk_margin_store::layouts::{Page, PlaceFilter};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{Store, StoreError};
use uuid::Uuid;

/// Pages and slots, and the status of places on them.
pub(super) struct SiteStatus {
    pub(super) pages: Vec<Page>,
    pub(super) slots: Vec<Slot>,
    pub(super) places: Vec<PlaceStatus>,
    /// The pictures that are placed in them.
    pub(super) pictures: HashMap<Uuid, Picture>,
}

impl SiteStatus {
    /// The places that `which` names, with all pages and slots.
    pub(super) async fn load(store: &Store, which: &PlaceFilter) -> Result<Self, StoreError> {
        let pages = store.pages().await?;
        let slots = store.slots().await?;
        let places = store.places(which).await?;
        let placed: BTreeSet<Uuid> = places.iter().filter_map(|place| place.picture_id).collect();
        let pictures = store.pictures_of(&Vec::from_iter(placed)).await?;
        let pictures: HashMap<Uuid, Picture> = pictures.into_iter().map(|p| (p.id, p)).collect();
        let by_id: HashMap<Uuid, &Slot> = slots.iter().map(|slot| (slot.id, slot)).collect();
        let places = places.into_iter().filter_map(|place| {
            // A place never outlives its slot.
            let slot = *by_id.get(&place.slot_id)?;
            let picture = place.picture_id.and_then(|id| pictures.get(&id));
            let at = place.clone();
            let placed = picture.map(|picture| picture.placement(slot, &at));
            Some(PlaceStatus::new(slot, place, placed))
        });
        Ok(Self { places: places.collect(), pages, slots, pictures })
    }

    /// The slot of a place.
    pub(super) fn slot(&self, id: Uuid) -> Option<&Slot> {
        self.slots.iter().find(|slot| slot.id == id)
    }
}

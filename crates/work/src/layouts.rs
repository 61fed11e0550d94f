//! Layouts: how well what is in the places of a site does, told place by place, and summed up for
//! pages and slots.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use brisk_margin_core::layout_summary::{PageSummary, SlotSummary};
use brisk_margin_core::place::Place;
use brisk_margin_core::place_status::PlaceStatus;
use brisk_margin_core::slot::Slot;
use brisk_margin_store::layouts::{Page, PlaceFilter, StaleLayouts};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{Store, StoreError};
use tokio::sync::Mutex;
use uuid::Uuid;

/// Changed pages and slots that are worked out in one go; memory holds the places of so many.
const AT_ONCE: u64 = 200;

/// Sums up pages and slots, each again once something was changed that it depends on.
#[derive(Clone)]
pub struct LayoutSummaries {
    store: Store,
    /// One at a time, so that those who wait hold no connection.
    turn: Arc<Mutex<()>>,
}

/// The site's pages and slots, summed up.
pub struct SummedLayouts {
    /// Its pages, by address.
    pub pages: Vec<(Page, PageSummary)>,
    /// Its slots, in the order of recognition.
    pub slots: Vec<(Slot, SlotSummary)>,
    /// Places that are alike to another slot in the markup, but laid out differently.
    pub uncertain: u64,
}

/// The slots of a site, and the status of some of its places.
pub struct PlaceStatuses {
    /// Every slot.
    pub slots: Vec<Slot>,
    /// The places.
    pub places: Vec<PlaceStatus>,
    /// The pictures that are placed in them.
    pub pictures: HashMap<Uuid, Picture>,
}

impl LayoutSummaries {
    /// Those of what `store` holds.
    pub fn new(store: Store) -> Self {
        Self { store, turn: Arc::default() }
    }

    /// Pages and slots, after what changed was worked out again.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn all(&self) -> Result<SummedLayouts, StoreError> {
        self.refresh().await?;
        let (pages, slots, uncertain) = tokio::try_join!(
            self.store.summed_pages(),
            self.store.summed_slots(),
            self.store.count_uncertain(),
        )?;
        Ok(SummedLayouts { pages, slots, uncertain })
    }

    /// Works out what changed.
    pub(crate) async fn refresh(&self) -> Result<(), StoreError> {
        let _turn = self.turn.lock().await;
        while let Some(stale) = self.store.stale_layouts(AT_ONCE).await? {
            let slots = self.store.slots().await?;
            let of_pages = self.pages(&stale, &slots).await?;
            let of_slots = self.slots(&stale, &slots).await?;
            self.store.keep_summaries(stale, &of_pages, &of_slots).await?;
        }
        Ok(())
    }

    async fn pages(
        &self,
        stale: &StaleLayouts,
        slots: &[Slot],
    ) -> Result<Vec<(Uuid, PageSummary)>, StoreError> {
        let places = self.store.places_on(&stale.pages).await?;
        let (statuses, _) = statuses(&self.store, slots, places).await?;
        let mut by_page: BTreeMap<Uuid, Vec<&PlaceStatus>> =
            stale.pages.iter().map(|&page| (page, Vec::new())).collect();
        for status in &statuses {
            by_page.entry(status.place.page_id).or_default().push(status);
        }
        Ok(by_page.into_iter().map(|(page, on)| (page, PageSummary::new(on))).collect())
    }

    /// Slot by slot, since one may be on every page.
    async fn slots(
        &self,
        stale: &StaleLayouts,
        slots: &[Slot],
    ) -> Result<Vec<(Uuid, SlotSummary)>, StoreError> {
        let mut summaries = Vec::new();
        for &slot in &stale.slots {
            let (places, pages) = self.store.places_of(slot).await?;
            let (statuses, _) = statuses(&self.store, slots, places).await?;
            let breakpoints: BTreeSet<u32> =
                pages.iter().flat_map(|page| page.breakpoints.iter().copied()).collect();
            summaries.push((slot, SlotSummary::new(&statuses, breakpoints)));
        }
        Ok(summaries)
    }
}

impl PlaceStatuses {
    /// The status of the places that `which` names.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn load(store: &Store, which: &PlaceFilter) -> Result<Self, StoreError> {
        let (slots, places) = tokio::try_join!(store.slots(), store.places(which))?;
        let (places, pictures) = statuses(store, &slots, places).await?;
        Ok(Self { slots, places, pictures })
    }

    /// The slot `id`.
    pub fn slot(&self, id: Uuid) -> Option<&Slot> {
        self.slots.iter().find(|slot| slot.id == id)
    }
}

/// The status of `places`, and the pictures that are placed in them.
async fn statuses(
    store: &Store,
    slots: &[Slot],
    places: Vec<Place>,
) -> Result<(Vec<PlaceStatus>, HashMap<Uuid, Picture>), StoreError> {
    let placed: BTreeSet<Uuid> = places.iter().filter_map(|place| place.picture_id).collect();
    let pictures = store.pictures_of(&Vec::from_iter(placed)).await?;
    let pictures: HashMap<Uuid, Picture> = pictures.into_iter().map(|p| (p.id, p)).collect();
    let by_id: HashMap<Uuid, &Slot> = slots.iter().map(|slot| (slot.id, slot)).collect();
    let places = places.into_iter().filter_map(|place| {
        // A place never outlives its slot.
        let slot = *by_id.get(&place.slot_id)?;
        let Some(picture) = place.picture_id.and_then(|id| pictures.get(&id)) else {
            return Some(PlaceStatus::new(slot, place, None));
        };
        let at = place.clone();
        Some(PlaceStatus::new(slot, place, Some(picture.placement(slot, &at))))
    });
    Ok((places.collect(), pictures))
}

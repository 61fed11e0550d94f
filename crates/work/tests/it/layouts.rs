//! Summaries of pages and slots: however they came about, they say what the places say.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout_summary::{PageSummary, SlotSummary};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::place_status::PlaceStatus;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::{NewPage, NewPlace, PlaceFilter, SlotEdit};
use brisk_margin_store::pictures::{Arrival, ChangeSet, FieldChange, NewPicture, Origin, Picture};
use brisk_margin_store::{BlobAddress, Blobs, Installation, Store};
use brisk_margin_testing::pictures::jpeg_facts;
use brisk_margin_testing::places::{card_boxes, jpeg_at, measured_card};
use brisk_margin_work::layouts::{LayoutSummaries, PlaceStatuses, SummedLayouts};
use tempfile::TempDir;
use uuid::Uuid;

pub(crate) struct Site {
    pub(crate) store: Store,
    summaries: LayoutSummaries,
    _folder: TempDir,
}

/// A place of the class `class`, `width` wide on a desktop, that serves `kb` of pixels.
pub(crate) fn place(selector: &str, class: &str, width: f64, kb: u64) -> NewPlace {
    let url = format!("http://tarn.example/media/{class}-{kb}.jpg");
    NewPlace {
        selector: selector.to_owned(),
        loose: format!("main > ul.{class} > li > img"),
        kind: PlaceKind::Card,
        details: measured_card(width, jpeg_at(&url, (900, 600), Bytes::kb(kb))),
    }
}

pub(crate) fn page(address: &str, breakpoint: u32, places: Vec<NewPlace>) -> NewPage {
    NewPage {
        address: format!("http://tarn.example/{address}"),
        title: "Star walks".to_owned(),
        heights: [(390, 2000.0), (1280, 1200.0)].into(),
        breakpoints: vec![breakpoint],
        places,
        fixed: Vec::new(),
        requests: BTreeMap::new(),
    }
}

impl Site {
    pub(crate) async fn new() -> Self {
        let database = brisk_margin_testing::database().await;
        let folder = tempfile::tempdir().unwrap();
        let blobs = BlobAddress::Folder(folder.path().to_owned());
        let blobs = Blobs::open(&blobs).unwrap();
        let installation = Installation::open(&database, blobs).await.unwrap();
        let site = installation.add_site("Tarnlight").await.unwrap();
        let store = installation.store(&site).await.unwrap();
        let site = Self { summaries: LayoutSummaries::new(store.clone()), store, _folder: folder };
        let walks = vec![place("a", "cards", 365.0, 300), place("b", "gallery", 900.0, 900)];
        site.store.keep_page(page("walks.html", 600, walks)).await.unwrap();
        let hire = vec![place("a", "cards", 365.0, 40)];
        site.store.keep_page(page("hire.html", 800, hire)).await.unwrap();
        site
    }

    async fn picture(&self, bytes: &'static [u8], size: Size) -> Picture {
        let facts = jpeg_facts(size);
        let new = NewPicture {
            name: "moor.jpg",
            folder: "",
            origin: Origin::Upload,
            facts: &facts,
            embedded: &EmbeddedMetadata::default(),
            import_action: &ImportAction::List,
        };
        match self.store.add_picture(bytes.into(), new).await.unwrap() {
            Arrival::New(picture) => picture,
            other => panic!("{other:?}"),
        }
    }

    /// What is summed up of each page and slot, held against all places read anew.
    async fn summed(&self, after: &str) -> SummedLayouts {
        let summed = self.summaries.all().await.unwrap();
        let all = PlaceStatuses::load(&self.store, &PlaceFilter::default()).await.unwrap();
        let of = |belongs: &dyn Fn(&PlaceStatus) -> bool| -> Vec<PlaceStatus> {
            all.places.iter().filter(|status| belongs(status)).cloned().collect()
        };
        for (page, summary) in &summed.pages {
            let own = of(&|status| status.place.page_id == page.id);
            assert_eq!(*summary, PageSummary::new(&own), "{} after {after}", page.address);
        }
        let breakpoints: BTreeMap<Uuid, &[u32]> =
            summed.pages.iter().map(|(page, _)| (page.id, &page.breakpoints[..])).collect();
        for (slot, summary) in &summed.slots {
            let own = of(&|status| status.place.slot_id == slot.id);
            let on: BTreeSet<u32> =
                own.iter().flat_map(|one| breakpoints[&one.place.page_id]).copied().collect();
            assert_eq!(*summary, SlotSummary::new(&own, on), "{} after {after}", slot.name);
        }
        summed
    }

    async fn slot(&self, class: &str) -> Uuid {
        let slots = self.store.slots().await.unwrap();
        let is_it = |selector: &String| selector.contains(class);
        slots.iter().find(|slot| slot.selector.as_ref().is_some_and(is_it)).unwrap().id
    }
}

#[tokio::test]
async fn summaries_follow_every_change() {
    let site = Site::new().await;
    let store = &site.store;
    let first = site.summed("measuring").await;
    assert_eq!((first.pages.len(), first.slots.len(), first.uncertain), (2, 2, 0));
    let [hire, walks] = [&first.pages[0].1, &first.pages[1].1];
    assert_eq!((hire.places, walks.places), (1, 2));

    let (cards, gallery) = (site.slot("cards").await, site.slot("gallery").await);
    store
        .edit_slot(
            cards,
            SlotEdit { budget: Some(Some(Bytes::kb(7))), ..SlotEdit::default() },
            &SlotEdit::default(),
        )
        .await
        .unwrap();
    let after = site.summed("another budget").await;
    assert_eq!(after.pages[0].1.margin.budget, Bytes::kb(7));

    store
        .edit_slot(
            gallery,
            SlotEdit { fit: Some(Fit::Contain), ..SlotEdit::default() },
            &SlotEdit::default(),
        )
        .await
        .unwrap();
    site.summed("another fit").await;
    store
        .set_boxes([(cards, Some(card_boxes(1_200.0)))].into(), &Default::default())
        .await
        .unwrap();
    let after = site.summed("boxes by hand").await;
    assert!(after.slots.iter().any(|(slot, of)| slot.id == cards && of.worst.is_some()));

    let small = site.picture(b"small", Size::new(120, 80)).await;
    store.place(cards, None, Some(small.id)).await.unwrap();
    site.summed("a picture placed").await;
    let moved =
        Adjustments { focal: FocalPoint::new(0.1, 0.9).unwrap(), ..small.adjustments.clone() };
    store.lay_adjustments("moved", &[(small.clone(), moved)]).await.unwrap();
    site.summed("its focal point moved").await;

    let removed = FieldChange { removed: Some(true), ..FieldChange::default() };
    let edits = ChangeSet { pictures: [(small.id, removed)].into(), ..ChangeSet::default() };
    let change = store.edit("removed", &edits).await.unwrap().unwrap();
    let gone = site.summed("a picture removed").await;
    store.take_back(change.id).await.unwrap();
    let back = site.summed("its removal taken back").await;
    let worst = |of: &SummedLayouts| {
        let own = of.slots.iter().find(|(slot, _)| slot.id == cards);
        own.unwrap().1.worst.clone()
    };
    assert_ne!(worst(&gone), worst(&back));

    let again = vec![place("a", "cards", 365.0, 400), place("c", "gallery", 900.0, 20)];
    store.keep_page(page("walks.html", 900, again)).await.unwrap();
    let after = site.summed("measuring again").await;
    assert!(after.slots.iter().any(|(_, of)| of.breakpoints.contains(&900)));
    store.join_slots(gallery, cards).await.unwrap();
    assert_eq!(site.summed("joining slots").await.slots.len(), 1);
}

#[tokio::test]
async fn summaries_are_worked_out_once_and_by_any_number_of_readers() {
    let site = Site::new().await;
    let readers = (0..30).map(|_| site.summaries.all());
    for summed in futures::future::join_all(readers).await {
        assert_eq!(summed.unwrap().pages.len(), 2);
    }
    assert!(site.store.stale_layouts(9).await.unwrap().is_none());

    // What is given up half-way is done by whoever comes next.
    site.store.place(site.slot("cards").await, None, None).await.unwrap();
    let stale = site.store.stale_layouts(9).await.unwrap().unwrap();
    assert_eq!((stale.pages.len(), stale.slots.len()), (2, 1));
    drop(stale);
    site.summed("giving up").await;
}

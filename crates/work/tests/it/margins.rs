//! Margins from what measuring kept: pages whose weight is known, what they weighed before, and where most is gained.

use brisk_margin_core::load::margin::PageBudgets;
use brisk_margin_core::load::{
    Connection, Discovery, PageRequests, PageWeight, Priority, Protocol, Request, RequestKind,
};
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_store::Store;
use brisk_margin_store::layouts::NewPage;
use brisk_margin_store::page_loads::HeavierPage;
use brisk_margin_work::margins::{View, history, of_page, of_site};

use crate::layouts::{Site, page, place};

const NARROW: View = View { width: 390, connection: Connection::USUAL };

/// A page of a document and one picture.
fn requests(picture: &str, kb: u64) -> PageRequests {
    let request = |address: &str, kind, bytes, discovery| Request {
        address: address.to_owned(),
        kind,
        bytes,
        discovery,
        priority: Priority::Highest,
        protocol: Protocol::Plain,
        blocks: false,
        lazy: false,
        lcp: kind == RequestKind::Picture,
        pixels: 540_000,
    };
    let within = Discovery::Within { by: 0, share: 0.5 };
    PageRequests(vec![
        request("http://tarn.example/", RequestKind::Document, Bytes::kb(12), Discovery::Start),
        request(picture, RequestKind::Picture, Bytes::kb(kb), within),
    ])
}

fn weighing(address: &str, kb: u64, widths: &[u32]) -> NewPage {
    let requests = requests("http://tarn.example/media/cards-300.jpg", kb);
    NewPage {
        requests: widths.iter().map(|&width| (width, requests.clone())).collect(),
        ..page(address, 600, vec![place("a", "cards", 365.0, 300)])
    }
}

async fn weights(store: &Store, width: u32) -> Vec<u64> {
    let pages = store.pages().await.unwrap();
    let walks = pages.iter().find(|page| page.address.ends_with("walks.html")).unwrap();
    let past = store.past_weights(walks.id, width, 10).await.unwrap();
    past.iter().map(|past| past.weight.total.get() / 1_000).collect()
}

#[tokio::test]
async fn a_weight_is_noted_where_it_changed_and_a_width_that_is_gone_is_told_no_more() {
    let site = Site::new().await;
    let store = &site.store;
    for kb in [300, 300, 80, 80, 300] {
        store.keep_page(weighing("walks.html", kb, &[390, 1280])).await.unwrap();
    }
    assert_eq!(weights(store, 390).await, [312, 92, 312]);
    assert_eq!(store.load_widths().await.unwrap(), [390, 1280]);
    store.keep_page(weighing("walks.html", 80, &[390])).await.unwrap();
    assert_eq!(store.load_widths().await.unwrap(), [390]);
    assert_eq!(weights(store, 1280).await, [312, 92, 312], "what it weighed stays");
    let found = of_site(store, View { width: 1280, ..NARROW }).await.unwrap();
    assert_eq!((found.pages.len(), found.unknown), (0, 2));
}

#[tokio::test]
async fn a_page_that_became_heavier_is_told_with_the_file_that_did_it_and_stands_in_the_history() {
    let site = Site::new().await;
    let store = &site.store;
    store.keep_page(weighing("walks.html", 80, &[390])).await.unwrap();
    let lighter = store.keep_page(weighing("walks.html", 60, &[390])).await.unwrap();
    let found = of_site(store, NARROW).await.unwrap();
    assert!(!lighter.is_heavier && found.heavier.is_empty());

    let heavier = store.keep_page(weighing("walks.html", 900, &[390])).await.unwrap();
    assert!(heavier.is_heavier);
    let found = of_site(store, NARROW).await.unwrap();
    let [HeavierPage { page, before, now }] = &found.heavier[..] else { panic!() };
    assert_eq!(
        (*page, before.get(), now.weight.total.get()),
        (found.pages[0].0.id, 72_000, 912_000)
    );
    let [grown] = &now.grown[..] else { panic!("{:?}", now.grown) };
    assert!(grown.address.ends_with("cards-300.jpg"));
    assert_eq!((grown.before, grown.after), (Bytes::kb(60), Bytes::kb(900)));

    // The same page again is another measuring.
    let history = history::of_site(store, 390).await.unwrap();
    let told: Vec<_> =
        history.points.iter().map(|point| (point.pages, point.total.get())).collect();
    assert_eq!(told, [(1, 92_000), (1, 72_000), (1, 912_000)]);
    assert!(history.marks.is_empty());
}

#[tokio::test]
async fn pictures_are_weighed_by_slot_and_format_and_the_site_has_budgets_for_all_pages() {
    let site = Site::new().await;
    let store = &site.store;
    store.keep_page(weighing("walks.html", 300, &[390])).await.unwrap();
    let all = PageBudgets { bytes: Some(Bytes::kb(200)), time: None };
    store.change_site(|settings| settings.page_budgets = all).await.unwrap();
    let found = of_site(store, NARROW).await.unwrap();
    assert_eq!(found.pages[0].1.bytes.margin, 200_000 - 312_000);
    let own = PageBudgets { bytes: Some(Bytes::kb(400)), time: None };
    store.say_page_budgets(found.pages[0].0.id, own, &Default::default()).await.unwrap();
    let found = of_site(store, NARROW).await.unwrap();
    assert_eq!(found.pages[0].1.bytes.margin, 400_000 - 312_000, "a page's own goes before");

    let [cards] = &found.shares.slots[..] else { panic!("{:?}", found.shares.slots) };
    // 300 KB on one page and 40 KB on the other.
    assert_eq!((cards.files, cards.saving.before), (2, Bytes::kb(340)));
    let [jpeg] = &found.shares.formats[..] else { panic!("{:?}", found.shares.formats) };
    assert_eq!((jpeg.of.as_deref(), jpeg.saving.saved), (Some("jpeg"), 0));
}

#[tokio::test]
async fn pages_have_the_margins_of_what_they_transfer_and_those_that_were_not_weighed_are_counted()
{
    let site = Site::new().await;
    let store = &site.store;
    store.keep_page(weighing("walks.html", 300, &[390])).await.unwrap();
    let found = of_site(store, NARROW).await.unwrap();
    assert_eq!(found.unknown, 1, "the other page was measured before weights were kept");
    let [(walks, margins)] = &found.pages[..] else { panic!("{} pages", found.pages.len()) };
    let slot = store.slots().await.unwrap();
    let slot = slot.iter().find(|slot| slot.selector.as_ref().unwrap().contains("cards")).unwrap();
    let weight = PageWeight::of(&requests("http://tarn.example/media/cards-300.jpg", 300));
    assert_eq!(margins.today.weight, weight);
    // Twelve for the document, and what the slot has.
    assert_eq!(margins.bytes.budget.get(), 12_000 + slot.budget().get());
    assert!(found.gains.is_empty(), "no picture of the library is served");

    let own = PageBudgets { bytes: Some(Bytes::kb(500)), time: Some(Millis::whole(9_000)) };
    assert!(store.say_page_budgets(walks.id, own, &Default::default()).await.unwrap());
    let coming = of_page(store, walks.id, NARROW).await.unwrap().unwrap();
    assert_eq!((coming.budgets, coming.margins.bytes.margin), (own, 188_000));
    assert_eq!(coming.today.requests.0.len(), coming.today.loaded.timings.len());
    assert_eq!(coming.history.len(), 1);
    // A slower connection takes of the time alone.
    let slow: Connection = "400/400".parse().unwrap();
    let slow =
        of_page(store, walks.id, View { connection: slow, ..NARROW }).await.unwrap().unwrap();
    assert_eq!(slow.margins.bytes, coming.margins.bytes);
    assert!(slow.margins.time.margin < coming.margins.time.margin - 4_000.0);
}

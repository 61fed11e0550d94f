//! Measured pages, made up.

use std::collections::BTreeMap;

use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::{NewPage, NewPlace};
use brisk_margin_testing::places::{jpeg_at, measured_card};

/// A card at `selector`, `width` wide on a desktop, that serves a file of 3000 × 2000 px.
pub fn card(selector: &str, width: f64) -> NewPlace {
    let file = jpeg_at("http://tarn.example/media/dome.jpg", (3000, 2000), Bytes::mb(2));
    NewPlace {
        selector: selector.to_owned(),
        loose: "main > ul.cards > li > img".to_owned(),
        kind: PlaceKind::Card,
        details: measured_card(width, file),
    }
}

pub fn page(address: &str, places: Vec<NewPlace>) -> NewPage {
    NewPage {
        address: format!("http://tarn.example/{address}"),
        title: "Star walks".to_owned(),
        heights: [(390, 2000.0), (1280, 1200.0)].into(),
        breakpoints: vec![600],
        places,
        fixed: Vec::new(),
        requests: BTreeMap::new(),
    }
}

/// A card that serves the file of `hash` and `bytes`, with this alt text.
pub fn serving(selector: &str, hash: &str, bytes: u64, alt: &str) -> NewPlace {
    let mut place = card(selector, 365.0);
    for file in place.details.files.values_mut().flat_map(|by_density| by_density.values_mut()) {
        file.hash = Some(hash.to_owned());
        file.bytes = Bytes(bytes);
    }
    place.details.alt = Some(alt.to_owned());
    place
}

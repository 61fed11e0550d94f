//! Measured pages, made up.

use brisk_margin_core::layout::{BoxSize, Boxes};
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place::{MeasuredPlace, ServedFile};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::units::{ByDensity, Bytes, Density};
use brisk_margin_store::layouts::{NewPage, NewPlace};

fn boxes(width: f64) -> Boxes {
    let size = |width, height| BoxSize { width, height };
    [(390, size(358.0, 220.0)), (1280, size(width, 220.0))].into()
}

/// A card at `selector`, `width` wide on a desktop, that serves a file of 3000 × 2000 px.
pub fn card(selector: &str, width: f64) -> NewPlace {
    let file = ServedFile {
        url: "http://tarn.example/media/dome.jpg".to_owned(),
        size: Some((3000, 2000)),
        format: Some("jpeg".to_owned()),
        bytes: Bytes::mb(2),
        hash: None,
    };
    let files: ByDensity<ServedFile> =
        [(Density::ONE, file.clone()), (Density::REFERENCE, file)].into_iter().collect();
    NewPlace {
        selector: selector.to_owned(),
        loose: "main > ul.cards > li > img".to_owned(),
        kind: PlaceKind::Card,
        details: MeasuredPlace {
            boxes: boxes(width),
            rendered: boxes(width),
            positions: [(390, (16.0, 300.0)), (1280, (16.0, 300.0))].into(),
            files: [(390, files.clone()), (1280, files)].into(),
            painting: ObjectFit::Cover,
            position: "50% 50%".to_owned(),
            srcset: None,
            sizes: None,
            alt: None,
            lazy: false,
            above_fold: false,
            lcp: false,
        },
    }
}

pub fn page(address: &str, places: Vec<NewPlace>) -> NewPage {
    NewPage {
        address: format!("http://tarn.example/{address}"),
        title: "Star walks".to_owned(),
        heights: [(390, 2000.0), (1280, 1200.0)].into(),
        breakpoints: vec![600],
        places,
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

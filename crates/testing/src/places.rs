//! Measured places, made up.

use brisk_margin_core::layout::{BoxSize, Boxes};
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place::{MeasuredPlace, ServedFile};
use brisk_margin_core::shown_by::ShownBy;
use brisk_margin_core::slot_name::Surroundings;
use brisk_margin_core::units::{ByDensity, Bytes, Density};

/// The boxes of a card that is `width` wide on a desktop.
pub fn card_boxes(width: f64) -> Boxes {
    let size = |width, height| BoxSize { width, height };
    [(390, size(358.0, 220.0)), (1280, size(width, 220.0))].into()
}

/// A JPEG that is served at `url`.
pub fn jpeg_at(url: &str, size: (u32, u32), bytes: Bytes) -> ServedFile {
    let format = Some("jpeg".to_owned());
    ServedFile { url: url.to_owned(), size: Some(size), format, bytes, hash: None }
}

/// A card `width` wide on a desktop, which shows `file` on every screen.
pub fn measured_card(width: f64, file: ServedFile) -> MeasuredPlace {
    let files: ByDensity<ServedFile> =
        [(Density::ONE, file.clone()), (Density::REFERENCE, file)].into_iter().collect();
    MeasuredPlace {
        boxes: card_boxes(width),
        rendered: card_boxes(width),
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
        hidden_in: None,
        surroundings: Surroundings::default(),
        shown_by: Some(ShownBy::Img),
        background: None,
    }
}

//! Uses: the places that show a picture.

use crate::place::Place;
use crate::slot::Slot;
use crate::units::Bytes;

/// A place that shows a picture.
#[derive(Debug, Clone, PartialEq)]
pub struct PlaceUse {
    /// The place.
    pub place: Place,
    /// Its slot.
    pub slot: Slot,
    /// Whether the picture was placed there by hand; else the page serves it as it is.
    pub placed: bool,
}

impl PlaceUse {
    /// What the page transfers for it today at most, of a picture whose original has `original`
    /// bytes.
    pub fn today(&self, original: Bytes) -> Option<Bytes> {
        if self.placed {
            self.place.downloaded().map(|(_, file)| file.bytes).max()
        } else {
            Some(original)
        }
    }
}

/// The alt text that pages have for a picture: the first of its places that has one.
pub fn page_alt(uses: &[PlaceUse]) -> &str {
    let alts = uses.iter().filter_map(|used| used.place.details.alt.as_deref());
    alts.map(str::trim).find(|alt| !alt.is_empty()).unwrap_or_default()
}

//! The status of a place: how well its picture does there, and under which budget.

use crate::budget::{Margin, Share};
use crate::geometry::Size;
use crate::issue::{Evidence, Issue};
use crate::place::Place;
use crate::placement::Placement;
use crate::showing::{Showing, issues};
use crate::slot::Slot;
use crate::units::Bytes;

/// What is to be mended in a place, and the margin of what it weighs today.
#[derive(Debug, Clone, PartialEq)]
pub struct PlaceStatus {
    /// The place.
    pub place: Place,
    /// Its slot's budget.
    pub budget: Bytes,
    /// What is to be mended, the most serious first; nothing where its picture fits.
    pub issues: Vec<Issue>,
}

impl PlaceStatus {
    /// The status of `place` with what the page serves there, or with `placed` instead.
    pub fn new(slot: &Slot, place: Place, placed: Option<Placement<'_>>) -> Self {
        let showings = match placed {
            Some(placement) => placement.showings(),
            None => showings_today(slot, &place),
        };
        Self { budget: slot.budget(), issues: issues(&showings), place }
    }

    /// Bytes of pixels that no screen uses.
    pub fn wasted(&self) -> Bytes {
        let wasted = |issue: &Issue| match issue.evidence {
            Evidence::TooLarge { wasted, .. } => wasted,
            _ => Bytes(0),
        };
        self.issues.iter().map(wasted).sum()
    }

    /// Whether something about it should be mended.
    pub fn to_mend(&self) -> bool {
        self.issues.iter().any(|issue| issue.kind().is_to_mend())
    }

    /// Today's weight at the heaviest layout width; nothing where nothing is served.
    pub fn margin(&self) -> Option<Margin> {
        let heaviest = self.place.downloaded().map(|(_, file)| file.bytes).max()?;
        Some(Margin::new(self.budget, heaviest))
    }

    /// What it adds to its page.
    pub fn share(&self) -> Share<'_> {
        let files = self.place.downloaded();
        let files = files.map(|(viewport, file)| (viewport, (&*file.url, file.bytes)));
        Share { budget: self.budget, files: files.collect() }
    }
}

fn showings_today(slot: &Slot, place: &Place) -> Vec<Showing> {
    let mut showings = Vec::new();
    for (&viewport, files) in &place.details.files {
        let Some(size) = place.box_at(slot, viewport) else { continue };
        showings.extend(files.iter().filter_map(|(&density, file)| {
            let (width, height) = file.size?;
            Some(Showing {
                size,
                painting: place.details.painting,
                density,
                file: Size::new(width, height),
                bytes: file.bytes,
            })
        }));
    }
    showings
}

//! Summaries: what a list tells of a page or a slot without its places.

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::budget::{Margin, page_margin};
use crate::issue::Issue;
use crate::place_status::PlaceStatus;
use crate::units::Bytes;

/// What a list tells of a page.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PageSummary {
    /// How many slots it has.
    pub places: usize,
    /// How many of them have something to mend.
    pub to_mend: usize,
    /// Bytes of pixels that no screen uses.
    pub wasted: Bytes,
    /// What its pictures weigh today, under the sum of its slots' budgets.
    pub margin: Margin,
}

/// What a list tells of a site's pages together.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SiteSummary {
    /// How many pages were measured.
    pub pages: usize,
    /// How many places on them have something to mend.
    pub to_mend: usize,
    /// What their pictures weigh today, under the sum of their budgets.
    pub margin: Margin,
}

impl SiteSummary {
    /// The summary of a site with `pages`.
    pub fn new<'a>(pages: impl IntoIterator<Item = &'a PageSummary>) -> Self {
        let (mut count, mut to_mend, mut budget, mut weight) = (0, 0, 0, 0);
        for page in pages {
            count += 1;
            to_mend += page.to_mend;
            budget += page.margin.budget.get();
            weight += page.margin.weight.get();
        }
        Self { pages: count, to_mend, margin: Margin::new(Bytes(budget), Bytes(weight)) }
    }
}

/// What a list tells of a slot.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct SlotSummary {
    /// How often it occurs.
    pub places: usize,
    /// One place where it does.
    pub first: Option<PlaceOnPage>,
    /// Its most serious issue anywhere.
    pub worst: Option<Issue>,
    /// Bytes of pixels that no screen uses.
    pub wasted: Bytes,
    /// The heaviest file under its budget.
    pub margin: Option<Margin>,
    /// Viewport widths at which the style sheets of its pages change.
    pub breakpoints: BTreeSet<u32>,
}

/// A place and the page that it is on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlaceOnPage {
    /// The place.
    pub place_id: Uuid,
    /// Its page.
    pub page_id: Uuid,
}

impl PageSummary {
    /// The summary of a page with `places`.
    pub fn new<'a>(places: impl IntoIterator<Item = &'a PlaceStatus>) -> Self {
        let places: Vec<&PlaceStatus> = places.into_iter().collect();
        let shares: Vec<_> = places.iter().map(|place| place.share()).collect();
        Self {
            places: places.len(),
            to_mend: places.iter().filter(|place| place.to_mend()).count(),
            wasted: places.iter().map(|place| place.wasted()).sum(),
            margin: page_margin(&shares),
        }
    }
}

impl Default for PageSummary {
    fn default() -> Self {
        Self::new([])
    }
}

impl SlotSummary {
    /// The summary of a slot that occurs in `places`, on pages with `breakpoints`.
    pub fn new<'a>(
        places: impl IntoIterator<Item = &'a PlaceStatus>,
        breakpoints: BTreeSet<u32>,
    ) -> Self {
        let places: Vec<&PlaceStatus> = places.into_iter().collect();
        let first = places.first().map(|status| &status.place);
        let worst = places.iter().filter_map(|status| status.issues.first());
        let heaviest = places.iter().filter_map(|status| status.margin());
        Self {
            places: places.len(),
            first: first.map(|place| PlaceOnPage { place_id: place.id, page_id: place.page_id }),
            worst: worst.min_by_key(|issue| issue.kind()).cloned(),
            wasted: places.iter().map(|status| status.wasted()).sum(),
            margin: heaviest.max_by_key(|margin| margin.weight),
            breakpoints,
        }
    }
}

//! The margins of a page: what it leaves under its budgets in bytes and in time, today and as it could be.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use super::{Connection, LoadTimes, Loaded, PageRequests, PageWeight, PictureFile, load};
use crate::budget::{Margin, Saving};
use crate::units::{Bytes, Millis};

/// How long a page may take until its largest paint where nobody says otherwise.
pub const USUAL_TIME: Millis = Millis::whole(2_500);

/// What a time leaves under its budget.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TimeMargin {
    /// How long it may take.
    pub budget: Millis,
    /// How long it takes.
    pub time: Millis,
    /// Budget minus time, in milliseconds; below zero it is an overrun.
    pub margin: f64,
}

/// What a page weighs, and how long that takes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PageFigures {
    /// What it transfers.
    pub weight: PageWeight,
    /// Its times.
    pub times: LoadTimes,
}

/// What a page transfers, and how that comes.
#[derive(Debug, Clone, PartialEq)]
pub struct PageLoad {
    /// What it transfers.
    pub requests: PageRequests,
    /// How that comes.
    pub loaded: Loaded,
}

/// The margins of a page.
#[derive(Debug, Clone, PartialEq)]
pub struct PageMargins {
    /// As it is.
    pub today: PageFigures,
    /// As it could be, about.
    pub possible: PageFigures,
    /// Its bytes under the budgets of its slots and what else it transfers.
    pub bytes: Margin,
    /// Its largest paint under the time that it may take.
    pub time: TimeMargin,
}

/// What may be said of a page's budgets; what is left out is the usual.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PageBudgets {
    /// The most bytes before anybody scrolls; else those of its slots and what else it transfers.
    pub bytes: Option<Bytes>,
    /// The most milliseconds until its largest paint.
    pub time: Option<Millis>,
}

/// A file that slots of a page show.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct SlotFile {
    /// What its slots may weigh: the most of any.
    pub budget: Bytes,
    /// What could stand for it, where that is known: the heaviest in any of its slots.
    pub possible: Option<PictureFile>,
}

/// The files that slots of a page show, by their addresses.
pub type SlotFiles = HashMap<String, SlotFile>;

impl SlotFile {
    /// The same shown in another slot, too.
    pub fn also_in(self, other: Self) -> Self {
        Self { budget: self.budget.max(other.budget), possible: self.possible.max(other.possible) }
    }
}

impl PageBudgets {
    /// What these say, and of what they leave out what `usual` says.
    pub fn or(self, usual: Self) -> Self {
        Self { bytes: self.bytes.or(usual.bytes), time: self.time.or(usual.time) }
    }

    /// The time until the largest paint, said or usual.
    pub fn time(&self) -> Millis {
        self.time.unwrap_or(USUAL_TIME)
    }
}

impl TimeMargin {
    /// What `time` leaves under `budget`.
    pub fn new(budget: Millis, time: Millis) -> Self {
        Self { budget, time, margin: budget.get() - time.get() }
    }
}

impl PageFigures {
    /// What going from these to `after` saves of what comes before anybody scrolls.
    pub fn saving(&self, after: &Self) -> Saving {
        Saving::new(self.weight.total, after.weight.total)
    }
}

impl PageLoad {
    /// How `requests` come over `connection`.
    pub fn of(requests: PageRequests, connection: Connection) -> Self {
        let loaded = load(&requests, connection);
        Self { requests, loaded }
    }

    /// Its figures.
    pub fn figures(&self) -> PageFigures {
        PageFigures { weight: PageWeight::of(&self.requests), times: self.loaded.times }
    }

    /// How it could come with the lighter `files` that are known of, by their addresses.
    pub fn as_possible(&self, files: &SlotFiles, connection: Connection) -> Self {
        let lighter = self.requests.clone().lighter(|address| files.get(address)?.possible);
        Self::of(lighter, connection)
    }
}

/// What `page` may weigh before anybody scrolls: the budgets of the slots whose `files` come by then, and all else as
/// it is.
fn byte_budget(page: &PageRequests, files: &SlotFiles) -> Bytes {
    let early = page.0.iter().filter(|request| !request.lazy);
    early.map(|request| files.get(&request.address).map_or(request.bytes, |file| file.budget)).sum()
}

impl PageMargins {
    /// The margins of a page that comes as `today`, and could come as `possible`, whose slots show `files`, where
    /// `budgets` say what they say.
    pub fn of(
        today: &PageLoad,
        possible: &PageLoad,
        files: &SlotFiles,
        budgets: PageBudgets,
    ) -> Self {
        let bytes = budgets.bytes.unwrap_or_else(|| byte_budget(&today.requests, files));
        let (today, possible) = (today.figures(), possible.figures());
        Self {
            today,
            possible,
            bytes: Margin::new(bytes, today.weight.total),
            time: TimeMargin::new(budgets.time(), today.times.lcp),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::load::samples::request;
    use crate::load::{Request, RequestKind};

    fn margins(page: &PageRequests, files: &SlotFiles, budgets: PageBudgets) -> PageMargins {
        let today = PageLoad::of(page.clone(), Connection::USUAL);
        let possible = today.as_possible(files, Connection::USUAL);
        PageMargins::of(&today, &possible, files, budgets)
    }

    fn page() -> (PageRequests, SlotFiles) {
        let hero = Request { lcp: true, ..request("hero.jpg", RequestKind::Picture, 900_000) };
        let lazy = Request { lazy: true, ..request("low.jpg", RequestKind::Picture, 300_000) };
        let icon = request("icon.png", RequestKind::Picture, 2_000);
        let page = vec![request("/", RequestKind::Document, 10_000), hero, lazy, icon];
        let file = |budget, kb| SlotFile {
            budget: Bytes::kb(budget),
            possible: Some(PictureFile { bytes: Bytes::kb(kb), pixels: 300_000 }),
        };
        let files = [("hero.jpg", file(120, 80)), ("low.jpg", file(50, 30))];
        let files = files.map(|(address, file)| (address.to_owned(), file));
        (PageRequests(page), files.into())
    }

    #[test]
    fn a_page_may_weigh_what_its_slots_may_and_what_else_it_has() {
        let (page, files) = page();
        assert_eq!(byte_budget(&page, &files), Bytes::kb(120 + 12));
        let usual = margins(&page, &files, PageBudgets::default());
        assert_eq!(usual.bytes, Margin::new(Bytes::kb(132), Bytes::kb(912)));
        assert_eq!(usual.possible.weight.total, Bytes::kb(92));
        assert_eq!(usual.possible.weight.lazy, Bytes::kb(30));
        assert_eq!(usual.today.saving(&usual.possible).saved, 820_000);
        assert!(usual.time.margin < 0.0, "900 KB take more than four seconds");
        assert!(usual.possible.times.lcp.get() < 2_500.0);
        let said = PageBudgets { bytes: Some(Bytes::mb(1)), time: Some(Millis::whole(9_000)) };
        let said = margins(&page, &files, said);
        assert_eq!(said.bytes.margin, 88_000);
        assert!(said.time.margin > 0.0);
    }

    #[test]
    fn a_file_in_two_slots_has_the_larger_budget_and_weight() {
        let file = |bytes| Some(PictureFile { bytes: Bytes(bytes), pixels: bytes * 10 });
        let one = SlotFile { budget: Bytes(10), possible: file(4) };
        let other = SlotFile { budget: Bytes(8), possible: file(6) };
        assert_eq!(one.also_in(other), SlotFile { budget: Bytes(10), possible: file(6) });
        let unknown = SlotFile { budget: Bytes(8), possible: None };
        assert_eq!(one.also_in(unknown).possible, file(4));
    }
}

//! What a publication changes, in figures.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::StepKind;
use super::look::Look;
use crate::budget::Saving;
use crate::units::{Bytes, Density};

/// How much more a page may jump while it comes, as layout shift: less is not told from nothing.
const SHIFT: f64 = 0.01;

/// What a publication changes, as it was worked out and held against the site in a browser.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PublicationReport {
    /// Files of the site that are written, in that order.
    pub files: Vec<FileChange>,
    /// Places that offer other files.
    pub places: Vec<PlaceChange>,
    /// Places that are left as they are.
    pub left: Vec<PlaceLeft>,
    /// What the pictures of each page weigh as a browser downloads them.
    pub weights: Vec<PageWeight>,
    /// Pages that could not be measured, and why.
    pub unmeasured: Vec<PageTrouble>,
    /// Pages that look otherwise, with pictures of them.
    pub pages: Vec<ChangedPage>,
    /// Pictures that pages show no more, and which stay where they are.
    pub unused: Vec<String>,
}

/// A file of the site that is written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FileChange {
    /// Its path from the root of the site.
    pub path: String,
    /// What it is.
    pub kind: StepKind,
    /// What it weighed; nothing where it is new.
    pub before: Option<Bytes>,
    /// What it weighs then.
    pub after: Bytes,
}

/// A place that offers other files.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlaceChange {
    /// Its page, by its path.
    pub page: String,
    /// Finds it there.
    pub selector: String,
    /// The picture of the library.
    pub picture: Uuid,
    /// The slot.
    pub slot: Uuid,
    /// What stands for all its files together; nothing where an earlier version wrote this.
    #[serde(default)]
    pub fingerprint: Option<String>,
    /// What it shows today, by its path.
    pub source: String,
    /// How many files it offers.
    pub files: usize,
    /// What a browser downloads for it at most, as it was.
    pub before: Bytes,
    /// What it would download.
    pub after: Bytes,
    /// Whether one format alone is offered, since the layout of the page wants the element alone.
    pub is_single: bool,
    /// Whether browsers load just the files that they were meant to.
    pub is_as_promised: bool,
    /// Whether its caption stays as it is, since one with what is said of the picture would move something.
    #[serde(default)]
    pub is_uncaptioned: bool,
    /// How it is seen beside how it was; nothing where no picture of the page was taken, or where it is meant
    /// to look otherwise: another picture, or edits of it.
    #[serde(default)]
    pub look: Option<Look>,
    /// Whether it is seen otherwise than it was, and is not meant to be.
    #[serde(default)]
    pub looks_otherwise: bool,
}

/// A place that is left as it is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlaceLeft {
    /// Its page, by its path.
    pub page: String,
    /// Finds it there.
    pub selector: String,
    /// Why, as a word for programs.
    pub reason: String,
    /// Why, in words.
    pub words: String,
    /// Whether somebody could mend it.
    pub is_failure: bool,
}

/// What the pictures of a page weigh.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PageWeight {
    /// The page, by its path.
    pub page: String,
    /// At which layout width, in CSS px.
    pub width: u32,
    /// At which density.
    pub density: Density,
    /// As it was.
    pub before: Bytes,
    /// As it would be.
    pub after: Bytes,
}

/// A page that could not be measured.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PageTrouble {
    /// Its path.
    pub page: String,
    /// Why.
    pub reason: String,
}

/// A page that looks otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ChangedPage {
    /// Its path.
    pub page: String,
    /// Pictures of it, the narrowest layout width first; of none where the pages are many.
    pub shots: Vec<PageShots>,
}

impl ChangedPage {
    /// Whether it jumps more than before while it comes, at some layout width.
    pub fn jumps_more(&self) -> bool {
        self.shots.iter().any(|shots| shots.shift.after > shots.shift.before + SHIFT)
    }
}

impl PublicationSums {
    /// Why somebody should look before it goes to the site, in words; nothing where all is as it was.
    pub fn doubts(&self) -> Option<String> {
        let counted = |count: usize, one: &str, several: &str| match count {
            0 => None,
            1 => Some(format!("1 {one}")),
            _ => Some(format!("{count} {several}")),
        };
        let places = counted(self.otherwise, "place looks otherwise", "places look otherwise");
        let pages =
            counted(self.jumping, "page jumps more than before", "pages jump more than before");
        let told: Vec<String> = places.into_iter().chain(pages).collect();
        (!told.is_empty()).then(|| told.join(", and "))
    }
}

/// Pictures of a page before and after, at a layout width.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PageShots {
    /// The layout width, in CSS px.
    pub width: u32,
    /// The hash of the picture of it as it was.
    pub before: String,
    /// The hash of the picture of it as it would be.
    pub after: String,
    /// How far things on it jumped while it came, before and after (Layout Instability).
    pub shift: BothWays,
    /// After how many milliseconds the largest that is seen first was painted, before and after (Largest
    /// Contentful Paint), from this machine without a network between.
    pub largest: Option<BothWays>,
}

/// A figure of a page as it was and as it would be.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BothWays {
    /// As it was.
    pub before: f64,
    /// As it would be.
    pub after: f64,
}

/// What all pages weigh together at a layout width and a density, and what that saves.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ScreenWeight {
    /// The layout width, in CSS px.
    pub width: u32,
    /// The density.
    pub density: Density,
    /// Before and after.
    pub saving: Saving,
}

/// What a publication changes, in sums.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PublicationSums {
    /// Pages that are written.
    pub pages: usize,
    /// Style sheets that are written.
    pub styles: usize,
    /// Picture files that are added.
    pub added: usize,
    /// Picture files that are replaced.
    pub replaced: usize,
    /// Places that offer other files.
    pub places: usize,
    /// Places that are left as they are.
    pub left: usize,
    /// How many of those somebody could mend.
    pub failures: usize,
    /// How many places are seen otherwise than they were, and are not meant to be.
    #[serde(default)]
    pub otherwise: usize,
    /// How many pages jump more than before while they come.
    #[serde(default)]
    pub jumping: usize,
    /// What all pages weigh on the two screens that stand for all: a phone and a desktop.
    pub screens: Vec<ScreenWeight>,
}

impl PublicationReport {
    /// All of it in sums.
    pub fn sums(&self) -> PublicationSums {
        let files = |kind: StepKind| self.files.iter().filter(move |file| file.kind == kind);
        PublicationSums {
            pages: files(StepKind::Page).count(),
            styles: files(StepKind::Style).count(),
            added: files(StepKind::File).filter(|file| file.before.is_none()).count(),
            replaced: files(StepKind::File).filter(|file| file.before.is_some()).count(),
            places: self.places.len(),
            left: self.left.len(),
            failures: self.left.iter().filter(|left| left.is_failure).count(),
            otherwise: self.places.iter().filter(|place| place.looks_otherwise).count(),
            jumping: self.pages.iter().filter(|page| page.jumps_more()).count(),
            screens: self.screens(),
        }
    }

    /// What all its pages weigh on the two screens that stand for all: the narrowest at the densest, a
    /// phone, and the widest at the least dense, a plain desktop.
    pub fn screens(&self) -> Vec<ScreenWeight> {
        self.screens_where(|_| true)
    }

    /// What the page at `path` weighs on these two screens.
    pub fn screens_of(&self, path: &str) -> Vec<ScreenWeight> {
        self.screens_where(|page| page == path)
    }

    fn screens_where(&self, counts: impl Fn(&str) -> bool) -> Vec<ScreenWeight> {
        let widths = || self.weights.iter().map(|weight| weight.width);
        let densities = || self.weights.iter().map(|weight| weight.density);
        let by_value = |a: &Density, b: &Density| a.get().total_cmp(&b.get());
        let screens = [
            (widths().min(), densities().max_by(by_value)),
            (widths().max(), densities().min_by(by_value)),
        ];
        let at = |(width, density): (Option<u32>, Option<Density>)| {
            let (width, density) = (width?, density?);
            let own = self.weights.iter().filter(|weight| {
                (weight.width, weight.density) == (width, density) && counts(&weight.page)
            });
            let (before, after) = own.fold((Bytes(0), Bytes(0)), |(before, after), weight| {
                (before + weight.before, after + weight.after)
            });
            Some(ScreenWeight { width, density, saving: Saving::new(before, after) })
        };
        let mut found = Vec::from_iter(screens.into_iter().filter_map(at));
        found.dedup_by(|a, b| (a.width, a.density) == (b.width, b.density));
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_to_be_looked_at_first_is_told_in_words() {
        let sums =
            |otherwise, jumping| PublicationSums { otherwise, jumping, ..Default::default() };
        assert_eq!(sums(0, 0).doubts(), None);
        assert_eq!(sums(1, 0).doubts().unwrap(), "1 place looks otherwise");
        let both = "3 places look otherwise, and 1 page jumps more than before";
        assert_eq!(sums(3, 1).doubts().unwrap(), both);
    }

    #[test]
    fn a_page_that_jumps_more_at_some_layout_width_is_told() {
        let shots = |before, after| PageShots {
            width: 390,
            before: String::new(),
            after: String::new(),
            shift: BothWays { before, after },
            largest: None,
        };
        let jumps = |shots| ChangedPage { page: "a".to_owned(), shots }.jumps_more();
        assert!(jumps(vec![shots(0.0, 0.0), shots(0.0, 0.02)]));
        assert!(!jumps(vec![shots(0.3, 0.302), shots(0.3, 0.0)]));
    }

    #[test]
    fn two_screens_stand_for_all() {
        let weight = |page: &str, width, density, before, after| PageWeight {
            page: page.to_owned(),
            width,
            density,
            before: Bytes(before),
            after: Bytes(after),
        };
        let (one, two) = (Density::ONE, Density::REFERENCE);
        let report = PublicationReport {
            weights: vec![
                weight("a", 390, one, 1, 1),
                weight("a", 390, two, 100, 10),
                weight("b", 390, two, 50, 50),
                weight("a", 1_280, one, 70, 7),
                weight("a", 1_280, two, 9, 9),
            ],
            ..PublicationReport::default()
        };
        let told = |screen: &ScreenWeight| {
            (screen.width, screen.saving.before.get(), screen.saving.after.get())
        };
        let of_all: Vec<_> = report.screens().iter().map(told).collect();
        assert_eq!(of_all, [(390, 150, 60), (1_280, 70, 7)]);
        let of_page: Vec<_> = report.screens_of("b").iter().map(told).collect();
        assert_eq!(of_page, [(390, 50, 50), (1_280, 0, 0)]);
        assert!(PublicationReport::default().screens().is_empty());
    }
}

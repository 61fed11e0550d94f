//! Names of slots: by what a person sees around them, never by how the site's code calls them.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::layout::BoxSize;
use crate::naming;
use crate::place_kind::PlaceKind;
use crate::words::{capitalised, shortened};

/// The most characters that a heading or a caption gives to a name.
const LONGEST: usize = 40;

/// What a person sees around a place.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Surroundings {
    /// The part of the page that it stands in, where that is not the page's own content.
    #[serde(default)]
    pub landmark: Option<Landmark>,
    /// Headings from the nearest outwards.
    #[serde(default)]
    pub headings: Vec<String>,
    /// The caption under it.
    #[serde(default)]
    pub caption: Option<String>,
    /// Whether it leads to the site's first page, as logos do.
    #[serde(default, alias = "leadsHome")]
    pub leads_home: bool,
}

/// A part of a page that is on others as well.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Landmark {
    /// On top.
    Header,
    /// At the end.
    Footer,
    /// Where links to other pages are.
    Navigation,
    /// Beside the content.
    Sidebar,
}

impl Landmark {
    const fn words(self) -> &'static str {
        match self {
            Self::Header => "Header",
            Self::Footer => "Footer",
            Self::Navigation => "Navigation",
            Self::Sidebar => "Sidebar",
        }
    }
}

/// A place of a slot, as far as the slot's name depends on it.
#[derive(Debug, Clone, Copy)]
pub struct SeenPlace<'a> {
    /// Its page.
    pub page_id: Uuid,
    /// What its page is called.
    pub page: &'a str,
    /// What is around it.
    pub surroundings: &'a Surroundings,
    /// Its alternative text.
    pub alt: Option<&'a str>,
}

/// A slot that nobody named.
#[derive(Debug, Clone)]
pub struct UnnamedSlot<'a> {
    /// Its id.
    pub id: Uuid,
    /// What it is for.
    pub kind: PlaceKind,
    /// The largest of its boxes.
    pub largest: Option<BoxSize>,
    /// Where it occurs; without any, there is nothing to be seen.
    pub places: Vec<SeenPlace<'a>>,
}

/// Names for `slots`, different from each other and from those `taken`.
///
/// Where two would have the same name, what tells them apart comes behind it: what they are for, the
/// size of their box, and only then a number.
pub fn slot_names(slots: &[UnnamedSlot<'_>], taken: &BTreeSet<String>) -> BTreeMap<Uuid, String> {
    let longer: [fn(&UnnamedSlot<'_>) -> String; 3] = [
        |slot| slot.name(),
        |slot| format!("{}, {}", slot.name(), slot.role(false)),
        |slot| format!("{}, {}", slot.name(), slot.size()),
    ];
    let mut names = BTreeMap::new();
    let mut open: Vec<&UnnamedSlot<'_>> = slots.iter().collect();
    let mut taken = taken.clone();
    for name in longer {
        let proposed: Vec<String> = open.iter().map(|slot| name(slot)).collect();
        let mut still = Vec::new();
        for (slot, proposal) in open.iter().zip(&proposed) {
            let alone = proposed.iter().filter(|other| *other == proposal).count() == 1;
            if alone && !taken.contains(proposal) {
                names.insert(slot.id, proposal.clone());
            } else {
                still.push(*slot);
            }
        }
        taken.extend(proposed);
        open = still;
    }
    for slot in open {
        let stem = slot.name();
        let numbered = (1..).map(|n| format!("{stem} {n}"));
        let name = numbered.into_iter().find(|name| !taken.contains(name));
        let name = name.expect("numbers do not end");
        taken.insert(name.clone());
        names.insert(slot.id, name);
    }
    names
}

/// A slot's name without how often it occurs, which changes as pages do: for names that last.
pub fn without_counts(name: &str) -> String {
    let name = name.rsplit_once(" on ").map_or(name, |(before, after)| {
        let is_count = after.strip_suffix(" pages").is_some_and(|n| n.parse::<u32>().is_ok());
        if is_count { before } else { name }
    });
    let counted = name.strip_suffix(')').and_then(|rest| rest.rsplit_once(" ("));
    let (stem, _) = counted.filter(|(_, n)| n.parse::<u32>().is_ok()).unwrap_or((name, ""));
    stem.to_owned()
}

impl UnnamedSlot<'_> {
    /// Its name, whatever others are called.
    fn name(&self) -> String {
        let pages = self.pages();
        let what = self.what(pages.first().copied().filter(|_| pages.len() == 1));
        match (self.landmark(), pages.as_slice()) {
            (Some(landmark), _) => format!("{} · {what}", landmark.words()),
            (None, []) => capitalised(self.role(false)),
            (None, [page]) => format!("{page} · {what}"),
            (None, pages) => match self.heading(None) {
                Some(heading) => {
                    format!("{heading} · {} on {} pages", self.role(true), pages.len())
                }
                None => format!("{} on {} pages", capitalised(self.role(true)), pages.len()),
            },
        }
    }

    /// What it is, on `page` where that is its only one.
    fn what(&self, page: Option<&str>) -> String {
        let heading = self.heading(page);
        if self.is_repeated() {
            let role = format!("{} ({})", self.role(true), self.places.len());
            return heading.map_or(role.clone(), |heading| format!("{heading}: {role}"));
        }
        if self.landmark().is_some()
            && self.places.iter().all(|place| place.surroundings.leads_home)
        {
            return "logo".to_owned();
        }
        let told = heading.or_else(|| self.told());
        told.unwrap_or_else(|| self.role(false).to_owned())
    }

    /// The pages that it is on, each once.
    fn pages(&self) -> Vec<&str> {
        let pages: BTreeMap<Uuid, &str> =
            self.places.iter().map(|place| (place.page_id, place.page)).collect();
        pages.into_values().collect()
    }

    /// Whether a page has it more than once.
    fn is_repeated(&self) -> bool {
        self.places.len() > self.pages().len()
    }

    /// The part of the page where all of it stands.
    fn landmark(&self) -> Option<Landmark> {
        let first = self.places.first()?.surroundings.landmark?;
        let all = self.places.iter().all(|place| place.surroundings.landmark == Some(first));
        all.then_some(first)
    }

    /// The nearest heading that all its places have, unless it is what the page is called.
    fn heading(&self, page: Option<&str>) -> Option<String> {
        let (first, others) = self.places.split_first()?;
        let has =
            |place: &SeenPlace<'_>, heading: &String| place.surroundings.headings.contains(heading);
        let shared = |heading: &&String| others.iter().all(|place| has(place, heading));
        let found =
            first.surroundings.headings.iter().filter(|text| !text.is_empty()).find(shared)?;
        (Some(found.as_str()) != page).then(|| shortened(found, LONGEST))
    }

    /// What the page itself says about a single picture.
    fn told(&self) -> Option<String> {
        let [place] = self.places.as_slice() else { return None };
        let text = place.surroundings.caption.as_deref().or(place.alt)?;
        let tells = !text.trim().is_empty() && !naming::reads_like_a_file(text, "");
        tells.then(|| shortened(text, LONGEST))
    }

    /// What it is for, as a word.
    const fn role(&self, many: bool) -> &'static str {
        match (self.kind, many) {
            (PlaceKind::Header | PlaceKind::Text, false) => "picture",
            (PlaceKind::Header | PlaceKind::Text, true) => "pictures",
            (PlaceKind::Background, false) => "background",
            (PlaceKind::Background, true) => "backgrounds",
            (PlaceKind::Card, false) => "card",
            (PlaceKind::Card, true) => "cards",
            (PlaceKind::Thumbnail, false) => "thumbnail",
            (PlaceKind::Thumbnail, true) => "thumbnails",
            (PlaceKind::Icon, false) => "icon",
            (PlaceKind::Icon, true) => "icons",
        }
    }

    fn size(&self) -> String {
        self.largest.map_or_else(
            || "not shown".to_owned(),
            |size| format!("{:.0} × {:.0}", size.width, size.height),
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn around(landmark: Option<Landmark>, headings: &[&str]) -> Surroundings {
        let headings = headings.iter().map(ToString::to_string).collect();
        Surroundings { landmark, headings, ..Surroundings::default() }
    }

    fn slot<'a>(kind: PlaceKind, places: &'a [(&'a str, Surroundings)]) -> UnnamedSlot<'a> {
        // A page is known by its name in here.
        let seen = |(page, surroundings): &'a (&'a str, Surroundings)| SeenPlace {
            page_id: Uuid::from_u128(
                page.bytes().fold(0, |id, byte| id.wrapping_mul(256) + u128::from(byte)),
            ),
            page,
            surroundings,
            alt: None,
        };
        let places = places.iter().map(seen);
        let largest = Some(BoxSize::new(365.2, 274.0));
        UnnamedSlot { id: Uuid::new_v4(), kind, largest, places: places.collect() }
    }

    fn names(slots: &[UnnamedSlot<'_>]) -> Vec<String> {
        let names = slot_names(slots, &BTreeSet::new());
        slots.iter().map(|slot| names[&slot.id].clone()).collect()
    }

    #[test]
    fn a_slot_is_called_by_its_page_and_the_nearest_heading() {
        let one = [("Products", around(None, &["Coffee and tea", "Products"]))];
        assert_eq!(names(&[slot(PlaceKind::Text, &one)]), ["Products · Coffee and tea"]);
        // The page's own heading tells nothing that its name does not.
        let plain = [("Visit", around(None, &["Visit"]))];
        assert_eq!(names(&[slot(PlaceKind::Text, &plain)]), ["Visit · picture"]);
        let nothing = [("Visit", around(None, &[]))];
        assert_eq!(names(&[slot(PlaceKind::Background, &nothing)]), ["Visit · background"]);
    }

    #[test]
    fn what_stands_on_every_page_is_called_by_the_part_that_it_stands_in() {
        let home =
            Surroundings { leads_home: true, ..around(Some(Landmark::Footer), &["Contact"]) };
        let logo = [("Home", home.clone()), ("Visit", home)];
        assert_eq!(names(&[slot(PlaceKind::Text, &logo)]), ["Footer · logo"]);
        let banner = around(Some(Landmark::Header), &["Night skies"]);
        assert_eq!(
            names(&[slot(PlaceKind::Header, &[("Home", banner)])]),
            ["Header · Night skies"]
        );
    }

    #[test]
    fn what_is_repeated_says_how_often_under_the_heading_that_all_share() {
        let card = |own: &str| ("Star walks", around(None, &[own, "Coming walks", "Star walks"]));
        let cards = [card("Perseids"), card("Leonids"), card("Moonrise")];
        assert_eq!(
            names(&[slot(PlaceKind::Card, &cards)]),
            ["Star walks · Coming walks: cards (3)"]
        );
        let tile = |own: &str| ("Gallery", around(None, &[own, "Gallery"]));
        let tiles = [tile("One"), tile("Two")];
        assert_eq!(names(&[slot(PlaceKind::Thumbnail, &tiles)]), ["Gallery · thumbnails (2)"]);
        let text = [("Journal", around(None, &["A"])), ("News", around(None, &["B"]))];
        assert_eq!(names(&[slot(PlaceKind::Text, &text)]), ["Pictures on 2 pages"]);
    }

    #[test]
    fn names_of_files_do_not_tell_how_often_a_slot_occurs() {
        assert_eq!(without_counts("Gallery · thumbnails (16)"), "Gallery · thumbnails");
        assert_eq!(without_counts("Backgrounds on 7 pages"), "Backgrounds");
        let moor = "A night on the moor · backgrounds";
        assert_eq!(without_counts(&format!("{moor} on 12 pages")), moor);
        assert_eq!(without_counts("A night on the moor (winter)"), "A night on the moor (winter)");
    }

    #[test]
    fn a_picture_without_a_heading_is_called_by_what_the_page_says_of_it() {
        let told =
            Surroundings { caption: Some("The dome at dusk".into()), ..Surroundings::default() };
        assert_eq!(
            names(&[slot(PlaceKind::Text, &[("Visit", told)])]),
            ["Visit · The dome at dusk"]
        );
        // A file's name is nothing that a person would call it by.
        let file = Surroundings { caption: Some("DSC_0981.jpg".into()), ..Surroundings::default() };
        assert_eq!(names(&[slot(PlaceKind::Text, &[("Visit", file)])]), ["Visit · picture"]);
    }

    #[test]
    fn names_that_would_be_the_same_say_what_tells_them_apart() {
        let at = [("Visit", around(None, &["The dome"]))];
        let mut small = slot(PlaceKind::Text, &at);
        small.largest = Some(BoxSize::new(80.0, 60.0));
        let slots = [slot(PlaceKind::Text, &at), slot(PlaceKind::Background, &at), small];
        assert_eq!(
            names(&slots),
            [
                "Visit · The dome, 365 × 274",
                "Visit · The dome, background",
                "Visit · The dome, 80 × 60"
            ]
        );
        let twins = [slot(PlaceKind::Text, &at), slot(PlaceKind::Text, &at)];
        assert_eq!(names(&twins), ["Visit · The dome 1", "Visit · The dome 2"]);
        let taken = BTreeSet::from(["Visit · The dome".to_owned()]);
        let one = [slot(PlaceKind::Text, &at)];
        assert_eq!(slot_names(&one, &taken)[&one[0].id], "Visit · The dome, picture");
    }
}

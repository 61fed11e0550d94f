//! Proof: whether a page that was rewritten stands as it did, and whether browsers load from it what
//! they should.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_site::elements::{Difference, ElementBox, ancestors, differences, innermost};
use brisk_margin_site::measured::{FoundPlace, MeasuredPage};
use brisk_margin_site::publishing::folder::SiteFolder;
use brisk_margin_site::publishing::site_change::NewFile;

use super::manner::Manner;
use super::measuring::MeasuredSite;
use super::places::PlaceAt;
use super::sets::MadeSet;
use super::{SiteError, path_at};

/// What the pictures of a page weigh as a browser downloads them.
#[derive(Debug, Clone, PartialEq)]
pub struct Weight {
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

/// The pages that are changed, and those of them that could be measured with the change.
#[derive(Default)]
pub(super) struct Changed {
    pub(super) named: BTreeSet<String>,
    pub(super) pages: BTreeMap<String, MeasuredPage>,
}

/// Lays `files` out in `front`, instead of what lay there before.
pub(super) fn lay_out(front: &Path, files: &[NewFile]) -> Result<(), SiteError> {
    std::fs::remove_dir_all(front)?;
    std::fs::create_dir_all(front)?;
    let folder = SiteFolder::open(front)?;
    for file in files {
        folder.write(&file.path, &file.bytes, None)?;
    }
    Ok(())
}

/// The places that are to offer their files in another manner, since something on their page stands
/// elsewhere than before, or they do not show what they offer. Nothing where all is well. `again` are
/// pages that were measured a second time without a change: what moved there moves by itself.
pub(super) fn moved(
    before: &MeasuredSite,
    again: &BTreeMap<String, MeasuredPage>,
    after: &Changed,
    sets: &[MadeSet],
    manners: &BTreeMap<PlaceAt, Manner>,
) -> Vec<PlaceAt> {
    let mut moved = Vec::new();
    for (n, (path, page)) in before.pages.iter().enumerate() {
        let changed: Vec<PlaceAt> = manners
            .iter()
            .filter(|(at, manner)| at.page == n && **manner != Manner::Left)
            .map(|(&at, _)| at)
            .collect();
        let now = match after.pages.get(path) {
            Some(now) => now,
            // It cannot be measured any more.
            None if after.named.contains(path) => {
                moved.extend(changed);
                continue;
            }
            None => continue,
        };
        let repositioned = repositioned(before, &changed, sets);
        match culprits(page, again.get(path), now, &repositioned) {
            Culprits::Nobody => {}
            Culprits::Images(images) => {
                let known: Vec<PlaceAt> = changed
                    .iter()
                    .copied()
                    .filter(|at| before.place(*at).image.is_some_and(|n| images.contains(&n)))
                    .collect();
                // Where it is none of those that were changed, it can be any.
                moved.extend(if known.is_empty() { changed.clone() } else { known });
            }
            Culprits::Anybody => moved.extend(changed.iter().copied()),
        }
    }
    moved.extend(silent(before, after, sets, manners));
    moved.sort_unstable();
    moved.dedup();
    moved
}

/// The elements that do not show what they offer.
pub(super) fn silent(
    before: &MeasuredSite,
    after: &Changed,
    sets: &[MadeSet],
    manners: &BTreeMap<PlaceAt, Manner>,
) -> Vec<PlaceAt> {
    let elements = sets.iter().filter(|set| set.wanted.slot.holder() == Holder::Element);
    let places = elements.flat_map(MadeSet::places);
    let changed = places.filter(|at| manners.get(at).is_some_and(|m| *m != Manner::Left));
    let silent = changed
        .filter(|&at| after.pages.get(&before.path(at)).is_some_and(|now| !loads(before, now, at)));
    let silent = Vec::from_iter(silent);
    for &at in &silent {
        let (page, selector) = (before.path(at), &before.place(at).selector);
        tracing::debug!(page, selector, "shows nothing");
    }
    silent
}

#[derive(Debug, PartialEq, Eq)]
enum Culprits {
    Nobody,
    /// Images of the page, by number.
    Images(BTreeSet<usize>),
    Anybody,
}

/// Whose fault it is where something differs: of the images that have another size or style, or else of those in
/// the innermost elements that have, or else of those that stand elsewhere.
/// `repositioned` images are held elsewhere on purpose.
fn culprits(
    before: &MeasuredPage,
    again: Option<&MeasuredPage>,
    after: &MeasuredPage,
    repositioned: &BTreeSet<usize>,
) -> Culprits {
    let mut images = BTreeSet::new();
    let mut any = false;
    let screens: BTreeSet<_> = before.elements.keys().chain(after.elements.keys()).collect();
    for &&(width, density) in &screens {
        let both = (before.elements_at(width, density), after.elements_at(width, density));
        let (Some(elements), Some(now)) = both else { return Culprits::Anybody };
        let now = held_as_before(elements, now, repositioned);
        let Some(mut found) = differences(elements, &now) else { return Culprits::Anybody };
        if let Some(again) = again.and_then(|again| again.elements_at(width, density)) {
            let Some(restless) = differences(elements, again) else { return Culprits::Anybody };
            found.retain(|(at, _)| !restless.iter().any(|(moving, _)| moving == at));
        }
        any |= !found.is_empty();
        for (at, how) in &found {
            tracing::debug!(page = before.address, width, ?how, from = ?elements[*at], to = ?now[*at]);
        }
        let of =
            |kind: Difference| found.iter().filter(move |(_, how)| *how == kind).map(|(at, _)| *at);
        let mut innermost = innermost(elements, &of(Difference::Changed).collect());
        if innermost.is_empty() {
            innermost = of(Difference::Moved).filter(|at| elements[*at].name == "img").collect();
        }
        // What is beside a picture may grow with it.
        let own = |at: &usize| elements[*at].name == "img";
        if innermost.iter().any(own) {
            innermost.retain(own);
        }
        let all = elements.iter().enumerate().filter(|(_, element)| element.name == "img");
        let at_fault = all.enumerate().filter(|(_, (at, _))| {
            innermost.contains(at)
                || ancestors(elements, *at).any(|around| innermost.contains(&around))
        });
        images.extend(at_fault.map(|(number, _)| number));
    }
    match (any, images.is_empty()) {
        (false, _) => Culprits::Nobody,
        (true, true) => Culprits::Anybody,
        (true, false) => Culprits::Images(images),
    }
}

/// The images of `places` that are held elsewhere on purpose, by number.
fn repositioned(before: &MeasuredSite, places: &[PlaceAt], sets: &[MadeSet]) -> BTreeSet<usize> {
    let own = sets.iter().filter(|set| set.text.position.is_some());
    let own = own.flat_map(MadeSet::places).filter(|at| places.contains(at));
    own.filter_map(|at| before.place(at).image).collect()
}

/// `now` with the images that are held elsewhere on purpose held as they were.
fn held_as_before(
    before: &[ElementBox],
    now: &[ElementBox],
    repositioned: &BTreeSet<usize>,
) -> Vec<ElementBox> {
    let mut now = now.to_vec();
    let images = now.iter_mut().zip(before).filter(|(now, _)| now.name == "img");
    for (_, (now, before)) in images.enumerate().filter(|(n, _)| repositioned.contains(n)) {
        now.held.clone_from(&before.held);
    }
    now
}

/// Whether an image shows a file at each layout width, as it did before.
fn loads(before: &MeasuredSite, now: &MeasuredPage, at: PlaceAt) -> bool {
    let place = before.place(at);
    let Some(then) = now.places.iter().find(|then| then.image == place.image) else {
        return false;
    };
    place.details.files.keys().all(|width| {
        let files = then.details.files.get(width);
        files.is_some_and(|files| files.values().all(|file| file.size.is_some()))
    })
}

/// Whether a browser loads for a place, at each layout width and density, just the file that `set`
/// promises.
pub(super) fn is_as_promised(
    before: &MeasuredSite,
    after: &Changed,
    set: &MadeSet,
    at: PlaceAt,
    manner: Manner,
) -> bool {
    let place = before.place(at);
    let Some(now) = after.pages.get(&before.path(at)) else { return false };
    let same = |then: &&FoundPlace| match place.image {
        Some(_) => then.image == place.image,
        None => then.selector == place.selector,
    };
    let now = now.places.iter().find(same);
    now.is_some_and(|now| set.is_loaded(place, now, manner))
}

/// What the pictures of each page weigh before and after, at each layout width and density.
pub(super) fn weights(before: &MeasuredSite, after: &Changed) -> Vec<Weight> {
    let mut weights = Vec::new();
    for (path, page) in &before.pages {
        let now = after.pages.get(path);
        let then = weighed(page);
        let now = now.map_or_else(|| then.clone(), weighed);
        for (&(width, density), &before) in &then {
            let after = now.get(&(width, density)).copied().unwrap_or(before);
            weights.push(Weight { page: path.clone(), width, density, before, after });
        }
    }
    weights
}

/// The files that pages loaded before, and that none loads any more, by their paths.
pub(super) fn unused(before: &MeasuredSite, after: &Changed) -> BTreeSet<String> {
    let loaded = |page: &MeasuredPage| {
        let files = page.places.iter().flat_map(|place| place.details.files.values());
        let files = files.flat_map(|at| at.values());
        BTreeSet::from_iter(files.filter_map(|file| path_at(&file.url)))
    };
    let now = before.pages.iter().map(|(path, page)| after.pages.get(path).unwrap_or(page));
    let now: BTreeSet<String> = now.flat_map(loaded).collect();
    let then = before.pages.iter().flat_map(|(_, page)| loaded(page));
    then.filter(|path| !now.contains(path)).collect()
}

/// What the pictures of a page weigh at each layout width and density; a file counts once.
fn weighed(page: &MeasuredPage) -> BTreeMap<(u32, Density), Bytes> {
    let mut files: BTreeMap<(u32, Density), BTreeMap<&str, Bytes>> = BTreeMap::new();
    for place in &page.places {
        for (&width, at) in &place.details.files {
            // What is not shown there may not be loaded there.
            if !place.details.boxes.get(&width).is_some_and(|size| size.is_shown()) {
                continue;
            }
            for (&density, file) in at.iter() {
                files.entry((width, density)).or_default().insert(&file.url, file.bytes);
            }
        }
    }
    files.into_iter().map(|(at, files)| (at, files.into_values().sum())).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A page with two pictures in a row each, and a clock, at one layout width.
    fn page(change: impl FnOnce(&mut [ElementBox])) -> MeasuredPage {
        let element = |name: &str, around, y, height| ElementBox {
            name: name.to_owned(),
            around,
            looks: 0,
            held: String::new(),
            x: 0.0,
            y,
            width: 300.0,
            height,
        };
        let mut elements = vec![
            element("body", None, 0.0, 420.0),
            element("p", Some(0), 0.0, 200.0),
            element("img", Some(1), 0.0, 200.0),
            element("p", Some(0), 200.0, 200.0),
            element("img", Some(3), 200.0, 200.0),
            element("b", Some(0), 400.0, 20.0),
        ];
        change(&mut elements);
        MeasuredPage {
            elements: [((390, Density::ONE), elements)].into(),
            ..MeasuredPage::default()
        }
    }

    fn blamed(change: impl FnOnce(&mut [ElementBox])) -> Culprits {
        culprits(&page(|_| ()), None, &page(change), &BTreeSet::new())
    }

    #[test]
    fn the_picture_that_changed_is_blamed_and_not_those_that_it_pushes() {
        assert_eq!(blamed(|_| ()), Culprits::Nobody);
        let grown = blamed(|elements| {
            for (at, height) in [(0, 520.0), (1, 300.0), (2, 300.0)] {
                elements[at].height = height;
            }
            for (at, y) in [(3, 300.0), (4, 300.0), (5, 500.0)] {
                elements[at].y = y;
            }
        });
        assert_eq!(grown, Culprits::Images([0].into()));
        let restyled = blamed(|elements| elements[4].looks = 7);
        assert_eq!(restyled, Culprits::Images([1].into()), "a selector that no longer fits");
        let around = blamed(|elements| elements[3].height = 230.0);
        assert_eq!(around, Culprits::Images([1].into()), "the one in what grew");
        let moved = blamed(|elements| elements[2].x = 40.0);
        assert_eq!(moved, Culprits::Images([0].into()));
        assert_eq!(blamed(|elements| elements[5].y = 440.0), Culprits::Anybody);
        let held = page(|elements| elements[4].held = "50% 20%".to_owned());
        let told =
            |own: &[usize]| culprits(&page(|_| ()), None, &held, &own.iter().copied().collect());
        assert_eq!(told(&[]), Culprits::Images([1].into()));
        assert_eq!(told(&[0]), Culprits::Images([1].into()));
        assert_eq!(told(&[1]), Culprits::Nobody, "held elsewhere on purpose");
        let mut dense = page(|_| ());
        let wider = page(|elements| elements[2].width = 301.5).elements.into_values();
        dense.elements.extend(wider.map(|elements| ((390, Density::REFERENCE), elements)));
        let told = culprits(&page(|_| ()), None, &dense, &BTreeSet::new());
        assert_eq!(told, Culprits::Images([0].into()), "on dense screens alone");
    }

    #[test]
    fn what_moves_by_itself_is_nobodys_fault() {
        let ticked = |width: f64| page(|elements| elements[5].width = width);
        let (before, again, after) = (ticked(40.0), ticked(60.0), ticked(80.0));
        assert_eq!(culprits(&before, None, &after, &BTreeSet::new()), Culprits::Anybody);
        assert_eq!(culprits(&before, Some(&again), &after, &BTreeSet::new()), Culprits::Nobody);
    }
}

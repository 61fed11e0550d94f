//! A page as it was measured, put together from what was read at each viewport.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::layout::{BoxSize, Boxes, LayoutWidth};
use brisk_margin_core::place::{MeasuredPlace, ServedFile};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::units::{Bytes, Density};

use crate::fetched::{Fetched, Files};
use crate::reading::{Found, Icon, Reading};

/// How far a box may be from growing evenly, in CSS px.
const EVEN: f64 = 0.25;

/// A page as it was measured.
#[derive(Debug, Clone)]
pub struct MeasuredPage {
    /// Its address, redirects followed.
    pub address: String,
    /// Its title.
    pub title: String,
    /// Its height in CSS px, by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Viewport widths at which its style sheets change.
    pub breakpoints: Vec<u32>,
    /// Every place that shows a picture.
    pub places: Vec<FoundPlace>,
    /// The icons that its head names.
    pub icons: Vec<PageIcon>,
    /// Places beyond the limit of 1,000.
    pub left: usize,
    /// Where it links to.
    pub links: Vec<String>,
    /// The files that came, by their addresses.
    pub files: Files,
}

/// An icon that a page names in its head; it has no box in the layout.
#[derive(Debug, Clone, PartialEq)]
pub struct PageIcon {
    /// Finds its element.
    pub selector: String,
    /// What it is for: `icon`, `apple-touch-icon`.
    pub rel: String,
    /// The sizes that the markup says it has.
    pub sizes: String,
    /// Its file.
    pub file: ServedFile,
}

/// A place on a page that shows a picture.
#[derive(Debug, Clone, PartialEq)]
pub struct FoundPlace {
    /// Finds this element alone.
    pub selector: String,
    /// The same without positions.
    pub loose: String,
    /// What it is for.
    pub kind: PlaceKind,
    /// What was measured; no copy of its files is kept yet.
    pub details: MeasuredPlace,
}

/// What was read of a page so far.
#[derive(Default)]
pub(crate) struct Sheet {
    address: String,
    title: String,
    heights: BTreeMap<u32, f64>,
    pub(crate) breakpoints: Vec<u32>,
    places: Vec<FoundPlace>,
    icons: Vec<Icon>,
    left: usize,
    links: Vec<String>,
}

impl Sheet {
    pub(crate) fn add(
        &mut self,
        viewport: LayoutWidth,
        density: Density,
        reading: &Reading,
        files: &Files,
    ) {
        self.address.clone_from(&reading.address);
        self.title.clone_from(&reading.title);
        self.heights.insert(viewport.width, reading.height);
        self.breakpoints.clone_from(&reading.breakpoints);
        self.icons.clone_from(&reading.icons);
        self.left = reading.left;
        self.links.clone_from(&reading.links);
        for found in &reading.found {
            let place = self.place(found);
            let size = BoxSize { width: found.rect.width, height: found.rect.height };
            place.details.boxes.insert(viewport.width, size);
            place.details.rendered.insert(viewport.width, size);
            place.details.positions.insert(viewport.width, (found.rect.x, found.rect.y));
            let file = files.get(&found.address).filter(|file| file.status < 400 && found.loaded);
            let served = served(&found.address, file);
            if !found.address.is_empty() {
                let files = place.details.files.entry(viewport.width).or_default();
                files.insert(density, served);
            }
            place.details.above_fold |=
                size.is_shown() && found.rect.y < f64::from(viewport.height);
            place.details.lcp |= reading.lcp.as_ref() == Some(&found.selector);
        }
    }

    pub(crate) fn add_boxes(&mut self, viewport: u32, reading: &Reading) {
        for found in &reading.found {
            let size = BoxSize { width: found.rect.width, height: found.rect.height };
            self.place(found).details.rendered.insert(viewport, size);
        }
    }

    /// Every viewport that was looked at.
    pub(crate) fn viewports(&self) -> BTreeSet<u32> {
        self.places.iter().flat_map(|place| place.details.rendered.keys().copied()).collect()
    }

    /// Whether every box at `middle` is where a line from `from` to `to` has it.
    pub(crate) fn grows_evenly(&self, from: u32, middle: u32, to: u32) -> bool {
        let share = f64::from(middle - from) / f64::from(to - from);
        self.places.iter().all(|place| {
            let at = |viewport: u32| place.details.rendered.get(&viewport);
            let (Some(a), Some(m), Some(b)) = (at(from), at(middle), at(to)) else {
                return true;
            };
            let even = |a: f64, m: f64, b: f64| (a + (b - a) * share - m).abs() <= EVEN;
            even(a.width, m.width, b.width) && even(a.height, m.height, b.height)
        })
    }

    /// The place of `found`, which is the same at every viewport by its selector.
    fn place(&mut self, found: &Found) -> &mut FoundPlace {
        let known = self.places.iter().position(|place| place.selector == found.selector);
        let at = known.unwrap_or_else(|| {
            self.places.push(FoundPlace {
                selector: found.selector.clone(),
                loose: found.loose.clone(),
                kind: found.kind,
                details: MeasuredPlace {
                    boxes: Boxes::new(),
                    rendered: Boxes::new(),
                    positions: BTreeMap::new(),
                    files: BTreeMap::new(),
                    painting: found.painting,
                    position: found.position.clone(),
                    srcset: found.srcset.clone(),
                    sizes: found.sizes.clone(),
                    alt: found.alt.clone(),
                    lazy: found.lazy,
                    above_fold: false,
                    lcp: false,
                },
            });
            self.places.len() - 1
        });
        &mut self.places[at]
    }

    pub(crate) fn finish(self, files: Files) -> MeasuredPage {
        MeasuredPage {
            address: self.address,
            title: self.title,
            heights: self.heights,
            breakpoints: self.breakpoints,
            places: self.places,
            icons: self
                .icons
                .into_iter()
                .map(|icon| PageIcon {
                    file: served(
                        &icon.address,
                        files.get(&icon.address).filter(|file| file.status < 400),
                    ),
                    selector: icon.selector,
                    rel: icon.rel,
                    sizes: icon.sizes,
                })
                .collect(),
            left: self.left,
            links: self.links,
            files,
        }
    }
}

fn served(address: &str, file: Option<&Fetched>) -> ServedFile {
    let facts = file.map(|file| file.facts).unwrap_or_default();
    let size = facts.size.filter(|size| size.pixels() > 0);
    ServedFile {
        url: address.to_owned(),
        size: size.map(|size| (size.width, size.height)),
        format: facts.format.map(|format| format.name().to_owned()),
        bytes: Bytes(file.map_or(0, |file| file.bytes)),
        hash: None,
    }
}

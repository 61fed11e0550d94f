//! A page as it was measured, put together from what was read at each viewport.

use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::units::ByDensity;
use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::layout::{BoxSize, Boxes, LayoutWidth};
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::units::Density;

use crate::fetched::{Fetched, Files};
use crate::reading::{Found, Icon, Reading};
use crate::served_file::ServedFile;

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
    /// Its boxes at the layout widths.
    pub boxes: Boxes,
    /// Its boxes at all viewports that were looked at.
    pub rendered: Boxes,
    /// Where it stands on the page, by layout width: from the left and from the top, in CSS px.
    pub positions: BTreeMap<u32, (f64, f64)>,
    /// The file at each layout width and density.
    pub files: BTreeMap<u32, ByDensity<ServedFile>>,
    /// How the file is put into the box.
    pub painting: ObjectFit,
    /// Which part stays where some is cut, as CSS says it.
    pub position: String,
    /// Its `srcset`.
    pub srcset: Option<String>,
    /// Its `sizes`.
    pub sizes: Option<String>,
    /// Its alternative text.
    pub alt: Option<String>,
    /// Whether width and height are written in the markup.
    pub has_dimensions: bool,
    /// Whether it loads only when scrolled to.
    pub lazy: bool,
    /// Whether a part of it is seen without scrolling, at any layout width.
    pub above_fold: bool,
    /// Whether it is the largest contentful paint, at any layout width.
    pub lcp: bool,
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
            place.boxes.insert(viewport.width, size);
            place.rendered.insert(viewport.width, size);
            place.positions.insert(viewport.width, (found.rect.x, found.rect.y));
            let file = files.get(&found.address).filter(|file| file.status < 400 && found.loaded);
            let served = served(&found.address, file);
            if !found.address.is_empty() {
                let files = place.files.entry(viewport.width).or_default();
                files.insert(density, served);
            }
            place.above_fold |= size.is_shown() && found.rect.y < f64::from(viewport.height);
            place.lcp |= reading.lcp.as_ref() == Some(&found.selector);
        }
    }

    pub(crate) fn add_boxes(&mut self, viewport: u32, reading: &Reading) {
        for found in &reading.found {
            let size = BoxSize { width: found.rect.width, height: found.rect.height };
            self.place(found).rendered.insert(viewport, size);
        }
    }

    /// Every viewport that was looked at.
    pub(crate) fn viewports(&self) -> BTreeSet<u32> {
        self.places.iter().flat_map(|place| place.rendered.keys().copied()).collect()
    }

    /// Whether every box at `middle` is where a line from `from` to `to` has it.
    pub(crate) fn grows_evenly(&self, from: u32, middle: u32, to: u32) -> bool {
        let share = f64::from(middle - from) / f64::from(to - from);
        self.places.iter().all(|place| {
            let at = |viewport: u32| place.rendered.get(&viewport);
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
                boxes: Boxes::new(),
                rendered: Boxes::new(),
                positions: BTreeMap::new(),
                files: BTreeMap::new(),
                painting: found.painting,
                position: found.position.clone(),
                srcset: found.srcset.clone(),
                sizes: found.sizes.clone(),
                alt: found.alt.clone(),
                has_dimensions: found.has_dimensions,
                lazy: found.lazy,
                above_fold: false,
                lcp: false,
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
    ServedFile::new(address, facts, file.map_or(0, |file| file.bytes))
}

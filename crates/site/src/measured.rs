//! A page as it was measured, put together from what was read at each viewport.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::layout::{BoxSize, Boxes, LayoutWidth};
use brisk_margin_core::load::PageRequests;
use brisk_margin_core::place::{MeasuredPlace, ServedFile};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::shown_by::{Fixed, FixedPicture, ShownBy};
use brisk_margin_core::units::{Bytes, Density};

use crate::elements::ElementBox;
use crate::fetched::{Fetched, Files};
use crate::reading::{Found, Icon, Known, Opened, PageRect, Reading};

/// How far a box may be from growing evenly, in CSS px.
const EVEN: f64 = 0.25;

/// A page as it was measured.
#[derive(Debug, Clone, Default)]
pub struct MeasuredPage {
    /// Its address, redirects followed.
    pub address: String,
    /// Its title.
    pub title: String,
    /// Its height in CSS px, by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Viewport widths at which its style sheets change.
    pub breakpoints: Vec<u32>,
    /// Every place that shows a picture which can be replaced.
    pub places: Vec<FoundPlace>,
    /// Those that show one which cannot.
    pub fixed: Vec<FixedPicture>,
    /// The icons that its head names.
    pub icons: Vec<PageIcon>,
    /// Places beyond the limit of 1,000.
    pub left: usize,
    /// How many `<img>` elements it has.
    pub images: usize,
    /// Where all its elements stand, by layout width and density, where that was asked for; at densities
    /// that are left out they stand as at the others.
    pub elements: BTreeMap<(u32, Density), Vec<ElementBox>>,
    /// What it transfers at the highest density, by layout width.
    pub requests: BTreeMap<u32, PageRequests>,
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
    /// Which of the page's `<img>` elements it is, where it is one.
    pub image: Option<usize>,
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
    places: Vec<Entry>,
    icons: Vec<Icon>,
    left: usize,
    images: usize,
    elements: BTreeMap<(u32, Density), Vec<ElementBox>>,
    requests: BTreeMap<u32, PageRequests>,
    links: Vec<String>,
}

/// A place while its page is read.
struct Entry {
    place: FoundPlace,
    shown_by: ShownBy,
    known: Known,
    /// What the file has by itself, in CSS px, where it was read.
    natural: Option<BoxSize>,
    /// What its file adds to the page, where that is not kept elsewhere.
    bytes: Bytes,
    fixed: Option<Fixed>,
    /// How it was while what hides it was open, by layout width.
    opened: BTreeMap<u32, Opened>,
}

impl MeasuredPage {
    /// Where all its elements stand at a layout width and a density; nothing where it was not looked at
    /// at that width, or that was not asked for.
    pub fn elements_at(&self, width: u32, density: Density) -> Option<&[ElementBox]> {
        let of_width = || self.elements.iter().find(|(at, _)| at.0 == width);
        let own = self.elements.get(&(width, density));
        own.or_else(|| of_width().map(|(_, elements)| elements)).map(Vec::as_slice)
    }
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
        self.images = reading.images;
        self.links.clone_from(&reading.links);
        for found in &reading.found {
            let file = files.get(&found.address).filter(|file| file.status < 400 && found.loaded);
            // An object may hold anything.
            if found.shown_by == ShownBy::Object && file.is_none_or(|file| !file.is_picture()) {
                continue;
            }
            let served = served(&found.address, file);
            let entry = self.entry(found);
            entry.see(found, &served);
            entry.opened.extend(found.opened.map(|opened| (viewport.width, opened)));
            let size = entry.lay_out(viewport.width, found.rect);
            let details = &mut entry.place.details;
            details.boxes.insert(viewport.width, size);
            details.positions.insert(viewport.width, (found.rect.x, found.rect.y));
            if !found.address.is_empty() {
                let files = details.files.entry(viewport.width).or_default();
                files.insert(density, served);
            }
            details.above_fold |= size.is_shown() && found.rect.y < f64::from(viewport.height);
            details.lcp |= reading.lcp.as_ref() == Some(&found.selector);
        }
    }

    /// Notes where all elements stand at a layout width and a density.
    pub(crate) fn add_elements(
        &mut self,
        viewport: LayoutWidth,
        density: Density,
        elements: Vec<ElementBox>,
    ) {
        if !elements.is_empty() {
            self.elements.insert((viewport.width, density), elements);
        }
    }

    /// Notes what the page transfers at a layout width.
    pub(crate) fn add_requests(&mut self, viewport: LayoutWidth, requests: PageRequests) {
        self.requests.insert(viewport.width, requests);
    }

    /// Gives places that no layout width shows the boxes that they have when opened.
    pub(crate) fn open_hidden(&mut self) {
        self.places.iter_mut().for_each(Entry::open_hidden);
    }

    /// What finds its places again, in their order.
    pub(crate) fn known(&self) -> Vec<Known> {
        self.places.iter().map(|entry| entry.known.clone()).collect()
    }

    /// Adds where the known places are at `viewport`.
    pub(crate) fn add_boxes(&mut self, viewport: u32, boxes: &[Option<PageRect>]) {
        for (entry, rect) in self.places.iter_mut().zip(boxes) {
            if let Some(rect) = rect {
                entry.lay_out(viewport, *rect);
            }
        }
    }

    /// Every viewport that was looked at.
    pub(crate) fn viewports(&self) -> BTreeSet<u32> {
        self.rendered().flat_map(|rendered| rendered.keys().copied()).collect()
    }

    /// Whether every box at `middle` is where a line from `from` to `to` has it.
    pub(crate) fn grows_evenly(&self, from: u32, middle: u32, to: u32) -> bool {
        let share = f64::from(middle - from) / f64::from(to - from);
        self.rendered().all(|rendered| {
            let at = |viewport: u32| rendered.get(&viewport);
            let (Some(a), Some(m), Some(b)) = (at(from), at(middle), at(to)) else {
                return true;
            };
            let even = |a: f64, m: f64, b: f64| (a + (b - a) * share - m).abs() <= EVEN;
            even(a.width, m.width, b.width) && even(a.height, m.height, b.height)
        })
    }

    fn rendered(&self) -> impl Iterator<Item = &Boxes> {
        self.places.iter().map(|entry| &entry.place.details.rendered)
    }

    /// The place of `found`, which is the same at every viewport by its selector.
    fn entry(&mut self, found: &Found) -> &mut Entry {
        let known = self.places.iter().position(|entry| entry.place.selector == found.selector);
        let at = known.unwrap_or_else(|| {
            self.places.push(Entry::of(found));
            self.places.len() - 1
        });
        &mut self.places[at]
    }

    pub(crate) fn finish(self, files: Files) -> MeasuredPage {
        let (fixed, places): (Vec<_>, Vec<_>) =
            self.places.into_iter().partition(|entry| entry.fixed.is_some());
        MeasuredPage {
            address: self.address,
            title: self.title,
            heights: self.heights,
            breakpoints: self.breakpoints,
            places: places.into_iter().map(|entry| entry.place).collect(),
            fixed: fixed.into_iter().filter_map(Entry::into_fixed).collect(),
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
            images: self.images,
            elements: self.elements,
            requests: self.requests,
            links: self.links,
            files,
        }
    }
}

impl Entry {
    fn of(found: &Found) -> Self {
        let details = MeasuredPlace {
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
            shown_by: Some(found.shown_by),
            hidden_in: None,
            surroundings: found.surroundings.clone(),
            background: found.layer.clone(),
        };
        let place = FoundPlace {
            selector: found.selector.clone(),
            loose: found.loose.clone(),
            image: found.image,
            kind: found.kind,
            details,
        };
        Self {
            place,
            shown_by: found.shown_by,
            known: Known::of(found),
            natural: None,
            bytes: Bytes(0),
            fixed: None,
            opened: BTreeMap::new(),
        }
    }

    fn open_hidden(&mut self) {
        let is_shown = self.place.details.boxes.values().any(|size| size.is_shown());
        let opened = std::mem::take(&mut self.opened);
        let is_measured = opened.values().any(|Opened { rect, .. }| rect.width * rect.height > 0.0);
        if is_shown || !is_measured {
            return;
        }
        self.known.hidden = true;
        for (viewport, Opened { hidden_in, rect }) in opened {
            let size = self.lay_out(viewport, rect);
            let details = &mut self.place.details;
            details.boxes.insert(viewport, size);
            details.hidden_in = Some(hidden_in);
            // It stands nowhere on the page.
            details.positions.remove(&viewport);
        }
    }

    /// Takes in what file it shows.
    fn see(&mut self, found: &Found, served: &ServedFile) {
        let density = found.density.max(0.1);
        let natural = served.size.map(|(width, height)| {
            BoxSize::new(f64::from(width) / density, f64::from(height) / density)
        });
        self.natural = natural.or(self.natural);
        self.bytes = match Fixed::of(found.shown_by, &found.address) {
            // Base64 has four letters for three bytes.
            Some(Fixed::Inline) => Bytes(found.length * 3 / 4),
            _ => served.bytes,
        };
        let area = BoxSize::new(found.rect.width, found.rect.height);
        let layer = self.place.details.background.as_ref();
        let is_part = layer.is_some_and(|layer| layer.shows_a_part(area, self.natural));
        let part = is_part.then_some(Fixed::Part);
        self.fixed = self.fixed.or(Fixed::of(found.shown_by, &found.address)).or(part);
    }

    /// Notes the box that its file fills at `viewport`, where what it is put into is `rect`.
    fn lay_out(&mut self, viewport: u32, rect: PageRect) -> BoxSize {
        let area = BoxSize::new(rect.width, rect.height);
        // An image among the content of a pseudo-element has its own size, whatever the line's is.
        let is_own = self.known.pseudo.is_some()
            && matches!(self.shown_by, ShownBy::Content | ShownBy::ListMarker);
        let details = &mut self.place.details;
        let size = match &details.background {
            _ if !area.is_shown() => area,
            Some(layer) => {
                let (size, fit) = layer.drawn(area, self.natural);
                details.painting = fit;
                size
            }
            None if is_own => self.natural.unwrap_or(area),
            None => area,
        };
        details.rendered.insert(viewport, size);
        size
    }

    fn into_fixed(self) -> Option<FixedPicture> {
        let (details, shown_by) = (self.place.details, self.shown_by);
        let file = details.files.into_values().next_back();
        let file = file.and_then(|at| at.values().next_back().cloned());
        Some(FixedPicture {
            selector: self.place.selector,
            shown_by,
            reason: self.fixed?,
            url: file.map_or_else(String::new, |file| file.url),
            bytes: self.bytes,
            boxes: details.boxes,
            positions: details.positions,
        })
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

//! Measuring: what is found on a page at every layout width and density, on one page or on all
//! pages that a site links to.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::{BoxSize, Boxes, LayoutWidth};
use brisk_margin_core::picture::Picture;
use brisk_margin_core::state::Painting;
use brisk_margin_core::units::{Bytes, Density};
use futures::StreamExt;
use futures::stream::FuturesUnordered;
use serde::Serialize;
use thiserror::Error;
use url::Url;

use crate::chromium::{Chromium, ChromiumError};
use crate::devtools::DevtoolsError;
use crate::gate::{Authority, Gate, Rules};
use crate::page::{Fetched, Files, Found, Icon, Kind, Page, PageError, Reading};

/// Viewports between the layout widths at which only boxes are read, besides those at the page's
/// own breakpoints.
const EDGES: [u32; 2] = [320, 2_560];
/// Most viewports that are read for boxes alone, at breakpoints and again between them.
const MOST_BETWEEN: usize = 60;
/// How far a box may be from growing evenly, in CSS px.
const EVEN: f64 = 0.25;
/// Pages that are measured at once; the browser paints them on all cores.
const TABS: usize = 2;

/// What to measure, and what may be reached for it.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Layout widths, each opened once per density.
    pub widths: Vec<LayoutWidth>,
    /// Densities at which files are chosen.
    pub densities: Vec<Density>,
    /// Who may be reached.
    pub rules: Rules,
    /// Most pages of a site.
    pub pages: usize,
}

impl Plan {
    /// The usual layout widths at densities 1 and 2, reaching only the host and port of `address`.
    ///
    /// # Errors
    /// [`MeasureError::Address`] where it is none that a browser can open.
    pub fn for_page(address: &str) -> Result<Self, MeasureError> {
        let unusable = || MeasureError::Address(address.to_owned());
        let url = Url::parse(address).map_err(|_| unusable())?;
        let allowed = BTreeSet::from([Authority::of(&url).ok_or_else(unusable)?]);
        Ok(Self {
            widths: LayoutWidth::USUAL.to_vec(),
            densities: vec![Density::ONE, Density::new(2.0).expect("within range")],
            rules: Rules { allowed, own_ports: BTreeSet::new() },
            pages: 50,
        })
    }
}

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
    pub places: Vec<Place>,
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
pub struct Place {
    /// Finds this element alone.
    pub selector: String,
    /// The same without positions.
    pub loose: String,
    /// What it is for.
    pub kind: Kind,
    /// Its boxes at the layout widths.
    pub boxes: Boxes,
    /// Its boxes at all viewports that were looked at.
    pub rendered: Boxes,
    /// Where it stands on the page, by layout width: from the left and from the top, in CSS px.
    pub positions: BTreeMap<u32, (f64, f64)>,
    /// The file at each layout width and density.
    pub files: BTreeMap<u32, BTreeMap<String, ServedFile>>,
    /// How the file is put into the box.
    pub painting: Painting,
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

/// A file that a page serves.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ServedFile {
    /// Where it is.
    pub url: String,
    /// Its pixels across; nothing where it could not be read.
    pub width: Option<u32>,
    /// Its pixels down.
    pub height: Option<u32>,
    /// Its format by content, in lower case.
    pub format: Option<String>,
    /// Its weight.
    pub bytes: Bytes,
}

impl ServedFile {
    fn new(address: &str, file: Option<&Fetched>) -> Self {
        let body = file.and_then(|file| file.body.as_deref()).unwrap_or_default();
        let size = size_of(body);
        Self {
            url: address.to_owned(),
            width: size.map(|size| size.width),
            height: size.map(|size| size.height),
            format: format_of(body).map(str::to_owned),
            bytes: Bytes(file.map_or(0, |file| file.bytes)),
        }
    }

    /// Its pixels.
    pub fn size(&self) -> Option<Size> {
        Some(Size::new(self.width?, self.height?)).filter(|size| size.pixels() > 0)
    }
}

/// A file's pixels as shown: browsers turn a picture as its metadata say.
fn size_of(body: &[u8]) -> Option<Size> {
    if let Ok(picture) = Picture::open(body) {
        return Some(picture.facts().size);
    }
    let size = imagesize::blob_size(body).ok()?;
    Some(Size::new(u32::try_from(size.width).ok()?, u32::try_from(size.height).ok()?))
}

fn format_of(body: &[u8]) -> Option<&'static str> {
    use imagesize::ImageType;
    match imagesize::image_type(body) {
        Ok(ImageType::Jpeg) => Some("jpeg"),
        Ok(ImageType::Png) => Some("png"),
        Ok(ImageType::Webp) => Some("webp"),
        Ok(ImageType::Gif) => Some("gif"),
        Ok(ImageType::Bmp) => Some("bmp"),
        Ok(ImageType::Ico) => Some("ico"),
        Ok(ImageType::Heif(imagesize::Compression::Av1)) => Some("avif"),
        _ => String::from_utf8_lossy(&body[..body.len().min(1_024)])
            .contains("<svg")
            .then_some("svg"),
    }
}

/// A browser with a gate, ready to measure.
pub struct Measurer {
    tabs: Vec<Page>,
    plan: Plan,
    gate: Gate,
    _browser: Chromium,
}

/// Why nothing could be measured.
#[derive(Debug, Error)]
pub enum MeasureError {
    /// Not an address that a browser can open.
    #[error("“{0}” is no address of a page: write it as in http://127.0.0.1:4811/visit.html")]
    Address(String),
    /// Layout widths that no page is opened at.
    #[error("give one to eight layout widths between 160 and 7,680 CSS px, as in 390, 1280")]
    Widths,
    /// There is no browser.
    #[error(transparent)]
    Browser(#[from] ChromiumError),
    /// The gate could not be opened.
    #[error("the gate for the browser could not be opened: {0}")]
    Gate(#[from] std::io::Error),
    /// The page could not be read.
    #[error(transparent)]
    Page(#[from] PageError),
    /// It leads to a host that was not entered.
    #[error(
        "{from} leads to {to}, which was not entered; measure that address instead, or allow its host"
    )]
    Elsewhere {
        /// The address that was asked for.
        from: String,
        /// The host and port behind it.
        to: String,
    },
}

impl From<DevtoolsError> for MeasureError {
    fn from(error: DevtoolsError) -> Self {
        Self::Browser(error.into())
    }
}

impl Measurer {
    /// Starts a browser for `plan`.
    pub async fn start(plan: Plan) -> Result<Self, MeasureError> {
        let gate = Gate::open(plan.rules.clone()).await?;
        let browser = Chromium::start(&gate).await?;
        let mut tabs = Vec::new();
        for _ in 0..TABS {
            tabs.push(browser.page().await?);
        }
        Ok(Self { tabs, plan, gate, _browser: browser })
    }

    /// The hosts that pages asked for and that were not entered, each with one of the addresses.
    pub fn refused(&self) -> BTreeMap<Authority, String> {
        let asked: BTreeSet<Authority> = self.tabs.iter().flat_map(Page::asked).collect();
        let mut refused = self.gate.refused();
        refused.retain(|authority, _| asked.contains(authority));
        refused
    }

    /// Measures one page.
    pub async fn page(&self, address: &str) -> Result<MeasuredPage, MeasureError> {
        self.page_in(&self.tabs[0], address).await
    }

    async fn page_in(&self, tab: &Page, address: &str) -> Result<MeasuredPage, MeasureError> {
        let mut files = Files::new();
        let mut sheet = Sheet::default();
        for &viewport in &self.plan.widths {
            self.at(tab, address, viewport, &mut files, &mut sheet).await?;
        }
        let mut ends: BTreeSet<u32> = EDGES.into();
        let inside = |b: &&u32| (EDGES[0]..=EDGES[1]).contains(*b);
        ends.extend(sheet.breakpoints.iter().filter(inside).flat_map(|&b| [b - 1, b]));
        for &viewport in ends.iter().take(MOST_BETWEEN) {
            Self::boxes_at(tab, viewport, &mut sheet).await?;
        }
        self.refine(tab, &mut sheet).await?;
        Ok(sheet.finish(files))
    }

    async fn boxes_at(tab: &Page, viewport: u32, sheet: &mut Sheet) -> Result<(), MeasureError> {
        tab.resize(LayoutWidth::of(viewport), Density::ONE).await?;
        sheet.add_boxes(viewport, &tab.read().await?);
        Ok(())
    }

    /// Looks at the middle of each stretch between known viewports, and again at the middles of
    /// its halves where a box does not grow evenly: so limits in the layout that no media query
    /// tells are found to a pixel or two.
    async fn refine(&self, tab: &Page, sheet: &mut Sheet) -> Result<(), MeasureError> {
        let known = sheet.viewports();
        let mut stretches: VecDeque<(u32, u32)> =
            known.iter().zip(known.iter().skip(1)).map(|(&a, &b)| (a, b)).collect();
        let mut reads = 0;
        while let Some((from, to)) = stretches.pop_front() {
            let middle = from.midpoint(to);
            if middle == from || reads >= MOST_BETWEEN {
                continue;
            }
            reads += 1;
            Self::boxes_at(tab, middle, sheet).await?;
            if !sheet.grows_evenly(from, middle, to) {
                stretches.extend([(from, middle), (middle, to)]);
            }
        }
        Ok(())
    }

    /// Opens `address` at `viewport`, once for all densities where they cannot matter.
    async fn at(
        &self,
        tab: &Page,
        address: &str,
        viewport: LayoutWidth,
        files: &mut Files,
        sheet: &mut Sheet,
    ) -> Result<(), MeasureError> {
        let mut same_for_all: Option<Reading> = None;
        for &density in &self.plan.densities {
            if let Some(reading) = &same_for_all {
                sheet.add(viewport, density, reading, files);
                continue;
            }
            tab.resize(viewport, density).await?;
            let opened = tab.open(address, files).await;
            let (reading, new) = opened.map_err(|error| self.explain(address, error))?;
            files.extend(new);
            sheet.add(viewport, density, &reading, files);
            if !reading.depends_on_density {
                same_for_all = Some(reading);
            }
        }
        Ok(())
    }

    /// Measures `start`, what the site's map names, and what those link to on the same host, telling `heard` of each page as it
    /// is done; stops early where `heard` says so.
    pub async fn site(
        &self,
        start: &str,
        mut heard: impl FnMut(Progress<'_>) -> Go,
    ) -> Result<(), MeasureError> {
        let mut waiting = VecDeque::from([plain(start)]);
        if self.plan.pages > 1 {
            waiting.extend(self.sitemap(start).await);
        }
        let mut seen = BTreeSet::new();
        waiting.retain(|address| seen.len() < self.plan.pages && seen.insert(address.clone()));
        let mut free: Vec<&Page> = self.tabs.iter().collect();
        let mut under_way = FuturesUnordered::new();
        let mut done = 0;
        loop {
            while let Some(address) = waiting.pop_front_if(|_| !free.is_empty()) {
                let Some(tab) = free.pop() else { break };
                under_way.push(async move {
                    let outcome = self.page_in(tab, &address).await;
                    (tab, address, outcome)
                });
            }
            let Some((tab, address, outcome)) = under_way.next().await else { break };
            free.push(tab);
            done += 1;
            if let Ok(page) = &outcome {
                for link in self.same_site(start, &page.links) {
                    if seen.len() < self.plan.pages && seen.insert(link.clone()) {
                        waiting.push_back(link);
                    }
                }
            }
            if done == 1
                && let Err(error) = outcome
            {
                return Err(error);
            }
            let progress = Progress { done, known: seen.len(), address: &address, outcome };
            if heard(progress) == Go::Stop {
                break;
            }
        }
        Ok(())
    }

    /// The pages that the site's own map names, where it has one.
    async fn sitemap(&self, start: &str) -> Vec<String> {
        let Ok(address) = Url::parse(start).and_then(|url| url.join("/sitemap.xml")) else {
            return Vec::new();
        };
        // A site without a map answers with an error, which says nothing about its pages.
        match self.tabs[0].locations(address.as_str()).await {
            Ok(found) => self.same_site(start, &found),
            Err(_) => Vec::new(),
        }
    }

    fn same_site(&self, start: &str, links: &[String]) -> Vec<String> {
        let home = Url::parse(start).ok().and_then(|url| Authority::of(&url));
        links
            .iter()
            .filter(|link| Url::parse(link).ok().and_then(|url| Authority::of(&url)) == home)
            .map(|link| plain(link))
            .filter(|link| !leads_to_a_file(link))
            .collect()
    }

    /// A redirect to a host that was not entered shows as the gate's own refusal.
    fn explain(&self, address: &str, error: PageError) -> MeasureError {
        let home = Url::parse(address).ok().and_then(|url| Authority::of(&url));
        let refused = self.refused();
        let elsewhere = refused.keys().find(|authority| Some(*authority) != home.as_ref());
        let silent = home.as_ref().is_some_and(|home| self.gate.is_unreachable(home));
        match (&error, elsewhere) {
            (PageError::Status { status: 502, .. }, _) if silent => PageError::NoAnswer {
                address: address.to_owned(),
                reason: "nobody listens at that host and port".to_owned(),
            }
            .into(),
            (PageError::Status { status: 403, .. }, Some(to)) => {
                MeasureError::Elsewhere { from: address.to_owned(), to: to.to_string() }
            }
            _ => error.into(),
        }
    }
}

/// An address without the part that only says where on the page.
fn plain(address: &str) -> String {
    address.split('#').next().unwrap_or_default().to_owned()
}

fn leads_to_a_file(address: &str) -> bool {
    let path = Url::parse(address).map(|url| url.path().to_ascii_lowercase()).unwrap_or_default();
    let name = path.rsplit('/').next().unwrap_or_default();
    match name.rsplit_once('.') {
        Some((_, extension)) => !matches!(extension, "html" | "htm" | "xhtml" | "php" | "aspx"),
        None => false,
    }
}

/// How far a site was measured.
pub struct Progress<'a> {
    /// Pages that are done, this one included.
    pub done: usize,
    /// Pages that are known of.
    pub known: usize,
    /// This page.
    pub address: &'a str,
    /// What was found on it.
    pub outcome: Result<MeasuredPage, MeasureError>,
}

/// Whether to go on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Go {
    /// To the next page.
    On,
    /// No further.
    Stop,
}

/// What was read of a page so far.
#[derive(Default)]
struct Sheet {
    address: String,
    title: String,
    heights: BTreeMap<u32, f64>,
    breakpoints: Vec<u32>,
    places: Vec<Place>,
    icons: Vec<Icon>,
    left: usize,
    links: Vec<String>,
}

impl Sheet {
    fn add(&mut self, viewport: LayoutWidth, density: Density, reading: &Reading, files: &Files) {
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
            let served = ServedFile::new(&found.address, file);
            if !found.address.is_empty() {
                let files = place.files.entry(viewport.width).or_default();
                files.insert(density.get().to_string(), served);
            }
            place.above_fold |= size.is_shown() && found.rect.y < f64::from(viewport.height);
            place.lcp |= reading.lcp.as_ref() == Some(&found.selector);
        }
    }

    fn add_boxes(&mut self, viewport: u32, reading: &Reading) {
        for found in &reading.found {
            let size = BoxSize { width: found.rect.width, height: found.rect.height };
            self.place(found).rendered.insert(viewport, size);
        }
    }

    /// Every viewport that was looked at.
    fn viewports(&self) -> BTreeSet<u32> {
        self.places.iter().flat_map(|place| place.rendered.keys().copied()).collect()
    }

    /// Whether every box at `middle` is where a line from `from` to `to` has it.
    fn grows_evenly(&self, from: u32, middle: u32, to: u32) -> bool {
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
    fn place(&mut self, found: &Found) -> &mut Place {
        let known = self.places.iter().position(|place| place.selector == found.selector);
        let at = known.unwrap_or_else(|| {
            self.places.push(Place {
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

    fn finish(self, files: Files) -> MeasuredPage {
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
                    file: ServedFile::new(
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

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png, oriented};

    #[test]
    fn a_files_pixels_are_told_as_a_browser_shows_them() {
        let lying = gradient_jpeg(60, 40);
        assert_eq!(size_of(&lying), Some(Size::new(60, 40)));
        assert_eq!(size_of(&oriented(&lying, 6)), Some(Size::new(40, 60)));
        assert_eq!(size_of(&gradient_png(7, 5)), Some(Size::new(7, 5)));
        assert_eq!(size_of(b"GIF89a\x0a\0\x14\0\0\0\0"), Some(Size::new(10, 20)));
        assert_eq!(size_of(b"no picture"), None);
    }

    #[test]
    fn only_pages_are_followed() {
        assert!(leads_to_a_file("http://tarn.example/media/dome.jpg"));
        for page in
            ["http://tarn.example/", "http://tarn.example/visit.html", "http://tarn.example/a/b"]
        {
            assert!(!leads_to_a_file(page), "{page}");
        }
        assert_eq!(plain("http://tarn.example/visit.html#map"), "http://tarn.example/visit.html");
    }
}

//! What the browser tells of an open page: its places, icons, links and breakpoints.

use brisk_margin_core::background::BackgroundStyle;
use brisk_margin_core::hidden::HiddenIn;
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::shown_by::ShownBy;
use brisk_margin_core::slot_name::Surroundings;
use serde::{Deserialize, Serialize};

/// What a page shows at one layout width.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Reading {
    /// The document's title.
    pub title: String,
    /// Where the page is, redirects followed.
    pub address: String,
    /// Every place that shows a picture.
    pub found: Vec<Found>,
    /// How many `<img>` elements it has.
    pub images: usize,
    /// Places beyond the limit.
    pub left: usize,
    /// The icons that its head names.
    pub icons: Vec<Icon>,
    /// Whether a denser screen may make the page choose other files: it has a `srcset`, a
    /// `<source>`, a script, or a style that asks for the density.
    pub depends_on_density: bool,
    /// Viewport widths at which its style sheets change, in CSS px.
    pub breakpoints: Vec<u32>,
    /// Where it links to.
    pub links: Vec<String>,
    /// Its height in CSS px.
    pub height: f64,
    /// The selector of the element of its largest contentful paint.
    pub lcp: Option<String>,
}

/// The longest selector or address that is kept, in bytes: cut, it would find something else.
pub(crate) const LONGEST: usize = 8_000;
/// Most breakpoints that are kept.
const BREAKPOINTS: usize = 200;

impl Reading {
    /// The same without what no page needs that people can use, since all of it is stored and shown: texts are cut,
    /// and a place that cannot be found by a short selector is counted among those that are left out.
    pub(crate) fn bounded(mut self) -> Self {
        cut(&mut self.title, 500);
        self.breakpoints.truncate(BREAKPOINTS);
        self.links.retain(|link| link.len() <= LONGEST);
        self.icons.retain(|icon| {
            icon.address.len().max(icon.selector.len()).max(icon.sizes.len()) <= LONGEST
        });
        let before = self.found.len();
        self.found.retain(|found| {
            [&found.selector, &found.loose, &found.base, &found.address]
                .iter()
                .all(|text| text.len() <= LONGEST)
        });
        self.left += before - self.found.len();
        for found in &mut self.found {
            found.alt.iter_mut().for_each(|text| cut(text, 2_000));
            found.sizes.iter_mut().for_each(|text| cut(text, LONGEST));
            // Cut, it would name other files.
            found.srcset.take_if(|text| text.len() > LONGEST);
            cut(&mut found.position, 200);
            let Surroundings { headings, caption, .. } = &mut found.surroundings;
            headings.truncate(4);
            headings.iter_mut().chain(caption).for_each(|text| cut(text, 200));
        }
        self
    }

    /// The address of the picture that is its largest paint, in the element that is known for it or else in its own.
    pub(crate) fn largest(&self, known: Option<&str>) -> Option<&str> {
        let selector = known.or(self.lcp.as_deref())?;
        let found = self.found.iter().find(|found| found.selector == selector)?;
        Some(&found.address)
    }
}

/// A place that shows a picture.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Found {
    /// Finds this element alone.
    pub selector: String,
    /// The same without positions: elements alike share it.
    pub loose: String,
    /// Which of the page's `<img>` elements it is, where it is one.
    pub image: Option<usize>,
    /// Finds the element that it belongs to, which may show several.
    pub base: String,
    /// How it is shown.
    #[serde(rename = "element")]
    pub shown_by: ShownBy,
    /// What the place is for.
    pub kind: PlaceKind,
    /// What a person sees around it.
    pub surroundings: Surroundings,
    /// Where it is on the page, in CSS px: what the file is put into.
    #[serde(rename = "box")]
    pub rect: PageRect,
    /// Where it is while what hides it is open; nothing where nothing does.
    pub opened: Option<Opened>,
    /// Which box of its element that is.
    pub edge: Edge,
    /// Whether it is the window instead, as of a fixed background.
    pub in_window: bool,
    /// Of a part that no script can measure: which one.
    pub probe: Option<Probe>,
    /// The file that the browser chose; of one that is written into the page, how it begins.
    pub address: String,
    /// How long the whole address is.
    pub length: u64,
    /// For which density the file is, where a style says so.
    pub density: f64,
    /// Whether it could be shown.
    pub loaded: bool,
    /// Its `srcset`.
    pub srcset: Option<String>,
    /// Its `sizes`.
    pub sizes: Option<String>,
    /// How the file is put into the box.
    pub painting: ObjectFit,
    /// Which part stays where some is cut, as CSS says it.
    pub position: String,
    /// Its alternative text.
    pub alt: Option<String>,
    /// Whether it loads only when scrolled to.
    pub lazy: bool,
    /// How a background or a mask lies in its element.
    pub layer: Option<BackgroundStyle>,
}

/// A place that is hidden, as it was measured while what hides it was open.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Opened {
    /// What has to open.
    pub hidden_in: HiddenIn,
    /// Its box then.
    #[serde(rename = "box")]
    pub rect: PageRect,
}

/// A box of an element.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Edge {
    /// With its border.
    Border,
    /// Within its border.
    Padding,
    /// Within its padding.
    Content,
}

/// A pseudo-element, which only the browser itself can measure.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
pub struct Probe {
    /// The number of its element among those that the page keeps.
    pub at: usize,
    /// Which of the element's it is, as in `before`.
    pub pseudo: String,
}

/// What finds a place again after its page was laid out anew.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Known {
    /// Finds its element.
    pub base: String,
    /// Which box of it counts.
    pub edge: Edge,
    /// Whether it is the window instead.
    pub in_window: bool,
    /// The pseudo-element that it is, where it is one.
    pub pseudo: Option<String>,
    /// The style that must name an image for it to be there: `background` or `mask`.
    pub painted: Option<&'static str>,
    /// Whether it is measured opened, since no layout width shows it.
    pub hidden: bool,
}

impl Known {
    /// What finds `found` again.
    pub(crate) fn of(found: &Found) -> Self {
        Self {
            base: found.base.clone(),
            edge: found.edge,
            in_window: found.in_window,
            pseudo: found.probe.as_ref().map(|probe| probe.pseudo.clone()),
            painted: match found.shown_by {
                ShownBy::Background => Some("background"),
                ShownBy::Mask => Some("mask"),
                _ => None,
            },
            hidden: false,
        }
    }
}

/// Where a place is after its page was laid out anew.
#[derive(Debug, Clone, Deserialize)]
pub struct Moved {
    /// Its box.
    #[serde(rename = "box")]
    pub rect: PageRect,
    /// Of a part that no script can measure: which one.
    pub probe: Option<Probe>,
}

/// A rectangle on a page, in CSS px.
#[derive(Debug, Clone, Copy, PartialEq, Default, Deserialize)]
pub struct PageRect {
    /// From the left edge.
    pub x: f64,
    /// From the top edge.
    pub y: f64,
    /// Across.
    pub width: f64,
    /// Down.
    pub height: f64,
}

/// An icon that a page's head names.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Icon {
    /// Its file.
    pub address: String,
    /// Finds its element.
    pub selector: String,
    /// What it is for.
    pub rel: String,
    /// The sizes it says it has.
    pub sizes: String,
}

/// Leaves `text` at `most` characters.
fn cut(text: &mut String, most: usize) {
    if let Some((end, _)) = text.char_indices().nth(most) {
        text.truncate(end);
    }
}

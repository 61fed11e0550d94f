//! What the browser tells of an open page: its places, icons, links and breakpoints.

use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place_kind::PlaceKind;
use serde::Deserialize;

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

/// A place that shows a picture.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Found {
    /// Finds this element alone.
    pub selector: String,
    /// The same without positions: elements alike share it.
    pub loose: String,
    /// How the picture is put there.
    pub element: Element,
    /// What the place is for.
    pub kind: PlaceKind,
    /// Where it is on the page, in CSS px.
    #[serde(rename = "box")]
    pub rect: PageRect,
    /// The file that the browser chose.
    pub address: String,
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
}

/// How a picture is put into a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Element {
    /// An `<img>` on its own.
    Img,
    /// An `<img>` inside `<picture>`.
    Picture,
    /// A CSS background.
    Background,
}

/// A rectangle on a page, in CSS px.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
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

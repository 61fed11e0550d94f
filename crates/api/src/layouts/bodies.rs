//! How pages, slots and places are told to a client.

use brisk_margin_core::object_fit::ObjectFit;
use std::collections::BTreeMap;

use brisk_margin_core::background::BackgroundStyle;
use brisk_margin_core::budget::Margin;
use brisk_margin_core::hidden::HiddenIn;
use brisk_margin_core::layout::{self, BoxSize, Boxes, Cropping};
use brisk_margin_core::layout_summary::{PageSummary, PlaceOnPage, SlotSummary};
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::markup::shape::{Shape, shapes};
use brisk_margin_core::needs::Need;
use brisk_margin_core::place::{Place, ServedFile};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::responsive::{Layout, WidthLimits};
use brisk_margin_core::shown_by::{Fixed, FixedPicture, ShownBy};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::layouts::Page;
use chrono::{DateTime, Utc};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::issues::IssueBody;
use brisk_margin_core::place_status::PlaceStatus;
use brisk_margin_work::layouts::PlaceStatuses;

/// A measured page.
#[derive(Serialize, ToSchema)]
pub(crate) struct PageBody {
    id: Uuid,
    address: String,
    title: String,
    /// What it is called: what tells it apart from the other pages.
    name: String,
    /// Its height in CSS px, by layout width.
    heights: BTreeMap<u32, f64>,
    measured_at: DateTime<Utc>,
    /// How many slots it has.
    places: usize,
    /// How many of them have a picture that does not fit.
    to_mend: usize,
    /// Bytes of pixels that no screen uses.
    wasted: Bytes,
    /// What its pictures weigh today, under the sum of its slots' budgets.
    margin: Margin,
}

/// A slot where it occurs on a page.
#[derive(Serialize, ToSchema)]
pub(crate) struct LayoutPlace {
    id: Uuid,
    slot_id: Uuid,
    page_id: Uuid,
    selector: String,
    /// Whether it is alike to another slot in the markup, but laid out differently.
    uncertain: bool,
    /// The slot that a doubtful one is alike to.
    alike: Option<AlikeBody>,
    /// Its boxes by layout width.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
    /// Where it stands, by layout width, in CSS px from the left and the top.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    positions: BTreeMap<u32, (f64, f64)>,
    /// How it is shown; nothing where it was measured before that was told.
    shown_by: Option<ShownBy>,
    /// The same in words.
    shown_as: Option<&'static str>,
    /// How a background or a mask lies in its element.
    background: Option<BackgroundStyle>,
    painting: ObjectFit,
    /// Which part stays where some is cut, as CSS says it.
    position: String,
    above_fold: bool,
    lcp: bool,
    lazy: bool,
    /// When it is seen, where it is hidden until something opens; its boxes are those of then.
    hidden: Option<&'static str>,
    alt: Option<String>,
    /// The file that is served today at the widest layout and highest density.
    today: Option<FileBody>,
    /// The picture from the library that is placed in it.
    picture_id: Option<Uuid>,
    /// The step of that picture's work that holds; its previews change with it.
    picture_step: Option<Uuid>,
    /// The part of that picture that is shown at each layout width: left, top, width and height as
    /// fractions of it.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    parts: BTreeMap<u32, [f64; 4]>,
    /// What is worth mending, the most serious first; nothing where its picture fits.
    issues: Vec<IssueBody>,
    /// Today's weight under the slot's budget; nothing where nothing is served.
    margin: Option<Margin>,
}

/// A file that is served today.
#[derive(Serialize, ToSchema)]
pub(crate) struct FileBody {
    url: String,
    width: Option<u32>,
    height: Option<u32>,
    format: Option<String>,
    bytes: Bytes,
    /// Under which hash its copy can be looked at.
    hash: Option<String>,
}

/// A slot and what it needs.
#[derive(Serialize, ToSchema)]
pub(crate) struct SlotBody {
    id: Uuid,
    name: String,
    kind: PlaceKind,
    /// Whether it was typed by hand.
    by_hand: bool,
    fit: Fit,
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
    densities: Vec<Density>,
    budget: Bytes,
    budget_by_hand: bool,
    /// Whether its boxes were set by hand; measuring again keeps them.
    boxes_by_hand: bool,
    /// Device pixels at each layout width and density.
    needs: Vec<Need>,
    cropping: Cropping,
    /// Whether that was set by hand.
    cropping_by_hand: bool,
    /// What its markup tells the browser, for each shape; the widest viewports first.
    sources: Vec<SourceBody>,
    /// How often it occurs.
    places: usize,
    /// One place where it does.
    first: Option<WhereBody>,
    /// The most serious issue anywhere.
    worst: Option<IssueBody>,
    wasted: Bytes,
    /// The heaviest file under its budget.
    margin: Option<Margin>,
}

/// One shape of a slot: a `<source>`, or the `<img>` itself.
#[derive(Serialize, ToSchema)]
pub(crate) struct SourceBody {
    /// Its media condition; nothing for the narrowest viewports.
    media: Option<String>,
    /// Width over height.
    aspect: f64,
    /// The widths of its files.
    widths: Vec<u32>,
    /// Its `sizes` attribute.
    sizes: Option<String>,
}

/// A slot by number and name.
#[derive(Serialize, ToSchema)]
pub(crate) struct AlikeBody {
    slot_id: Uuid,
    name: String,
}

/// A place on a page.
#[derive(Clone, Copy, Serialize, ToSchema)]
pub(crate) struct WhereBody {
    place_id: Uuid,
    page_id: Uuid,
}

/// A place and its status, in `site`.
pub(super) fn place_body(status: &PlaceStatus, site: &PlaceStatuses) -> LayoutPlace {
    let PlaceStatus { place, issues, .. } = status;
    let picture = place.picture_id.and_then(|id| site.pictures.get(&id));
    let parts = picture.zip(site.slot(place.slot_id));
    let parts = parts.map(|(picture, slot)| picture.placement(slot, place).parts());
    let details = &place.details;
    let today = details.files.values().last().and_then(|at| at.values().last());
    LayoutPlace {
        id: place.id,
        slot_id: place.slot_id,
        page_id: place.page_id,
        selector: place.selector.clone(),
        uncertain: place.uncertain,
        alike: place.uncertain.then(|| alike(place, &site.slots)).flatten(),
        margin: status.margin(),
        today: today.map(FileBody::from),
        boxes: details.boxes.clone(),
        positions: details.positions.clone(),
        shown_by: details.shown_by,
        shown_as: details.shown_by.map(ShownBy::words),
        background: details.background.clone(),
        painting: details.painting,
        position: details.position.clone(),
        above_fold: details.above_fold,
        lcp: details.lcp,
        lazy: details.lazy,
        hidden: details.hidden_in.map(HiddenIn::words),
        alt: details.alt.clone(),
        picture_id: place.picture_id,
        picture_step: picture.and_then(|picture| picture.step),
        parts: parts.unwrap_or_default(),
        issues: issues.iter().cloned().map(IssueBody::from).collect(),
    }
}

/// A picture on a page that cannot be replaced.
#[derive(Serialize, ToSchema)]
pub(crate) struct FixedBody {
    selector: String,
    shown_by: ShownBy,
    /// The same in words.
    shown_as: &'static str,
    reason: Fixed,
    /// Why it cannot be replaced, and what would have to be done first.
    words: &'static str,
    /// Its file; of one that is written into the page, how it begins.
    url: String,
    bytes: Bytes,
    /// The largest of its boxes, in CSS px; nothing where it is shown at no layout width.
    #[schema(value_type = Option<Vec<f64>>)]
    largest: Option<BoxSize>,
}

impl From<FixedPicture> for FixedBody {
    fn from(picture: FixedPicture) -> Self {
        let FixedPicture { selector, shown_by, reason, url, bytes, boxes, .. } = picture;
        let (shown_as, words) = (shown_by.words(), reason.words());
        let largest = layout::largest(boxes.into_values());
        Self { selector, shown_by, shown_as, reason, words, url, bytes, largest }
    }
}

/// The first slot with the same markup and kind as that of `place`, and another layout.
fn alike(place: &Place, slots: &[Slot]) -> Option<AlikeBody> {
    let own = slots.iter().find(|slot| slot.id == place.slot_id)?;
    let same =
        |slot: &&Slot| slot.id != own.id && slot.selector == own.selector && slot.kind == own.kind;
    let slot = slots.iter().find(same)?;
    Some(AlikeBody { slot_id: slot.id, name: slot.name.clone() })
}

impl From<&ServedFile> for FileBody {
    fn from(file: &ServedFile) -> Self {
        Self {
            url: file.url.clone(),
            width: file.size.map(|(width, _)| width),
            height: file.size.map(|(_, height)| height),
            format: file.format.clone(),
            bytes: file.bytes,
            hash: file.hash.clone(),
        }
    }
}

impl PageBody {
    /// A page with what is summed up of it.
    pub(super) fn new(page: Page, summary: PageSummary) -> Self {
        Self {
            id: page.id,
            address: page.address,
            title: page.title,
            name: page.name,
            heights: page.heights,
            measured_at: page.measured_at,
            places: summary.places,
            to_mend: summary.to_mend,
            wasted: summary.wasted,
            margin: summary.margin,
        }
    }
}

impl SlotBody {
    /// A slot and what it needs, with what is summed up of it.
    pub(super) fn new(slot: &Slot, summary: SlotSummary) -> Self {
        let cropping = slot.cropping.unwrap_or_else(|| Cropping::of(slot.boxes(), slot.fit));
        let breakpoints = Vec::from_iter(summary.breakpoints);
        Self {
            id: slot.id,
            name: slot.name.clone(),
            kind: slot.kind,
            by_hand: slot.selector.is_none(),
            fit: slot.fit,
            boxes: slot.boxes().clone(),
            densities: slot.densities.clone(),
            budget: slot.budget(),
            budget_by_hand: slot.budget.is_some(),
            boxes_by_hand: slot.hand_boxes.is_some(),
            needs: slot.needs(),
            cropping,
            cropping_by_hand: slot.cropping.is_some(),
            sources: sources(slot, cropping, &breakpoints),
            places: summary.places,
            first: summary.first.map(WhereBody::from),
            worst: summary.worst.map(IssueBody::from),
            wasted: summary.wasted,
            margin: summary.margin,
        }
    }
}

impl From<PlaceOnPage> for WhereBody {
    fn from(PlaceOnPage { place_id, page_id }: PlaceOnPage) -> Self {
        Self { place_id, page_id }
    }
}

/// What the markup of `slot` tells the browser for each of its shapes.
fn sources(slot: &Slot, cropping: Cropping, breakpoints: &[u32]) -> Vec<SourceBody> {
    let shapes = shapes(slot.boxes(), slot.fit, cropping, breakpoints, drop);
    let layout = Layout {
        rendered: slot.rendered(),
        fit: slot.fit,
        breakpoints,
        densities: &slot.densities,
    };
    let aspect = |shape: &Shape| shape.largest().map_or(1.0, BoxSize::aspect);
    // No picture is chosen yet, so the list of widths is provisional.
    let stocked = |shape: Shape| (shape.clone(), WidthLimits::provisional(aspect(&shape)));
    let shapes: Vec<(Shape, WidthLimits)> = shapes.into_iter().map(stocked).collect();
    let sources = layout.sources(&shapes);
    let sources = shapes.iter().zip(sources).map(|((shape, _), source)| SourceBody {
        media: shape.media(),
        aspect: aspect(shape),
        widths: source.widths,
        // A background is chosen by media rules and not by `sizes`.
        sizes: source
            .sizes
            .filter(|_| slot.holder() != Holder::Background)
            .map(|sizes| sizes.to_string()),
    });
    sources.collect()
}

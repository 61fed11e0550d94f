//! Layouts: measured pages, their slots, and the pictures in them.

use std::collections::{BTreeMap, BTreeSet};

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::budget::Margin;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::{Boxes, Cropping, rendered_widths};
use brisk_margin_core::needs::{ByteModel, Need, variant_widths};
use brisk_margin_core::sizes::Sizes;
use brisk_margin_core::slot::{Fit, Slot};
use brisk_margin_core::state::{Showing, State as SlotState, states};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_core::{budget, markup, needs};
use brisk_margin_site::measure::MeasureError;
use brisk_margin_store::BlobHash;
use brisk_margin_store::layouts::{Occurrence, Page, SlotEdit, SlotRow};
use brisk_margin_store::pictures::Picture;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use super::pictures::find;
use super::served::Served;
use crate::app::{App, Change};
use crate::measuring::{self, Report};
use crate::variants;

/// A page to be measured.
#[derive(Deserialize, ToSchema)]
pub(super) struct MeasureWish {
    /// Its address.
    address: String,
    /// Whether the pages that it links to on the same host are measured, too.
    #[serde(default)]
    whole_site: bool,
    /// Other hosts that pages may reach, as in `http://pictures.example:8080`.
    #[serde(default)]
    allow: Vec<String>,
    /// Layout widths in CSS px; 390, 820, 1280 and 1920 where none are given.
    #[serde(default)]
    widths: Vec<u32>,
}

/// Measures a page, or a whole site, in the background. Only the hosts and ports that are given
/// are ever reached.
#[utoipa::path(post, path = "/api/measurements", request_body = MeasureWish, responses(
    (status = 202, description = "Started", body = Option<Report>),
    (status = 409, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn measure(
    State(app): State<App>,
    extract::Json(wish): extract::Json<MeasureWish>,
) -> Result<(StatusCode, Json<Option<Report>>), Problem> {
    let MeasureWish { address, whole_site, allow, widths } = wish;
    let wish = measuring::Wish { address: address.trim().to_owned(), whole_site, allow, widths };
    if !measuring::start(&app, wish)? {
        let title = "Something is being measured already";
        let detail = "wait until it is done, or cancel it";
        return Err(Problem::new(StatusCode::CONFLICT, "busy", title, detail));
    }
    app.tell(Change::Measuring);
    Ok((StatusCode::ACCEPTED, Json(app.measuring.report())))
}

/// How far measuring is, or how the last one ended; `null` before the first.
#[utoipa::path(get, path = "/api/measurements/latest", responses(
    (status = 200, body = Option<Report>),
))]
pub(super) async fn measuring(State(app): State<App>) -> Json<Option<Report>> {
    Json(app.measuring.report())
}

/// Stops measuring after the page under way. What was measured stays.
#[utoipa::path(delete, path = "/api/measurements/latest", responses((status = 204)))]
pub(super) async fn cancel(State(app): State<App>) -> StatusCode {
    app.measuring.cancel();
    StatusCode::NO_CONTENT
}

impl From<MeasureError> for Problem {
    fn from(error: MeasureError) -> Self {
        Self::invalid(error)
    }
}

/// A measured page.
#[derive(Serialize, ToSchema)]
pub(super) struct PageBody {
    id: Uuid,
    address: String,
    title: String,
    /// Its height in CSS px, by layout width.
    heights: BTreeMap<u32, f64>,
    measured_at: DateTime<Utc>,
    /// How many slots it has.
    places: usize,
    /// How many of them have a picture that does not fit.
    to_mend: usize,
    /// Bytes of pixels that no screen uses.
    wasted: Bytes,
}

/// A state of the picture in a slot.
#[derive(Serialize, ToSchema)]
pub(super) struct StateBody {
    #[serde(flatten)]
    state: SlotState,
    /// The state in words.
    words: String,
    /// 0 for one that fits, more for worse.
    severity: u8,
}

impl StateBody {
    fn all(states: Vec<SlotState>) -> Vec<Self> {
        let body =
            |state: SlotState| Self { words: state.to_string(), severity: state.severity(), state };
        states.into_iter().map(body).collect()
    }
}

/// A slot where it occurs on a page.
#[derive(Serialize, ToSchema)]
pub(super) struct OccurrenceBody {
    id: Uuid,
    slot_id: Uuid,
    page_id: Uuid,
    selector: String,
    /// Whether it is alike to another slot in the markup, but laid out differently.
    doubtful: bool,
    /// Its boxes by layout width.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
    /// Where it stands, by layout width, in CSS px from the left and the top.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    positions: BTreeMap<u32, (f64, f64)>,
    painting: brisk_margin_core::state::Painting,
    /// Which part stays where some is cut, as CSS says it.
    position: String,
    above_fold: bool,
    lcp: bool,
    lazy: bool,
    alt: Option<String>,
    /// The file that is served today at the widest layout and highest density.
    today: Option<FileBody>,
    /// The picture from the library that is placed in it.
    picture_id: Option<Uuid>,
    /// The most serious first.
    states: Vec<StateBody>,
    /// Today's weight under the slot's budget; nothing where nothing is served.
    margin: Option<Margin>,
}

/// A file that is served today.
#[derive(Serialize, ToSchema)]
pub(super) struct FileBody {
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
pub(super) struct SlotBody {
    id: Uuid,
    name: String,
    kind: String,
    /// Whether it was typed by hand.
    by_hand: bool,
    fit: Fit,
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
    densities: Vec<Density>,
    budget: Bytes,
    budget_by_hand: bool,
    /// Device pixels at each layout width and density.
    needs: Vec<Need>,
    cropping: Cropping,
    /// What its markup tells the browser, for each shape; the widest viewports first.
    sources: Vec<SourceBody>,
    /// How often it occurs.
    occurrences: usize,
    /// The most serious state anywhere.
    worst: Option<StateBody>,
    wasted: Bytes,
    /// The heaviest file under its budget.
    margin: Option<Margin>,
}

/// One shape of a slot: a `<source>`, or the `<img>` itself.
#[derive(Serialize, ToSchema)]
pub(super) struct SourceBody {
    /// Its media condition; nothing for the narrowest viewports.
    media: Option<String>,
    /// Width over height.
    aspect: f64,
    /// The widths of its files.
    widths: Vec<u32>,
    /// Its `sizes` attribute.
    sizes: Option<String>,
}

/// Everything that is known of the site's layouts.
#[derive(Serialize, ToSchema)]
pub(super) struct Layouts {
    /// Measured layout widths, the narrowest first.
    widths: Vec<u32>,
    pages: Vec<PageBody>,
    slots: Vec<SlotBody>,
    occurrences: Vec<OccurrenceBody>,
}

/// The site's pages, slots, and where those occur.
#[utoipa::path(get, path = "/api/layouts", responses((status = 200, body = Layouts)))]
pub(super) async fn layouts(State(app): State<App>) -> Result<Json<Layouts>, Problem> {
    let pages = app.store.pages().await?;
    let slots = app.store.slots().await?;
    let occurrences = app.store.occurrences(None).await?;
    let placed: Vec<Uuid> = occurrences.iter().filter_map(|place| place.picture_id).collect();
    let pictures = app.store.pictures_of(&placed).await?;
    let budgets: BTreeMap<Uuid, Bytes> =
        slots.iter().map(|slot| (slot.id, slot_budget(slot))).collect();
    let occurrences: Vec<OccurrenceBody> = occurrences
        .into_iter()
        .map(|place| {
            let picture = pictures.iter().find(|picture| Some(picture.id) == place.picture_id);
            let slot = slots.iter().find(|slot| slot.id == place.slot_id);
            let budget = budgets.get(&place.slot_id).copied().unwrap_or_default();
            occurrence(place, slot, picture, budget)
        })
        .collect();
    let mut widths: Vec<u32> = pages.iter().flat_map(|page| page.heights.keys().copied()).collect();
    widths.sort_unstable();
    widths.dedup();
    Ok(Json(Layouts {
        widths,
        pages: pages.iter().map(|page| page_body(page, &occurrences)).collect(),
        slots: slots.iter().map(|slot| slot_body(slot, &pages, &occurrences)).collect(),
        occurrences,
    }))
}

fn wasted(states: &[StateBody]) -> Bytes {
    states
        .iter()
        .map(|body| match body.state {
            SlotState::TooLarge { wasted, .. } => wasted,
            _ => Bytes(0),
        })
        .sum()
}

fn page_body(page: &Page, occurrences: &[OccurrenceBody]) -> PageBody {
    let own: Vec<_> = occurrences.iter().filter(|place| place.page_id == page.id).collect();
    let to_mend = |place: &&&OccurrenceBody| place.states.iter().any(|state| state.severity > 1);
    PageBody {
        id: page.id,
        address: page.address.clone(),
        title: page.title.clone(),
        heights: page.heights.clone(),
        measured_at: page.measured_at,
        places: own.len(),
        to_mend: own.iter().filter(to_mend).count(),
        wasted: own.iter().map(|place| wasted(&place.states)).sum(),
    }
}

/// The shape of the slot's largest box, which its files get.
fn aspect(slot: &SlotRow) -> f64 {
    let shown = slot.boxes.values().filter(|size| size.is_shown());
    let largest = shown.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)));
    largest.map_or(1.0, |size| size.aspect())
}

fn slot_needs(slot: &SlotRow) -> Vec<Need> {
    needs::needs(&slot.boxes, slot.fit, aspect(slot), &slot.densities)
}

fn slot_budget(slot: &SlotRow) -> Bytes {
    slot.budget.unwrap_or_else(|| {
        let most = slot_needs(slot).into_iter().map(|need| need.pixels).max_by_key(|p| p.pixels());
        budget::default_budget(most.unwrap_or(Size::new(1, 1)))
    })
}

fn slot_body(slot: &SlotRow, pages: &[Page], occurrences: &[OccurrenceBody]) -> SlotBody {
    let own: Vec<_> = occurrences.iter().filter(|place| place.slot_id == slot.id).collect();
    let breakpoints: Vec<u32> = pages
        .iter()
        .filter(|page| own.iter().any(|place| place.page_id == page.id))
        .flat_map(|page| page.breakpoints.iter().copied())
        .collect::<BTreeSet<u32>>()
        .into_iter()
        .collect();
    let cropping = Cropping::of(&slot.boxes, slot.fit);
    let shapes = match cropping {
        Cropping::ArtDirection => markup::shapes(&slot.boxes, slot.fit, &breakpoints),
        Cropping::File | Cropping::Browser => {
            vec![markup::Shape { from: 0, boxes: slot.boxes.clone() }]
        }
    };
    let mut below = u32::MAX;
    let sources = shapes
        .iter()
        .map(|shape| {
            let viewports = shape.from..below;
            below = shape.from;
            source_body(slot, shape, viewports, &breakpoints)
        })
        .collect();
    let heaviest = own.iter().filter_map(|place| place.margin).max_by_key(|margin| margin.weight);
    let worst = own
        .iter()
        .filter_map(|place| place.states.first())
        .max_by_key(|body| body.severity)
        .and_then(|body| StateBody::all(vec![body.state]).pop());
    SlotBody {
        id: slot.id,
        name: slot.name.clone(),
        kind: slot.kind.clone(),
        by_hand: slot.selector.is_none(),
        fit: slot.fit,
        boxes: slot.boxes.clone(),
        densities: slot.densities.clone(),
        budget: slot_budget(slot),
        budget_by_hand: slot.budget.is_some(),
        needs: slot_needs(slot),
        cropping,
        sources,
        occurrences: own.len(),
        worst,
        wasted: own.iter().map(|place| wasted(&place.states)).sum(),
        margin: heaviest,
    }
}

fn source_body(
    slot: &SlotRow,
    shape: &markup::Shape,
    viewports: std::ops::Range<u32>,
    breakpoints: &[u32],
) -> SourceBody {
    let aspect = shape.largest().map_or(1.0, |size| size.aspect());
    let needs = needs::needs(&shape.boxes, slot.fit, aspect, &slot.densities);
    let boxes: Boxes =
        slot.rendered.range(viewports).map(|(&viewport, &size)| (viewport, size)).collect();
    SourceBody {
        media: shape.media(),
        aspect,
        // No picture is chosen yet, so the list is provisional: nothing caps it.
        widths: variant_widths(&needs, u32::MAX, ByteModel::provisional(aspect)),
        sizes: Sizes::of(&rendered_widths(&boxes, slot.fit, aspect), breakpoints)
            .map(|sizes| sizes.to_string()),
    }
}

fn occurrence(
    place: Occurrence,
    slot: Option<&SlotRow>,
    picture: Option<&Picture>,
    budget: Bytes,
) -> OccurrenceBody {
    let states = match (picture, slot) {
        (Some(picture), Some(slot)) => states_of_placed(slot, &place, picture),
        _ => states(&showings_today(&place)),
    };
    let details = place.details;
    // The reference browser downloads one file at each layout width at density 2; the worst
    // counts.
    let heaviest = details
        .files
        .values()
        .filter_map(|at| at.get("2").or_else(|| at.values().last()))
        .max_by_key(|file| file.bytes);
    let today = details.files.values().last().and_then(|at| at.values().last());
    OccurrenceBody {
        id: place.id,
        slot_id: place.slot_id,
        page_id: place.page_id,
        selector: place.selector,
        doubtful: place.doubtful,
        margin: heaviest.map(|file| Margin::new(budget, file.bytes)),
        today: today.map(|file| FileBody {
            url: file.url.clone(),
            width: file.size.map(|(width, _)| width),
            height: file.size.map(|(_, height)| height),
            format: file.format.clone(),
            bytes: file.bytes,
            hash: file.hash.clone(),
        }),
        boxes: details.boxes,
        positions: details.positions,
        painting: details.painting,
        position: details.position,
        above_fold: details.above_fold,
        lcp: details.lcp,
        lazy: details.lazy,
        alt: details.alt,
        picture_id: place.picture_id,
        states: StateBody::all(states),
    }
}

fn showings_today(place: &Occurrence) -> Vec<Showing> {
    let details = &place.details;
    let at = details.files.iter().flat_map(|(viewport, files)| {
        files.iter().map(move |(density, file)| (viewport, density, file))
    });
    at.filter_map(|(viewport, density, file)| {
        let (width, height) = file.size?;
        Some(Showing {
            size: *details.boxes.get(viewport)?,
            painting: details.painting,
            density: Density::new(density.parse().ok()?).ok()?,
            file: Size::new(width, height),
            bytes: file.bytes,
        })
    })
    .collect()
}

/// How a picture of the library will do: its file has the pixels that each screen needs, as far
/// as the picture has them.
fn states_of_placed(slot: &SlotRow, place: &Occurrence, picture: &Picture) -> Vec<SlotState> {
    let showings: Vec<Showing> = slot_needs(slot)
        .into_iter()
        .filter_map(|need| {
            let size = *place.details.boxes.get(&need.viewport)?;
            let slot = Slot::new(size.width, size.height, slot.fit).ok()?;
            let framing =
                brisk_margin_store::variants::Framing::new(slot, need.density, picture.focal);
            let output = framing.fit(picture.facts.size).map_or_else(|e| e.0.output, |f| f.output);
            Some(Showing {
                size: size.rendered(slot.fit(), output.aspect()),
                painting: brisk_margin_core::state::Painting::Cover,
                density: need.density,
                file: output,
                bytes: Bytes(0),
            })
        })
        .collect();
    states(&showings)
}

/// A slot typed by hand.
#[derive(Deserialize, ToSchema)]
pub(super) struct NewSlot {
    /// Its name.
    name: String,
    /// What it is for.
    kind: String,
    fit: Fit,
    /// Its boxes by layout width.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
}

/// Adds a slot that was typed by hand.
#[utoipa::path(post, path = "/api/slots", request_body = NewSlot, responses(
    (status = 201, body = SlotBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn add_slot(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewSlot>,
) -> Result<(StatusCode, Json<SlotBody>), Problem> {
    let name = new.name.trim();
    if name.is_empty() || new.boxes.is_empty() {
        return Err(Problem::invalid("a slot has a name and at least one box"));
    }
    for size in new.boxes.values() {
        Slot::new(size.width, size.height, new.fit).map_err(Problem::invalid)?;
    }
    let densities = [Density::ONE, Density::new(2.0).expect("within range")];
    let row = app.store.add_slot(name, &new.kind, new.fit, &new.boxes, &densities).await?;
    app.tell(Change::Layouts);
    Ok((StatusCode::CREATED, Json(slot_body(&row, &[], &[]))))
}

/// What can be set by hand about a slot.
#[derive(Deserialize, ToSchema)]
pub(super) struct SlotChange {
    /// Its name.
    name: Option<String>,
    fit: Option<Fit>,
    /// Its byte budget; 0 goes back to the default by area.
    budget: Option<Bytes>,
    densities: Option<Vec<Density>>,
}

/// Sets a slot's name, fit, budget or densities by hand; measuring again keeps them.
#[utoipa::path(patch, path = "/api/slots/{id}", request_body = SlotChange, responses(
    (status = 200, body = SlotBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot's number")))]
pub(super) async fn change_slot(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(change): extract::Json<SlotChange>,
) -> Result<Json<SlotBody>, Problem> {
    let edit = SlotEdit {
        name: change.name.map(|name| name.trim().to_owned()).filter(|name| !name.is_empty()),
        fit: change.fit,
        budget: change.budget.map(|bytes| Some(bytes).filter(|bytes| bytes.get() > 0)),
        densities: change.densities.filter(|list| !list.is_empty()),
    };
    let row = app.store.edit_slot(id, edit).await?;
    let row = row.ok_or_else(|| Problem::not_found("slot"))?;
    app.tell(Change::Layouts);
    Ok(Json(slot_body(&row, &[], &[])))
}

/// A picture to be placed.
#[derive(Deserialize, ToSchema)]
pub(super) struct Placement {
    /// The picture; without it, what was placed is taken out.
    picture_id: Option<Uuid>,
    /// Only in these occurrences; without them, in all.
    occurrences: Option<Vec<Uuid>>,
}

/// How many occurrences a placement reached.
#[derive(Serialize, ToSchema)]
pub(super) struct Placed {
    occurrences: u64,
}

/// Places a picture of the library in a slot: on one page, on some, or everywhere.
#[utoipa::path(post, path = "/api/slots/{id}/placement", request_body = Placement, responses(
    (status = 200, body = Placed),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot's number")))]
pub(super) async fn place(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(placement): extract::Json<Placement>,
) -> Result<Json<Placed>, Problem> {
    if let Some(picture) = placement.picture_id {
        find(&app, picture).await?;
    }
    let only = placement.occurrences.as_deref();
    let occurrences = app.store.place(id, only, placement.picture_id).await?;
    app.tell(Change::Layouts);
    Ok(Json(Placed { occurrences }))
}

/// Another slot.
#[derive(Serialize, Deserialize, ToSchema)]
pub(super) struct OtherSlot {
    /// Its number.
    slot_id: Uuid,
}

/// Joins a slot with another one: its occurrences move there, and it is gone.
#[utoipa::path(post, path = "/api/slots/{id}/join", request_body = OtherSlot, responses(
    (status = 204), (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot that goes")))]
pub(super) async fn join(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(other): extract::Json<OtherSlot>,
) -> Result<StatusCode, Problem> {
    if !app.store.join_slots(id, other.slot_id).await? {
        return Err(Problem::not_found("slot"));
    }
    app.tell(Change::Layouts);
    Ok(StatusCode::NO_CONTENT)
}

/// Gives an occurrence a slot of its own, laid out as it is here. Joining undoes it.
#[utoipa::path(post, path = "/api/occurrences/{id}/split", responses(
    (status = 200, body = OtherSlot),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The occurrence's number")))]
pub(super) async fn split(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<OtherSlot>, Problem> {
    let slot_id = app.store.split_slot(id).await?.ok_or_else(|| Problem::not_found("slot"))?;
    app.tell(Change::Layouts);
    Ok(Json(OtherSlot { slot_id }))
}

/// A copy of a file that a page serves today, decoded and encoded anew as WebP.
#[utoipa::path(get, path = "/api/served/{hash}", responses(
    (status = 200, content_type = "image/webp", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("hash" = String, Path, description = "Its hash")))]
pub(super) async fn served(
    State(app): State<App>,
    Path(hash): Path<String>,
) -> Result<Served, Problem> {
    let hash = BlobHash::parse(&hash).ok_or_else(|| Problem::not_found("file"))?;
    let bytes = variants::served_preview(&app, &hash).await?;
    let bytes = bytes.ok_or_else(|| Problem::not_found("file"))?;
    Ok(Served { bytes, media_type: Format::Webp.media_type(), save_as: None })
}

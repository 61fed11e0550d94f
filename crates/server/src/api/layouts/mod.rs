//! Layouts: measured pages, their slots, and the pictures in them.

mod bodies;
mod judged;
pub(super) mod size_sets;
pub(super) mod slots;

use std::collections::{BTreeSet, HashMap};

use axum::Json;
use axum::extract::State;
use brisk_margin_store::layouts::SlotRow;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::Query;
use crate::app::App;
use bodies::{OccurrenceBody, PageBody, SlotBody, occurrence_body, page_body, slot_body};
use judged::{Judged, Site};

/// The site's layouts.
#[derive(Serialize, ToSchema)]
pub(super) struct Layouts {
    /// Measured layout widths, the narrowest first.
    widths: Vec<u32>,
    pages: Vec<PageBody>,
    slots: Vec<SlotBody>,
    /// Places that are alike to another slot in the markup, but laid out differently: somebody
    /// has to say whether they are the same.
    doubts: usize,
}

/// The site's pages and slots.
#[utoipa::path(get, path = "/api/layouts", responses((status = 200, body = Layouts)))]
pub(super) async fn layouts(State(app): State<App>) -> Result<Json<Layouts>, Problem> {
    let site = Site::load(&app).await?;
    let by_page = grouped(&site.places, |judged| judged.place.page_id);
    let by_slot = grouped(&site.places, |judged| judged.place.slot_id);
    let widths: BTreeSet<u32> =
        site.pages.iter().flat_map(|page| page.heights.keys().copied()).collect();
    let slot = |slot: &SlotRow| {
        let own = own(&by_slot, slot.id);
        let on: BTreeSet<Uuid> = own.iter().map(|judged| judged.place.page_id).collect();
        let pages = site.pages.iter().filter(|page| on.contains(&page.id));
        let breakpoints: BTreeSet<u32> =
            pages.flat_map(|page| page.breakpoints.iter().copied()).collect();
        slot_body(slot, &own, &Vec::from_iter(breakpoints))
    };
    Ok(Json(Layouts {
        widths: widths.into_iter().collect(),
        pages: site.pages.iter().map(|page| page_body(page, &own(&by_page, page.id))).collect(),
        slots: site.slots.iter().map(slot).collect(),
        doubts: site.places.iter().filter(|judged| judged.place.doubtful).count(),
    }))
}

fn own<'a>(groups: &HashMap<Uuid, Vec<&'a Judged>>, id: Uuid) -> Vec<&'a Judged> {
    groups.get(&id).cloned().unwrap_or_default()
}

fn grouped(places: &[Judged], key: impl Fn(&Judged) -> Uuid) -> HashMap<Uuid, Vec<&Judged>> {
    let mut groups: HashMap<Uuid, Vec<&Judged>> = HashMap::new();
    for judged in places {
        groups.entry(key(judged)).or_default().push(judged);
    }
    groups
}

/// Which places are asked for; without anything, all.
#[derive(Deserialize, IntoParams)]
pub(super) struct PlacesAsked {
    /// Only those on this page.
    page: Option<Uuid>,
    /// Only those of this slot.
    slot: Option<Uuid>,
    /// Only those that are alike to another slot and laid out differently, or only the others.
    doubtful: Option<bool>,
}

/// Where slots occur, and how well what is there does.
#[utoipa::path(get, path = "/api/occurrences", params(PlacesAsked), responses(
    (status = 200, body = [OccurrenceBody]),
))]
pub(super) async fn occurrences(
    State(app): State<App>,
    Query(asked): Query<PlacesAsked>,
) -> Result<Json<Vec<OccurrenceBody>>, Problem> {
    let site = Site::load(&app).await?;
    let wanted = |judged: &&Judged| {
        let place = &judged.place;
        asked.page.is_none_or(|page| place.page_id == page)
            && asked.slot.is_none_or(|slot| place.slot_id == slot)
            && asked.doubtful.is_none_or(|doubtful| place.doubtful == doubtful)
    };
    let places = site.places.iter().filter(wanted);
    Ok(Json(places.map(|judged| occurrence_body(judged, &site.slots)).collect()))
}

//! Layouts: measured pages, their slots, and the pictures in them.

mod bodies;
mod site_status;
pub(super) mod size_sets;
pub(super) mod slots;

use std::collections::{BTreeSet, HashMap};

use axum::Json;
use axum::extract::State;
use brisk_margin_core::slot::Slot;
use brisk_margin_store::layouts::PlaceFilter;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::Query;
use crate::state::App;
use bodies::{LayoutPlace, PageBody, SlotBody, page_body, place_body, slot_body};
use brisk_margin_core::place_status::PlaceStatus;
use site_status::SiteStatus;

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
    let site = SiteStatus::load(&app.store, &Default::default()).await?;
    let by_page = grouped(&site.places, |status| status.place.page_id);
    let by_slot = grouped(&site.places, |status| status.place.slot_id);
    let widths: BTreeSet<u32> =
        site.pages.iter().flat_map(|page| page.heights.keys().copied()).collect();
    let slot = |slot: &Slot| {
        let own = own(&by_slot, slot.id);
        let on: BTreeSet<Uuid> = own.iter().map(|status| status.place.page_id).collect();
        let pages = site.pages.iter().filter(|page| on.contains(&page.id));
        let breakpoints: BTreeSet<u32> =
            pages.flat_map(|page| page.breakpoints.iter().copied()).collect();
        slot_body(slot, &own, &Vec::from_iter(breakpoints))
    };
    Ok(Json(Layouts {
        widths: widths.into_iter().collect(),
        pages: site.pages.iter().map(|page| page_body(page, &own(&by_page, page.id))).collect(),
        slots: site.slots.iter().map(slot).collect(),
        doubts: site.places.iter().filter(|status| status.place.uncertain).count(),
    }))
}

fn own<'a>(groups: &HashMap<Uuid, Vec<&'a PlaceStatus>>, id: Uuid) -> Vec<&'a PlaceStatus> {
    groups.get(&id).cloned().unwrap_or_default()
}

fn grouped(
    places: &[PlaceStatus],
    key: impl Fn(&PlaceStatus) -> Uuid,
) -> HashMap<Uuid, Vec<&PlaceStatus>> {
    let mut groups: HashMap<Uuid, Vec<&PlaceStatus>> = HashMap::new();
    for status in places {
        groups.entry(key(status)).or_default().push(status);
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
    #[serde(alias = "doubtful")]
    uncertain: Option<bool>,
}

/// Where slots occur, and how well what is there does.
#[utoipa::path(get, path = "/api/occurrences", params(PlacesAsked), responses(
    (status = 200, body = [LayoutPlace]),
))]
pub(super) async fn occurrences(
    State(app): State<App>,
    Query(asked): Query<PlacesAsked>,
) -> Result<Json<Vec<LayoutPlace>>, Problem> {
    let PlacesAsked { page, slot, uncertain } = asked;
    let which = PlaceFilter { page, slot, uncertain };
    let site = SiteStatus::load(&app.store, &which).await?;
    let bodies = site.places.iter().map(|status| place_body(status, &site));
    Ok(Json(bodies.collect()))
}

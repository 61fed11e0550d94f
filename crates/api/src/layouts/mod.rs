//! Layouts: measured pages, their slots, and the pictures in them.

mod bodies;
pub(super) mod size_sets;
pub(super) mod slots;

use std::collections::BTreeSet;

use axum::Json;
use axum::extract::{Path, State};
use brisk_margin_store::layouts::PlaceFilter;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::Query;
use crate::state::App;
use bodies::{FixedBody, LayoutPlace, PageBody, SlotBody, place_body};
use brisk_margin_work::layouts::{PlaceStatuses, SummedLayouts};

/// The site's layouts.
#[derive(Serialize, ToSchema)]
pub(super) struct Layouts {
    /// Measured layout widths, the narrowest first.
    widths: Vec<u32>,
    pages: Vec<PageBody>,
    slots: Vec<SlotBody>,
    /// Places that are alike to another slot in the markup, but laid out differently: somebody
    /// has to say whether they are the same.
    doubts: u64,
}

/// The site's pages and slots.
#[utoipa::path(get, path = "/layouts", responses((status = 200, body = Layouts)))]
pub(super) async fn layouts(State(app): State<App>) -> Result<Json<Layouts>, Problem> {
    let SummedLayouts { pages, slots, uncertain } = app.layouts.all().await?;
    let widths: BTreeSet<u32> =
        pages.iter().flat_map(|(page, _)| page.heights.keys().copied()).collect();
    Ok(Json(Layouts {
        widths: widths.into_iter().collect(),
        pages: pages.into_iter().map(|(page, summary)| PageBody::new(page, summary)).collect(),
        slots: slots.into_iter().map(|(slot, summary)| SlotBody::new(&slot, summary)).collect(),
        doubts: uncertain,
    }))
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

/// The pictures on a page that cannot be replaced, and why.
#[utoipa::path(get, path = "/pages/{id}/fixed", responses(
    (status = 200, body = [FixedBody]),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The page's number")))]
pub(super) async fn fixed(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<FixedBody>>, Problem> {
    let fixed = app.store.fixed_pictures(id).await?;
    let fixed = fixed.ok_or_else(|| Problem::not_found("page"))?;
    Ok(Json(fixed.into_iter().map(FixedBody::from).collect()))
}

/// Where slots occur, and how well what is there does.
#[utoipa::path(get, path = "/occurrences", params(PlacesAsked), responses(
    (status = 200, body = [LayoutPlace]),
))]
pub(super) async fn occurrences(
    State(app): State<App>,
    Query(asked): Query<PlacesAsked>,
) -> Result<Json<Vec<LayoutPlace>>, Problem> {
    let PlacesAsked { page, slot, uncertain } = asked;
    let which = PlaceFilter { page, slot, uncertain };
    let site = PlaceStatuses::load(&app.store, &which).await?;
    let bodies = site.places.iter().map(|status| place_body(status, &site));
    Ok(Json(bodies.collect()))
}

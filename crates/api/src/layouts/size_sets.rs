//! Named sets of sizes, and slots sized by them.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::layout::Boxes;
use brisk_margin_core::seen::Seen;
use brisk_margin_core::size_set::{SetSize, SizeSet};
use brisk_margin_store::layouts::NamedSizes;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::slots::{SlotBoxes, check};
use crate::Problem;
use crate::extract::{self, Path};
use crate::state::App;

/// A set of sizes.
#[derive(Serialize, ToSchema)]
pub(crate) struct SizeSetBody {
    id: Uuid,
    name: String,
    /// Sizes by the narrowest viewport each holds for, in CSS px.
    sizes: BTreeMap<u32, SetSize>,
}

impl From<NamedSizes> for SizeSetBody {
    fn from(set: NamedSizes) -> Self {
        Self { id: set.id, name: set.name, sizes: set.sizes.into() }
    }
}

/// Every set of sizes, by name.
#[utoipa::path(get, path = "/size-sets", responses((status = 200, body = [SizeSetBody])))]
pub(crate) async fn size_sets(State(app): State<App>) -> Result<Json<Vec<SizeSetBody>>, Problem> {
    Ok(Json(app.store.size_sets().await?.into_iter().map(SizeSetBody::from).collect()))
}

/// A set of sizes about to be kept.
#[derive(Deserialize, ToSchema)]
pub(crate) struct NewSizeSet {
    /// Its name; the set that has it already is replaced.
    name: String,
    /// Sizes by the narrowest viewport each holds for, up to the next.
    #[schema(value_type = BTreeMap<u32, SetSize>)]
    sizes: SizeSet,
    /// What had that name when whoever saves looked, `null` for nothing: what somebody else saved since is not
    /// overwritten.
    #[serde(default)]
    #[schema(value_type = Option<BTreeMap<u32, SetSize>>)]
    seen: Seen<SizeSet>,
}

/// Keeps a set of sizes under its name.
#[utoipa::path(put, path = "/size-sets", request_body = NewSizeSet, responses(
    (status = 200, body = SizeSetBody),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn keep_size_set(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewSizeSet>,
) -> Result<Json<SizeSetBody>, Problem> {
    let name = new.name.trim();
    if name.is_empty() {
        return Err(Problem::invalid("give the set of sizes a name"));
    }
    let kept = app.store.keep_size_set(name, &new.sizes, &new.seen).await?;
    Ok(Json(kept.into()))
}

/// Takes a set away. Slots that were sized by it stay as they are.
#[utoipa::path(delete, path = "/size-sets/{id}", responses(
    (status = 204), (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The set's number")))]
pub(crate) async fn remove_size_set(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    if !app.store.remove_size_set(id).await? {
        return Err(Problem::not_found("set of sizes"));
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Slots.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Slots {
    /// Their numbers.
    slots: Vec<Uuid>,
    /// What was set by hand, by slot, when whoever applies looked, `null` for nothing: what somebody else
    /// set since is not overwritten.
    #[serde(default)]
    #[schema(value_type = BTreeMap<Uuid, Option<BTreeMap<u32, Vec<f64>>>>)]
    seen: BTreeMap<Uuid, Seen<Boxes>>,
}

/// Gives slots the sizes of a set. Answers with the boxes that were set by hand before, which
/// bring those back when they are sent to `/api/slots/boxes`.
#[utoipa::path(post, path = "/size-sets/{id}/apply", request_body = Slots, responses(
    (status = 200, body = [SlotBoxes]),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The set's number")))]
pub(crate) async fn apply_size_set(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(wanted): extract::Json<Slots>,
) -> Result<Json<Vec<SlotBoxes>>, Problem> {
    let set = app.store.size_set(id).await?;
    let set = set.ok_or_else(|| Problem::not_found("set of sizes"))?;
    let slots = app.store.slots().await?;
    let mut boxes = BTreeMap::new();
    for slot in slots.iter().filter(|slot| wanted.slots.contains(&slot.id)) {
        // From what was measured, so that a set gives the same whatever was applied before.
        let sized = set.sizes.of(&slot.measured);
        for (viewport, &size) in &sized {
            check(size).map_err(|problem| Problem {
                detail: format!("{} at {viewport} px: {}", slot.name, problem.detail),
                ..problem
            })?;
        }
        boxes.insert(slot.id, Some(sized));
    }
    let before = app.store.set_boxes(boxes.clone(), &wanted.seen).await?;
    Ok(Json(SlotBoxes::back(before, boxes)))
}

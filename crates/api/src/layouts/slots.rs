//! What is done with slots by hand: typed, edited, filled, joined, split.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::layout::{BoxSize, Boxes, Cropping};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::seen::Seen;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::layouts::{self, SlotEdit};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::bodies::SlotBody;
use crate::Problem;
use crate::extract::{self, Path};
use crate::find::find;
use crate::state::App;
use brisk_margin_core::layout_summary::SlotSummary;

/// A slot typed by hand.
#[derive(Deserialize, ToSchema)]
pub(crate) struct NewSlot {
    /// Its name.
    name: String,
    /// What it is for.
    kind: PlaceKind,
    fit: Fit,
    /// Its boxes by layout width.
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
}

/// Adds a slot that was typed by hand.
#[utoipa::path(post, path = "/slots", request_body = NewSlot, responses(
    (status = 201, body = SlotBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn add_slot(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewSlot>,
) -> Result<(StatusCode, Json<SlotBody>), Problem> {
    let name = new.name.trim().to_owned();
    if name.is_empty() || new.boxes.is_empty() {
        return Err(Problem::invalid("a slot has a name and at least one box"));
    }
    for size in new.boxes.values() {
        SlotShape::new(size.width, size.height, new.fit).map_err(Problem::invalid)?;
    }
    let NewSlot { kind, fit, boxes, .. } = new;
    let typed = layouts::NewSlot { name, kind, fit, boxes, budget: None };
    let added = app.store.add_slots(vec![typed]).await?;
    Ok((StatusCode::CREATED, Json(SlotBody::new(&added[0], SlotSummary::default()))))
}

/// What can be set by hand about a slot.
#[derive(Deserialize, ToSchema)]
pub(crate) struct SlotChange {
    /// Its name; an empty one lets what is around it name it again.
    name: Option<String>,
    fit: Option<Fit>,
    /// Its byte budget; 0 goes back to the default by area.
    budget: Option<Bytes>,
    densities: Option<Vec<Density>>,
    /// Who crops; `by-shape` goes back to the default.
    cropping: Option<CroppingChoice>,
    /// What whoever saves saw of it: what somebody else saved since is not overwritten.
    #[serde(default)]
    seen: SlotSeen,
}

/// What was seen of a slot; what is left out does not matter.
#[derive(Default, Deserialize, ToSchema)]
pub(crate) struct SlotSeen {
    name: Option<String>,
    fit: Option<Fit>,
    /// 0 for the default by area.
    budget: Option<Bytes>,
    densities: Option<Vec<Density>>,
    /// `by-shape` for the default.
    cropping: Option<CroppingChoice>,
}

/// Who crops a picture to the slot: chosen, or by how much its shape changes.
#[derive(Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum CroppingChoice {
    ByShape,
    File,
    Browser,
    ArtDirection,
}

impl CroppingChoice {
    fn chosen(self) -> Option<Cropping> {
        match self {
            Self::ByShape => None,
            Self::File => Some(Cropping::File),
            Self::Browser => Some(Cropping::Browser),
            Self::ArtDirection => Some(Cropping::ArtDirection),
        }
    }
}

/// Sets a slot's name, fit, budget, densities or cropping by hand; measuring again keeps them.
#[utoipa::path(patch, path = "/slots/{id}", request_body = SlotChange, responses(
    (status = 200, body = SlotBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot's number")))]
pub(crate) async fn change_slot(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(change): extract::Json<SlotChange>,
) -> Result<Json<SlotBody>, Problem> {
    let edit = SlotEdit {
        name: change.name.map(|name| name.trim().to_owned()),
        fit: change.fit,
        budget: change.budget.map(|bytes| Some(bytes).filter(|bytes| bytes.get() > 0)),
        densities: change.densities.filter(|list| !list.is_empty()),
        cropping: change.cropping.map(CroppingChoice::chosen),
    };
    let seen = SlotEdit {
        name: change.seen.name,
        fit: change.seen.fit,
        budget: change.seen.budget.map(|bytes| Some(bytes).filter(|bytes| bytes.get() > 0)),
        densities: change.seen.densities,
        cropping: change.seen.cropping.map(CroppingChoice::chosen),
    };
    let row = app.store.edit_slot(id, edit, &seen).await?;
    let row = row.ok_or_else(|| Problem::not_found("slot"))?;
    Ok(Json(SlotBody::new(&row, SlotSummary::default())))
}

/// A picture to be placed.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Placement {
    /// The picture; without it, what was placed is taken out.
    picture_id: Option<Uuid>,
    /// Only in these occurrences; without them, in all.
    #[serde(alias = "occurrences")]
    places: Option<Vec<Uuid>>,
}

/// How many occurrences a placement reached.
#[derive(Serialize, ToSchema)]
pub(crate) struct Placed {
    places: u64,
}

/// Places a picture of the library in a slot: on one page, on some, or everywhere.
#[utoipa::path(post, path = "/slots/{id}/placement", request_body = Placement, responses(
    (status = 200, body = Placed),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot's number")))]
pub(crate) async fn place(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(placement): extract::Json<Placement>,
) -> Result<Json<Placed>, Problem> {
    if let Some(picture) = placement.picture_id {
        find(&app, picture).await?;
    }
    let only = placement.places.as_deref();
    let places = app.store.place(id, only, placement.picture_id).await?;
    Ok(Json(Placed { places }))
}

/// Another slot.
#[derive(Serialize, Deserialize, ToSchema)]
pub(crate) struct OtherSlot {
    /// Its number.
    slot_id: Uuid,
}

/// Joins a slot with another one: its occurrences move there, and it is gone.
#[utoipa::path(post, path = "/slots/{id}/join", request_body = OtherSlot, responses(
    (status = 204), (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot that goes")))]
pub(crate) async fn join(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(other): extract::Json<OtherSlot>,
) -> Result<StatusCode, Problem> {
    if !app.store.join_slots(id, other.slot_id).await? {
        return Err(Problem::not_found("slot"));
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Gives an occurrence a slot of its own, laid out as it is here. Joining undoes it.
#[utoipa::path(post, path = "/occurrences/{id}/split", responses(
    (status = 200, body = OtherSlot),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The occurrence's number")))]
pub(crate) async fn split(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<OtherSlot>, Problem> {
    let slot_id = app.store.split_slot(id).await?.ok_or_else(|| Problem::not_found("slot"))?;
    Ok(Json(OtherSlot { slot_id }))
}

/// Says that a doubtful match is none: the occurrence keeps the slot of its own.
#[utoipa::path(post, path = "/occurrences/{id}/apart", responses(
    (status = 204), (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The occurrence's number")))]
pub(crate) async fn keep_apart(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    if !app.store.keep_apart(id).await? {
        return Err(Problem::not_found("occurrence"));
    }
    Ok(StatusCode::NO_CONTENT)
}

/// The boxes of a slot; none goes back to those measured.
#[derive(Serialize, Deserialize, ToSchema)]
pub(crate) struct SlotBoxes {
    slot_id: Uuid,
    #[schema(value_type = Option<BTreeMap<u32, Vec<f64>>>)]
    boxes: Option<Boxes>,
    /// What was set by hand when whoever saves looked: what somebody else set since is not overwritten.
    #[serde(default, skip_serializing_if = "Seen::is_unsaid")]
    #[schema(value_type = Option<BTreeMap<u32, Vec<f64>>>)]
    seen: Seen<Boxes>,
}

impl SlotBoxes {
    /// What was there `before`, each beside what was set in its place: sent, it brings that back where
    /// nobody set something else since.
    pub(super) fn back(
        before: BTreeMap<Uuid, Option<Boxes>>,
        mut set: BTreeMap<Uuid, Option<Boxes>>,
    ) -> Vec<Self> {
        let back = |(slot_id, boxes)| {
            let seen = set.remove(&slot_id).map_or(Seen::Unsaid, Seen::from);
            Self { slot_id, boxes, seen }
        };
        before.into_iter().map(back).collect()
    }
}

/// Sets the boxes of slots by hand, all of them or none; measuring again keeps them. Answers with
/// what was set before, which brings it back when it is sent.
#[utoipa::path(put, path = "/slots/boxes", request_body = [SlotBoxes], responses(
    (status = 200, body = [SlotBoxes]),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn set_boxes(
    State(app): State<App>,
    extract::Json(list): extract::Json<Vec<SlotBoxes>>,
) -> Result<Json<Vec<SlotBoxes>>, Problem> {
    for size in list.iter().filter_map(|set| set.boxes.as_ref()).flat_map(BTreeMap::values) {
        check(*size)?;
    }
    let mut boxes = BTreeMap::new();
    let mut seen = BTreeMap::new();
    for set in list {
        boxes.insert(set.slot_id, set.boxes);
        seen.insert(set.slot_id, set.seen);
    }
    let before = app.store.set_boxes(boxes.clone(), &seen).await?;
    Ok(Json(SlotBoxes::back(before, boxes)))
}

/// A box can be hidden, but not endless.
pub(super) fn check(size: BoxSize) -> Result<(), Problem> {
    if size.is_shown() {
        SlotShape::new(size.width, size.height, Fit::Cover).map_err(Problem::invalid)?;
    }
    Ok(())
}

//! The bench: one picture, framed and finished.

pub(super) mod banners;
pub(super) mod edit_kinds;
pub(super) mod edit_presets;
pub(super) mod framings;
pub(super) mod geometry;
pub(super) mod sheet;
pub(super) mod steps;

use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap};

use axum::Json;
use axum::extract::State;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::place_use::PlaceUse;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::saliency;
use brisk_margin_store::pictures::Picture;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::Path;
use crate::find::find;
use crate::state::App;
use brisk_margin_work::making::pyramids;
use steps::StepBody;

/// A picture as it lies on the bench.
#[derive(Serialize, ToSchema)]
pub(super) struct BenchBody {
    /// How it is framed and finished on the bench: as it was left, or as it holds.
    adjustments: Adjustments,
    /// The step that this is; nothing before the first.
    at: Option<Uuid>,
    /// The step that holds wherever the picture is shown; nothing before the first.
    holds: Option<Uuid>,
    /// All steps, the first ones first.
    steps: Vec<StepBody>,
    /// Where its subject may be, by its pixels alone.
    suggested: FocalPoint,
    /// The places that show it.
    places: Vec<PlaceBody>,
    /// The slots that it can be framed for: those that show it first, of them the one with most to
    /// gain.
    slots: Vec<SlotName>,
    /// The picture that it was made from.
    made_from: Option<Uuid>,
}

/// A place that shows a picture.
#[derive(Serialize, ToSchema)]
pub(super) struct PlaceBody {
    /// Its number.
    id: Uuid,
    /// Its slot's number.
    slot: Uuid,
    /// Its slot's name.
    slot_name: String,
    /// What its page is called.
    page_name: String,
    /// Its page's address.
    address: String,
    /// Whether the picture was placed there by hand; else the page serves it as it is.
    placed: bool,
}

/// A slot by its name.
#[derive(Serialize, ToSchema)]
pub(super) struct SlotName {
    /// Its number.
    id: Uuid,
    /// Its name.
    name: String,
    /// Whether it shows the picture.
    shows: bool,
    /// The shape of its largest box, width over height.
    aspect: f64,
    /// Bytes of pixels that it is served and no screen uses: what there is to gain.
    wasted: Bytes,
}

/// A picture as it lies on the bench, and all that was done to it.
#[utoipa::path(get, path = "/pictures/{id}/bench", responses(
    (status = 200, body = BenchBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn bench(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<BenchBody>, Problem> {
    let picture = find(&app, id).await?;
    let left = match picture.draft {
        Some(draft) => app.store.step(draft).await?.map(|(_, adjustments)| (draft, adjustments)),
        None => None,
    };
    let (at, adjustments) = match left {
        Some((draft, adjustments)) => (Some(draft), adjustments),
        None => (picture.step, picture.adjustments.clone()),
    };
    let steps = app.store.steps(id).await?;
    let copy = pyramids::pyramid_of(&app.maker, &picture).await?;
    let suggested =
        copy.get().map_or(FocalPoint::CENTRE, |copy| saliency::suggest(copy.smallest()));
    let (places, shown) = places_of(&app, &picture).await?;
    let mut slots: Vec<SlotName> = app
        .store
        .summed_slots()
        .await?
        .into_iter()
        .map(|(slot, summary)| SlotName {
            shows: shown.contains_key(&slot.id),
            aspect: slot.aspect(),
            wasted: summary.wasted,
            id: slot.id,
            name: slot.name,
        })
        .collect();
    slots.sort_by(|a, b| {
        let key = |slot: &SlotName| (Reverse(slot.shows), Reverse(slot.wasted));
        key(a).cmp(&key(b)).then_with(|| a.name.cmp(&b.name))
    });
    Ok(Json(BenchBody {
        adjustments,
        at,
        holds: picture.step,
        steps: steps.into_iter().map(StepBody::from).collect(),
        suggested,
        places,
        slots,
        made_from: picture.made_from,
    }))
}

/// The places that show `picture`, and their slots.
async fn places_of(
    app: &App,
    picture: &Picture,
) -> Result<(Vec<PlaceBody>, BTreeMap<Uuid, Slot>), Problem> {
    let pages = app.store.pages().await?;
    let pages: HashMap<Uuid, _> = pages.into_iter().map(|page| (page.id, page)).collect();
    let uses = app.store.uses_of(&[picture.id]).await?.remove(&picture.id).unwrap_or_default();
    let mut slots = BTreeMap::new();
    let mut places = Vec::new();
    for PlaceUse { place, slot, placed } in uses {
        let Some(page) = pages.get(&place.page_id) else { continue };
        places.push(PlaceBody {
            id: place.id,
            slot: slot.id,
            slot_name: slot.name.clone(),
            page_name: page.name.clone(),
            address: page.address.clone(),
            placed,
        });
        slots.insert(slot.id, slot);
    }
    places.sort_by(|a, b| (&a.page_name, &a.slot_name).cmp(&(&b.page_name, &b.slot_name)));
    Ok((places, slots))
}

//! Fittings: how a picture would fill a slot, before anything is made.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::budget::default_budget;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::fitting::{Fitting, TooSmall};
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::render_spec::{RenderSpec, RenderSpecError};
use brisk_margin_core::slot_shape::{Resize, SlotShape};
use brisk_margin_core::units::{Bytes, Density};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use super::variants::slot_or_size;
use crate::find::find;
use crate::state::App;

/// A slot to be filled.
#[derive(Deserialize, ToSchema)]
pub(super) struct PlaceAsked {
    /// Its box and fit.
    pub slot: Option<SlotShape>,
    /// The size of the whole picture instead of a slot.
    pub resize: Option<Resize>,
    /// Device pixels per CSS pixel.
    pub density: Density,
    /// Around which point; the picture's own where none is given.
    pub focal: Option<FocalPoint>,
    /// How the picture is framed and finished; as it holds where nothing is given.
    #[serde(alias = "work")]
    pub adjustments: Option<Adjustments>,
}

/// How a picture would fill a slot.
#[derive(Serialize, ToSchema)]
pub(super) struct Preview {
    #[serde(flatten)]
    fitting: Fitting,
    /// The percentage of the picture that stays, by area.
    kept_percent: f64,
    /// The slot's byte budget.
    budget: Bytes,
    /// Whether the picture has fewer pixels than the slot asks for.
    short: bool,
    /// Why no file can be made, where none can.
    refusal: Option<String>,
}

/// How a picture would fill a slot: what is cut, scaled and short. Nothing is made.
#[utoipa::path(post, path = "/pictures/{id}/fitting", request_body = PlaceAsked, responses(
    (status = 200, body = Preview),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn fit(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(place): extract::Json<PlaceAsked>,
) -> Result<Json<Preview>, Problem> {
    let picture = find(&app, id).await?;
    let adjustments = place.adjustments.as_ref().unwrap_or(&picture.adjustments);
    let mut aim = adjustments.crop_spec(None);
    if let Some(focal) = place.focal {
        aim.focal = focal;
    }
    let canvas =
        Canvas::new(picture.facts.size, &adjustments.edits).map_err(Problem::invalid)?.size();
    let slot = slot_or_size(place.slot, place.resize, canvas)?;
    let framing = RenderSpec::new(slot, place.density, aim, &adjustments.edits);
    let (fitting, refusal) = match framing.plan(picture.facts.size) {
        Ok((_, plan)) => (plan.fitting, None),
        Err(RenderSpecError::TooSmall(refusal @ TooSmall(fitting))) => {
            (fitting, Some(refusal.to_string()))
        }
        Err(error @ RenderSpecError::Canvas(_)) => return Err(Problem::invalid(error)),
    };
    Ok(Json(Preview {
        kept_percent: fitting.cuts.kept_percent(canvas),
        budget: default_budget(fitting.needed),
        short: fitting.is_short(),
        fitting,
        refusal,
    }))
}

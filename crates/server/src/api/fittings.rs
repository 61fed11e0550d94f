//! Fittings: how a picture would fill a slot, before anything is made.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::budget::default_budget;
use brisk_margin_core::finish::canvas::Canvas;
use brisk_margin_core::fitting::{Fitting, TooSmall};
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::slot::{Resize, Slot};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::pictures::Work;
use brisk_margin_store::variants::{Framing, Unframed};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use super::pictures::find;
use super::variants::slot_or_size;
use crate::app::App;

/// A slot to be filled.
#[derive(Deserialize, ToSchema)]
pub(super) struct Place {
    /// Its box and fit.
    pub slot: Option<Slot>,
    /// The size of the whole picture instead of a slot.
    pub resize: Option<Resize>,
    /// Device pixels per CSS pixel.
    pub density: Density,
    /// Around which point; the picture's own where none is given.
    pub focal: Option<FocalPoint>,
    /// How the picture is framed and finished; as it holds where nothing is given.
    pub work: Option<Work>,
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
#[utoipa::path(post, path = "/api/pictures/{id}/fitting", request_body = Place, responses(
    (status = 200, body = Preview),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn fit(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(place): extract::Json<Place>,
) -> Result<Json<Preview>, Problem> {
    let picture = find(&app, id).await?;
    let work = place.work.as_ref().unwrap_or(&picture.work);
    let mut aim = work.aim(None);
    if let Some(focal) = place.focal {
        aim.focal = focal;
    }
    let canvas = Canvas::new(picture.facts.size, &work.finish).map_err(Problem::invalid)?.size();
    let slot = slot_or_size(place.slot, place.resize, canvas)?;
    let framing = Framing::new(slot, place.density, aim, &work.finish);
    let (fitting, refusal) = match framing.plan(picture.facts.size) {
        Ok((_, plan)) => (plan.fitting, None),
        Err(Unframed::TooSmall(refusal @ TooSmall(fitting))) => {
            (fitting, Some(refusal.to_string()))
        }
        Err(error @ Unframed::Canvas(_)) => return Err(Problem::invalid(error)),
    };
    Ok(Json(Preview {
        kept_percent: fitting.cuts.kept_percent(canvas),
        budget: default_budget(fitting.needed),
        short: fitting.is_short(),
        fitting,
        refusal,
    }))
}

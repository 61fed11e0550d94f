//! Frames of trials that move.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::{Score, WorstSpot};
use brisk_margin_work::making::frames::{self, Side};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::Path;
use super::served::Served;
use super::trials::{find_trial, of};
use crate::state::App;

/// A frame of a trial's file.
#[derive(Serialize, ToSchema)]
pub(super) struct FrameBody {
    /// Its place, from 0.
    frame: usize,
    /// When it begins, in milliseconds from the start.
    begins: u64,
    /// How faithful it is, 100 for no difference.
    score: Score,
    /// Where it differs most.
    spot: WorstSpot,
}

/// How faithful each frame of a trial's file is, the worst first; none where it does not move. Whoever
/// hangs up ends it.
#[utoipa::path(get, path = "/trials/{id}/frames", responses(
    (status = 200, body = [FrameBody]),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The trial's number")))]
pub(super) async fn trial_frames(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<FrameBody>>, Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let of = of(&picture, &trial);
    if !of.is_moving() {
        return Ok(Json(Vec::new()));
    }
    let judged = frames::judged(&app.maker, of, trial.encoding).await?;
    let body = |(frame, judged): (usize, frames::JudgedFrame)| {
        let frames::JudgedFrame { begins, score, spot } = judged;
        FrameBody { frame, begins, score, spot }
    };
    let mut bodies: Vec<FrameBody> = judged.into_iter().enumerate().map(body).collect();
    bodies.sort_by(|one, other| one.score.0.total_cmp(&other.score.0));
    Ok(Json(bodies))
}

/// What of a frame is shown.
#[derive(Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum FrameSide {
    /// The file.
    File,
    /// The picture's own pixels.
    Reference,
    /// Where they differ: the lighter, the more.
    Differences,
}

impl From<FrameSide> for Side {
    fn from(side: FrameSide) -> Self {
        match side {
            FrameSide::File => Self::File,
            FrameSide::Reference => Self::Own,
            FrameSide::Differences => Self::Differences,
        }
    }
}

/// A frame of a trial that moves, as PNG.
#[utoipa::path(get, path = "/trials/{id}/frames/{frame}/{side}", responses(
    (status = 200, content_type = "image/png", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(
    ("id" = Uuid, Path, description = "The trial's number"),
    ("frame" = usize, Path, description = "The frame's place, from 0"),
    ("side" = inline(FrameSide), Path, description = "What of it"),
))]
pub(super) async fn trial_frame(
    State(app): State<App>,
    Path((id, frame, side)): Path<(Uuid, usize, FrameSide)>,
) -> Result<Served, Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let of = of(&picture, &trial);
    let none = || Problem::not_found("frame");
    if !of.is_moving() {
        return Err(none());
    }
    let shown = frames::shown(&app.maker, of, trial.encoding, frame, side.into()).await?;
    let bytes = shown.ok_or_else(none)?;
    Ok(Served { bytes, media_type: Format::Png.media_type(), save_as: None })
}

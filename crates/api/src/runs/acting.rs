//! Acting on a run: pausing it, going on, cancelling it, taking back, making again, approving.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_store::runs::{RulesBack, TakenBack};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::{RunBody, find};
use crate::Problem;
use crate::extract::{self, Path};
use crate::state::App;

/// What of a run is taken back.
#[derive(Deserialize, ToSchema)]
pub(crate) struct TakingBack {
    /// At these places in its order; all of it where nothing is given.
    places: Option<Vec<i32>>,
}

/// Some of the sets of a run.
#[derive(Deserialize, ToSchema)]
pub(crate) struct RunPlaces {
    /// Their places in its order.
    places: Vec<i32>,
}

/// Whether sets of a run were found good.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Approval {
    /// Their places in its order.
    places: Vec<i32>,
    /// Whether they are good; else nobody looked at them.
    approved: bool,
}

/// What became of taking back.
#[derive(Serialize, ToSchema)]
pub(crate) struct RunTakenBackBody {
    /// Sets of files that were taken back.
    sets: usize,
    /// Their places in the run's order: what is made again undoes it.
    places: Vec<i32>,
    /// Files that went.
    files: usize,
    /// Files that stay, since another run completed a set by them, or somebody asked for them by hand.
    kept: usize,
    /// Files that somebody had removed meanwhile.
    gone: usize,
    /// Pictures that have their own rule back.
    rules: usize,
    /// Pictures whose own rule stays, since somebody changed it meanwhile.
    rules_kept: usize,
}

/// How many sets something was done with.
#[derive(Serialize, ToSchema)]
pub(crate) struct SetCount {
    sets: u64,
}

/// Pauses a run: what is in hand is left, and made when it goes on.
#[utoipa::path(post, path = "/runs/{id}/pause", responses(
    (status = 200, body = RunBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn pause_run(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<RunBody>, Problem> {
    find(&app, id).await?;
    if !app.store.pause_run(id).await? {
        return Err(over("it does not run"));
    }
    stop_working(&app, id).await?;
    Ok(Json(find(&app, id).await?))
}

/// Has a run go on that was paused, or whose job was set aside.
#[utoipa::path(post, path = "/runs/{id}/resume", responses(
    (status = 200, body = RunBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn resume_run(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<RunBody>, Problem> {
    find(&app, id).await?;
    if !app.store.resume_run(id).await? {
        return Err(over("it has ended"));
    }
    Ok(Json(find(&app, id).await?))
}

/// Cancels a run; what was made stays, and can be taken back.
#[utoipa::path(post, path = "/runs/{id}/cancel", responses(
    (status = 200, body = RunBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn cancel_run(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<RunBody>, Problem> {
    find(&app, id).await?;
    if !app.store.cancel_run(id).await? {
        return Err(over("it has ended"));
    }
    stop_working(&app, id).await?;
    Ok(Json(find(&app, id).await?))
}

/// Takes back what a run made: one, some or all of it. Files that another run counts on, or that
/// somebody asked for by hand, stay; so does a picture's own rule that was changed meanwhile.
#[utoipa::path(post, path = "/runs/{id}/take-back", request_body = TakingBack, responses(
    (status = 200, body = RunTakenBackBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn take_run_back(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(back): extract::Json<TakingBack>,
) -> Result<Json<RunTakenBackBody>, Problem> {
    find(&app, id).await?;
    let taken = app.store.take_run_back(id, back.places.as_deref()).await?;
    let TakenBack { places, files, kept, gone, rules: RulesBack { back, kept: rules_kept } } =
        taken;
    let sets = places.len();
    Ok(Json(RunTakenBackBody { sets, places, files, kept, gone, rules: back, rules_kept }))
}

/// Has sets of a run made again that failed or were taken back; a run that had ended goes on, one that is
/// paused stays so.
#[utoipa::path(post, path = "/runs/{id}/again", request_body = RunPlaces, responses(
    (status = 200, body = SetCount),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn make_again(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(RunPlaces { places }): extract::Json<RunPlaces>,
) -> Result<Json<SetCount>, Problem> {
    find(&app, id).await?;
    let sets = app.store.make_run_items_again(id, &places).await?;
    Ok(Json(SetCount { sets }))
}

/// Says of sets that are done that they were looked at and found good, or takes that back.
#[utoipa::path(post, path = "/runs/{id}/approve", request_body = Approval, responses(
    (status = 200, body = SetCount),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn approve(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(Approval { places, approved }): extract::Json<Approval>,
) -> Result<Json<SetCount>, Problem> {
    find(&app, id).await?;
    let sets = app.store.approve_run_items(id, &places, approved).await?;
    Ok(Json(SetCount { sets }))
}

fn over(what: &str) -> Problem {
    Problem::new(StatusCode::CONFLICT, "run-state", "The run cannot do this now", what)
}

async fn stop_working(app: &App, id: Uuid) -> Result<(), Problem> {
    for job in app.store.jobs_of_run(id).await?.into_iter().filter(|job| job.state.is_open()) {
        app.store.cancel_job(job.id).await?;
    }
    Ok(())
}

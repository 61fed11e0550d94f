//! Runs: the files of many pictures at once.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::job::{JobKind, JobState};
use brisk_margin_core::run::{Forecast, ItemState, RunState, SkipReason, Skipped};
use brisk_margin_core::status::Estimate;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::jobs::Job;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::runs::{Run, RunItem};
use brisk_margin_work::runs;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use super::pictures::which::Which;
use crate::state::App;

/// Runs that are listed.
const MOST_RUNS: u64 = 200;
/// Items of a run that are listed: those that failed and those to be looked at come first.
const MOST_ITEMS: u64 = 500;
/// Letters of a name.
const MOST_NAME: usize = 200;

/// A run that is asked for.
#[derive(Deserialize, ToSchema)]
pub(super) struct NewRun {
    /// Of which pictures.
    which: Which,
    /// What it is called.
    #[serde(default)]
    name: String,
}

/// What a run would do, or was to do when it started.
#[derive(Serialize, ToSchema)]
pub(super) struct ForecastBody {
    /// Pictures that files are made of.
    pictures: usize,
    /// Their slots: a set of files each.
    sets: usize,
    /// About how many files will be made.
    files: usize,
    /// How many sets were planned to know that; all of them where it is `sets`.
    sampled: usize,
    /// What pages that show the pictures transfer today.
    today: Bytes,
    /// What they would transfer instead.
    expected: Estimate,
    /// About how long it takes at the pace of this installation; nothing before it has one.
    seconds: Option<f64>,
    /// What nothing is done with, and why.
    skipped: Vec<SkippedBody>,
}

/// How many pictures are skipped for a reason.
#[derive(Serialize, ToSchema)]
pub(super) struct SkippedBody {
    reason: SkipReason,
    /// The reason in words.
    words: &'static str,
    pictures: usize,
}

impl From<Forecast> for ForecastBody {
    fn from(forecast: Forecast) -> Self {
        let Forecast { pictures, sets, files, sampled, today, expected, seconds, skipped } =
            forecast;
        let body = |Skipped { reason, pictures }| SkippedBody {
            reason,
            words: SkipReason::words(reason),
            pictures,
        };
        let skipped = skipped.into_iter().map(body).collect();
        Self { pictures, sets, files, sampled, today, expected, seconds, skipped }
    }
}

/// A run, and how far it is.
#[derive(Serialize, ToSchema)]
pub(super) struct RunBody {
    id: Uuid,
    name: String,
    state: RunState,
    /// What was told before it started.
    forecast: ForecastBody,
    created_at: DateTime<Utc>,
    ended_at: Option<DateTime<Utc>>,
    /// Sets of files that have their turn later.
    waiting: u64,
    done: u64,
    skipped: u64,
    failed: u64,
    taken_back: u64,
    /// What pages transferred for what is done.
    before: Bytes,
    /// What they would transfer now.
    after: Bytes,
    /// How many files those have.
    files: u64,
    /// How long it still takes at the pace so far, while it goes on.
    seconds_left: Option<f64>,
    /// Why nobody works at it, where the job was set aside; resuming has it tried again.
    stopped: Option<String>,
}

/// A slot of a picture in a run.
#[derive(Serialize, ToSchema)]
pub(super) struct RunItemBody {
    /// Its place in the order of the run.
    place: i32,
    picture: Uuid,
    name: String,
    slot: Option<Uuid>,
    slot_name: Option<String>,
    state: ItemState,
    /// Why it was skipped or failed, in words.
    reason: Option<String>,
    before: Option<Bytes>,
    after: Option<Bytes>,
    /// The lowest score of its files.
    score: Option<f64>,
    files: u32,
}

/// What of a run is taken back.
#[derive(Deserialize, ToSchema)]
pub(super) struct TakingBack {
    /// At these places in its order; all of it where nothing is given.
    places: Option<Vec<i32>>,
}

/// How much was taken back.
#[derive(Serialize, ToSchema)]
pub(super) struct TakenBackCount {
    /// Sets of files.
    sets: usize,
}

/// What a run over some pictures would do. Nothing is made.
#[utoipa::path(post, path = "/runs/forecast", request_body = NewRun, responses(
    (status = 200, body = ForecastBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn forecast(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewRun>,
) -> Result<Json<ForecastBody>, Problem> {
    let ids = new.which.ids(&app).await?;
    Ok(Json(runs::plan(&app.maker, &ids).await?.forecast.into()))
}

/// Starts a run: the files of pictures for every slot that shows them, the largest saving first.
#[utoipa::path(post, path = "/runs", request_body = NewRun, responses(
    (status = 201, body = RunBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn start_run(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewRun>,
) -> Result<(StatusCode, Json<RunBody>), Problem> {
    let name = new.name.trim().to_owned();
    if name.chars().count() > MOST_NAME {
        return Err(Problem::invalid("a run's name has at most 200 characters"));
    }
    let ids = new.which.ids(&app).await?;
    if ids.is_empty() {
        return Err(Problem::invalid("no picture is chosen; choose some, or widen the filter"));
    }
    let plan = runs::plan(&app.maker, &ids).await?;
    let id = app.store.add_run(&name, &plan.forecast, &plan.items).await?;
    Ok((StatusCode::CREATED, Json(find(&app, id).await?)))
}

/// The runs, the newest first.
#[utoipa::path(get, path = "/runs", responses((status = 200, body = Vec<RunBody>)))]
pub(super) async fn list_runs(State(app): State<App>) -> Result<Json<Vec<RunBody>>, Problem> {
    let mut list = Vec::new();
    for run in app.store.runs(MOST_RUNS).await? {
        list.push(RunBody::of(&app, run).await?);
    }
    Ok(Json(list))
}

/// A run.
#[utoipa::path(get, path = "/runs/{id}", responses(
    (status = 200, body = RunBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(super) async fn one_run(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<RunBody>, Problem> {
    Ok(Json(find(&app, id).await?))
}

/// What became of each picture of a run: up to 500, those that failed first, then those with the lowest
/// scores.
#[utoipa::path(get, path = "/runs/{id}/items", responses(
    (status = 200, body = Vec<RunItemBody>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(super) async fn run_items(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<RunItemBody>>, Problem> {
    find(&app, id).await?;
    let items = app.store.run_items(id, MOST_ITEMS).await?;
    let ids: Vec<Uuid> = items.iter().map(|item| item.picture_id).collect();
    let pictures = app.store.pictures_with_removed(&ids).await?;
    let pictures: HashMap<Uuid, Picture> =
        pictures.into_iter().map(|picture| (picture.id, picture)).collect();
    let slots: HashMap<Uuid, String> =
        app.store.slots().await?.into_iter().map(|slot| (slot.id, slot.name)).collect();
    let body = |item: RunItem| RunItemBody {
        place: item.place,
        picture: item.picture_id,
        name: pictures.get(&item.picture_id).map(|one| one.name.clone()).unwrap_or_default(),
        slot: item.slot_id,
        slot_name: item.slot_id.and_then(|id| slots.get(&id).cloned()),
        state: item.state,
        reason: item.skipped.map(|reason| reason.words().to_owned()).or(item.failure),
        before: item.before,
        after: item.after,
        score: item.score,
        files: item.files,
    };
    Ok(Json(items.into_iter().map(body).collect()))
}

/// Pauses a run: what is in hand is left, and made when it goes on.
#[utoipa::path(post, path = "/runs/{id}/pause", responses(
    (status = 200, body = RunBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(super) async fn pause_run(
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
pub(super) async fn resume_run(
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
pub(super) async fn cancel_run(
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

/// Takes back what a run made: one, some or all of it. Files that another run counts on stay.
#[utoipa::path(post, path = "/runs/{id}/take-back", request_body = TakingBack, responses(
    (status = 200, body = TakenBackCount),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(super) async fn take_run_back(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(back): extract::Json<TakingBack>,
) -> Result<Json<TakenBackCount>, Problem> {
    find(&app, id).await?;
    let sets = app.store.take_run_back(id, back.places.as_deref()).await?;
    Ok(Json(TakenBackCount { sets }))
}

fn over(what: &str) -> Problem {
    Problem::new(StatusCode::CONFLICT, "run-state", "The run cannot do this now", what)
}

async fn stop_working(app: &App, id: Uuid) -> Result<(), Problem> {
    if let Some(job) = app.store.open_job(JobKind::Run, &id.to_string()).await? {
        app.store.cancel_job(job.id).await?;
    }
    Ok(())
}

async fn find(app: &App, id: Uuid) -> Result<RunBody, Problem> {
    let run = app.store.run(id).await?.ok_or_else(|| Problem::not_found("run"))?;
    RunBody::of(app, run).await
}

impl RunBody {
    async fn of(app: &App, run: Run) -> Result<Self, Problem> {
        let job = match run.state {
            RunState::Running => app.store.latest_job_of(JobKind::Run, &run.id.to_string()).await?,
            _ => None,
        };
        let left = job.as_ref().and_then(Job::time_left);
        let stopped = job.filter(|job| job.state == JobState::Failed);
        let Run { id, name, forecast, state, created_at, ended_at, totals } = run;
        let count = |n: i64| n.unsigned_abs();
        Ok(Self {
            id,
            name,
            state,
            forecast: forecast.into(),
            created_at,
            ended_at,
            waiting: count(totals.waiting),
            done: count(totals.done),
            skipped: count(totals.skipped),
            failed: count(totals.failed),
            taken_back: count(totals.taken_back),
            before: Bytes(count(totals.before)),
            after: Bytes(count(totals.after)),
            files: count(totals.files),
            seconds_left: left.map(|left| left.as_secs_f64()),
            stopped: stopped.and_then(|job| job.reason),
        })
    }
}

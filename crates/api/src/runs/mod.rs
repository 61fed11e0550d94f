//! Runs: the files of many pictures at once.
//!
//! - [`planning`]: what a run would do, and starting it.
//! - [`acting`]: pausing, going on, cancelling, taking back, making again, approving.
//! - [`results`]: what became of each picture, as lists and tables.

pub(super) mod acting;
pub(super) mod planning;
pub(super) mod results;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::budget::Saving;
use brisk_margin_core::job::JobState;
use brisk_margin_core::rule::{EffectiveRule, OutputRule};
use brisk_margin_core::run::forecast::{Forecast, Skipped, error_of};
use brisk_margin_core::run::limits::RunLimits;
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_core::run::skip::SkipReason;
use brisk_margin_core::run::{RunState, StartedBy};
use brisk_margin_core::status::Estimate;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::jobs::Job;
use brisk_margin_store::runs::Run;
use chrono::{DateTime, TimeDelta, Utc};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::Path;
use crate::state::App;

/// A job that is due begins within this time where a worker is free.
const SOON: TimeDelta = TimeDelta::seconds(3);
/// Runs that are listed.
const MOST_RUNS: u64 = 200;

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
    /// Of how many sets a file was really made to know the bytes.
    measured: usize,
    /// About how many files one more format would add.
    one_more_format: usize,
    /// About how many files one more density would add.
    one_more_density: usize,
    /// What pages that show the pictures transfer today.
    today: Bytes,
    /// What they would transfer instead.
    expected: Estimate,
    /// What that saves.
    saving: Saving,
    /// About what all files that are made weigh.
    disk: Bytes,
    /// What the disk has left; nothing where files are kept in a bucket, or once the run began.
    disk_free: Option<Bytes>,
    /// Whether that is less than is needed.
    lacks_room: bool,
    /// About how many seconds of work it takes, of all workers together.
    seconds: Option<f64>,
    /// How many sets are made before a limit of time or bytes is reached; nothing where all are.
    within_limits: Option<usize>,
    /// What nothing is done with, and why.
    skipped: Vec<SkippedBody>,
    /// The site's rule that holds where a slot or picture has none of its own, in words.
    rule: String,
    /// The run's own rule, in words.
    own_rule: Option<String>,
    /// Pictures whose own rule becomes another one by that.
    rules: usize,
}

/// How many pictures are skipped for a reason.
#[derive(Serialize, ToSchema)]
pub(super) struct SkippedBody {
    reason: SkipReason,
    /// The reason in words.
    words: &'static str,
    pictures: usize,
}

impl ForecastBody {
    /// `own` is the run's rule, and `free` what the disk has left, where that is still to be known.
    fn new(
        forecast: Forecast,
        rule: &OutputRule,
        own: Option<&RunRule>,
        free: Option<Bytes>,
    ) -> Self {
        let body = |Skipped { reason, pictures }| SkippedBody {
            reason,
            words: SkipReason::words(reason),
            pictures,
        };
        Self {
            pictures: forecast.pictures,
            sets: forecast.sets,
            files: forecast.files,
            sampled: forecast.sampled,
            measured: forecast.measured,
            one_more_format: forecast.one_more_format,
            one_more_density: forecast.one_more_density,
            today: forecast.today,
            expected: forecast.expected,
            disk: forecast.disk,
            disk_free: free,
            lacks_room: free.is_some_and(|free| forecast.disk > free),
            saving: Saving::new(forecast.today, forecast.expected.about),
            seconds: forecast.seconds,
            within_limits: forecast.within_limits,
            skipped: forecast.skipped.into_iter().map(body).collect(),
            rule: words(rule),
            own_rule: own.map(RunRule::words),
            rules: forecast.rules,
        }
    }
}

/// A site's rule in words.
fn words(rule: &OutputRule) -> String {
    EffectiveRule::new(rule, &OutputRule::default(), &OutputRule::default()).words()
}

/// A run, and how far it is.
#[derive(Serialize, ToSchema)]
pub(super) struct RunBody {
    id: Uuid,
    name: String,
    started_by: StartedBy,
    /// The same in words.
    started_words: &'static str,
    state: RunState,
    /// What was told before it started.
    forecast: ForecastBody,
    /// What it leaves for later.
    limits: RunLimits,
    /// The site's rule when it was started.
    rule: OutputRule,
    /// How its files are made, where that was chosen for it.
    own_rule: Option<RunRule>,
    /// Pictures whose own rule it changed, until that is taken back.
    rules: u64,
    created_at: DateTime<Utc>,
    ended_at: Option<DateTime<Utc>>,
    /// Sets of files that have their turn later.
    waiting: u64,
    done: u64,
    skipped: u64,
    failed: u64,
    taken_back: u64,
    /// Sets that are done and that nobody looked at yet.
    unchecked: u64,
    /// What pages transferred for what is done.
    before: Bytes,
    /// What they would transfer now.
    after: Bytes,
    /// What that saves.
    saving: Saving,
    /// By how much the forecast was off for what is done, as a share of what came out: 0.1 where 10 %
    /// too much was expected.
    forecast_error: Option<f64>,
    /// How many files those have.
    files: u64,
    /// What was made for them weighs.
    made_bytes: Bytes,
    /// How many seconds that took, of all workers together.
    seconds: f64,
    /// Sets a minute, while it goes on.
    sets_a_minute: Option<f64>,
    /// How long it still takes at the pace of its latest sets, while it goes on.
    seconds_left: Option<f64>,
    /// What it waits for, while it goes on by itself when that is over.
    held: Option<String>,
    /// Why nobody works at it, where the job was set aside; resuming has it tried again.
    stopped: Option<String>,
}

impl RunBody {
    async fn of(app: &App, run: Run) -> Result<Self, Problem> {
        let (pace, jobs) = match run.state {
            RunState::Running => {
                (app.store.run_pace(run.id).await?, app.store.jobs_of_run(run.id).await?)
            }
            _ => (None, Vec::new()),
        };
        let is_worked_at = jobs.iter().any(|job| job.state == JobState::Running);
        let first = jobs.into_iter().next().filter(|_| !is_worked_at);
        let stopped = first.as_ref().filter(|job| job.state == JobState::Failed);
        let held = first.as_ref().filter(|job| job.state == JobState::Waiting).and_then(held);
        let totals = run.totals;
        let count = |n: i64| n.unsigned_abs();
        let bytes = |n: i64| Bytes(n.unsigned_abs());
        let pace = pace.filter(|_| is_worked_at);
        Ok(Self {
            id: run.id,
            name: run.name,
            started_by: run.started_by,
            started_words: run.started_by.words(),
            state: run.state,
            forecast: ForecastBody::new(run.forecast, &run.rule, run.own_rule.as_ref(), None),
            limits: run.limits,
            rule: run.rule,
            own_rule: run.own_rule,
            rules: count(totals.rules),
            created_at: run.created_at,
            ended_at: run.ended_at,
            waiting: count(totals.waiting),
            done: count(totals.done),
            skipped: count(totals.skipped),
            failed: count(totals.failed),
            taken_back: count(totals.taken_back),
            unchecked: count(totals.unchecked),
            before: bytes(totals.before),
            after: bytes(totals.after),
            saving: Saving::new(bytes(totals.before), bytes(totals.after)),
            forecast_error: error_of(bytes(totals.expected), bytes(totals.after)),
            files: count(totals.files),
            made_bytes: bytes(totals.made_bytes),
            seconds: totals.seconds,
            sets_a_minute: pace.map(|sets| sets * 60.0),
            seconds_left: pace.map(|sets| totals.waiting as f64 / sets),
            held,
            stopped: stopped.and_then(|job| job.reason.clone()),
        })
    }
}

/// What a job waits for; nothing where it is about to begin.
fn held(job: &Job) -> Option<String> {
    let waits = Utc::now() - job.due_at;
    let for_its_turn = || "until a worker is free: another run is before it".to_owned();
    job.reason.clone().or_else(|| (waits > SOON).then(for_its_turn))
}

/// The runs, the newest first.
#[utoipa::path(get, path = "/runs", responses((status = 200, body = Vec<RunBody>)))]
pub(super) async fn list_runs(State(app): State<App>) -> Result<Json<Vec<RunBody>>, Problem> {
    bodies(&app, app.store.runs(MOST_RUNS).await?).await
}

/// Runs that go on or are paused, the oldest first.
#[utoipa::path(get, path = "/runs/open", responses((status = 200, body = Vec<RunBody>)))]
pub(super) async fn open_runs(State(app): State<App>) -> Result<Json<Vec<RunBody>>, Problem> {
    bodies(&app, app.store.open_runs().await?).await
}

async fn bodies(app: &App, runs: Vec<Run>) -> Result<Json<Vec<RunBody>>, Problem> {
    let mut list = Vec::new();
    for run in runs {
        list.push(RunBody::of(app, run).await?);
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

async fn find(app: &App, id: Uuid) -> Result<RunBody, Problem> {
    let run = app.store.run(id).await?.ok_or_else(|| Problem::not_found("run"))?;
    RunBody::of(app, run).await
}

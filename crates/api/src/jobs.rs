//! Jobs: what goes on in the background, followed, cancelled and tried again.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::job::{JobKind, JobState};
use brisk_margin_store::jobs::Job;
use chrono::{DateTime, Utc};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::Path;
use crate::state::App;

/// Jobs that are told one by one at most.
const MOST: u64 = 50;

/// What goes on in the background.
#[derive(Serialize, ToSchema)]
pub(super) struct JobsBody {
    /// How many of each kind are left or were set aside; kinds of which there is none are left out.
    kinds: Vec<KindBody>,
    /// Those that run, then those that were set aside, then those that ended last.
    jobs: Vec<JobBody>,
}

/// The jobs of a kind.
#[derive(Serialize, ToSchema)]
struct KindBody {
    kind: JobKind,
    /// What is done, in words.
    words: &'static str,
    /// How many run.
    running: u64,
    /// How many wait for their turn.
    waiting: u64,
    /// How many were set aside.
    failed: u64,
}

/// A job.
#[derive(Serialize, ToSchema)]
pub(super) struct JobBody {
    /// Its id.
    id: Uuid,
    kind: JobKind,
    /// What is done, in words.
    words: &'static str,
    /// What it is about: an address, or the name of a picture; nothing where it is about all.
    about: Option<String>,
    state: JobState,
    /// How much is done.
    done: u64,
    /// Of how much, where that is known.
    total: Option<u64>,
    /// The seconds that it still takes at the pace so far, where it runs and has one.
    seconds_left: Option<f64>,
    /// Attempts since it last came further.
    attempts: u32,
    /// Why the last attempt failed.
    reason: Option<String>,
    /// Whether somebody asked that it stops.
    cancel_asked: bool,
    /// When it was added.
    created_at: DateTime<Utc>,
    /// When it may begin.
    due_at: DateTime<Utc>,
    /// When it was begun first.
    started_at: Option<DateTime<Utc>>,
    /// When it ended.
    ended_at: Option<DateTime<Utc>>,
}

impl JobBody {
    /// Of a job of which it is plain what it is about.
    pub(super) fn of(job: Job) -> Self {
        Self::new(job, None)
    }

    fn new(job: Job, about: Option<String>) -> Self {
        Self {
            seconds_left: job.time_left().map(|left| left.as_secs_f64()),
            words: job.kind.words(),
            about,
            id: job.id,
            kind: job.kind,
            state: job.state,
            done: job.progress.done,
            total: job.progress.total,
            attempts: job.attempts,
            reason: job.reason,
            cancel_asked: job.cancel_asked,
            created_at: job.created_at,
            due_at: job.due_at,
            started_at: job.started_at,
            ended_at: job.ended_at,
        }
    }
}

/// The picture that a job is about.
fn picture_of(job: &Job) -> Option<Uuid> {
    job.args.get("picture")?.as_str()?.parse().ok()
}

/// Each job with what it is about.
async fn bodies(app: &App, jobs: Vec<Job>) -> Result<Vec<JobBody>, Problem> {
    let ids: Vec<Uuid> = jobs.iter().filter_map(picture_of).collect();
    let names = app.store.names_of(&ids).await?;
    let body = |job: Job| {
        let about = match job.kind {
            JobKind::Measure => job.args.get("address").and_then(|a| Some(a.as_str()?.to_owned())),
            _ => picture_of(&job).and_then(|id| names.get(&id).cloned()),
        };
        JobBody::new(job, about)
    };
    Ok(jobs.into_iter().map(body).collect())
}

/// What goes on in the background: how much is left of each kind, and the latest jobs.
#[utoipa::path(get, path = "/jobs", responses((status = 200, body = JobsBody)))]
pub(super) async fn jobs(State(app): State<App>) -> Result<Json<JobsBody>, Problem> {
    let (counts, shown) = tokio::try_join!(app.store.count_jobs(), app.store.shown_jobs(MOST))?;
    let of = |kind: JobKind, state: JobState| {
        let found = counts.iter().find(|count| count.kind == kind && count.state == state);
        found.map_or(0, |count| count.count)
    };
    let kinds = JobKind::ALL.into_iter().map(|kind| KindBody {
        kind,
        words: kind.words(),
        running: of(kind, JobState::Running),
        waiting: of(kind, JobState::Waiting),
        failed: of(kind, JobState::Failed),
    });
    let kinds = kinds.filter(|kind| kind.running + kind.waiting + kind.failed > 0).collect();
    Ok(Json(JobsBody { kinds, jobs: bodies(&app, shown).await? }))
}

/// A job.
#[utoipa::path(get, path = "/jobs/{id}", responses(
    (status = 200, body = JobBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The job's id")))]
pub(super) async fn one_job(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<JobBody>, Problem> {
    let job = app.store.job(id).await?.ok_or_else(|| Problem::not_found("job"))?;
    let body = bodies(&app, vec![job]).await?.pop();
    Ok(Json(body.ok_or_else(|| Problem::not_found("job"))?))
}

/// Cancels a job: at once where it waits, else as soon as it hears of it. What was done stays.
#[utoipa::path(delete, path = "/jobs/{id}", responses(
    (status = 204),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The job's id")))]
pub(super) async fn cancel_job(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    match app.store.cancel_job(id).await? {
        true => Ok(StatusCode::NO_CONTENT),
        false => Err(Problem::new(
            StatusCode::CONFLICT,
            "ended",
            "The job has ended",
            "there is nothing left of it that could be cancelled",
        )),
    }
}

/// Has a job that was set aside or cancelled tried again, from where it had come to.
#[utoipa::path(post, path = "/jobs/{id}/retry", responses(
    (status = 202, body = JobBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The job's id")))]
pub(super) async fn retry_job(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<(StatusCode, Json<JobBody>), Problem> {
    if !app.store.retry_job(id).await? && app.store.job(id).await?.is_some() {
        return Err(Problem::new(
            StatusCode::CONFLICT,
            "not-set-aside",
            "The job is not set aside",
            "it is done, or it waits or runs already; only one that failed or was cancelled can \
             be tried again",
        ));
    }
    Ok((StatusCode::ACCEPTED, one_job(State(app), Path(id)).await?))
}

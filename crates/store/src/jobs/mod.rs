//! Jobs: what is to be done in the background, who is at it, and how it ended.
//!
//! The row is what holds. The queue (tables of `apalis`) is handed a delivery by a trigger whenever
//! a job is to wait, in the same transaction; one that is delivered twice, or after it was
//! cancelled, is begun once or not at all, since beginning it is one conditional update here.
//!
//! A site adds, lists and cancels its own (`of_site`); whoever does them begins and ends those of all
//! (`in_hand`), and finds those that got lost (`recovery`).

mod in_hand;
mod of_site;
pub mod overall;
mod recovery;

use std::time::Duration;

use brisk_margin_core::job::{self, JobKind, JobState, Priority};
use chrono::{DateTime, Utc};
use sea_orm::FromQueryResult;
use serde_json::Value;
use uuid::Uuid;

/// A job.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// Its id.
    pub id: Uuid,
    /// The schema of its site; empty for one that is about all of them.
    pub site: String,
    /// What kind of work it is.
    pub kind: JobKind,
    /// What it is about; two waiting jobs of a kind never have the same.
    pub key: String,
    /// What to do, as the kind has it.
    pub args: Value,
    /// Where it stands.
    pub state: JobState,
    /// Attempts since it last came further.
    pub attempts: u32,
    /// Why the last attempt failed.
    pub reason: Option<String>,
    /// How much is done.
    pub progress: Progress,
    /// Where it goes on, and what it tells of itself.
    pub checkpoint: Option<Value>,
    /// Whether somebody asked that it stops.
    pub cancel_asked: bool,
    /// When it was added.
    pub created_at: DateTime<Utc>,
    /// When it may begin.
    pub due_at: DateTime<Utc>,
    /// When it was begun first.
    pub started_at: Option<DateTime<Utc>>,
    /// When it ended.
    pub ended_at: Option<DateTime<Utc>>,
    claim: i32,
}

impl Job {
    /// How long it still takes at the pace so far, while it runs and where it has one.
    pub fn time_left(&self) -> Option<Duration> {
        let elapsed = (Utc::now() - self.started_at?).to_std().ok()?;
        let is_running = self.state == JobState::Running;
        is_running
            .then(|| job::time_left(elapsed, self.progress.done, self.progress.total?))
            .flatten()
    }
}

/// How much of a job is done.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Progress {
    /// So much.
    pub done: u64,
    /// Of so much, where that is known.
    pub total: Option<u64>,
}

/// How many jobs of a kind there are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct JobCount {
    /// The kind.
    pub kind: JobKind,
    /// The state.
    pub state: JobState,
    /// So many.
    pub count: u64,
}

/// A job about to be added.
#[derive(Debug, Clone)]
pub struct NewJob {
    /// What kind of work it is.
    pub kind: JobKind,
    /// What it is about.
    pub key: String,
    /// What to do.
    pub args: Value,
    /// Who waits for it.
    pub priority: Priority,
    /// How long it waits first.
    pub after: Duration,
}

impl NewJob {
    /// A job for the background, due at once.
    pub fn new(kind: JobKind, key: impl Into<String>, args: Value) -> Self {
        let (priority, after) = (Priority::Background, Duration::ZERO);
        Self { kind, key: key.into(), args, priority, after }
    }

    /// The same for somebody who waits.
    pub fn awaited(self) -> Self {
        Self { priority: Priority::Awaited, ..self }
    }
}

/// A job that this process began: only who began it last is heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Claim {
    /// The job.
    pub id: Uuid,
    number: i32,
}

impl Claim {
    /// How many times the job had been begun by then.
    pub(crate) const fn number(self) -> i32 {
        self.number
    }
}

/// How an attempt ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ending {
    /// All is done.
    Done,
    /// Somebody cancelled it.
    Cancelled,
    /// It failed, and is tried again after a pause.
    Again {
        /// Why it failed.
        reason: String,
        /// The pause.
        pause: Duration,
    },
    /// It failed for something that only has to be waited for: the attempt does not count.
    Later {
        /// What it waits for.
        reason: String,
        /// The pause.
        pause: Duration,
    },
    /// It failed, and is set aside.
    SetAside {
        /// Why it failed.
        reason: String,
    },
    /// It goes back to those that wait, as if it had not been begun.
    GivenBack,
}

impl Ending {
    /// Its name where endings are counted.
    pub const fn name(&self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Cancelled => "cancelled",
            Self::Again { .. } => "failed, tried again",
            Self::Later { .. } => "put off",
            Self::SetAside { .. } => "failed",
            Self::GivenBack => "given back",
        }
    }
}

/// What a running job hears when it tells how far it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Heard {
    /// To go on.
    GoOn,
    /// That somebody asked it to stop.
    Cancel,
    /// That another process has it now.
    Lost,
}

const COLUMNS: &str = "id, site, kind, key, args, state, attempts, reason, done, total, checkpoint,
    cancel_asked, created_at, due_at, started_at, ended_at, claim";

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    site: String,
    kind: String,
    key: String,
    args: Value,
    state: String,
    attempts: i32,
    reason: Option<String>,
    done: i64,
    total: Option<i64>,
    checkpoint: Option<Value>,
    cancel_asked: bool,
    created_at: DateTime<Utc>,
    due_at: DateTime<Utc>,
    started_at: Option<DateTime<Utc>>,
    ended_at: Option<DateTime<Utc>>,
    claim: i32,
}

impl Row {
    /// The job; nothing where a newer version added it.
    fn job(self) -> Option<Job> {
        Some(Job {
            kind: JobKind::named(&self.kind)?,
            state: JobState::named(&self.state)?,
            progress: Progress {
                done: self.done.unsigned_abs(),
                total: self.total.map(i64::unsigned_abs),
            },
            id: self.id,
            site: self.site,
            key: self.key,
            args: self.args,
            attempts: self.attempts.unsigned_abs(),
            reason: self.reason,
            checkpoint: self.checkpoint,
            cancel_asked: self.cancel_asked,
            created_at: self.created_at,
            due_at: self.due_at,
            started_at: self.started_at,
            ended_at: self.ended_at,
            claim: self.claim,
        })
    }
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

#[derive(FromQueryResult)]
struct Counted {
    kind: String,
    state: String,
    count: i64,
}

#[derive(FromQueryResult)]
struct Told {
    cancel_asked: bool,
}

/// The kinds that are upkeep.
fn upkeep() -> Vec<String> {
    let kinds = JobKind::ALL.into_iter().filter(|kind| kind.is_upkeep());
    kinds.map(|kind| kind.name().to_owned()).collect()
}

impl Job {
    /// As whom it was begun.
    pub const fn claim(&self) -> Claim {
        Claim { id: self.id, number: self.claim }
    }
}

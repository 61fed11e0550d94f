//! Jobs: what is to be done in the background, who is at it, and how it ended.
//!
//! The row is what holds. The queue (tables of `apalis`) is handed a delivery by a trigger whenever
//! a job is to wait, in the same transaction; one that is delivered twice, or after it was
//! cancelled, is begun once or not at all, since beginning it is one conditional update here.

use std::time::Duration;

use brisk_margin_core::job::{JobKind, JobState, MOST_ATTEMPTS, Priority};
use chrono::{DateTime, TimeDelta, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde_json::Value;
use uuid::Uuid;

use crate::{Installation, Store, StoreError};

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
    /// It failed, and is set aside.
    SetAside {
        /// Why it failed.
        reason: String,
    },
    /// It goes back to those that wait, as if it had not been begun.
    GivenBack,
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

impl Store {
    /// Adds a job, unless one of its kind and key waits already, which then goes as soon as this
    /// one would have; returns the id of the one that waits.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn push_job(&self, new: &NewJob) -> Result<Uuid, StoreError> {
        let statement = self.statement(
            "INSERT INTO jobs (site, kind, key, args, priority, due_at)
             VALUES ($6, $1, $2, $3, $4, now() + make_interval(secs => $5))
             ON CONFLICT (site, kind, key) WHERE state = 'waiting' DO UPDATE SET
                 priority = greatest(jobs.priority, excluded.priority),
                 due_at = least(jobs.due_at, excluded.due_at)
             RETURNING id",
            [
                new.kind.name().into(),
                new.key.clone().into(),
                new.args.clone().into(),
                new.priority.level().into(),
                new.after.as_secs_f64().into(),
                self.schema().into(),
            ],
        );
        let row = Id::find_by_statement(statement).one(&self.db).await?;
        row.map(|row| row.id).ok_or_else(|| StoreError::Corrupt("a job vanished".to_owned()))
    }

    /// The job of a kind and key that waits or runs.
    pub async fn open_job(&self, kind: JobKind, key: &str) -> Result<Option<Job>, StoreError> {
        let open = "kind = $1 AND key = $2 AND state IN ('waiting', 'running') LIMIT 1";
        Ok(self.jobs_where(open, [kind.name().into(), key.into()]).await?.pop())
    }

    /// The job `id`; nothing where there is none that this version knows.
    pub async fn job(&self, id: Uuid) -> Result<Option<Job>, StoreError> {
        Ok(self.jobs_where("id = $1", [id.into()]).await?.pop())
    }

    /// The job of a kind that was added last.
    pub async fn latest_job(&self, kind: JobKind) -> Result<Option<Job>, StoreError> {
        let latest = "kind = $1 ORDER BY created_at DESC LIMIT 1";
        Ok(self.jobs_where(latest, [kind.name().into()]).await?.pop())
    }

    /// The job of a kind and key that was added last.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn latest_job_of(&self, kind: JobKind, key: &str) -> Result<Option<Job>, StoreError> {
        let latest = "kind = $1 AND key = $2 ORDER BY created_at DESC LIMIT 1";
        Ok(self.jobs_where(latest, [kind.name().into(), key.into()]).await?.pop())
    }

    /// Up to `most` jobs that run, then those that were set aside, then those that ended, the
    /// latest of each first. Upkeep that is done is left out.
    pub async fn shown_jobs(&self, most: u64) -> Result<Vec<Job>, StoreError> {
        let order = format!(
            "state <> 'waiting' AND NOT (state = 'done' AND kind = ANY ($1))
             ORDER BY array_position('{{running,failed}}', state) NULLS LAST,
                 coalesce(ended_at, started_at, created_at) DESC LIMIT {most}"
        );
        self.jobs_where(&order, [upkeep().into()]).await
    }

    async fn jobs_where(
        &self,
        condition: &str,
        values: impl IntoIterator<Item = sea_orm::Value>,
    ) -> Result<Vec<Job>, StoreError> {
        // A schema's name is ours, and needs no quotes.
        let site = self.schema();
        let sql = format!("SELECT {COLUMNS} FROM jobs WHERE site = '{site}' AND {condition}");
        let rows = Row::find_by_statement(self.statement(&sql, values)).all(&self.db).await?;
        Ok(rows.into_iter().filter_map(Row::job).collect())
    }

    /// How many jobs wait, run and were set aside, by kind.
    pub async fn count_jobs(&self) -> Result<Vec<JobCount>, StoreError> {
        // What waits for its next time is not to be done now.
        let sql = "SELECT kind, state, count(*) AS count FROM jobs
                   WHERE site = $1 AND (state IN ('running', 'failed')
                      OR (state = 'waiting' AND due_at < now() + interval '10 minutes'))
                   GROUP BY kind, state";
        let statement = self.statement(sql, [self.schema().into()]);
        let rows = Counted::find_by_statement(statement).all(&self.db).await?;
        let count = |row: Counted| {
            let (kind, state) = (JobKind::named(&row.kind)?, JobState::named(&row.state)?);
            Some(JobCount { kind, state, count: row.count.unsigned_abs() })
        };
        Ok(rows.into_iter().filter_map(count).collect())
    }

    /// Adds what is still to be done with its pictures.
    pub(crate) async fn push_all_jobs(&self) -> Result<(), StoreError> {
        self.db.execute_unprepared("SELECT push_all_jobs()").await?;
        Ok(())
    }

    /// Cancels a job: at once where it waits, and where it runs as soon as it hears of it. False
    /// where it ended before.
    pub async fn cancel_job(&self, id: Uuid) -> Result<bool, StoreError> {
        let statement = self.statement(
            "UPDATE jobs SET cancel_asked = true,
                 ended_at = CASE WHEN state = 'running' THEN NULL ELSE now() END,
                 state = CASE WHEN state = 'running' THEN state ELSE 'cancelled' END
             WHERE id = $1 AND site = $2 AND state IN ('waiting', 'running', 'failed')",
            [id.into(), self.schema().into()],
        );
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }

    /// Has a job that was set aside, or cancelled, tried again at once, from where it had come to.
    /// False where it is none of these, or the same one waits already.
    pub async fn retry_job(&self, id: Uuid) -> Result<bool, StoreError> {
        let statement = self.statement(
            "UPDATE jobs j SET state = 'waiting', attempts = 0, cancel_asked = false,
                 due_at = now(), ended_at = NULL
             WHERE id = $1 AND site = $2 AND state IN ('failed', 'cancelled') AND NOT EXISTS (
                 SELECT FROM jobs o
                 WHERE (o.site, o.kind, o.key, o.state) = (j.site, j.kind, j.key, 'waiting')
             )",
            [id.into(), self.schema().into()],
        );
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }
}

impl Installation {
    /// Adds a job that is about all sites, unless one of its kind waits or runs.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn expect_job(&self, new: &NewJob) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO jobs (kind, key, args)
             SELECT $1, $2, $3 WHERE NOT EXISTS (
                 SELECT FROM jobs WHERE site = '' AND kind = $1 AND state IN ('waiting', 'running')
             ) ON CONFLICT (site, kind, key) WHERE state = 'waiting' DO NOTHING",
            [new.kind.name().into(), new.key.clone().into(), new.args.clone().into()],
        );
        self.db().execute_raw(statement).await?;
        Ok(())
    }

    /// Adds a job of the site in the schema `site`, or of none; where the same one waits, that one
    /// stands for it.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn push_job(&self, site: &str, new: &NewJob) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO jobs (kind, key, args, due_at, priority, site)
             VALUES ($1, $2, $3, now() + make_interval(secs => $4), $5, $6)
             ON CONFLICT (site, kind, key) WHERE state = 'waiting' DO NOTHING",
            [
                new.kind.name().into(),
                new.key.clone().into(),
                new.args.clone().into(),
                new.after.as_secs_f64().into(),
                new.priority.level().into(),
                site.into(),
            ],
        );
        self.db().execute_raw(statement).await?;
        Ok(())
    }

    /// The job `id` of whatever site.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn job(&self, id: Uuid) -> Result<Option<Job>, StoreError> {
        let sql = format!("SELECT {COLUMNS} FROM jobs WHERE id = $1");
        let row = Row::find_by_statement(self.statement(&sql, [id.into()])).one(self.db()).await?;
        Ok(row.and_then(Row::job))
    }

    /// The next job that is due and waits, of whatever kind that is known here; the ones that somebody waits for
    /// first.
    pub async fn due_job(&self) -> Result<Option<Uuid>, StoreError> {
        let sql = "SELECT id FROM jobs
                   WHERE state = 'waiting' AND due_at <= now() AND kind = ANY ($1)
                     AND NOT EXISTS (SELECT FROM sites s WHERE s.schema = site AND removed_at IS NOT NULL)
                   ORDER BY priority DESC, due_at, created_at LIMIT 1";
        let kinds = JobKind::ALL.map(|kind| kind.name().to_owned()).to_vec();
        let statement = self.statement(sql, [kinds.into()]);
        let row = Id::find_by_statement(statement).one(self.db()).await?;
        Ok(row.map(|row| row.id))
    }

    /// How many jobs wait for another attempt.
    pub async fn count_put_off(&self) -> Result<u64, StoreError> {
        let sql = "SELECT kind, state, count(*) AS count FROM jobs
                   WHERE state = 'waiting' AND reason IS NOT NULL GROUP BY kind, state";
        let rows = Counted::find_by_statement(self.statement(sql, [])).all(self.db()).await?;
        Ok(rows.iter().map(|row| row.count.unsigned_abs()).sum())
    }

    /// Begins job `id` as the process with number `worker`; nothing where it does not wait any
    /// more and whoever is at it lives.
    pub async fn claim_job(&self, id: Uuid, worker: i32) -> Result<Option<Job>, StoreError> {
        let sql = format!(
            "UPDATE jobs SET state = 'running', worker = $2, claim = claim + 1,
                 attempts = attempts + 1, started_at = coalesce(started_at, now())
             WHERE id = $1 AND (state = 'waiting' AND due_at <= now() + interval '1 second'
                 OR state = 'running' AND worker <> $2 AND NOT is_worker_alive(worker))
             RETURNING {COLUMNS}"
        );
        let statement = self.statement(&sql, [id.into(), worker.into()]);
        let row = Row::find_by_statement(statement).one(self.db()).await?;
        Ok(row.and_then(Row::job))
    }

    /// Notes how far a job is, and where it would go on where a checkpoint is given; it has come
    /// further then, so that earlier attempts do not count any more.
    pub async fn note_progress(
        &self,
        claim: Claim,
        progress: Progress,
        checkpoint: Option<Value>,
    ) -> Result<Heard, StoreError> {
        let statement = self.statement(
            "UPDATE jobs SET done = $3, total = $4, checkpoint = coalesce($5, checkpoint),
                 attempts = CASE WHEN $5::jsonb IS NULL THEN attempts ELSE 1 END
             WHERE id = $1 AND claim = $2 AND state = 'running' RETURNING cancel_asked",
            [
                claim.id.into(),
                claim.number.into(),
                (progress.done as i64).into(),
                progress.total.map(|total| total as i64).into(),
                checkpoint.into(),
            ],
        );
        let told = Told::find_by_statement(statement).one(self.db()).await?;
        Ok(match told {
            None => Heard::Lost,
            Some(Told { cancel_asked: true }) => Heard::Cancel,
            Some(_) => Heard::GoOn,
        })
    }

    /// Ends an attempt; false where another process has the job now, which then decides.
    pub async fn end_attempt(&self, claim: Claim, ending: &Ending) -> Result<bool, StoreError> {
        let (state, reason, pause, attempts) = match ending {
            Ending::Done => (JobState::Done, None, Duration::ZERO, 0),
            Ending::Cancelled => (JobState::Cancelled, None, Duration::ZERO, 0),
            Ending::SetAside { reason } => {
                (JobState::Failed, Some(reason.clone()), Duration::ZERO, 0)
            }
            Ending::Again { reason, pause } => (JobState::Waiting, Some(reason.clone()), *pause, 0),
            Ending::GivenBack => (JobState::Waiting, None, Duration::ZERO, -1),
        };
        let statement = self.statement(
            // One that would wait beside another of its key is left to that one.
            "UPDATE jobs j SET
                 state = CASE WHEN $3 = 'waiting' AND EXISTS (
                     SELECT FROM jobs o WHERE (o.site, o.kind, o.key, o.state) = (j.site, j.kind, j.key, 'waiting')
                 ) THEN 'done' ELSE $3 END,
                 reason = coalesce($4, CASE WHEN $3 = 'waiting' THEN reason END),
                 attempts = attempts + $6, worker = NULL,
                 due_at = CASE WHEN $3 = 'waiting' THEN now() + make_interval(secs => $5) ELSE due_at END,
                 ended_at = CASE WHEN $3 <> 'waiting' THEN now() END
             WHERE id = $1 AND claim = $2 AND state = 'running'",
            [
                claim.id.into(),
                claim.number.into(),
                state.name().into(),
                reason.into(),
                pause.as_secs_f64().into(),
                attempts.into(),
            ],
        );
        Ok(self.db().execute_raw(statement).await?.rows_affected() > 0)
    }

    /// Finds jobs that got lost, and has them delivered again: those whose process ended, those
    /// whose delivery is gone, and those that are due later than any pause since the clock was set
    /// back. Returns how many.
    pub async fn recover_jobs(&self) -> Result<u64, StoreError> {
        // Of several with one key, one goes on: it sees what the others would have seen.
        let dead = self.statement(
            "WITH dead AS (
                 SELECT id, row_number() OVER (PARTITION BY site, kind, key ORDER BY created_at) > 1
                     OR EXISTS (SELECT FROM jobs o
                         WHERE (o.site, o.kind, o.key, o.state) = (j.site, j.kind, j.key, 'waiting'))
                     AS is_twin
                 FROM jobs j WHERE state = 'running' AND NOT is_worker_alive(worker)
             )
             UPDATE jobs j SET worker = NULL, claim = claim + 1, due_at = now(),
                 reason = 'the program ended while this was being done',
                 ended_at = CASE WHEN is_twin OR attempts >= $1 THEN now() END,
                 state = CASE
                     WHEN is_twin THEN 'done'
                     WHEN attempts >= $1 THEN 'failed'
                     ELSE 'waiting' END
             FROM dead WHERE j.id = dead.id AND j.state = 'running'",
            [(MOST_ATTEMPTS as i32).into()],
        );
        let lost = self.statement(
            "UPDATE jobs SET due_at = now() WHERE state = 'waiting' AND (
                 due_at > now() + interval '1 day' OR due_at < now() - interval '1 minute'
                 AND NOT EXISTS (
                     SELECT FROM apalis.jobs a WHERE a.id = delivery
                         AND a.status IN ('Pending', 'Queued', 'Running', 'Failed')
                 )
             )",
            [],
        );
        let dead = self.db().execute_raw(dead).await?.rows_affected();
        Ok(dead + self.db().execute_raw(lost).await?.rows_affected())
    }

    /// Forgets jobs that ended before `then`, other than those that were set aside, upkeep that is
    /// done, and what the queue still has of them. The bytes that only they spoke of count as unused from now on.
    pub async fn forget_jobs(&self, then: DateTime<Utc>) -> Result<(), StoreError> {
        let statement = self.statement(
            "WITH gone AS (
                 DELETE FROM jobs
                 WHERE (ended_at < $1 AND state <> 'failed') OR (state = 'done' AND kind = ANY ($2))
                 RETURNING args
             )
             INSERT INTO unused_bytes (hash, since)
             SELECT DISTINCT args -> 'files' ->> 'hash', now() FROM gone
             WHERE args -> 'files' ->> 'hash' IS NOT NULL ON CONFLICT DO NOTHING",
            [then.into(), upkeep().into()],
        );
        self.db().execute_raw(statement).await?;
        let hour_ago = Utc::now() - TimeDelta::hours(1);
        let statement = self.statement(
            "DELETE FROM apalis.jobs WHERE status IN ('Done', 'Killed') AND done_at < $1",
            [hour_ago.into()],
        );
        self.db().execute_raw(statement).await?;
        let statement = self.statement(
            "DELETE FROM apalis.workers w WHERE last_seen < $1
             AND NOT EXISTS (SELECT FROM apalis.jobs j WHERE j.lock_by = w.id)",
            [hour_ago.into()],
        );
        self.db().execute_raw(statement).await?;
        Ok(())
    }
}

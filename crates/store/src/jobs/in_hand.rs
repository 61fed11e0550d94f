//! Jobs in hand, of whatever site: begun by one, told of while they run, and ended.

use std::time::Duration;

use brisk_margin_core::job::{JobKind, JobState};
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde_json::Value;
use uuid::Uuid;

use super::{COLUMNS, Claim, Counted, Ending, Heard, Id, Job, NewJob, Progress, Row, Told};
use crate::{Installation, StoreError};

#[derive(FromQueryResult)]
struct Living {
    count: i64,
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

    /// How many processes live that share this database, each with workers or not.
    pub async fn count_living(&self) -> Result<u64, StoreError> {
        let sql = "SELECT living_processes() AS count";
        let row = Living::find_by_statement(self.statement(sql, [])).one(self.db()).await?;
        Ok(row.map_or(0, |row| row.count.unsigned_abs()))
    }

    /// How many jobs wait for another attempt.
    pub async fn count_put_off(&self) -> Result<u64, StoreError> {
        let sql = "SELECT kind, state, count(*) AS count FROM jobs
                   WHERE state = 'waiting' AND reason IS NOT NULL GROUP BY kind, state";
        let rows = Counted::find_by_statement(self.statement(sql, [])).all(self.db()).await?;
        Ok(rows.iter().map(|row| row.count.unsigned_abs()).sum())
    }

    /// Begins job `id` as the process with number `worker`, which then has `patience` until it must
    /// give a sign of life; nothing where it does not wait any more and whoever is at it lives.
    pub async fn claim_job(
        &self,
        id: Uuid,
        worker: i32,
        patience: Duration,
    ) -> Result<Option<Job>, StoreError> {
        let sql = format!(
            "UPDATE jobs SET state = 'running', worker = $2, claim = claim + 1,
                 attempts = attempts + 1, started_at = coalesce(started_at, now()),
                 alive_until = now() + make_interval(secs => $3)
             WHERE id = $1 AND (state = 'waiting' AND due_at <= now() + interval '1 second'
                 OR state = 'running' AND worker <> $2 AND NOT is_in_hand(worker, alive_until))
             RETURNING {COLUMNS}"
        );
        let values = [id.into(), worker.into(), patience.as_secs_f64().into()];
        let statement = self.statement(&sql, values);
        let row = Row::find_by_statement(statement).one(self.db()).await?;
        Ok(row.and_then(Row::job))
    }

    /// Gives a sign of life for a job in hand: it counts as in hand for `patience` more. False where
    /// another process has it now.
    pub async fn sign_of_life(&self, claim: Claim, patience: Duration) -> Result<bool, StoreError> {
        let statement = self.statement(
            "UPDATE jobs SET alive_until = now() + make_interval(secs => $3)
             WHERE id = $1 AND claim = $2 AND state = 'running'",
            [claim.id.into(), claim.number.into(), patience.as_secs_f64().into()],
        );
        Ok(self.db().execute_raw(statement).await?.rows_affected() > 0)
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
            Ending::Later { reason, pause } => {
                (JobState::Waiting, Some(reason.clone()), *pause, -1)
            }
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
}

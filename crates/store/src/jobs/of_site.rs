//! A site's own jobs: added, listed, cancelled and tried again.

use brisk_margin_core::job::{JobKind, JobState, MOST_AWAITED, Priority};
use sea_orm::{ConnectionTrait, FromQueryResult, Statement};
use uuid::Uuid;

use super::{COLUMNS, Counted, Id, Job, JobCount, NewJob, Row, upkeep};
use crate::{Store, StoreError};

impl Store {
    /// Adds a job, unless one of its kind and key waits already, which then goes as soon as this
    /// one would have; returns the id of the one that waits.
    ///
    /// # Errors
    /// [`StoreError::TooManyJobs`] where somebody is to wait for it, and as many wait as may; else those
    /// of the database.
    pub async fn push_job(&self, new: &NewJob) -> Result<Uuid, StoreError> {
        if new.priority == Priority::Awaited {
            self.check_room_for_jobs(&self.db).await?;
        }
        let row = Id::find_by_statement(self.push_statement(new)).one(&self.db).await?;
        row.map(|row| row.id).ok_or_else(|| StoreError::Corrupt("a job vanished".to_owned()))
    }

    /// Whether one more job may wait for somebody.
    ///
    /// # Errors
    /// [`StoreError::TooManyJobs`] where it may not; else those of the database.
    pub(crate) async fn check_room_for_jobs(
        &self,
        db: &impl ConnectionTrait,
    ) -> Result<(), StoreError> {
        let sql = "SELECT count(*) AS count FROM (SELECT FROM jobs
                       WHERE site = $1 AND state = 'waiting' AND priority >= $2 LIMIT $3) waiting";
        let values = [
            self.schema().into(),
            Priority::Awaited.level().into(),
            i64::from(MOST_AWAITED).into(),
        ];
        let row = db.query_one_raw(self.statement(sql, values)).await?;
        let waiting: i64 = row.map_or(Ok(0), |row| row.try_get("", "count"))?;
        if waiting < i64::from(MOST_AWAITED) { Ok(()) } else { Err(StoreError::TooManyJobs) }
    }

    /// The statement of [`Self::push_job`], for a transaction that adds what the job is about.
    pub(crate) fn push_statement(&self, new: &NewJob) -> Statement {
        self.statement(
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
        )
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

    pub(crate) async fn jobs_where(
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

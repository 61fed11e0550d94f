//! Jobs that got lost are found again, and those that ended long ago are forgotten.

use brisk_margin_core::job::MOST_ATTEMPTS;
use chrono::{DateTime, TimeDelta, Utc};
use sea_orm::ConnectionTrait;

use super::upkeep;
use crate::{Installation, StoreError};

impl Installation {
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
                 FROM jobs j WHERE state = 'running' AND NOT is_in_hand(worker, alive_until)
             )
             UPDATE jobs j SET worker = NULL, claim = claim + 1, due_at = now(),
                 reason = 'the program ended, or hung, while this was being done',
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

//! How the jobs of all sites stand, for whoever watches.

use std::time::Duration;

use brisk_margin_core::job::{JobKind, JobState};
use sea_orm::FromQueryResult;

use super::Counted;
use crate::{Installation, StoreError};

/// How the jobs of all sites stand.
#[derive(Debug, Clone, PartialEq)]
pub struct AllJobs {
    /// How many wait, run and were set aside, of each kind: none is told as 0.
    pub by_kind: Vec<(JobKind, JobState, u64)>,
    /// For how long the one that is due has waited the longest.
    pub oldest: Duration,
}

#[derive(FromQueryResult)]
struct Age {
    seconds: f64,
}

impl Installation {
    /// How the jobs of all sites stand.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn count_all_jobs(&self) -> Result<AllJobs, StoreError> {
        const STATES: [JobState; 3] = [JobState::Waiting, JobState::Running, JobState::Failed];
        let sql = "SELECT kind, state, count(*) AS count FROM jobs
            WHERE state IN ('waiting', 'running', 'failed') GROUP BY kind, state";
        let rows = Counted::find_by_statement(self.statement(sql, [])).all(self.db()).await?;
        let count = |kind: JobKind, state: JobState| {
            let row =
                rows.iter().find(|row| (&*row.kind, &*row.state) == (kind.name(), state.name()));
            row.map_or(0, |row| row.count.unsigned_abs())
        };
        let by_kind = JobKind::ALL
            .into_iter()
            .flat_map(|kind| STATES.map(|state| (kind, state, count(kind, state))))
            .collect();
        let sql = "SELECT coalesce(extract(epoch FROM now() - min(due_at)), 0)::double precision AS seconds
            FROM jobs WHERE state = 'waiting' AND due_at <= now()";
        let age = Age::find_by_statement(self.statement(sql, [])).one(self.db()).await?;
        let oldest = Duration::from_secs_f64(age.map_or(0.0, |age| age.seconds.max(0.0)));
        Ok(AllJobs { by_kind, oldest })
    }
}

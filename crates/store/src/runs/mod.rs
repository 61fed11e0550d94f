//! Runs as they are kept: one row each, and one for every slot of every picture.
//!
//! - [`items`]: the sets of files of a run, claimed one by one by whoever works at it.
//! - [`taking_back`]: what a run made goes again.
//! - [`rules`]: what runs make of pictures' own rules.
//! - [`made_sets`]: sets of which all files are known to be there.

pub mod items;
mod made_sets;
mod rules;
mod taking_back;

use brisk_margin_core::job::JobKind;
use brisk_margin_core::rule::OutputRule;
use brisk_margin_core::run::forecast::Forecast;
use brisk_margin_core::run::limits::{RunEffort, RunLimits};
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_core::run::skip::SkipReason;
use brisk_margin_core::run::{RunState, StartedBy};
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use crate::jobs::{Job, NewJob};
use crate::layouts::{json, read};
use crate::{Store, StoreError};
use items::{NewRunItem, UNCHECKED};

pub use made_sets::{MadeSet, SetBasis};
pub use rules::RulesBack;
pub use taking_back::TakenBack;

/// So many of the latest sets tell the pace of a run.
const LATEST: u32 = 20;

/// A run, and how far it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    /// Its id.
    pub id: Uuid,
    /// What it is about, in words.
    pub name: String,
    /// Who had it started.
    pub started_by: StartedBy,
    /// What was told before it started.
    pub forecast: Forecast,
    /// What it leaves for later.
    pub limits: RunLimits,
    /// The site's rule when it was started.
    pub rule: OutputRule,
    /// How its files are made, where that was chosen for it.
    pub own_rule: Option<RunRule>,
    /// Where it stands.
    pub state: RunState,
    /// When it was started.
    pub created_at: DateTime<Utc>,
    /// When it ended.
    pub ended_at: Option<DateTime<Utc>>,
    /// Its items.
    pub totals: RunTotals,
}

/// A run about to be started.
#[derive(Debug, Clone)]
pub struct NewRun {
    /// What it is about, in words.
    pub name: String,
    /// Who has it started.
    pub started_by: StartedBy,
    /// What was told before.
    pub forecast: Forecast,
    /// What it leaves for later.
    pub limits: RunLimits,
    /// The site's rule.
    pub rule: OutputRule,
    /// How its files are made, where that is chosen for it.
    pub own_rule: Option<RunRule>,
    /// Its items in the order of their turn.
    pub items: Vec<NewRunItem>,
}

/// What became of the items of a run so far.
#[derive(Debug, Clone, Copy, PartialEq, FromQueryResult)]
pub struct RunTotals {
    /// Those that have their turn later.
    pub waiting: i64,
    /// Those whose files are made.
    pub done: i64,
    /// Those that nothing was done with.
    pub skipped: i64,
    /// Those that failed.
    pub failed: i64,
    /// Those that were taken back.
    pub taken_back: i64,
    /// Those with a score that nobody looked at yet.
    pub unchecked: i64,
    /// What pages transferred for those that are done.
    pub before: i64,
    /// What they were expected to transfer.
    pub expected: i64,
    /// What they would transfer now.
    pub after: i64,
    /// How many files those have.
    pub files: i64,
    /// What was made for them weighs.
    pub made_bytes: i64,
    /// How many seconds that took, of all workers together.
    pub seconds: f64,
    /// Pictures whose own rule it changed.
    pub rules: i64,
}

#[derive(FromQueryResult)]
struct RunRow {
    id: Uuid,
    name: String,
    started_by: String,
    forecast: serde_json::Value,
    limits: serde_json::Value,
    rule: serde_json::Value,
    own_rule: Option<serde_json::Value>,
    state: String,
    created_at: DateTime<Utc>,
    ended_at: Option<DateTime<Utc>>,
    #[sea_orm(nested)]
    totals: RunTotals,
}

impl RunRow {
    fn run(self) -> Result<Run, StoreError> {
        let started_by = StartedBy::named(&self.started_by);
        Ok(Run {
            id: self.id,
            name: self.name,
            started_by: started_by.ok_or(StoreError::Corrupt(self.started_by))?,
            forecast: read(self.forecast)?,
            limits: read(self.limits)?,
            rule: read(self.rule)?,
            own_rule: self.own_rule.map(read).transpose()?,
            state: RunState::named(&self.state).ok_or(StoreError::Corrupt(self.state))?,
            created_at: self.created_at,
            ended_at: self.ended_at,
            totals: self.totals,
        })
    }
}

#[derive(FromQueryResult)]
struct Pace {
    sets: i64,
    seconds: Option<f64>,
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

#[derive(FromQueryResult)]
struct Effort {
    seconds: f64,
    bytes: i64,
}

#[derive(FromQueryResult)]
struct FilePace {
    seconds: Option<f64>,
    files: Option<i64>,
}

/// The runs that `which` names, each with its totals.
fn runs_where(which: &str) -> String {
    format!(
        "SELECT r.id, r.name, r.started_by, r.forecast, r.limits, r.rule, r.own_rule, r.state,
                r.created_at, r.ended_at, t.*,
                (SELECT count(*) FROM run_rules WHERE run_id = r.id) AS rules
         FROM (SELECT * FROM runs {which}) r, LATERAL (
             SELECT count(*) FILTER (WHERE state = 'waiting') AS waiting,
                count(*) FILTER (WHERE state = 'done') AS done,
                count(*) FILTER (WHERE state = 'skipped') AS skipped,
                count(*) FILTER (WHERE state = 'failed') AS failed,
                count(*) FILTER (WHERE state = 'taken-back') AS taken_back,
                count(*) FILTER (WHERE {UNCHECKED}) AS unchecked,
                coalesce(sum(before) FILTER (WHERE counts), 0)::bigint AS before,
                coalesce(sum(expected) FILTER (WHERE counts), 0)::bigint AS expected,
                coalesce(sum(after) FILTER (WHERE counts), 0)::bigint AS after,
                coalesce(sum(files) FILTER (WHERE state = 'done'), 0)::bigint AS files,
                coalesce(sum(made_bytes) FILTER (WHERE state = 'done'), 0)::bigint AS made_bytes,
                coalesce(sum(seconds), 0)::float8 AS seconds
             FROM (SELECT *, state = 'done' AND before IS NOT NULL AND after IS NOT NULL AS counts
                   FROM run_items WHERE run_id = r.id) i
         ) t ORDER BY r.created_at DESC"
    )
}

impl Store {
    /// Adds a run with its items, and the job that works at it; all of it or nothing. Returns its
    /// id.
    pub async fn add_run(&self, new: &NewRun) -> Result<Uuid, StoreError> {
        let transaction = self.db.begin().await?;
        let id = self.insert_run(&transaction, new).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// Adds the items of `new` to the run that goes on and was started by the same, or starts that; where
    /// it has items of these pictures, they were added before.
    /// Returns its id.
    pub async fn add_to_run(&self, new: &NewRun) -> Result<Uuid, StoreError> {
        let transaction = self.db.begin().await?;
        let open = self.statement(
            "SELECT id FROM runs WHERE started_by = $1 AND state = 'running'
             ORDER BY created_at DESC LIMIT 1 FOR UPDATE",
            [new.started_by.name().into()],
        );
        let id = match Id::find_by_statement(open).one(&transaction).await? {
            Some(Id { id }) if self.has_items_of(&transaction, id, new).await? => id,
            Some(Id { id }) => {
                transaction.execute_raw(self.items_statement(id, &new.items)).await?;
                transaction.execute_raw(self.push_statement(&run_job(id, 0))).await?;
                id
            }
            None => self.insert_run(&transaction, new).await?,
        };
        transaction.commit().await?;
        Ok(id)
    }

    async fn has_items_of(
        &self,
        transaction: &DatabaseTransaction,
        id: Uuid,
        new: &NewRun,
    ) -> Result<bool, StoreError> {
        let pictures: Vec<Uuid> = new.items.iter().map(NewRunItem::picture).collect();
        let sql = "SELECT picture_id AS id FROM run_items
                   WHERE run_id = $1 AND picture_id = ANY ($2) LIMIT 1";
        let found = Id::find_by_statement(self.statement(sql, [id.into(), pictures.into()]));
        Ok(found.one(transaction).await?.is_some())
    }

    async fn insert_run(
        &self,
        transaction: &DatabaseTransaction,
        new: &NewRun,
    ) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        let run = self.statement(
            "INSERT INTO runs (id, name, started_by, forecast, limits, rule, own_rule, state)
             VALUES ($1, $2, $3, $4, $5, $6, $7, 'running')",
            [
                id.into(),
                new.name.clone().into(),
                new.started_by.name().into(),
                json(&new.forecast).into(),
                json(&new.limits).into(),
                json(&new.rule).into(),
                new.own_rule.as_ref().map(json).into(),
            ],
        );
        transaction.execute_raw(run).await?;
        transaction.execute_raw(self.items_statement(id, &new.items)).await?;
        self.check_room_for_jobs(transaction).await?;
        transaction.execute_raw(self.push_statement(&run_job(id, 0))).await?;
        Ok(id)
    }

    /// The runs, the newest first.
    pub async fn runs(&self, most: u64) -> Result<Vec<Run>, StoreError> {
        let sql = runs_where(&format!("ORDER BY created_at DESC LIMIT {most}"));
        let rows = RunRow::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        rows.into_iter().map(RunRow::run).collect()
    }

    /// The run `id`.
    pub async fn run(&self, id: Uuid) -> Result<Option<Run>, StoreError> {
        let sql = runs_where("WHERE id = $1");
        let row =
            RunRow::find_by_statement(self.statement(&sql, [id.into()])).one(&self.db).await?;
        row.map(RunRow::run).transpose()
    }

    /// Runs that go on or are paused, the oldest first.
    pub async fn open_runs(&self) -> Result<Vec<Run>, StoreError> {
        let sql = runs_where("WHERE state IN ('running', 'paused')");
        let rows = RunRow::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        rows.into_iter().rev().map(RunRow::run).collect()
    }

    /// How many sets of files a second run `id` made of late; nothing before there are some.
    pub async fn run_pace(&self, id: Uuid) -> Result<Option<f64>, StoreError> {
        // Until now, and not until the last one: a run that hangs gets slower.
        let sql = format!(
            "SELECT count(*) AS sets, extract(epoch FROM now() - min(begun))::float8 AS seconds FROM (
                 SELECT ended_at - make_interval(secs => seconds) AS begun FROM run_items
                 WHERE run_id = $1 AND ended_at IS NOT NULL AND seconds > 0
                 ORDER BY ended_at DESC LIMIT {LATEST}
             ) latest"
        );
        let pace = Pace::find_by_statement(self.statement(&sql, [id.into()])).one(&self.db).await?;
        Ok(pace.and_then(|pace| {
            let seconds = pace.seconds.filter(|seconds| *seconds > 0.0)?;
            Some(pace.sets as f64 / seconds)
        }))
    }

    /// What run `id` did so far, as far as limits count it.
    pub async fn run_effort(&self, id: Uuid) -> Result<RunEffort, StoreError> {
        let statement = self.statement(
            "SELECT coalesce(sum(seconds), 0)::float8 AS seconds,
                    coalesce(sum(made_bytes), 0)::bigint AS bytes
             FROM run_items WHERE run_id = $1",
            [id.into()],
        );
        let effort = Effort::find_by_statement(statement).one(&self.db).await?;
        Ok(effort.map_or_else(RunEffort::default, |Effort { seconds, bytes }| RunEffort {
            seconds,
            bytes: Bytes(bytes.unsigned_abs()),
        }))
    }

    /// Ends run `id`, where it goes on and nothing of it waits or is in hand.
    pub async fn end_run(&self, id: Uuid) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        // Whoever adds items to it holds it; what was added is seen by the next statement.
        let held = self.statement("SELECT id FROM runs WHERE id = $1 FOR UPDATE", [id.into()]);
        transaction.execute_raw(held).await?;
        let statement = self.statement(
            "UPDATE runs SET state = 'done', ended_at = now() WHERE id = $1 AND state = 'running'
             AND NOT EXISTS (SELECT FROM run_items WHERE run_id = $1 AND state = 'waiting')",
            [id.into()],
        );
        transaction.execute_raw(statement).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Pauses run `id`; false where it does not go on.
    pub async fn pause_run(&self, id: Uuid) -> Result<bool, StoreError> {
        let statement = self.statement(
            "UPDATE runs SET state = 'paused' WHERE id = $1 AND state = 'running'",
            [id.into()],
        );
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }

    /// Has run `id` go on, also where the job that worked at it was set aside; false where it ended.
    pub async fn resume_run(&self, id: Uuid) -> Result<bool, StoreError> {
        let transaction = self.db.begin().await?;
        let statement = self.statement(
            "UPDATE runs SET state = 'running' WHERE id = $1 AND state IN ('paused', 'running')",
            [id.into()],
        );
        let goes_on = transaction.execute_raw(statement).await?.rows_affected() > 0;
        if goes_on {
            transaction.execute_raw(self.push_statement(&run_job(id, 0))).await?;
        }
        transaction.commit().await?;
        Ok(goes_on)
    }

    /// Cancels run `id`; what was made stays. False where it had ended.
    pub async fn cancel_run(&self, id: Uuid) -> Result<bool, StoreError> {
        let transaction = self.db.begin().await?;
        let statement = self.statement(
            "UPDATE runs SET state = 'cancelled', ended_at = now()
             WHERE id = $1 AND state IN ('running', 'paused')",
            [id.into()],
        );
        let was_open = transaction.execute_raw(statement).await?.rows_affected() > 0;
        if was_open {
            transaction.execute_raw(self.leave_statement(id, SkipReason::Cancelled)).await?;
        }
        transaction.commit().await?;
        Ok(was_open)
    }

    /// The jobs that work at run `id`, or worked at it last: those that wait or run first, then the
    /// latest.
    pub async fn jobs_of_run(&self, id: Uuid) -> Result<Vec<Job>, StoreError> {
        let most = "kind = $1 AND starts_with(key, $2)
            ORDER BY state IN ('waiting', 'running') DESC, created_at DESC LIMIT 100";
        self.jobs_where(most, [JobKind::Run.name().into(), id.to_string().into()]).await
    }

    /// Which of the pictures `ids` their own rule excludes.
    pub async fn excluded_of(&self, ids: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
        let sql = "SELECT picture_id AS id FROM output_rules
                   WHERE picture_id = ANY ($1) AND rule ->> 'excluded' = 'true'";
        let rows = Id::find_by_statement(self.statement(sql, [ids.to_vec().into()]));
        Ok(rows.all(&self.db).await?.into_iter().map(|row| row.id).collect())
    }

    /// How many seconds a file takes this installation, by the latest sets of runs, of which each
    /// worker does `at_once`, and else by those that were made by hand; nothing before the first.
    pub async fn seconds_a_file(&self, at_once: usize) -> Result<Option<f64>, StoreError> {
        let of_runs = self.statement(
            "SELECT (sum(seconds) / $1)::float8 AS seconds, sum(made)::bigint AS files FROM (
                 SELECT seconds, cardinality(variants) AS made FROM run_items
                 WHERE seconds > 0 AND cardinality(variants) > 0
                 ORDER BY ended_at DESC NULLS LAST LIMIT 50
             ) latest",
            [(at_once as f64).into()],
        );
        let by_hand = self.statement(
            "SELECT sum(seconds)::float8 AS seconds, sum(files)::bigint AS files FROM (
                 SELECT extract(epoch FROM ended_at - started_at) AS seconds, done AS files
                 FROM jobs WHERE site = $1 AND kind = $2 AND state = 'done' AND done > 0
                 ORDER BY ended_at DESC LIMIT 50
             ) latest",
            [self.schema().into(), JobKind::Set.name().into()],
        );
        for statement in [of_runs, by_hand] {
            let pace = FilePace::find_by_statement(statement).one(&self.db).await?;
            let pace = pace.and_then(|pace| Some(pace.seconds? / pace.files? as f64));
            if pace.is_some() {
                return Ok(pace);
            }
        }
        Ok(None)
    }
}

/// The job by which worker number `lane` works at run `id`.
pub fn run_job(id: Uuid, lane: usize) -> NewJob {
    let key = match lane {
        0 => id.to_string(),
        _ => format!("{id}/{lane}"),
    };
    NewJob::new(JobKind::Run, key, serde_json::json!({ "run": id }))
}

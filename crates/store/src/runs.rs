//! Runs as they are kept: one row each, and one for every slot of every picture.

use brisk_margin_core::job::JobKind;
use brisk_margin_core::run::{Forecast, ItemState, RunState, SkipReason};
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use crate::jobs::NewJob;
use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// A run, and how far it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    /// Its id.
    pub id: Uuid,
    /// What it is about, in words.
    pub name: String,
    /// What was told before it started.
    pub forecast: Forecast,
    /// Where it stands.
    pub state: RunState,
    /// When it was started.
    pub created_at: DateTime<Utc>,
    /// When it ended.
    pub ended_at: Option<DateTime<Utc>>,
    /// Its items.
    pub totals: RunTotals,
}

/// What became of the items of a run so far.
#[derive(Debug, Clone, Copy, PartialEq, Eq, FromQueryResult)]
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
    /// What pages transferred for those that are done.
    pub before: i64,
    /// What they would transfer now.
    pub after: i64,
    /// How many files those have.
    pub files: i64,
}

/// A slot of a picture in a run.
#[derive(Debug, Clone, PartialEq)]
pub struct RunItem {
    /// Its place in the order of the run.
    pub place: i32,
    /// The picture.
    pub picture_id: Uuid,
    /// The slot; nothing where the picture is skipped.
    pub slot_id: Option<Uuid>,
    /// Where it stands.
    pub state: ItemState,
    /// Why it was skipped.
    pub skipped: Option<SkipReason>,
    /// Why it failed.
    pub failure: Option<String>,
    /// What the slot's pages transfer for it today.
    pub before: Option<Bytes>,
    /// What they would transfer now.
    pub after: Option<Bytes>,
    /// The lowest score of its files.
    pub score: Option<f64>,
    /// How many files it has.
    pub files: u32,
}

/// An item about to be added.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NewRunItem {
    /// The files of a picture for a slot, which pages transfer so much for today.
    Set {
        /// The picture.
        picture: Uuid,
        /// The slot.
        slot: Uuid,
        /// Today's bytes.
        before: Option<Bytes>,
    },
    /// A picture that nothing is done with.
    Skipped {
        /// The picture.
        picture: Uuid,
        /// Why.
        reason: SkipReason,
    },
}

/// How an item ended.
#[derive(Debug, Clone, PartialEq)]
pub enum ItemOutcome {
    /// Its files are made.
    Done {
        /// What pages would transfer now.
        after: Option<Bytes>,
        /// The lowest score.
        score: Option<f64>,
        /// How many files it has.
        files: usize,
        /// Those that were made for it.
        variants: Vec<Uuid>,
    },
    /// Nothing was to be done.
    Skipped(SkipReason),
    /// Its files could not be made.
    Failed(String),
}

#[derive(FromQueryResult)]
struct RunRow {
    id: Uuid,
    name: String,
    forecast: serde_json::Value,
    state: String,
    created_at: DateTime<Utc>,
    ended_at: Option<DateTime<Utc>>,
    #[sea_orm(nested)]
    totals: RunTotals,
}

impl RunRow {
    fn run(self) -> Result<Run, StoreError> {
        let Self { id, name, forecast, state, created_at, ended_at, totals } = self;
        let state = RunState::named(&state).ok_or(StoreError::Corrupt(state))?;
        Ok(Run { id, name, forecast: read(forecast)?, state, created_at, ended_at, totals })
    }
}

#[derive(FromQueryResult)]
struct ItemRow {
    place: i32,
    picture_id: Uuid,
    slot_id: Option<Uuid>,
    state: String,
    reason: Option<String>,
    before: Option<i64>,
    after: Option<i64>,
    score: Option<f64>,
    files: i32,
}

impl ItemRow {
    fn item(self) -> Result<RunItem, StoreError> {
        let state = ItemState::named(&self.state).ok_or(StoreError::Corrupt(self.state))?;
        let bytes = |count: Option<i64>| count.map(|count| Bytes(count.unsigned_abs()));
        let reason = self.reason;
        let is_failed = state == ItemState::Failed;
        Ok(RunItem {
            place: self.place,
            picture_id: self.picture_id,
            slot_id: self.slot_id,
            state,
            skipped: reason.as_deref().filter(|_| !is_failed).and_then(SkipReason::named),
            failure: reason.filter(|_| is_failed),
            before: bytes(self.before),
            after: bytes(self.after),
            score: self.score,
            files: self.files.unsigned_abs(),
        })
    }
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

#[derive(FromQueryResult)]
struct Ids {
    ids: Vec<Uuid>,
}

#[derive(FromQueryResult)]
struct Pace {
    seconds: Option<f64>,
    files: Option<i64>,
}

const RUNS: &str = "SELECT r.id, r.name, r.forecast, r.state, r.created_at, r.ended_at,
        count(*) FILTER (WHERE i.state = 'waiting') AS waiting,
        count(*) FILTER (WHERE i.state = 'done') AS done,
        count(*) FILTER (WHERE i.state = 'skipped') AS skipped,
        count(*) FILTER (WHERE i.state = 'failed') AS failed,
        count(*) FILTER (WHERE i.state = 'taken-back') AS taken_back,
        coalesce(sum(i.before) FILTER (WHERE i.state = 'done' AND i.after IS NOT NULL), 0)::bigint AS before,
        coalesce(sum(i.after) FILTER (WHERE i.state = 'done' AND i.before IS NOT NULL), 0)::bigint AS after,
        coalesce(sum(i.files) FILTER (WHERE i.state = 'done'), 0)::bigint AS files
    FROM runs r LEFT JOIN run_items i ON i.run_id = r.id";

const ITEMS: &str = "SELECT place, picture_id, slot_id, state, reason, before, after, score, files
    FROM run_items WHERE run_id = $1";

impl Store {
    /// Adds a run with its items in their order, and the job that works at it; all of it or
    /// nothing. Returns its id.
    pub async fn add_run(
        &self,
        name: &str,
        forecast: &Forecast,
        items: &[NewRunItem],
    ) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        let mut pictures = Vec::new();
        let mut slots = Vec::new();
        let mut before = Vec::new();
        let mut reasons = Vec::new();
        for item in items {
            let (picture, slot, bytes, reason) = match *item {
                NewRunItem::Set { picture, slot, before } => (picture, Some(slot), before, None),
                NewRunItem::Skipped { picture, reason } => (picture, None, None, Some(reason)),
            };
            pictures.push(picture);
            slots.push(slot.map_or_else(String::new, |slot| slot.to_string()));
            before.push(bytes.map_or(-1, |bytes| bytes.get() as i64));
            reasons.push(reason.map_or("", SkipReason::name).to_owned());
        }
        let transaction = self.db.begin().await?;
        let run = self.statement(
            "INSERT INTO runs (id, name, forecast, state) VALUES ($1, $2, $3, 'running')",
            [id.into(), name.to_owned().into(), json(forecast).into()],
        );
        transaction.execute_raw(run).await?;
        let rows = self.statement(
            "INSERT INTO run_items (run_id, place, picture_id, slot_id, before, reason, state)
             SELECT $1, w.place, w.picture, nullif(w.slot, '')::uuid, nullif(w.before, -1),
                    nullif(w.reason, ''), CASE w.reason WHEN '' THEN 'waiting' ELSE 'skipped' END
             FROM unnest($2::uuid[], $3::text[], $4::bigint[], $5::text[])
                  WITH ORDINALITY AS w (picture, slot, before, reason, place)
             -- One that was removed for good meanwhile is left out.
             JOIN pictures p ON p.id = w.picture",
            [id.into(), pictures.into(), slots.into(), before.into(), reasons.into()],
        );
        transaction.execute_raw(rows).await?;
        transaction.execute_raw(self.push_statement(&run_job(id))).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// The runs, the newest first.
    pub async fn runs(&self, most: u64) -> Result<Vec<Run>, StoreError> {
        let sql = format!("{RUNS} GROUP BY r.id ORDER BY r.created_at DESC LIMIT {most}");
        let rows = RunRow::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        rows.into_iter().map(RunRow::run).collect()
    }

    /// The run `id`.
    pub async fn run(&self, id: Uuid) -> Result<Option<Run>, StoreError> {
        let sql = format!("{RUNS} WHERE r.id = $1 GROUP BY r.id");
        let row =
            RunRow::find_by_statement(self.statement(&sql, [id.into()])).one(&self.db).await?;
        row.map(RunRow::run).transpose()
    }

    /// Up to `most` items of run `id`: those that failed, then those with the lowest scores, then the
    /// others in their order.
    pub async fn run_items(&self, id: Uuid, most: u64) -> Result<Vec<RunItem>, StoreError> {
        let sql =
            format!("{ITEMS} ORDER BY state <> 'failed', score NULLS LAST, place LIMIT {most}");
        let rows =
            ItemRow::find_by_statement(self.statement(&sql, [id.into()])).all(&self.db).await?;
        rows.into_iter().map(ItemRow::item).collect()
    }

    /// The item of run `id` that has its turn next; nothing where all had theirs, or where the run
    /// does not go on.
    pub async fn next_run_item(&self, id: Uuid) -> Result<Option<RunItem>, StoreError> {
        let goes_on = "EXISTS (SELECT FROM runs WHERE id = $1 AND state = 'running')";
        let sql = format!("{ITEMS} AND state = 'waiting' AND {goes_on} ORDER BY place LIMIT 1");
        let row =
            ItemRow::find_by_statement(self.statement(&sql, [id.into()])).one(&self.db).await?;
        row.map(ItemRow::item).transpose()
    }

    /// Notes that an item is begun while its picture `had` these variants; where it was begun
    /// before, tells those that it had then.
    pub async fn begin_run_item(
        &self,
        id: Uuid,
        place: i32,
        had: &[Uuid],
    ) -> Result<Vec<Uuid>, StoreError> {
        let statement = self.statement(
            "UPDATE run_items SET had = coalesce(had, $3) WHERE run_id = $1 AND place = $2
             RETURNING had AS ids",
            [id.into(), place.into(), had.to_vec().into()],
        );
        let row = Ids::find_by_statement(statement).one(&self.db).await?;
        Ok(row.map_or_else(|| had.to_vec(), |row| row.ids))
    }

    /// Notes how an item ended; what was made counts, also where the run was cancelled meanwhile.
    pub async fn end_run_item(
        &self,
        id: Uuid,
        place: i32,
        outcome: &ItemOutcome,
    ) -> Result<(), StoreError> {
        let (state, reason) = match outcome {
            ItemOutcome::Done { .. } => (ItemState::Done, None),
            ItemOutcome::Skipped(reason) => (ItemState::Skipped, Some(reason.name().to_owned())),
            ItemOutcome::Failed(reason) => (ItemState::Failed, Some(reason.clone())),
        };
        let (after, score, files, variants) = match outcome {
            ItemOutcome::Done { after, score, files, variants } => {
                (*after, *score, *files, variants.clone())
            }
            _ => (None, None, 0, Vec::new()),
        };
        let statement = self.statement(
            "UPDATE run_items SET state = $3, reason = $4, after = $5, score = $6, files = $7,
                    variants = $8
             WHERE run_id = $1 AND place = $2",
            [
                id.into(),
                place.into(),
                state.name().into(),
                reason.into(),
                after.map(|after| after.get() as i64).into(),
                score.into(),
                (files as i32).into(),
                variants.into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Ends run `id`, where it goes on and nothing of it waits.
    pub async fn end_run(&self, id: Uuid) -> Result<(), StoreError> {
        let statement = self.statement(
            "UPDATE runs SET state = 'done', ended_at = now() WHERE id = $1 AND state = 'running'
             AND NOT EXISTS (SELECT FROM run_items WHERE run_id = $1 AND state = 'waiting')",
            [id.into()],
        );
        self.db.execute_raw(statement).await?;
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
            transaction.execute_raw(self.push_statement(&run_job(id))).await?;
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
            let left = self.statement(
                "UPDATE run_items SET state = 'skipped', reason = 'cancelled'
                 WHERE run_id = $1 AND state = 'waiting'",
                [id.into()],
            );
            transaction.execute_raw(left).await?;
        }
        transaction.commit().await?;
        Ok(was_open)
    }

    /// Takes back what run `id` made, at `places` or all of it: files that it made go, unless they are
    /// of a set that another run completed. Returns how many items were taken back.
    pub async fn take_run_back(
        &self,
        id: Uuid,
        places: Option<&[i32]>,
    ) -> Result<usize, StoreError> {
        let transaction = self.db.begin().await?;
        let items = self.statement(
            "UPDATE run_items SET state = 'taken-back'
             WHERE run_id = $1 AND state = 'done' AND ($2::integer[] IS NULL OR place = ANY ($2))
             RETURNING picture_id AS id",
            [id.into(), places.map(<[i32]>::to_vec).into()],
        );
        let pictures = Id::find_by_statement(items).all(&transaction).await?;
        let sets = pictures.len();
        let pictures: Vec<Uuid> = pictures.into_iter().map(|row| row.id).collect();
        // Also what was left of those taken back before, since another run counted on it until now.
        let files = self.statement(
            "DELETE FROM variants WHERE id IN (
                 SELECT unnest(variants) FROM run_items
                 WHERE state = 'taken-back' AND picture_id = ANY ($1)
             ) AND id NOT IN (
                 SELECT unnest(variants || coalesce(had, ARRAY[]::uuid[])) FROM run_items
                 WHERE state = 'done' AND picture_id = ANY ($1)
             )",
            [pictures.into()],
        );
        transaction.execute_raw(files).await?;
        transaction.commit().await?;
        Ok(sets)
    }

    /// Which of the pictures `ids` their own rule excludes.
    pub async fn excluded_of(&self, ids: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
        let sql = "SELECT coalesce(array_agg(picture_id), '{}') AS ids FROM output_rules
                   WHERE picture_id = ANY ($1) AND rule ->> 'excluded' = 'true'";
        let statement = self.statement(sql, [ids.to_vec().into()]);
        Ok(Ids::find_by_statement(statement)
            .one(&self.db)
            .await?
            .map_or_else(Vec::new, |row| row.ids))
    }

    /// How many seconds a file took in the latest sets; nothing before the first.
    pub async fn seconds_a_file(&self) -> Result<Option<f64>, StoreError> {
        let sql = "SELECT sum(seconds)::float8 AS seconds, sum(files)::bigint AS files FROM (
                       SELECT extract(epoch FROM ended_at - started_at) AS seconds, done AS files
                       FROM jobs WHERE site = $1 AND kind = $2 AND state = 'done' AND done > 0
                       ORDER BY ended_at DESC LIMIT 50
                   ) latest";
        let values = [self.schema().into(), JobKind::Set.name().into()];
        let pace = Pace::find_by_statement(self.statement(sql, values)).one(&self.db).await?;
        Ok(pace.and_then(|pace| Some(pace.seconds? / pace.files? as f64)))
    }
}

/// The job that works at run `id`.
pub fn run_job(id: Uuid) -> NewJob {
    NewJob::new(JobKind::Run, id.to_string(), serde_json::json!({ "run": id }))
}

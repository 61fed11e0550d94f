//! The items of runs: a picture in a slot each, and one for each picture that is skipped.

use brisk_margin_core::run::skip::SkipReason;
use brisk_margin_core::run::{ItemState, ResultOrder};
use brisk_margin_core::units::Bytes;
use sea_orm::{ConnectionTrait, FromQueryResult, Statement};
use uuid::Uuid;

use crate::jobs::Claim;
use crate::{Store, StoreError};

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
    /// Why nothing was done.
    pub skipped: Option<SkipReason>,
    /// Why it failed.
    pub failure: Option<String>,
    /// What pages transferred for it.
    pub before: Option<Bytes>,
    /// What they were expected to transfer.
    pub expected: Option<Bytes>,
    /// What they would transfer now.
    pub after: Option<Bytes>,
    /// The lowest score of its files.
    pub score: Option<f64>,
    /// The trial with that score.
    pub worst: Option<Uuid>,
    /// How many files it has.
    pub files: u32,
    /// Whether somebody looked at it and found it good.
    pub is_approved: bool,
    /// How often it was taken in hand.
    pub begun: u32,
    /// Whether somebody has it in hand, or had when its process ended.
    pub is_in_hand: bool,
}

/// An item of a run that is about to start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NewRunItem {
    /// A set of files.
    Set {
        /// The picture.
        picture: Uuid,
        /// The slot.
        slot: Uuid,
        /// Today's bytes.
        before: Option<Bytes>,
        /// What they are expected to become; nothing where nothing tells.
        expected: Option<Bytes>,
    },
    /// A picture that nothing is done with.
    Skipped {
        /// The picture.
        picture: Uuid,
        /// Why.
        reason: SkipReason,
    },
}

impl NewRunItem {
    /// The picture that it is about.
    pub(super) const fn picture(&self) -> Uuid {
        match self {
            Self::Set { picture, .. } | Self::Skipped { picture, .. } => *picture,
        }
    }
}

/// How an item ended.
#[derive(Debug, Clone, PartialEq)]
pub enum ItemOutcome {
    /// Its files are made.
    Done(DoneItem),
    /// Nothing was to be done.
    Skipped(SkipReason),
    /// Its files could not be made.
    Failed(String),
}

/// An item whose files are made.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct DoneItem {
    /// What pages would transfer now.
    pub after: Option<Bytes>,
    /// The lowest score.
    pub score: Option<f64>,
    /// The trial with that score.
    pub worst: Option<Uuid>,
    /// How many files it has.
    pub files: usize,
    /// Those that were made for it.
    pub variants: Vec<Uuid>,
    /// What those weigh.
    pub made_bytes: Bytes,
}

/// Which items of a run are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ItemsShown {
    /// All of them: those that failed, then the others in their order.
    All,
    /// Those in a state.
    In(ItemState),
    /// Those with a score that nobody looked at yet.
    Unchecked,
}

#[derive(FromQueryResult)]
pub(super) struct ItemRow {
    place: i32,
    picture_id: Uuid,
    slot_id: Option<Uuid>,
    state: String,
    reason: Option<String>,
    before: Option<i64>,
    expected: Option<i64>,
    after: Option<i64>,
    score: Option<f64>,
    worst: Option<Uuid>,
    files: i32,
    is_approved: bool,
    begun: i32,
    is_in_hand: bool,
}

impl ItemRow {
    pub(super) fn item(self) -> Result<RunItem, StoreError> {
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
            expected: bytes(self.expected),
            after: bytes(self.after),
            score: self.score,
            worst: self.worst,
            files: self.files.unsigned_abs(),
            is_approved: self.is_approved,
            begun: self.begun.unsigned_abs(),
            is_in_hand: self.is_in_hand,
        })
    }
}

#[derive(FromQueryResult)]
struct Ids {
    ids: Vec<Uuid>,
}

pub(super) const COLUMNS: &str =
    "place, picture_id, slot_id, state, reason, before, expected, after,
    score, worst, files, is_approved, begun,
    job IS NOT NULL AND state = 'waiting' AS is_in_hand";

/// Of an item: it has a score, and nobody looked at it yet. What is the same pixel by pixel need not be
/// looked at.
pub(super) const UNCHECKED: &str =
    "state = 'done' AND NOT is_approved AND score IS NOT NULL AND worst IS NOT NULL";

/// Of an item `i`: nobody has it in hand. Whoever has, does it by a job that runs as it was begun.
const FREE: &str = "(i.job IS NULL OR NOT EXISTS (
    SELECT FROM jobs j WHERE j.id = i.job AND j.claim = i.claim AND j.state = 'running'
        AND is_in_hand(j.worker, j.alive_until)))";

impl Store {
    /// The statement that adds items to run `id`, behind those that it has. A picture that was removed for good meanwhile
    /// is left out.
    pub(super) fn items_statement(&self, id: Uuid, items: &[NewRunItem]) -> Statement {
        let mut pictures = Vec::new();
        let mut slots = Vec::new();
        let (mut before, mut expected) = (Vec::new(), Vec::new());
        let mut reasons = Vec::new();
        let number = |bytes: Option<Bytes>| bytes.map_or(-1, |bytes| bytes.get() as i64);
        for item in items {
            let (picture, slot, today, likely, reason) = match *item {
                NewRunItem::Set { picture, slot, before, expected } => {
                    (picture, Some(slot), before, expected, None)
                }
                NewRunItem::Skipped { picture, reason } => {
                    (picture, None, None, None, Some(reason))
                }
            };
            pictures.push(picture);
            slots.push(slot.map_or_else(String::new, |slot| slot.to_string()));
            before.push(number(today));
            expected.push(number(likely));
            reasons.push(reason.map_or("", SkipReason::name).to_owned());
        }
        self.statement(
            "INSERT INTO run_items (run_id, place, picture_id, slot_id, before, expected, reason, state)
             SELECT $1, w.place + (
                        SELECT coalesce(max(place), 0) FROM run_items WHERE run_id = $1
                    ), w.picture, nullif(w.slot, '')::uuid, nullif(w.before, -1),
                    nullif(w.expected, -1), nullif(w.reason, ''),
                    CASE w.reason WHEN '' THEN 'waiting' ELSE 'skipped' END
             FROM unnest($2::uuid[], $3::text[], $4::bigint[], $5::bigint[], $6::text[])
                  WITH ORDINALITY AS w (picture, slot, before, expected, reason, place)
             JOIN pictures p ON p.id = w.picture",
            [
                id.into(),
                pictures.into(),
                slots.into(),
                before.into(),
                expected.into(),
                reasons.into(),
            ],
        )
    }

    /// Up to `most` items of run `id` after the first `past`.
    pub async fn run_items(
        &self,
        id: Uuid,
        shown: ItemsShown,
        order: ResultOrder,
        past: u64,
        most: u64,
    ) -> Result<Vec<RunItem>, StoreError> {
        let which = match shown {
            ItemsShown::All => String::new(),
            ItemsShown::In(state) => format!("AND state = '{}'", state.name()),
            ItemsShown::Unchecked => format!("AND {UNCHECKED}"),
        };
        let order = match order {
            ResultOrder::Score => "score NULLS LAST",
            ResultOrder::Saving => "before - after DESC NULLS LAST",
        };
        let sql = format!(
            "SELECT {COLUMNS} FROM run_items WHERE run_id = $1 {which}
             ORDER BY state <> 'failed', {order}, place OFFSET {past} LIMIT {most}"
        );
        let rows =
            ItemRow::find_by_statement(self.statement(&sql, [id.into()])).all(&self.db).await?;
        rows.into_iter().map(ItemRow::item).collect()
    }

    /// Claims the item of run `id` that has its turn next for whoever began the job `by`: nobody
    /// else does it while that job runs. Nothing where no other item is free, or where the run does
    /// not go on.
    pub async fn claim_run_item(&self, id: Uuid, by: Claim) -> Result<Option<RunItem>, StoreError> {
        let sql = format!(
            "WITH next AS (
                 SELECT place FROM run_items i
                 WHERE run_id = $1 AND state = 'waiting' AND {FREE}
                     AND EXISTS (SELECT FROM runs WHERE id = $1 AND state = 'running')
                 ORDER BY place LIMIT 1 FOR UPDATE SKIP LOCKED
             )
             UPDATE run_items SET job = $2, claim = $3, begun = begun + 1
             WHERE run_id = $1 AND place = (SELECT place FROM next) RETURNING {COLUMNS}"
        );
        let values = [id.into(), by.id.into(), by.number().into()];
        let row = ItemRow::find_by_statement(self.statement(&sql, values)).one(&self.db).await?;
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

    /// Notes how an item ended that `by` claimed, after so many `seconds`; what was made counts, also
    /// where the run was cancelled meanwhile. False where another has it now, who then decides.
    pub async fn end_run_item(
        &self,
        id: Uuid,
        place: i32,
        by: Claim,
        outcome: &ItemOutcome,
        seconds: f64,
    ) -> Result<bool, StoreError> {
        let (state, reason) = match outcome {
            ItemOutcome::Done(_) => (ItemState::Done, None),
            ItemOutcome::Skipped(reason) => (ItemState::Skipped, Some(reason.name().to_owned())),
            ItemOutcome::Failed(reason) => (ItemState::Failed, Some(reason.clone())),
        };
        let done = match outcome {
            ItemOutcome::Done(done) => done.clone(),
            _ => DoneItem::default(),
        };
        let statement = self.statement(
            "UPDATE run_items SET state = $3, reason = $4, after = $5, score = $6, worst = $7,
                    files = $8, variants = $9, made_bytes = $10, seconds = $11, ended_at = now()
             WHERE run_id = $1 AND place = $2 AND job = $12 AND claim = $13",
            [
                id.into(),
                place.into(),
                state.name().into(),
                reason.into(),
                done.after.map(|after| after.get() as i64).into(),
                done.score.into(),
                done.worst.into(),
                (done.files as i32).into(),
                done.variants.into(),
                (done.made_bytes.get() as i64).into(),
                match outcome {
                    ItemOutcome::Done(_) => seconds.into(),
                    _ => 0.0.into(),
                },
                by.id.into(),
                by.number().into(),
            ],
        );
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }

    /// Gives back an item that `by` claimed, as if it had not been taken in hand: something has to
    /// be waited for that is no fault of it.
    pub async fn give_run_item_back(
        &self,
        id: Uuid,
        place: i32,
        by: Claim,
    ) -> Result<(), StoreError> {
        let statement = self.statement(
            "UPDATE run_items SET job = NULL, claim = NULL, begun = begun - 1
             WHERE run_id = $1 AND place = $2 AND job = $3 AND claim = $4 AND state = 'waiting'",
            [id.into(), place.into(), by.id.into(), by.number().into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Has what waits of run `id` and nobody has in hand left out, since a limit was reached.
    pub async fn leave_rest_of_run(&self, id: Uuid) -> Result<(), StoreError> {
        let statement = self.statement(
            &format!(
                "UPDATE run_items i SET state = 'skipped', reason = $2
                 WHERE run_id = $1 AND state = 'waiting' AND {FREE}"
            ),
            [id.into(), SkipReason::LimitReached.name().into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The statement that leaves out everything of run `id` that waits.
    pub(super) fn leave_statement(&self, id: Uuid, reason: SkipReason) -> Statement {
        self.statement(
            "UPDATE run_items SET state = 'skipped', reason = $2
             WHERE run_id = $1 AND state = 'waiting'",
            [id.into(), reason.name().into()],
        )
    }

    /// Notes whether somebody found the items at `places` of run `id` good; returns how many are
    /// done, so that this can be said of them.
    pub async fn approve_run_items(
        &self,
        id: Uuid,
        places: &[i32],
        is_approved: bool,
    ) -> Result<u64, StoreError> {
        let statement = self.statement(
            "UPDATE run_items SET is_approved = $3
             WHERE run_id = $1 AND place = ANY ($2) AND state = 'done'",
            [id.into(), places.to_vec().into(), is_approved.into()],
        );
        Ok(self.db.execute_raw(statement).await?.rows_affected())
    }
}

//! Publications as they are kept: one row each. What they write and what was there before are blobs, which
//! stay as long as the row.
//!
//! - [`shown`]: which pictures the site's places show, and what of them could be published.

pub mod shown;

use std::collections::BTreeMap;

use brisk_margin_core::job::JobKind;
use brisk_margin_core::publication::host::{HostNote, LeftFormat};
use brisk_margin_core::publication::report::{PublicationReport, PublicationSums};
use brisk_margin_core::publication::state::{PublicationAct, PublicationState, PublicationWish};
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DbErr, FromQueryResult, SqlErr, TransactionTrait};
use uuid::Uuid;

use crate::jobs::NewJob;
use crate::layouts::{json, read};
use crate::{BlobHash, Store, StoreError};

/// A publication.
#[derive(Debug, Clone, PartialEq)]
pub struct Publication {
    /// Its id.
    pub id: Uuid,
    /// What it is about, in words.
    pub name: String,
    /// What is to be published.
    pub wish: PublicationWish,
    /// Where it stands.
    pub state: PublicationState,
    /// Why it stands there, where that is no success.
    pub reason: Option<String>,
    /// What it changes in sums, once that is worked out.
    pub sums: Option<PublicationSums>,
    /// The whole of it; nothing in lists.
    pub report: Option<PublicationReport>,
    /// The files that it writes and how each goes back, as whoever prepared it wrote it down.
    pub change: Option<serde_json::Value>,
    /// Files that somebody changed since, and that were left alone when it was taken back.
    pub left_alone: Vec<String>,
    /// What the site's host could do better with its files, as it was when it came to the site.
    pub host_notes: Vec<HostNote>,
    /// Who asked for it, as they called themselves; empty where nobody said.
    pub asked_by: String,
    /// When it was begun.
    pub created_at: DateTime<Utc>,
    /// When it came to the site.
    pub published_at: Option<DateTime<Utc>>,
    /// When it was taken back.
    pub taken_back_at: Option<DateTime<Utc>>,
}

/// How an act with a publication ended.
#[derive(Debug, Clone, PartialEq)]
pub enum PublicationEnding {
    /// What it changes is worked out.
    Prepared(Box<Prepared>),
    /// It stands there, for that reason.
    At(PublicationState, String),
    /// The site's host does not serve these formats, for that reason: it has to be prepared without them.
    Without(Vec<LeftFormat>, String),
    /// It is on the site, whose host could do that better with its files.
    Published(Vec<HostNote>),
    /// It was taken back, but for these files.
    TakenBack(Vec<String>),
}

/// A publication that can go to the site.
#[derive(Debug, Clone, PartialEq)]
pub struct Prepared {
    /// What it changes, in figures.
    pub report: PublicationReport,
    /// The files that it writes and how each goes back.
    pub change: serde_json::Value,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    name: String,
    wish: serde_json::Value,
    state: String,
    reason: Option<String>,
    sums: Option<serde_json::Value>,
    report: Option<serde_json::Value>,
    change: Option<serde_json::Value>,
    left_alone: serde_json::Value,
    host_notes: serde_json::Value,
    asked_by: String,
    created_at: DateTime<Utc>,
    published_at: Option<DateTime<Utc>>,
    taken_back_at: Option<DateTime<Utc>>,
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

impl Row {
    fn publication(self) -> Result<Publication, StoreError> {
        Ok(Publication {
            id: self.id,
            name: self.name,
            wish: read(self.wish)?,
            state: PublicationState::named(&self.state).ok_or(StoreError::Corrupt(self.state))?,
            reason: self.reason,
            sums: self.sums.map(read).transpose()?,
            report: self.report.map(read).transpose()?,
            change: self.change,
            left_alone: read(self.left_alone)?,
            host_notes: read(self.host_notes)?,
            asked_by: self.asked_by,
            created_at: self.created_at,
            published_at: self.published_at,
            taken_back_at: self.taken_back_at,
        })
    }
}

impl Store {
    /// Adds a publication, and the job that prepares it. Returns its id; nothing where another one is
    /// under way.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn add_publication(
        &self,
        name: &str,
        asked_by: &str,
        wish: &PublicationWish,
    ) -> Result<Option<Uuid>, StoreError> {
        let id = Uuid::now_v7();
        let transaction = self.db.begin().await?;
        let insert = self.statement(
            "INSERT INTO publications (id, name, asked_by, wish, state)
             VALUES ($1, $2, $3, $4, 'preparing')",
            [id.into(), name.into(), asked_by.into(), json(wish).into()],
        );
        if !is_alone(transaction.execute_raw(insert).await)? {
            return Ok(None);
        }
        transaction.execute_raw(self.push_statement(&publication_job(id))).await?;
        transaction.commit().await?;
        Ok(Some(id))
    }

    /// The publications, the newest first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn publications(&self, most: u64) -> Result<Vec<Publication>, StoreError> {
        let sql = format!(
            "SELECT id, name, wish, state, reason, sums, NULL::jsonb AS report,
                NULL::jsonb AS change, left_alone, host_notes, asked_by, created_at, published_at,
                taken_back_at
             FROM publications ORDER BY created_at DESC LIMIT {most}"
        );
        let rows = Row::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        rows.into_iter().map(Row::publication).collect()
    }

    /// The publication `id`.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn publication(&self, id: Uuid) -> Result<Option<Publication>, StoreError> {
        let sql = "SELECT * FROM publications WHERE id = $1";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(Row::publication).transpose()
    }

    /// Begins `act` with the publication `id`, by a job; false where it does not stand where that may
    /// begin, or another one is under way.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn act_on_publication(
        &self,
        id: Uuid,
        act: PublicationAct,
    ) -> Result<bool, StoreError> {
        let from: Vec<String> = act.from().iter().map(|state| state.name().to_owned()).collect();
        let transaction = self.db.begin().await?;
        // What was left alone before says that it goes as well, once that is asked for.
        let is_all = act == PublicationAct::TakeAllBack;
        let update = self.statement(
            "UPDATE publications SET state = $2, reason = NULL,
                 left_alone = CASE WHEN $4 THEN left_alone ELSE '[]' END
             WHERE id = $1 AND state = ANY ($3)",
            [id.into(), act.doing().name().into(), from.into(), is_all.into()],
        );
        let update = transaction.execute_raw(update).await;
        let rows = update.as_ref().map_or(0, |done| done.rows_affected());
        if !is_alone(update)? || rows == 0 {
            return Ok(false);
        }
        if act == PublicationAct::Prepare {
            // Nothing of what was prepared before is on the site.
            for table in ["publication_blobs", "films"] {
                let forget = format!("DELETE FROM {table} WHERE publication_id = $1");
                transaction.execute_raw(self.statement(&forget, [id.into()])).await?;
            }
        }
        transaction.execute_raw(self.push_statement(&publication_job(id))).await?;
        transaction.commit().await?;
        Ok(true)
    }

    /// Notes how the act with the publication `id` that is under way ended.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn end_publication(
        &self,
        id: Uuid,
        ending: &PublicationEnding,
    ) -> Result<(), StoreError> {
        let (set, value) = match ending {
            PublicationEnding::Prepared(prepared) => {
                let Prepared { report, change, .. } = &**prepared;
                let set = "state = 'ready', reason = NULL, report = $2 -> 0, change = $2 -> 1,
                     sums = $2 -> 2";
                (set, json(&(report, change, report.sums())))
            }
            PublicationEnding::At(state, reason) => {
                ("state = $2 ->> 0, reason = $2 ->> 1", json(&(state.name(), reason)))
            }
            PublicationEnding::Without(formats, reason) => (
                "state = 'outdated', reason = $2 ->> 1,
                 wish = jsonb_set(wish, '{without}', (wish -> 'without') || ($2 -> 0))",
                json(&(formats, reason)),
            ),
            PublicationEnding::Published(notes) => (
                "state = $2 ->> 0, reason = NULL, published_at = coalesce(published_at, now()),
                 host_notes = $2 -> 1",
                json(&(PublicationState::Published.name(), notes)),
            ),
            PublicationEnding::TakenBack(left) => (
                "state = CASE WHEN $2 = '[]' THEN 'taken-back' ELSE 'partly-back' END,
                 reason = NULL, left_alone = $2, taken_back_at = now()",
                json(left),
            ),
        };
        let sql = format!(
            "UPDATE publications SET {set}
             WHERE id = $1 AND state IN ('preparing', 'publishing', 'taking-back')"
        );
        let transaction = self.db.begin().await?;
        transaction.execute_raw(self.statement(&sql, [id.into(), value.into()])).await?;
        if matches!(ending, PublicationEnding::Published(_)) {
            let sets = "INSERT INTO published_sets (publication_id, picture_id, slot_id, files)
                 SELECT DISTINCT q.id, (place ->> 'picture')::uuid, (place ->> 'slot')::uuid,
                     place ->> 'fingerprint'
                 FROM publications q, jsonb_array_elements(q.report -> 'places') AS place
                 WHERE q.id = $1 AND q.state = 'published' AND place ->> 'fingerprint' IS NOT NULL
                 ON CONFLICT DO NOTHING";
            transaction.execute_raw(self.statement(sets, [id.into()])).await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Notes that the publication `id` speaks of bytes that are stored after this, each with the picture that
    /// they were made of where there is one: nobody deletes them from now on.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn note_publication_bytes(
        &self,
        id: Uuid,
        bytes: &BTreeMap<BlobHash, Option<Uuid>>,
    ) -> Result<(), StoreError> {
        let rows = bytes
            .iter()
            .map(|(hash, picture)| serde_json::json!({"hash": hash.as_str(), "picture": picture}));
        let rows = serde_json::Value::from(Vec::from_iter(rows));
        let note = "INSERT INTO publication_blobs (publication_id, hash, picture_id)
             SELECT q.id, j.hash, p.id FROM publications q
             CROSS JOIN jsonb_to_recordset($2) AS j (hash text, picture uuid)
             LEFT JOIN pictures p ON p.id = j.picture WHERE q.id = $1
             ON CONFLICT (publication_id, hash) DO UPDATE SET
                 picture_id = coalesce(excluded.picture_id, publication_blobs.picture_id)";
        // Whoever deletes has ended, or sees the row.
        let transaction = self.holding_bytes().await?;
        transaction.execute_raw(self.statement(note, [id.into(), rows.into()])).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// The latest publication of which pictures of the page at `path` were taken.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn latest_publication_of(&self, path: &str) -> Result<Option<Uuid>, StoreError> {
        let statement = self.statement(
            "SELECT id FROM publications
             WHERE report -> 'pages' @> $1 AND state NOT IN ('preparing', 'failed')
             ORDER BY created_at DESC LIMIT 1",
            [serde_json::json!([{ "page": path }]).into()],
        );
        let found = Id::find_by_statement(statement).one(&self.db).await?;
        Ok(found.map(|row| row.id))
    }

    /// Has no publication stand where something is under way of which no job is left: somebody cancelled
    /// it, or it failed too often.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn settle_publications(&self) -> Result<(), StoreError> {
        let sql = "UPDATE publications p SET
                 state = CASE state WHEN 'preparing' THEN 'failed' ELSE 'interrupted' END,
                 reason = coalesce((
                     SELECT reason FROM jobs WHERE site = $1 AND kind = $2 AND key = p.id::text
                         AND state = 'failed' ORDER BY created_at DESC LIMIT 1
                 ), 'it was cancelled')
             WHERE state IN ('preparing', 'publishing', 'taking-back') AND NOT EXISTS (
                 SELECT FROM jobs WHERE site = $1 AND kind = $2 AND key = p.id::text
                     AND state IN ('waiting', 'running')
             )";
        let values = [self.schema().into(), JobKind::Publish.name().into()];
        self.db.execute_raw(self.statement(sql, values)).await?;
        Ok(())
    }

    /// Forgets the publication `id`, of which nothing is on the site; false where it is, or is under way.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn forget_publication(&self, id: Uuid) -> Result<bool, StoreError> {
        let states = PublicationState::ALL.into_iter().filter(|state| state.can_be_forgotten());
        let states: Vec<String> = states.map(|state| state.name().to_owned()).collect();
        let sql = "DELETE FROM publications WHERE id = $1 AND state = ANY ($2)";
        let done = self.db.execute_raw(self.statement(sql, [id.into(), states.into()])).await?;
        Ok(done.rows_affected() > 0)
    }

    /// The pictures that run `id` made files of.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn pictures_of_run(&self, id: Uuid) -> Result<Vec<Uuid>, StoreError> {
        let sql = "SELECT DISTINCT picture_id AS id FROM run_items
                   WHERE run_id = $1 AND (state = 'done' OR reason = 'unchanged')";
        let rows = Id::find_by_statement(self.statement(sql, [id.into()])).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| row.id).collect())
    }
}

/// Whether a row could be written since no other publication is under way.
fn is_alone<T>(outcome: Result<T, DbErr>) -> Result<bool, StoreError> {
    match outcome {
        Ok(_) => Ok(true),
        Err(error) => match error.sql_err() {
            Some(SqlErr::UniqueConstraintViolation(of))
                if of.contains("publications_under_way") =>
            {
                Ok(false)
            }
            _ => Err(error.into()),
        },
    }
}

/// The job that does with the publication `id` what its state says: one that waits does whatever that is
/// then.
fn publication_job(id: Uuid) -> NewJob {
    let args = serde_json::json!({"publication": id});
    NewJob::new(JobKind::Publish, publication_key(id), args).awaited()
}

/// By what the jobs of a publication are found.
pub fn publication_key(id: Uuid) -> String {
    id.to_string()
}

//! Steps on the bench: how a picture is framed and finished, every step on the way there, and which
//! of them holds wherever it is shown.
//!
//! Steps form a tree: each knows the one that it came from. Nothing is overwritten, so that undo
//! goes back days later, too, and two people who work on one picture lose nothing.

use brisk_margin_core::adjustments::Adjustments;

use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use super::{Change, ChangeSet, FieldChange, Picture};
use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// A step of the work on a picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Its number, in order of making.
    pub id: Uuid,
    /// The picture.
    pub picture_id: Uuid,
    /// The step that it came from; nothing for the first.
    pub parent: Option<Uuid>,
    /// What was done, in words.
    pub summary: String,
    /// The name that it was given.
    pub name: Option<String>,
    /// When.
    pub made_at: DateTime<Utc>,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    picture_id: Uuid,
    parent_id: Option<Uuid>,
    summary: String,
    name: Option<String>,
    made_at: DateTime<Utc>,
}

impl From<Row> for Step {
    fn from(row: Row) -> Self {
        let Row { id, picture_id, parent_id: parent, summary, name, made_at } = row;
        Self { id, picture_id, parent, summary, name, made_at }
    }
}

#[derive(FromQueryResult)]
struct WorkRow {
    picture_id: Uuid,
    adjustments: serde_json::Value,
}

/// Pictures whose steps are noted by one statement.
const AT_ONCE: usize = 500;

impl Store {
    /// The steps of picture `id`, the first ones first.
    pub async fn steps(&self, id: Uuid) -> Result<Vec<Step>, StoreError> {
        let statement = self.statement(
            "SELECT id, picture_id, parent_id, summary, name, made_at FROM steps
             WHERE picture_id = $1 ORDER BY id",
            [id.into()],
        );
        let rows = Row::find_by_statement(statement).all(&self.db).await?;
        Ok(rows.into_iter().map(Step::from).collect())
    }

    /// The picture and the work of step `id`.
    pub async fn step(&self, id: Uuid) -> Result<Option<(Uuid, Adjustments)>, StoreError> {
        let statement =
            self.statement("SELECT picture_id, adjustments FROM steps WHERE id = $1", [id.into()]);
        let row = WorkRow::find_by_statement(statement).one(&self.db).await?;
        row.map(|row| Ok((row.picture_id, read(row.adjustments)?))).transpose()
    }

    /// Notes a step of the work on `picture` after `parent`, or after the step that holds. The
    /// first step of all is the picture as it was before.
    pub async fn add_step(
        &self,
        picture: &Picture,
        parent: Option<Uuid>,
        summary: &str,
        adjustments: &Adjustments,
    ) -> Result<Step, StoreError> {
        let transaction = self.db.begin().await?;
        let held = self.held_step(&transaction, picture).await?;
        let step = self
            .insert_step(
                &transaction,
                picture.id,
                Some(parent.unwrap_or(held)),
                summary,
                adjustments,
            )
            .await?;
        self.lay_on_bench(&transaction, picture.id, step.id).await?;
        transaction.commit().await?;
        Ok(step)
    }

    /// The step that holds for a picture, made now where there is none yet.
    async fn held_step(
        &self,
        transaction: &DatabaseTransaction,
        picture: &Picture,
    ) -> Result<Uuid, StoreError> {
        let lock = self.statement(
            "SELECT step AS id FROM pictures WHERE id = $1 FOR NO KEY UPDATE",
            [picture.id.into()],
        );
        #[derive(FromQueryResult)]
        struct Held {
            id: Option<Uuid>,
        }
        if let Some(Held { id: Some(held) }) =
            Held::find_by_statement(lock).one(transaction).await?
        {
            return Ok(held);
        }
        let first = self
            .insert_step(transaction, picture.id, None, "as it arrived", &picture.adjustments)
            .await?;
        let set = self.statement(
            "UPDATE pictures SET step = $2 WHERE id = $1",
            [picture.id.into(), first.id.into()],
        );
        transaction.execute_raw(set).await?;
        Ok(first.id)
    }

    async fn insert_step(
        &self,
        transaction: &DatabaseTransaction,
        picture: Uuid,
        parent: Option<Uuid>,
        summary: &str,
        adjustments: &Adjustments,
    ) -> Result<Step, StoreError> {
        let statement = self.statement(
            "INSERT INTO steps (id, picture_id, parent_id, adjustments, summary, made_at)
             VALUES ($1, $2, $3, $4, $5, $6)
             RETURNING id, picture_id, parent_id, summary, name, made_at",
            [
                Uuid::now_v7().into(),
                picture.into(),
                parent.into(),
                json(adjustments).into(),
                summary.to_owned().into(),
                Utc::now().into(),
            ],
        );
        let row = Row::find_by_statement(statement).one(transaction).await?;
        row.map(Step::from).ok_or_else(|| StoreError::Corrupt("a step vanished".to_owned()))
    }

    async fn lay_on_bench(
        &self,
        on: &impl ConnectionTrait,
        picture: Uuid,
        step: Uuid,
    ) -> Result<(), StoreError> {
        let statement = self.statement(
            "UPDATE pictures SET draft = $2 WHERE id = $1",
            [picture.into(), step.into()],
        );
        on.execute_raw(statement).await?;
        Ok(())
    }

    /// Remembers that step `id` lies on the bench, so that work goes on there; `None` where there is
    /// no such step.
    pub async fn remember_step(&self, id: Uuid) -> Result<Option<Adjustments>, StoreError> {
        let Some((picture, adjustments)) = self.step(id).await? else { return Ok(None) };
        self.lay_on_bench(&self.db, picture, id).await?;
        Ok(Some(adjustments))
    }

    /// Gives step `id` a name, or takes it away; `false` where there is no such step.
    ///
    /// A name that another step of the picture has moves to this one.
    pub async fn name_step(&self, id: Uuid, name: Option<&str>) -> Result<bool, StoreError> {
        let transaction = self.db.begin().await?;
        let free = self.statement(
            "UPDATE steps SET name = NULL WHERE name = $2
             AND picture_id = (SELECT picture_id FROM steps WHERE id = $1)",
            [id.into(), name.map(str::to_owned).into()],
        );
        transaction.execute_raw(free).await?;
        let set = self.statement(
            "UPDATE steps SET name = $2 WHERE id = $1",
            [id.into(), name.map(str::to_owned).into()],
        );
        let named = transaction.execute_raw(set).await?.rows_affected() > 0;
        transaction.commit().await?;
        Ok(named)
    }

    /// Has step `id` hold wherever `picture` is shown; nothing where it does already.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where another step than `over` holds by now.
    pub async fn save_step(
        &self,
        picture: &Picture,
        id: Uuid,
        over: Uuid,
    ) -> Result<Option<Change>, StoreError> {
        let edit = FieldChange { step: Some(id), over: Some(over), ..FieldChange::default() };
        let edits = ChangeSet { pictures: [(picture.id, edit)].into(), ..ChangeSet::default() };
        self.edit(&format!("saved {}", picture.name), &edits).await
    }

    /// Gives each of `pictures` its new adjustments, as one change: they hold for all of them or for
    /// none. Steps are noted before and stay on the bench where it fails.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where somebody saved one since it was read.
    pub async fn lay_adjustments(
        &self,
        summary: &str,
        pictures: &[(Picture, Adjustments)],
    ) -> Result<Option<Change>, StoreError> {
        let mut edits = ChangeSet::default();
        for some in pictures.chunks(AT_ONCE) {
            let steps = some.iter().map(|(picture, adjustments)| {
                let (first, step) = (Uuid::now_v7(), Uuid::now_v7());
                let over = Some(picture.step.unwrap_or(first));
                let change = FieldChange { step: Some(step), over, ..FieldChange::default() };
                edits.pictures.insert(picture.id, change);
                serde_json::json!({
                    "id": picture.id, "first": first, "step": step,
                    "arrived": picture.adjustments, "adjustments": adjustments,
                })
            });
            self.note_steps(summary, steps.collect()).await?;
        }
        self.edit(summary, &edits).await
    }

    /// Notes a step of each picture after the one that holds, made now where there is none yet.
    async fn note_steps(&self, summary: &str, steps: serde_json::Value) -> Result<(), StoreError> {
        let statement = self.statement(
            "WITH asked AS (
                 SELECT j.*, p.step AS held
                 FROM jsonb_to_recordset($1) AS j (
                     id uuid, first uuid, step uuid, arrived jsonb, adjustments jsonb
                 ) JOIN pictures p ON p.id = j.id
                 ORDER BY p.id FOR NO KEY UPDATE OF p
             ), arrived AS (
                 INSERT INTO steps (id, picture_id, adjustments, summary, made_at)
                 SELECT first, id, arrived, 'as it arrived', now() FROM asked WHERE held IS NULL
             ), noted AS (
                 INSERT INTO steps (id, picture_id, parent_id, adjustments, summary, made_at)
                 SELECT step, id, coalesce(held, first), adjustments, $2, now() FROM asked
             )
             UPDATE pictures p SET step = coalesce(a.held, a.first), draft = a.step
             FROM asked a WHERE p.id = a.id",
            [steps.into(), summary.to_owned().into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Makes a picture beside `picture` that shares its original and has `work`. It takes the place
    /// of that one in `places`.
    pub async fn copy_picture(
        &self,
        picture: &Picture,
        name: &str,
        summary: &str,
        adjustments: &Adjustments,
        places: &[Uuid],
    ) -> Result<(Uuid, Option<Change>), StoreError> {
        let id = Uuid::now_v7();
        let transaction = self.holding_bytes().await?;
        let copy = self.statement(
            "INSERT INTO pictures (
                 id, name, made_from, is_copy, created_at, origin, adjustments, focal_x, focal_y,
                 hash, format, width, height, bytes, today, has_alpha, frames, has_location,
                 profile, embedded, folder, title, alt, decorative, caption, creator, licence, source,
                 class, colours, is_transparent, perceptual_hash, sample
             )
             SELECT $2, $3, id, true, now(), 'upload', $4, $5, $6,
                 hash, format, width, height, bytes, bytes, has_alpha, frames, has_location,
                 profile, embedded, folder, title, alt, decorative, caption, creator, licence, source,
                 class, colours, is_transparent, perceptual_hash, sample
             FROM pictures WHERE id = $1",
            [
                picture.id.into(),
                id.into(),
                name.to_owned().into(),
                json(adjustments).into(),
                adjustments.focal.x().into(),
                adjustments.focal.y().into(),
            ],
        );
        transaction.execute_raw(copy).await?;
        let step = self.insert_step(&transaction, id, None, summary, adjustments).await?;
        let set = self.statement(
            "UPDATE pictures SET step = $2, draft = $2, revision = revision + 1 WHERE id = $1",
            [id.into(), step.id.into()],
        );
        transaction.execute_raw(set).await?;
        transaction.commit().await?;
        let edits = ChangeSet {
            places: places.iter().map(|&place| (place, Some(id))).collect(),
            ..ChangeSet::default()
        };
        let change = self.edit(&format!("put {name} in its places"), &edits).await?;
        Ok((id, change))
    }
}

//! Work on the bench: how a picture is framed and finished, every step on the way there, and which
//! of them holds wherever it is shown.
//!
//! Steps form a tree: each knows the one that it came from. Nothing is overwritten, so that undo
//! goes back days later, too, and two people who work on one picture lose nothing.

use std::collections::BTreeMap;

use brisk_margin_core::finish::Finish;
use brisk_margin_core::finish::canvas::{Canvas, CanvasError, HandCrop};
use brisk_margin_core::finish::plan::Aim;
use brisk_margin_core::framing::{FocalPoint, KeepArea};
use brisk_margin_core::geometry::Size;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult, TransactionTrait};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{Change, Edit, Edits, Picture};
use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// Crops made by hand, by slot and layout width.
pub type Crops = BTreeMap<Uuid, BTreeMap<u32, HandCrop>>;

/// How a picture is framed and finished.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Work {
    /// Where its subject is.
    pub focal: FocalPoint,
    /// What no framing may cut.
    #[serde(default)]
    pub keep: Option<KeepArea>,
    /// Crops made by hand, by slot and layout width.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = BTreeMap<String, BTreeMap<String, HandCrop>>))]
    pub crops: Crops,
    /// Its edits.
    #[serde(default)]
    pub finish: Finish,
}

impl Work {
    /// The original as it is, around `focal`.
    pub fn plain(focal: FocalPoint) -> Self {
        Self { focal, keep: None, crops: Crops::new(), finish: Finish::default() }
    }

    /// What a framing goes by, for a slot at a layout width or for none.
    pub fn aim(&self, place: Option<(Uuid, u32)>) -> Aim {
        let by_hand = place.and_then(|(slot, viewport)| self.crops.get(&slot)?.get(&viewport));
        Aim { focal: self.focal, keep: self.keep, by_hand: by_hand.copied() }
    }
}

impl Picture {
    /// The picture with its geometry changed.
    ///
    /// # Errors
    /// [`CanvasError`] where its edits leave nothing of it.
    pub fn canvas(&self) -> Result<Canvas, CanvasError> {
        Canvas::new(self.facts.size, &self.work.finish)
    }

    /// Whether it is transparent somewhere; before it was looked at, whether it can be.
    pub fn is_transparent(&self) -> bool {
        self.look.as_ref().map_or(self.facts.has_alpha, |look| look.is_transparent)
    }

    /// Its size as it is shown, in pixels of the original.
    pub fn shown_size(&self) -> Size {
        self.canvas().map_or(self.facts.size, |canvas| canvas.size())
    }
}

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
    work: serde_json::Value,
}

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
    pub async fn step(&self, id: Uuid) -> Result<Option<(Uuid, Work)>, StoreError> {
        let statement =
            self.statement("SELECT picture_id, work FROM steps WHERE id = $1", [id.into()]);
        let row = WorkRow::find_by_statement(statement).one(&self.db).await?;
        row.map(|row| Ok((row.picture_id, read(row.work)?))).transpose()
    }

    /// Notes a step of the work on `picture` after `parent`, or after the step that holds. The
    /// first step of all is the picture as it was before.
    pub async fn add_step(
        &self,
        picture: &Picture,
        parent: Option<Uuid>,
        summary: &str,
        work: &Work,
    ) -> Result<Step, StoreError> {
        let transaction = self.db.begin().await?;
        let held = self.held_step(&transaction, picture).await?;
        let step = self
            .insert_step(&transaction, picture.id, Some(parent.unwrap_or(held)), summary, work)
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
            "SELECT step AS id FROM pictures WHERE id = $1 FOR UPDATE",
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
        let first =
            self.insert_step(transaction, picture.id, None, "as it arrived", &picture.work).await?;
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
        work: &Work,
    ) -> Result<Step, StoreError> {
        let statement = self.statement(
            "INSERT INTO steps (id, picture_id, parent_id, work, summary, made_at)
             VALUES ($1, $2, $3, $4, $5, $6)
             RETURNING id, picture_id, parent_id, summary, name, made_at",
            [
                Uuid::now_v7().into(),
                picture.into(),
                parent.into(),
                json(work).into(),
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
    pub async fn remember_step(&self, id: Uuid) -> Result<Option<Work>, StoreError> {
        let Some((picture, work)) = self.step(id).await? else { return Ok(None) };
        self.lay_on_bench(&self.db, picture, id).await?;
        Ok(Some(work))
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
        let edit = Edit { step: Some(id), over: Some(over), ..Edit::default() };
        let edits = Edits { pictures: [(picture.id, edit)].into(), ..Edits::default() };
        self.edit(&format!("saved {}", picture.name), &edits).await
    }

    /// Gives each of `pictures` its new work, as one change: it holds for all of them or for none.
    /// Steps are noted before, one picture after the other, and stay on the bench where it fails.
    pub async fn lay_work(
        &self,
        summary: &str,
        pictures: &[(Picture, Work)],
    ) -> Result<Option<Change>, StoreError> {
        let mut edits = Edits::default();
        for (picture, work) in pictures {
            let step = self.add_step(picture, None, summary, work).await?;
            edits.pictures.insert(picture.id, Edit { step: Some(step.id), ..Edit::default() });
        }
        self.edit(summary, &edits).await
    }

    /// Makes a picture beside `picture` that shares its original and has `work`. It takes the place
    /// of that one in `places`.
    pub async fn copy_picture(
        &self,
        picture: &Picture,
        name: &str,
        summary: &str,
        work: &Work,
        places: &[Uuid],
    ) -> Result<(Uuid, Option<Change>), StoreError> {
        let id = Uuid::now_v7();
        let transaction = self.holding_bytes().await?;
        let copy = self.statement(
            "INSERT INTO pictures (
                 id, name, made_from, is_copy, created_at, origin, work, focal_x, focal_y,
                 hash, format, width, height, bytes, today, has_alpha, frames, has_location,
                 profile, told, folder, title, alt, decorative, caption, creator, licence, source,
                 class, colours, is_transparent, look_hash, sample
             )
             SELECT $2, $3, id, true, now(), 'upload', $4, $5, $6,
                 hash, format, width, height, bytes, bytes, has_alpha, frames, has_location,
                 profile, told, folder, title, alt, decorative, caption, creator, licence, source,
                 class, colours, is_transparent, look_hash, sample
             FROM pictures WHERE id = $1",
            [
                picture.id.into(),
                id.into(),
                name.to_owned().into(),
                json(work).into(),
                work.focal.x().into(),
                work.focal.y().into(),
            ],
        );
        transaction.execute_raw(copy).await?;
        let step = self.insert_step(&transaction, id, None, summary, work).await?;
        let set = self.statement(
            "UPDATE pictures SET step = $2, draft = $2, changed = changed + 1 WHERE id = $1",
            [id.into(), step.id.into()],
        );
        transaction.execute_raw(set).await?;
        transaction.commit().await?;
        let edits = Edits {
            places: places.iter().map(|&place| (place, Some(id))).collect(),
            ..Edits::default()
        };
        let change = self.edit(&format!("put {name} in its places"), &edits).await?;
        Ok((id, change))
    }
}

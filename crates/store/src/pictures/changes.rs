//! Changes to what is said of pictures, to where they lie and whether they are there: made for
//! many at once, and taken back as one.

use std::collections::BTreeMap;

use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult, TransactionTrait};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError, saving};

/// Fields of one picture; what is left out stays as it is.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct FieldChange {
    /// Its name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The folder it lies in.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub folder: Option<String>,
    /// Its title.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Its alt text.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub alt: Option<String>,
    /// Whether it only adorns.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub decorative: Option<bool>,
    /// Its caption.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub caption: Option<String>,
    /// Who made it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub creator: Option<String>,
    /// Under which terms.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub licence: Option<String>,
    /// Where it is from.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub source: Option<String>,
    /// Whether anybody who has its address may fetch what was made of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub is_public: Option<bool>,
    /// Whether it is removed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub removed: Option<bool>,
    /// The step of its work that holds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub step: Option<Uuid>,
    /// The step that must hold until then.
    #[serde(skip)]
    pub over: Option<Uuid>,
}

/// What is changed at once.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct ChangeSet {
    /// Fields by picture.
    pub pictures: BTreeMap<Uuid, FieldChange>,
    /// The picture placed in a place, by the place's number.
    pub places: BTreeMap<Uuid, Option<Uuid>>,
}

/// A change that was made.
#[derive(Debug, Clone, PartialEq)]
pub struct Change {
    /// Its number, by which it is taken back.
    pub id: Uuid,
    /// What was done, in words.
    pub summary: String,
    /// The pictures that it changed.
    pub pictures: Vec<Uuid>,
    /// When.
    pub made_at: DateTime<Utc>,
}

/// How taking back went.
#[derive(Debug, Clone, PartialEq)]
pub struct TakenBack {
    /// What had been done, in words.
    pub summary: String,
    /// The pictures that stand as before.
    pub pictures: Vec<Uuid>,
    /// Pictures of which something was changed again since, which stays.
    pub changed_since: Vec<Uuid>,
}

/// The fields of a picture as they are.
#[derive(FromQueryResult)]
struct Fields {
    id: Uuid,
    name: String,
    folder: String,
    title: String,
    alt: String,
    decorative: bool,
    caption: String,
    creator: String,
    licence: String,
    source: String,
    is_public: bool,
    removed: bool,
    step: Option<Uuid>,
}

#[derive(FromQueryResult)]
struct PlacedIn {
    id: Uuid,
    picture_id: Option<Uuid>,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    summary: String,
    before: serde_json::Value,
    after: serde_json::Value,
    made_at: DateTime<Utc>,
}

impl FieldChange {
    /// The part of this edit that changes something, and what stands there before.
    fn against(&self, now: &Fields) -> (Self, Self) {
        fn split<T: Clone + PartialEq>(wish: &Option<T>, now: &T) -> (Option<T>, Option<T>) {
            match wish {
                Some(wish) if wish != now => (Some(wish.clone()), Some(now.clone())),
                _ => (None, None),
            }
        }
        let (name, old_name) = split(&self.name, &now.name);
        let (folder, old_folder) = split(&self.folder, &now.folder);
        let (title, old_title) = split(&self.title, &now.title);
        let (alt, old_alt) = split(&self.alt, &now.alt);
        let (decorative, old_decorative) = split(&self.decorative, &now.decorative);
        let (caption, old_caption) = split(&self.caption, &now.caption);
        let (creator, old_creator) = split(&self.creator, &now.creator);
        let (licence, old_licence) = split(&self.licence, &now.licence);
        let (source, old_source) = split(&self.source, &now.source);
        let (is_public, old_is_public) = split(&self.is_public, &now.is_public);
        let (removed, old_removed) = split(&self.removed, &now.removed);
        // Before the first step of a picture there is none to go back to.
        let (step, old_step) = match (self.step, now.step) {
            (Some(step), Some(old)) if step != old => (Some(step), Some(old)),
            _ => (None, None),
        };
        (
            Self {
                name,
                folder,
                title,
                alt,
                decorative,
                caption,
                creator,
                licence,
                source,
                is_public,
                removed,
                step,
                over: None,
            },
            Self {
                name: old_name,
                folder: old_folder,
                title: old_title,
                alt: old_alt,
                decorative: old_decorative,
                caption: old_caption,
                creator: old_creator,
                licence: old_licence,
                source: old_source,
                is_public: old_is_public,
                removed: old_removed,
                step: old_step,
                over: None,
            },
        )
    }

    /// This edit without the fields that `other` would not change back from what they are.
    fn only_where_same(mut self, after: &Self, now: &Fields) -> Self {
        fn keep<T: PartialEq>(field: &mut Option<T>, after: &Option<T>, now: &T) {
            if after.as_ref() != Some(now) {
                *field = None;
            }
        }
        keep(&mut self.name, &after.name, &now.name);
        keep(&mut self.folder, &after.folder, &now.folder);
        keep(&mut self.title, &after.title, &now.title);
        keep(&mut self.alt, &after.alt, &now.alt);
        keep(&mut self.decorative, &after.decorative, &now.decorative);
        keep(&mut self.caption, &after.caption, &now.caption);
        keep(&mut self.creator, &after.creator, &now.creator);
        keep(&mut self.licence, &after.licence, &now.licence);
        keep(&mut self.source, &after.source, &now.source);
        keep(&mut self.is_public, &after.is_public, &now.is_public);
        keep(&mut self.removed, &after.removed, &now.removed);
        if after.step != now.step {
            self.step = None;
        }
        self
    }
}

impl Store {
    /// Changes all of `edits` or none, and notes what stood there before. Numbers of which there
    /// is nothing are left out; where nothing changes, no change is noted.
    pub async fn edit(
        &self,
        summary: &str,
        edits: &ChangeSet,
    ) -> Result<Option<Change>, StoreError> {
        saving::again_after_deadlock(|| self.edit_once(summary, edits)).await
    }

    async fn edit_once(
        &self,
        summary: &str,
        edits: &ChangeSet,
    ) -> Result<Option<Change>, StoreError> {
        let transaction = self.db.begin().await?;
        let mut before = ChangeSet::default();
        let mut after = ChangeSet::default();
        for now in self.fields(&transaction, &edits.pictures).await? {
            let wish = &edits.pictures[&now.id];
            if wish.over.is_some() && wish.over != now.step {
                return Err(StoreError::SavedMeanwhile);
            }
            let (new, old) = wish.against(&now);
            if new != FieldChange::default() {
                after.pictures.insert(now.id, new);
                before.pictures.insert(now.id, old);
            }
        }
        for now in self.placed(&transaction, &edits.places).await? {
            let wish = edits.places[&now.id];
            if wish != now.picture_id {
                after.places.insert(now.id, wish);
                before.places.insert(now.id, now.picture_id);
            }
        }
        if after == ChangeSet::default() {
            return Ok(None);
        }
        self.apply(&transaction, &after).await?;
        let (id, made_at) = (Uuid::now_v7(), Utc::now());
        let insert = self.statement(
            "INSERT INTO changes (id, summary, before, after, made_at) VALUES ($1, $2, $3, $4, $5)",
            [
                id.into(),
                summary.to_owned().into(),
                json(&before).into(),
                json(&after).into(),
                made_at.into(),
            ],
        );
        transaction.execute_raw(insert).await?;
        transaction.commit().await?;
        let pictures = after.touched();
        Ok(Some(Change { id, summary: summary.to_owned(), pictures, made_at }))
    }

    /// Takes change `id` back; `None` where there is none, or where it was taken back already.
    /// What was changed again since stays.
    pub async fn take_back(&self, id: Uuid) -> Result<Option<TakenBack>, StoreError> {
        saving::again_after_deadlock(|| self.take_back_once(id)).await
    }

    async fn take_back_once(&self, id: Uuid) -> Result<Option<TakenBack>, StoreError> {
        let transaction = self.db.begin().await?;
        let find = self.statement(
            "UPDATE changes SET taken_back = true WHERE id = $1 AND NOT taken_back
             RETURNING id, summary, before, after, made_at",
            [id.into()],
        );
        let Some(row) = Row::find_by_statement(find).one(&transaction).await? else {
            return Ok(None);
        };
        let (before, after): (ChangeSet, ChangeSet) = (read(row.before)?, read(row.after)?);
        let mut back = ChangeSet::default();
        let mut changed_since = Vec::new();
        for now in self.fields(&transaction, &before.pictures).await? {
            let old = &before.pictures[&now.id];
            let same = old.clone().only_where_same(&after.pictures[&now.id], &now);
            if same != *old {
                changed_since.push(now.id);
            }
            back.pictures.insert(now.id, same);
        }
        for now in self.placed(&transaction, &before.places).await? {
            if after.places[&now.id] == now.picture_id {
                back.places.insert(now.id, before.places[&now.id]);
            }
        }
        self.apply(&transaction, &back).await?;
        transaction.commit().await?;
        // A picture that lost its places stands otherwise than before, too.
        back.places.extend(after.places);
        Ok(Some(TakenBack { summary: row.summary, pictures: back.touched(), changed_since }))
    }

    /// The newest changes that can be taken back.
    pub async fn changes(&self, limit: u64) -> Result<Vec<Change>, StoreError> {
        let sql = format!(
            "SELECT id, summary, before, after, made_at FROM changes WHERE NOT taken_back
             ORDER BY id DESC LIMIT {limit}"
        );
        let rows = Row::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        rows.into_iter()
            .map(|row| {
                let pictures = read::<ChangeSet>(row.after)?.touched();
                Ok(Change { id: row.id, summary: row.summary, pictures, made_at: row.made_at })
            })
            .collect()
    }

    async fn fields<T>(
        &self,
        transaction: &DatabaseTransaction,
        of: &BTreeMap<Uuid, T>,
    ) -> Result<Vec<Fields>, StoreError> {
        let statement = self.statement(
            "SELECT id, name, folder, title, alt, decorative, caption, creator, licence, source,
                    is_public, removed_at IS NOT NULL AS removed, step
             FROM pictures WHERE id = ANY ($1) ORDER BY id FOR NO KEY UPDATE",
            [of.keys().copied().collect::<Vec<_>>().into()],
        );
        Ok(Fields::find_by_statement(statement).all(transaction).await?)
    }

    async fn placed(
        &self,
        transaction: &DatabaseTransaction,
        of: &BTreeMap<Uuid, Option<Uuid>>,
    ) -> Result<Vec<PlacedIn>, StoreError> {
        let statement = self.statement(
            "SELECT id, picture_id FROM places WHERE id = ANY ($1) ORDER BY id FOR NO KEY UPDATE",
            [of.keys().copied().collect::<Vec<_>>().into()],
        );
        Ok(PlacedIn::find_by_statement(statement).all(transaction).await?)
    }

    async fn apply(
        &self,
        transaction: &DatabaseTransaction,
        edits: &ChangeSet,
    ) -> Result<(), StoreError> {
        let rows: Vec<_> = edits
            .pictures
            .iter()
            .map(|(id, edit)| {
                let mut row = json(edit);
                row["id"] = json(id);
                row
            })
            .collect();
        let pictures = self.statement(
            "UPDATE pictures p SET
                 name = coalesce(j.name, p.name), folder = coalesce(j.folder, p.folder),
                 title = coalesce(j.title, p.title), alt = coalesce(j.alt, p.alt),
                 decorative = coalesce(j.decorative, p.decorative),
                 caption = coalesce(j.caption, p.caption),
                 creator = coalesce(j.creator, p.creator),
                 licence = coalesce(j.licence, p.licence), source = coalesce(j.source, p.source),
                 is_public = coalesce(j.is_public, p.is_public),
                 removed_at = CASE WHEN j.removed IS NULL THEN p.removed_at
                                   WHEN j.removed THEN now() END,
                 step = coalesce(s.id, p.step), adjustments = coalesce(s.adjustments, p.adjustments),
                 focal_x = coalesce((s.adjustments #>> '{focal,x}')::float8, p.focal_x),
                 focal_y = coalesce((s.adjustments #>> '{focal,y}')::float8, p.focal_y),
                 revision = p.revision + 1
             FROM jsonb_to_recordset($1) AS j (
                 id uuid, name text, folder text, title text, alt text, decorative boolean,
                 caption text, creator text, licence text, source text, is_public boolean, removed boolean,
                 step uuid
             ) LEFT JOIN steps s ON s.id = j.step
             WHERE p.id = j.id",
            [serde_json::Value::from(rows).into()],
        );
        transaction.execute_raw(pictures).await?;
        let rows: Vec<_> = edits
            .places
            .iter()
            .map(|(id, picture)| serde_json::json!({"id": id, "picture": picture}))
            .collect();
        let places = self.statement(
            "UPDATE places o SET picture_id = j.picture, is_published = false
             FROM jsonb_to_recordset($1) AS j (id uuid, picture uuid) WHERE o.id = j.id",
            [serde_json::Value::from(rows).into()],
        );
        transaction.execute_raw(places).await?;
        Ok(())
    }
}

impl ChangeSet {
    /// Whether pages may show something else after them.
    pub fn touch_pages(&self) -> bool {
        !self.places.is_empty() || self.pictures.values().any(|edit| edit.removed.is_some())
    }

    /// Every picture that they change, or place.
    fn touched(&self) -> Vec<Uuid> {
        let mut ids: Vec<Uuid> =
            self.pictures.keys().copied().chain(self.places.values().copied().flatten()).collect();
        ids.sort_unstable();
        ids.dedup();
        ids
    }
}

//! How pictures stand: judged from what the store knows, and kept so that filters stay fast.

use brisk_margin_core::place_use::PlaceUse;
use std::collections::{BTreeMap, HashMap};

use brisk_margin_core::status::PictureStatus;
use brisk_margin_core::units::Bytes;
use sea_orm::{
    ColumnTrait, ConnectionTrait, EntityTrait, FromQueryResult, QueryFilter, QuerySelect,
};
use uuid::Uuid;

use super::Picture;
use super::list::severity;
use crate::entities::{place, slot};
use crate::{Store, StoreError};
use brisk_margin_core::place::Place;
use brisk_margin_core::slot::Slot;

/// How one picture was judged.
#[derive(Debug, Clone)]
pub struct RefreshedStatus {
    /// Its number.
    pub id: Uuid,
    /// What [`Picture::revision`] was when it was read: a change since then is still to be judged.
    pub revision: i32,
    /// How many places show it.
    pub uses: u32,
    /// What a page that shows it transfers today.
    pub today: Bytes,
    /// What is worth doing with it.
    pub status: PictureStatus,
}

/// Facts about a picture that only other rows tell.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Relations {
    /// Whether another picture looks the same.
    pub is_duplicate: bool,
    /// Whether its file in the site's folder was replaced.
    pub is_replaced: bool,
}

#[derive(FromQueryResult)]
struct Use {
    place_id: Uuid,
    picture_id: Uuid,
    placed: bool,
}

#[derive(FromQueryResult)]
struct Related {
    id: Uuid,
    is_duplicate: bool,
    is_replaced: bool,
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

impl Store {
    /// Where each of the pictures `ids` is shown: placed by hand, or served as it is where nothing
    /// else was placed.
    pub async fn uses_of(&self, ids: &[Uuid]) -> Result<HashMap<Uuid, Vec<PlaceUse>>, StoreError> {
        let statement = self.statement(
            "SELECT o.id AS place_id, p.id AS picture_id, true AS placed
             FROM places o JOIN pictures p ON o.picture_id = p.id WHERE p.id = ANY ($1)
             UNION ALL
             SELECT o.id, p.id, false FROM pictures p
             JOIN places o ON o.served @> to_jsonb(p.hash)
             WHERE p.id = ANY ($1) AND NOT p.is_copy AND o.picture_id IS NULL",
            [ids.to_vec().into()],
        );
        let uses = Use::find_by_statement(statement).all(&self.db).await?;
        let of: Vec<Uuid> = uses.iter().map(|found| found.place_id).collect();
        let places = place::Entity::find().filter(place::Column::Id.is_in(of));
        let places = places.all(&self.db).await?.into_iter().map(Place::try_from);
        let places: Vec<Place> = places.collect::<Result<_, _>>()?;
        let slots = places.iter().map(|place| place.slot_id);
        let slots = slot::Entity::find().filter(slot::Column::Id.is_in(slots));
        let slots = slots.all(&self.db).await?.into_iter().map(Slot::try_from);
        let slots: Vec<Slot> = slots.collect::<Result<_, _>>()?;
        let places: BTreeMap<Uuid, Place> = places.into_iter().map(|p| (p.id, p)).collect();
        let slots: HashMap<Uuid, Slot> = slots.into_iter().map(|s| (s.id, s)).collect();
        let mut found: HashMap<Uuid, Vec<PlaceUse>> = HashMap::new();
        for used in uses {
            let Some(place) = places.get(&used.place_id) else { continue };
            let Some(slot) = slots.get(&place.slot_id) else { continue };
            let place = PlaceUse { place: place.clone(), slot: slot.clone(), placed: used.placed };
            found.entry(used.picture_id).or_default().push(place);
        }
        Ok(found)
    }

    /// What other rows tell of the pictures `ids`.
    pub async fn relations_of(&self, ids: &[Uuid]) -> Result<HashMap<Uuid, Relations>, StoreError> {
        let statement = self.statement(
            "SELECT p.id,
                    EXISTS (
                        SELECT FROM alike a JOIN pictures q
                          ON q.id = CASE WHEN a.one = p.id THEN a.other ELSE a.one END
                        WHERE (a.one = p.id OR a.other = p.id) AND NOT a.apart
                          AND q.removed_at IS NULL
                    ) AS is_duplicate,
                    EXISTS (
                        SELECT FROM replaced_files r WHERE r.picture_id = p.id
                    ) AS is_replaced
             FROM pictures p WHERE p.id = ANY ($1)",
            [ids.to_vec().into()],
        );
        let rows = Related::find_by_statement(statement).all(&self.db).await?;
        let relation = |row: Related| {
            let Related { id, is_duplicate, is_replaced } = row;
            (id, Relations { is_duplicate, is_replaced })
        };
        Ok(rows.into_iter().map(relation).collect())
    }

    /// The next pictures whose status is to be worked out again. A row that cannot be read keeps
    /// the status it has.
    pub async fn stale_pictures(&self, limit: u64) -> Result<Vec<Picture>, StoreError> {
        use crate::entities::picture::{Column, Entity};
        let sql = format!(
            "SELECT id FROM pictures WHERE revision <> status_revision ORDER BY id LIMIT {limit}"
        );
        let ids = Id::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        let query = Entity::find().filter(Column::Id.is_in(ids.into_iter().map(|row| row.id)));
        let (mut pictures, mut unreadable) = (Vec::new(), Vec::new());
        for row in query.all(&self.db).await? {
            let id = row.id;
            match Picture::try_from(row) {
                Ok(picture) => pictures.push(picture),
                Err(_) => unreadable.push(id),
            }
        }
        if !unreadable.is_empty() {
            let sql = "UPDATE pictures SET status_revision = revision WHERE id = ANY ($1)";
            self.db.execute_raw(self.statement(sql, [unreadable.into()])).await?;
        }
        Ok(pictures)
    }

    /// The pictures `ids`, removed ones among them.
    pub async fn pictures_with_removed(&self, ids: &[Uuid]) -> Result<Vec<Picture>, StoreError> {
        use crate::entities::picture::{Column, Entity};
        let query = Entity::find().filter(Column::Id.is_in(ids.iter().copied()));
        query.all(&self.db).await?.into_iter().map(Picture::try_from).collect()
    }

    /// The names of the pictures `ids`.
    pub async fn names_of(&self, ids: &[Uuid]) -> Result<HashMap<Uuid, String>, StoreError> {
        use crate::entities::picture::{Column, Entity};
        let query = Entity::find().filter(Column::Id.is_in(ids.iter().copied()));
        let names = query.select_only().columns([Column::Id, Column::Name]).into_tuple();
        Ok(names.all(&self.db).await?.into_iter().collect())
    }

    /// Whether some picture's status is to be worked out again.
    pub async fn has_stale_pictures(&self) -> Result<bool, StoreError> {
        let sql = "SELECT id FROM (
                SELECT picture_id AS id FROM stale_pictures
                UNION ALL SELECT id FROM pictures WHERE revision <> status_revision
            ) AS stale LIMIT 1";
        Ok(Id::find_by_statement(self.statement(sql, [])).one(&self.db).await?.is_some())
    }

    /// Counts what other rows made untrue as changes of the pictures themselves; false where there
    /// was nothing.
    pub async fn take_stale_notes(&self) -> Result<bool, StoreError> {
        // In the order of ids, so that two who do so at once do not wait for each other.
        let sql = "WITH noted AS (
                DELETE FROM stale_pictures WHERE id IN (
                    SELECT id FROM stale_pictures ORDER BY id LIMIT 5000 FOR UPDATE SKIP LOCKED
                ) RETURNING picture_id
            ), of AS (
                SELECT id FROM pictures WHERE id IN (SELECT picture_id FROM noted)
                ORDER BY id FOR NO KEY UPDATE
            ), counted AS (
                UPDATE pictures SET revision = revision + 1 WHERE id IN (SELECT id FROM of)
            )
            SELECT picture_id AS id FROM noted LIMIT 1";
        Ok(Id::find_by_statement(self.statement(sql, [])).one(&self.db).await?.is_some())
    }

    /// Keeps the status of pictures.
    pub async fn keep_status(&self, refreshed: &[RefreshedStatus]) -> Result<(), StoreError> {
        let rows: Vec<_> = refreshed
            .iter()
            .map(|RefreshedStatus { id, revision, uses, today, status }| {
                let possible = status.possible;
                let names: Vec<_> = status.issues.iter().map(|issue| issue.kind().name()).collect();
                serde_json::json!({
                    "id": id, "revision": revision, "uses": uses, "today": today, "short": status.short,
                    "low": possible.map(|p| p.low), "about": possible.map(|p| p.about),
                    "high": possible.map(|p| p.high), "severity": severity(&status.issues),
                    "issues": names,
                })
            })
            .collect();
        let statement = self.statement(
            // In the order of ids, as whoever changes pictures does.
            "WITH held AS (
                 SELECT id FROM pictures WHERE id IN (
                     SELECT id FROM jsonb_to_recordset($1) AS j (id uuid)
                 ) ORDER BY id FOR NO KEY UPDATE
             )
             UPDATE pictures p SET status_revision = j.revision, uses = j.uses, today = j.today,
                 possible_low = j.low, possible = j.about, possible_high = j.high,
                 short = j.short, severity = j.severity, issues = j.issues
             FROM jsonb_to_recordset($1) AS j (
                 id uuid, revision integer, uses integer, today bigint, low bigint, about bigint,
                 high bigint, short double precision, severity smallint, issues text[]
             ) JOIN held h ON h.id = j.id
             WHERE p.id = j.id",
            [serde_json::Value::from(rows).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }
}

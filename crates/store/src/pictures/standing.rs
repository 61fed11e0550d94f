//! How pictures stand: judged from what the store knows, and kept so that filters stay fast.

use std::collections::{BTreeMap, HashMap};

use brisk_margin_core::standing::Standing;
use brisk_margin_core::units::Bytes;
use sea_orm::{ColumnTrait, ConnectionTrait, EntityTrait, FromQueryResult, QueryFilter};
use uuid::Uuid;

use super::Picture;
use super::list::severity;
use crate::entities::{occurrence, slot};
use crate::layouts::{Occurrence, SlotRow};
use crate::{Store, StoreError};

/// A place that shows a picture.
#[derive(Debug, Clone)]
pub struct UsedIn {
    /// The place.
    pub place: Occurrence,
    /// Its slot.
    pub slot: SlotRow,
    /// Whether the picture was placed there by hand, or is what the page serves.
    pub placed: bool,
}

/// How one picture was judged.
#[derive(Debug, Clone)]
pub struct Judged {
    /// Its number.
    pub id: Uuid,
    /// What [`Picture::changed`] was when it was read: a change since then is still to be judged.
    pub changed: i32,
    /// How many places show it.
    pub uses: u32,
    /// What a page that shows it transfers today.
    pub today: Bytes,
    /// What is worth doing with it.
    pub standing: Standing,
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
    occurrence_id: Uuid,
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
    pub async fn uses_of(&self, ids: &[Uuid]) -> Result<HashMap<Uuid, Vec<UsedIn>>, StoreError> {
        let statement = self.statement(
            "SELECT o.id AS occurrence_id, p.id AS picture_id, true AS placed
             FROM occurrences o JOIN pictures p ON o.picture_id = p.id WHERE p.id = ANY ($1)
             UNION ALL
             SELECT o.id, p.id, false FROM pictures p
             JOIN occurrences o ON o.served @> to_jsonb(p.hash)
             WHERE p.id = ANY ($1) AND NOT p.is_copy AND o.picture_id IS NULL",
            [ids.to_vec().into()],
        );
        let uses = Use::find_by_statement(statement).all(&self.db).await?;
        let of: Vec<Uuid> = uses.iter().map(|found| found.occurrence_id).collect();
        let places = occurrence::Entity::find().filter(occurrence::Column::Id.is_in(of));
        let places = places.all(&self.db).await?.into_iter().map(Occurrence::try_from);
        let places: Vec<Occurrence> = places.collect::<Result<_, _>>()?;
        let slots = places.iter().map(|place| place.slot_id);
        let slots = slot::Entity::find().filter(slot::Column::Id.is_in(slots));
        let slots = slots.all(&self.db).await?.into_iter().map(SlotRow::try_from);
        let slots: Vec<SlotRow> = slots.collect::<Result<_, _>>()?;
        let places: BTreeMap<Uuid, Occurrence> = places.into_iter().map(|p| (p.id, p)).collect();
        let slots: HashMap<Uuid, SlotRow> = slots.into_iter().map(|s| (s.id, s)).collect();
        let mut found: HashMap<Uuid, Vec<UsedIn>> = HashMap::new();
        for used in uses {
            let Some(place) = places.get(&used.occurrence_id) else { continue };
            let Some(slot) = slots.get(&place.slot_id) else { continue };
            let place = UsedIn { place: place.clone(), slot: slot.clone(), placed: used.placed };
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

    /// The next pictures that have to be judged again.
    pub async fn stale_pictures(&self, limit: u64) -> Result<Vec<Picture>, StoreError> {
        let sql =
            format!("SELECT id FROM pictures WHERE changed <> judged ORDER BY id LIMIT {limit}");
        let ids = Id::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        let ids: Vec<Uuid> = ids.into_iter().map(|row| row.id).collect();
        self.pictures_with_removed(&ids).await
    }

    /// The pictures `ids`, removed ones among them.
    pub async fn pictures_with_removed(&self, ids: &[Uuid]) -> Result<Vec<Picture>, StoreError> {
        use crate::entities::picture::{Column, Entity};
        let query = Entity::find().filter(Column::Id.is_in(ids.iter().copied()));
        query.all(&self.db).await?.into_iter().map(Picture::try_from).collect()
    }

    /// Has pictures judged again: those of `ids`, or all.
    pub async fn make_stale(&self, ids: Option<&[Uuid]>) -> Result<(), StoreError> {
        let statement = self.statement(
            "UPDATE pictures SET changed = changed + 1 WHERE $1::uuid[] IS NULL OR id = ANY ($1)",
            [ids.map(<[Uuid]>::to_vec).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Has all pictures judged again that a page shows, or that it showed when they were judged.
    pub async fn make_used_stale(&self) -> Result<(), StoreError> {
        let statement = self.statement(
            "UPDATE pictures p SET changed = changed + 1 WHERE uses > 0 OR EXISTS (
                 SELECT FROM occurrences o WHERE o.picture_id = p.id
             ) OR EXISTS (
                 SELECT FROM occurrences o WHERE o.served @> to_jsonb(p.hash)
             )",
            [],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Keeps how pictures were judged.
    pub async fn keep_judged(&self, judged: &[Judged]) -> Result<(), StoreError> {
        let rows: Vec<_> = judged
            .iter()
            .map(|Judged { id, changed, uses, today, standing }| {
                let possible = standing.possible;
                serde_json::json!({
                    "id": id, "changed": changed, "uses": uses, "today": today, "short": standing.short,
                    "low": possible.map(|p| p.low), "about": possible.map(|p| p.about),
                    "high": possible.map(|p| p.high), "severity": severity(&standing.advice),
                    "advice": standing.advice,
                })
            })
            .collect();
        let statement = self.statement(
            "UPDATE pictures p SET judged = j.changed, uses = j.uses, today = j.today,
                 possible_low = j.low, possible = j.about, possible_high = j.high,
                 short = j.short, severity = j.severity, advice = j.advice
             FROM jsonb_to_recordset($1) AS j (
                 id uuid, changed integer, uses integer, today bigint, low bigint, about bigint,
                 high bigint, short double precision, severity smallint, advice text[]
             )
             WHERE p.id = j.id",
            [serde_json::Value::from(rows).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }
}

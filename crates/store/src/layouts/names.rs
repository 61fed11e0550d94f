//! What pages and slots are called that nobody named.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::page_name::{TitledPage, page_names};
use brisk_margin_core::slot_name::{SeenPlace, Surroundings, UnnamedSlot, slot_names};
use sea_orm::{
    ConnectionTrait, DbBackend, EntityTrait, FromQueryResult, Statement, TransactionTrait, Value,
};
use serde_json::json;
use uuid::Uuid;

use super::{Slot, read};
use crate::entities::slot;
use crate::{Store, StoreError};

#[derive(FromQueryResult)]
struct PageRow {
    id: Uuid,
    title: String,
    address: String,
    name: String,
}

#[derive(FromQueryResult)]
struct PlaceRow {
    slot_id: Uuid,
    page_id: Uuid,
    page: String,
    surroundings: Option<serde_json::Value>,
    alt: Option<String>,
}

impl Store {
    /// Names all pages, and all slots that nobody named, by all that is known of them.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn name_layouts(&self) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        name_pages(&transaction).await?;
        name_slots(&transaction, None).await?;
        Ok(transaction.commit().await?)
    }
}

/// Names the slots that nobody named, all of them or those among `only`, by what their pages are called
/// now.
pub(super) async fn name_slots(
    db: &impl ConnectionTrait,
    only: Option<&BTreeSet<Uuid>>,
) -> Result<(), StoreError> {
    let is_asked = |id: &Uuid| only.is_none_or(|only| only.contains(id));
    let rows = slot::Entity::find().all(db).await?;
    let (asked, others): (Vec<_>, Vec<_>) =
        rows.into_iter().partition(|row| !row.named_by_hand && is_asked(&row.id));
    let taken = others.into_iter().map(|row| row.name).collect();
    let slots: Vec<Slot> = asked.into_iter().map(Slot::try_from).collect::<Result<_, _>>()?;
    let places = places_of(db, slots.iter().map(|slot| slot.id)).await?;
    let mut seen: BTreeMap<Uuid, Vec<SeenPlace<'_>>> = BTreeMap::new();
    for (row, surroundings) in &places {
        let place = SeenPlace {
            page_id: row.page_id,
            page: &row.page,
            surroundings,
            alt: row.alt.as_deref(),
        };
        seen.entry(row.slot_id).or_default().push(place);
    }
    let unnamed: Vec<UnnamedSlot<'_>> = slots
        .iter()
        .map(|slot| UnnamedSlot {
            id: slot.id,
            kind: slot.kind,
            largest: slot.largest_box(),
            places: seen.remove(&slot.id).unwrap_or_default(),
        })
        .collect();
    let mut names = slot_names(&unnamed, &taken);
    for slot in &slots {
        if names.get(&slot.id) == Some(&slot.name) {
            names.remove(&slot.id);
        }
    }
    rename(db, "slots", names).await
}

/// Names the pages by what tells them apart.
async fn name_pages(db: &impl ConnectionTrait) -> Result<(), StoreError> {
    let sql = "SELECT id, title, address, name FROM pages";
    let rows = PageRow::find_by_statement(statement(sql, [])).all(db).await?;
    let titled: Vec<TitledPage<'_>> =
        rows.iter().map(|row| TitledPage { title: &row.title, address: &row.address }).collect();
    let names = rows.iter().zip(page_names(&titled));
    let new = names.filter(|(row, name)| row.name != *name).map(|(row, name)| (row.id, name));
    rename(db, "pages", new.collect()).await
}

/// The places of `slots`, each with what is around it.
async fn places_of(
    db: &impl ConnectionTrait,
    slots: impl Iterator<Item = Uuid>,
) -> Result<Vec<(PlaceRow, Surroundings)>, StoreError> {
    let sql =
        "SELECT slot_id, page_id, pages.name AS page, details->'surroundings' AS surroundings, details->>'alt' AS alt
               FROM places JOIN pages ON pages.id = page_id WHERE slot_id = ANY ($1) ORDER BY places.id";
    let ids: Vec<Uuid> = slots.collect();
    let rows = PlaceRow::find_by_statement(statement(sql, [ids.into()])).all(db).await?;
    let read = |mut row: PlaceRow| {
        let surroundings = row.surroundings.take().map(read).transpose()?.unwrap_or_default();
        Ok((row, surroundings))
    };
    rows.into_iter().map(read).collect()
}

fn statement(sql: &str, values: impl IntoIterator<Item = Value>) -> Statement {
    Statement::from_sql_and_values(DbBackend::Postgres, sql, values)
}

async fn rename(
    db: &impl ConnectionTrait,
    table: &str,
    names: BTreeMap<Uuid, String>,
) -> Result<(), StoreError> {
    if names.is_empty() {
        return Ok(());
    }
    let rows: Vec<_> = names.iter().map(|(id, name)| json!({"id": id, "name": name})).collect();
    let sql = format!(
        "UPDATE {table} t SET name = j.name
         FROM jsonb_to_recordset($1) AS j (id uuid, name text) WHERE t.id = j.id"
    );
    db.execute_raw(statement(&sql, [serde_json::Value::from(rows).into()])).await?;
    Ok(())
}

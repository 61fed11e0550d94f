//! Summaries of pages and slots: kept beside them, and worked out again where something that they
//! depend on was changed. Triggers note that, in the transaction that changes it.

use std::collections::BTreeSet;

use brisk_margin_core::layout_summary::{PageSummary, SlotSummary};
use brisk_margin_core::slot::Slot;
use sea_orm::{
    ColumnTrait, ConnectionTrait, DatabaseTransaction, EntityTrait, FromQueryResult, QueryFilter,
    QueryOrder, QuerySelect, TransactionTrait,
};
use serde_json::json;
use uuid::Uuid;

use super::{Page, Place, read};
use crate::entities::{page, place, slot};
use crate::{Store, StoreError};

/// Who holds this works summaries out: an older answer never follows a newer one.
const LOCK: i64 = 0x5355_4D4D;

/// Pages and slots whose summaries are to be worked out again, and the lock under which that is
/// done. Dropped, they stay to be done.
pub struct StaleLayouts {
    /// The pages; some may be gone.
    pub pages: BTreeSet<Uuid>,
    /// The slots; some may be gone.
    pub slots: BTreeSet<Uuid>,
    noted: (Vec<i64>, Vec<i64>),
    transaction: DatabaseTransaction,
}

#[derive(FromQueryResult)]
struct Noted {
    id: i64,
    of: Uuid,
}

impl Store {
    /// Up to `most` changed pages and slots each; nothing where all summaries hold.
    pub async fn stale_layouts(&self, most: u64) -> Result<Option<StaleLayouts>, StoreError> {
        let transaction = self.db.begin().await?;
        let lock = self.statement("SELECT pg_advisory_xact_lock($1)", [LOCK.into()]);
        transaction.execute_raw(lock).await?;
        let mut noted = Vec::new();
        for (table, column) in [("stale_pages", "page_id"), ("stale_slots", "slot_id")] {
            // All notes of each, since one may have been changed many times.
            let sql = format!(
                "SELECT id, {column} AS of FROM {table} WHERE {column} IN (
                     SELECT DISTINCT {column} FROM {table} ORDER BY {column} LIMIT {most}
                 )"
            );
            let rows = Noted::find_by_statement(self.statement(&sql, []));
            noted.push(rows.all(&transaction).await?);
        }
        let (slots, pages) = (noted.pop().unwrap_or_default(), noted.pop().unwrap_or_default());
        if pages.is_empty() && slots.is_empty() {
            return Ok(None);
        }
        Ok(Some(StaleLayouts {
            pages: pages.iter().map(|row| row.of).collect(),
            slots: slots.iter().map(|row| row.of).collect(),
            noted: (
                pages.iter().map(|row| row.id).collect(),
                slots.iter().map(|row| row.id).collect(),
            ),
            transaction,
        }))
    }

    /// Keeps the summaries that were worked out for `stale`.
    pub async fn keep_summaries(
        &self,
        stale: StaleLayouts,
        pages: &[(Uuid, PageSummary)],
        slots: &[(Uuid, SlotSummary)],
    ) -> Result<(), StoreError> {
        let StaleLayouts { noted, transaction, .. } = stale;
        let row = |id: &Uuid, summary| json!({"id": id, "summary": summary});
        let pages: Vec<_> = pages.iter().map(|(id, one)| row(id, super::json(one))).collect();
        let slots: Vec<_> = slots.iter().map(|(id, one)| row(id, super::json(one))).collect();
        for (table, rows, stale, ids) in
            [("pages", pages, "stale_pages", noted.0), ("slots", slots, "stale_slots", noted.1)]
        {
            let sql = format!(
                "UPDATE {table} t SET summary = j.summary
                 FROM jsonb_to_recordset($1) AS j (id uuid, summary jsonb) WHERE t.id = j.id"
            );
            let rows = serde_json::Value::from(rows);
            transaction.execute_raw(self.statement(&sql, [rows.into()])).await?;
            let sql = format!("DELETE FROM {stale} WHERE id = ANY ($1)");
            transaction.execute_raw(self.statement(&sql, [ids.into()])).await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Every measured page, by address, with its summary.
    pub async fn summed_pages(&self) -> Result<Vec<(Page, PageSummary)>, StoreError> {
        let rows = page::Entity::find().order_by_asc(page::Column::Address).all(&self.db).await?;
        let read = |mut row: page::Model| {
            let summary = row.summary.take().map(read).transpose()?.unwrap_or_default();
            Ok((row.try_into()?, summary))
        };
        rows.into_iter().map(read).collect()
    }

    /// Every slot, in the order of recognition, with its summary.
    pub async fn summed_slots(&self) -> Result<Vec<(Slot, SlotSummary)>, StoreError> {
        let rows = slot::Entity::find().order_by_asc(slot::Column::Id).all(&self.db).await?;
        let read = |mut row: slot::Model| {
            let summary = row.summary.take().map(read).transpose()?.unwrap_or_default();
            Ok((row.try_into()?, summary))
        };
        rows.into_iter().map(read).collect()
    }

    /// The places on `pages`, in their order.
    pub async fn places_on(&self, pages: &BTreeSet<Uuid>) -> Result<Vec<Place>, StoreError> {
        let query = place::Entity::find().order_by_asc(place::Column::Id);
        let query = query.filter(place::Column::PageId.is_in(pages.iter().copied()));
        query.all(&self.db).await?.into_iter().map(Place::try_from).collect()
    }

    /// How many places are alike to another slot in the markup, but laid out differently.
    pub async fn count_uncertain(&self) -> Result<u64, StoreError> {
        let query = place::Entity::find().filter(place::Column::Uncertain.eq(true));
        let query = query.select_only().column_as(place::Column::Id.count(), "count");
        let count: Option<i64> = query.into_tuple().one(&self.db).await?;
        Ok(count.unwrap_or_default().unsigned_abs())
    }
}

//! What pages transfer at each layout width, what they weighed before, and their budgets.

use std::collections::{BTreeMap, HashMap};

use brisk_margin_core::content::{ContentClass, WeightSample};
use brisk_margin_core::load::margin::PageBudgets;
use brisk_margin_core::load::{PageRequests, PageWeight};
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult};
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// What a page weighed at a time.
#[derive(Debug, Clone, PartialEq)]
pub struct PastWeight {
    /// What it transferred.
    pub weight: PageWeight,
    /// Since when.
    pub measured_at: DateTime<Utc>,
}

/// A picture whose original a page serves.
#[derive(Debug, Clone, PartialEq)]
pub struct ServedPicture {
    /// The picture.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What kind it is and how heavy to encode, once it was looked at.
    pub analysis: Option<(ContentClass, WeightSample)>,
}

#[derive(FromQueryResult)]
struct LoadRow {
    page_id: Uuid,
    requests: serde_json::Value,
}

#[derive(FromQueryResult)]
struct BudgetRow {
    page_id: Uuid,
    budgets: serde_json::Value,
}

#[derive(FromQueryResult)]
struct WeightRow {
    weight: serde_json::Value,
    measured_at: DateTime<Utc>,
}

#[derive(FromQueryResult)]
struct ServedRow {
    id: Uuid,
    name: String,
    hash: String,
    class: Option<String>,
    sample: Option<serde_json::Value>,
}

#[derive(FromQueryResult)]
struct Width {
    viewport: i32,
}

/// Keeps what page `id` transfers, and notes where it weighs other than before.
pub(crate) async fn keep_loads(
    store: &Store,
    transaction: &DatabaseTransaction,
    id: Uuid,
    loads: &BTreeMap<u32, PageRequests>,
) -> Result<(), StoreError> {
    let widths: Vec<i32> = loads.keys().map(|&width| width as i32).collect();
    let gone = "DELETE FROM page_loads WHERE page_id = $1 AND viewport <> ALL ($2)";
    transaction.execute_raw(store.statement(gone, [id.into(), widths.into()])).await?;
    let rows = loads.iter().map(|(width, requests)| {
        let weight = PageWeight::of(requests);
        serde_json::json!({"viewport": width, "requests": requests, "weight": weight})
    });
    let rows = serde_json::Value::from_iter(rows);
    let keep = "INSERT INTO page_loads (page_id, viewport, requests)
        SELECT $1, j.viewport, j.requests
        FROM jsonb_to_recordset($2) AS j (viewport integer, requests jsonb)
        ON CONFLICT (page_id, viewport) DO UPDATE SET requests = excluded.requests";
    transaction.execute_raw(store.statement(keep, [id.into(), rows.clone().into()])).await?;
    let note = "INSERT INTO page_weights (page_id, viewport, weight)
        SELECT $1, j.viewport, j.weight
        FROM jsonb_to_recordset($2) AS j (viewport integer, weight jsonb)
        WHERE j.weight IS DISTINCT FROM (
            SELECT weight FROM page_weights w
            WHERE w.page_id = $1 AND w.viewport = j.viewport ORDER BY w.id DESC LIMIT 1
        )";
    transaction.execute_raw(store.statement(note, [id.into(), rows.into()])).await?;
    Ok(())
}

impl Store {
    /// The layout widths at which it is known what pages transfer, the narrowest first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn load_widths(&self) -> Result<Vec<u32>, StoreError> {
        let sql = "SELECT DISTINCT viewport FROM page_loads ORDER BY viewport";
        let rows = Width::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| row.viewport.unsigned_abs()).collect())
    }

    /// What each page transfers at a layout width, as far as that was measured.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_loads(&self, width: u32) -> Result<HashMap<Uuid, PageRequests>, StoreError> {
        let sql = "SELECT page_id, requests FROM page_loads WHERE viewport = $1";
        let statement = self.statement(sql, [(width as i32).into()]);
        let rows = LoadRow::find_by_statement(statement).all(&self.db).await?;
        rows.into_iter().map(|row| Ok((row.page_id, read(row.requests)?))).collect()
    }

    /// What page `id` transfers at a layout width; nothing where that was not measured.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_load(
        &self,
        id: Uuid,
        width: u32,
    ) -> Result<Option<PageRequests>, StoreError> {
        let sql = "SELECT page_id, requests FROM page_loads WHERE page_id = $1 AND viewport = $2";
        let statement = self.statement(sql, [id.into(), (width as i32).into()]);
        let row = LoadRow::find_by_statement(statement).one(&self.db).await?;
        row.map(|row| read(row.requests)).transpose()
    }

    /// What page `id` weighed at a layout width, the newest first: the last `most` weights that differed from the one
    /// before.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn past_weights(
        &self,
        id: Uuid,
        width: u32,
        most: u64,
    ) -> Result<Vec<PastWeight>, StoreError> {
        let sql = format!(
            "SELECT weight, measured_at FROM page_weights WHERE page_id = $1 AND viewport = $2
             ORDER BY id DESC LIMIT {most}"
        );
        let statement = self.statement(&sql, [id.into(), (width as i32).into()]);
        let rows = WeightRow::find_by_statement(statement).all(&self.db).await?;
        let past = |row: WeightRow| {
            Ok(PastWeight { weight: read(row.weight)?, measured_at: row.measured_at })
        };
        rows.into_iter().map(past).collect()
    }

    /// What was said of the budgets of pages.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_budgets(&self) -> Result<HashMap<Uuid, PageBudgets>, StoreError> {
        let sql = "SELECT page_id, budgets FROM page_budgets";
        let rows = BudgetRow::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        rows.into_iter().map(|row| Ok((row.page_id, read(row.budgets)?))).collect()
    }

    /// Says what page `id` may weigh and take; false where there is no such page.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn say_page_budgets(
        &self,
        id: Uuid,
        budgets: PageBudgets,
    ) -> Result<bool, StoreError> {
        let sql = "INSERT INTO page_budgets (page_id, budgets)
            SELECT id, $2 FROM pages WHERE id = $1
            ON CONFLICT (page_id) DO UPDATE SET budgets = excluded.budgets";
        let statement = self.statement(sql, [id.into(), json(&budgets).into()]);
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }

    /// The pictures whose originals have these hashes.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn served_pictures(
        &self,
        hashes: Vec<String>,
    ) -> Result<HashMap<String, ServedPicture>, StoreError> {
        let sql = "SELECT id, name, hash, class, sample FROM pictures
            WHERE hash = ANY ($1) AND NOT is_copy AND removed_at IS NULL";
        let statement = self.statement(sql, [hashes.into()]);
        let rows = ServedRow::find_by_statement(statement).all(&self.db).await?;
        let served = |row: ServedRow| {
            let class = row.class.as_deref().and_then(ContentClass::named);
            let analysis = match (class, row.sample) {
                (Some(class), Some(sample)) => Some((class, read(sample)?)),
                _ => None,
            };
            Ok((row.hash, ServedPicture { id: row.id, name: row.name, analysis }))
        };
        rows.into_iter().map(served).collect()
    }
}

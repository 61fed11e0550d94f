//! Overruns: pages that went over a budget, until somebody was told.

use brisk_margin_core::units::{Bytes, Millis};
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult};
use uuid::Uuid;

use crate::{Store, StoreError};

/// By how much a page is over its budgets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Overrun {
    /// The page.
    pub page: Uuid,
    /// In bytes; nothing where it keeps to that budget.
    pub bytes: Option<Bytes>,
    /// In time.
    pub time: Option<Millis>,
}

/// An overrun that arose, of which nobody was told yet.
#[derive(Debug, Clone, PartialEq)]
pub struct NewOverrun {
    /// It.
    pub overrun: Overrun,
    /// What the page is called.
    pub page_name: String,
    /// When it arose.
    pub since: DateTime<Utc>,
}

#[derive(FromQueryResult)]
struct Row {
    page_id: Uuid,
    name: String,
    bytes: Option<i64>,
    ms: Option<f64>,
    since: DateTime<Utc>,
}

impl Store {
    /// Notes how pages stand to their budgets now. One that was not over before arose; so does nothing of a page
    /// that is seen for the first time.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn note_overruns(&self, pages: &[Overrun]) -> Result<(), StoreError> {
        let ids: Vec<Uuid> = pages.iter().map(|one| one.page).collect();
        let bytes: Vec<i64> =
            pages.iter().map(|one| one.bytes.map_or(0, |bytes| bytes.get() as i64)).collect();
        let times: Vec<f64> =
            pages.iter().map(|one| one.time.map_or(0.0, |time| time.get())).collect();
        let arose = "(overruns.bytes IS NULL AND excluded.bytes IS NOT NULL
            OR overruns.ms IS NULL AND excluded.ms IS NOT NULL)";
        let sql = format!(
            "INSERT INTO overruns (page_id, bytes, ms)
             SELECT w.page, nullif(w.bytes, 0), nullif(w.ms, 0)
             FROM unnest($1::uuid[], $2::bigint[], $3::float8[]) AS w (page, bytes, ms)
             JOIN pages p ON p.id = w.page
             ON CONFLICT (page_id) DO UPDATE SET bytes = excluded.bytes, ms = excluded.ms,
                 is_seen = overruns.is_seen AND NOT {arose},
                 since = CASE WHEN {arose} THEN now() ELSE overruns.since END
             WHERE (overruns.bytes, overruns.ms)
                 IS DISTINCT FROM (excluded.bytes, excluded.ms)"
        );
        let statement = self.statement(&sql, [ids.into(), bytes.into(), times.into()]);
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Overruns that arose and of which nobody was told yet, the newest first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn new_overruns(&self) -> Result<Vec<NewOverrun>, StoreError> {
        let sql = "SELECT o.page_id, p.name, o.bytes, o.ms, o.since
             FROM overruns o JOIN pages p ON p.id = o.page_id
             WHERE NOT o.is_seen AND (o.bytes IS NOT NULL OR o.ms IS NOT NULL)
             ORDER BY o.since DESC, p.name";
        let rows = Row::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        let new = rows.into_iter().map(|row| NewOverrun {
            overrun: Overrun {
                page: row.page_id,
                bytes: row.bytes.map(|bytes| Bytes(bytes.unsigned_abs())),
                time: row.ms.and_then(|ms| Millis::new(ms).ok()),
            },
            page_name: row.name,
            since: row.since,
        });
        Ok(new.collect())
    }

    /// Notes that somebody was told of all that arose.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn see_overruns(&self) -> Result<(), StoreError> {
        let sql = "UPDATE overruns SET is_seen = true WHERE NOT is_seen";
        self.db.execute_raw(self.statement(sql, [])).await?;
        Ok(())
    }
}

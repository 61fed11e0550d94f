//! Filters of the library that were saved by name.

use sea_orm::{ConnectionTrait, FromQueryResult};
use serde::Serialize;
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::pictures::Filter;
use crate::{Store, StoreError};

/// A filter under its name.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SavedFilter {
    /// Its number.
    pub id: Uuid,
    /// Its name, which no other filter has.
    pub name: String,
    /// What it lets through.
    pub filter: Filter,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    name: String,
    query: serde_json::Value,
}

impl Store {
    /// Every saved filter, by name.
    pub async fn saved_filters(&self) -> Result<Vec<SavedFilter>, StoreError> {
        let sql = "SELECT id, name, query FROM saved_filters ORDER BY lower(name)";
        let rows = Row::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        let saved =
            |row: Row| Ok(SavedFilter { id: row.id, name: row.name, filter: read(row.query)? });
        rows.into_iter().map(saved).collect()
    }

    /// Saves `filter` under `name`, in place of the one that had that name.
    pub async fn save_filter(&self, name: &str, filter: &Filter) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO saved_filters (id, name, query) VALUES ($1, $2, $3)
             ON CONFLICT (name) DO UPDATE SET query = excluded.query",
            [Uuid::now_v7().into(), name.to_owned().into(), json(filter).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// Calls filter `id` `name`; returns what it was called, nothing where there is none.
    ///
    /// # Errors
    /// [`StoreError::SameName`] where another filter is called so.
    pub async fn rename_filter(&self, id: Uuid, name: &str) -> Result<Option<String>, StoreError> {
        let sql = "UPDATE saved_filters f SET name = $2 FROM saved_filters before
                   WHERE f.id = $1 AND before.id = f.id
                   RETURNING before.id, before.name, before.query";
        let statement = self.statement(sql, [id.into(), name.to_owned().into()]);
        let row = Row::find_by_statement(statement).one(&self.db).await;
        let row = row.map_err(|error| StoreError::of_name(error, name))?;
        Ok(row.map(|row| row.name))
    }

    /// Forgets filter `id`; returns it, so that it can be saved again.
    pub async fn forget_filter(&self, id: Uuid) -> Result<Option<SavedFilter>, StoreError> {
        let sql = "DELETE FROM saved_filters WHERE id = $1 RETURNING id, name, query";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(|row| Ok(SavedFilter { id: row.id, name: row.name, filter: read(row.query)? }))
            .transpose()
    }
}

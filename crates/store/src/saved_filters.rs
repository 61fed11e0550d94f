//! Filters of the library that were saved by name.

use brisk_margin_core::seen::Seen;
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde::Serialize;
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::pictures::Filter;
use crate::{Store, StoreError, saving};

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

    /// Saves `filter` under `name`, in the place of the one that was `seen` under it.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where another has that name by now.
    pub async fn save_filter(
        &self,
        name: &str,
        filter: &Filter,
        seen: &Seen<Filter>,
    ) -> Result<(), StoreError> {
        let turn = self.turn_to_save(&format!("filter {name}")).await?;
        let sql = "SELECT id, name, query FROM saved_filters WHERE name = $1";
        let now = Row::find_by_statement(self.statement(sql, [name.into()])).one(&turn).await?;
        let now = now.map(|row| read(row.query)).transpose()?;
        saving::check(seen, now.as_ref())?;
        let statement = self.statement(
            "INSERT INTO saved_filters (id, name, query) VALUES ($1, $2, $3)
             ON CONFLICT (name) DO UPDATE SET query = excluded.query",
            [Uuid::now_v7().into(), name.to_owned().into(), json(filter).into()],
        );
        turn.execute_raw(statement).await?;
        Ok(turn.commit().await?)
    }

    /// Calls filter `id` `name`, which was `seen` under another; returns what it was called, nothing where there
    /// is none.
    ///
    /// # Errors
    /// [`StoreError::SameName`] where another filter is called so, and [`StoreError::SavedMeanwhile`]
    /// where this one is called otherwise by now.
    pub async fn rename_filter(
        &self,
        id: Uuid,
        name: &str,
        seen: &Seen<String>,
    ) -> Result<Option<String>, StoreError> {
        let turn = self.turn_to_save(&format!("filter {id}")).await?;
        let sql = "UPDATE saved_filters f SET name = $2 FROM saved_filters before
                   WHERE f.id = $1 AND before.id = f.id
                   RETURNING before.id, before.name, before.query";
        let statement = self.statement(sql, [id.into(), name.to_owned().into()]);
        let row = Row::find_by_statement(statement).one(&turn).await;
        let row = row.map_err(|error| StoreError::of_name(error, name))?;
        let Some(before) = row.map(|row| row.name) else { return Ok(None) };
        saving::check(seen, Some(&before))?;
        turn.commit().await?;
        Ok(Some(before))
    }

    /// Forgets filter `id`; returns it, so that it can be saved again.
    pub async fn forget_filter(&self, id: Uuid) -> Result<Option<SavedFilter>, StoreError> {
        let sql = "DELETE FROM saved_filters WHERE id = $1 RETURNING id, name, query";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(|row| Ok(SavedFilter { id: row.id, name: row.name, filter: read(row.query)? }))
            .transpose()
    }
}

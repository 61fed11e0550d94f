//! Lists of edits that were saved by name, to be laid on other pictures.

use brisk_margin_core::finish::Finish;
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde::Serialize;
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// A list of edits under its name.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NamedFinish {
    /// Its number.
    pub id: Uuid,
    /// Its name, which no other list has.
    pub name: String,
    /// The edits.
    pub finish: Finish,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    name: String,
    finish: serde_json::Value,
}

impl TryFrom<Row> for NamedFinish {
    type Error = StoreError;

    fn try_from(row: Row) -> Result<Self, StoreError> {
        Ok(Self { id: row.id, name: row.name, finish: read(row.finish)? })
    }
}

impl Store {
    /// Every list that was saved, by name.
    pub async fn finishes(&self) -> Result<Vec<NamedFinish>, StoreError> {
        let sql = "SELECT id, name, finish FROM finishes ORDER BY lower(name)";
        let rows = Row::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        rows.into_iter().map(NamedFinish::try_from).collect()
    }

    /// Saves `finish` under `name`, in place of the one that had that name.
    pub async fn save_finish(&self, name: &str, finish: &Finish) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO finishes (id, name, finish) VALUES ($1, $2, $3)
             ON CONFLICT (name) DO UPDATE SET finish = excluded.finish",
            [Uuid::now_v7().into(), name.to_owned().into(), json(finish).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The list `id`.
    pub async fn finish(&self, id: Uuid) -> Result<Option<NamedFinish>, StoreError> {
        let sql = "SELECT id, name, finish FROM finishes WHERE id = $1";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(NamedFinish::try_from).transpose()
    }

    /// Forgets list `id`; returns it, so that it can be saved again. Pictures keep their edits.
    pub async fn forget_finish(&self, id: Uuid) -> Result<Option<NamedFinish>, StoreError> {
        let sql = "DELETE FROM finishes WHERE id = $1 RETURNING id, name, finish";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(NamedFinish::try_from).transpose()
    }
}

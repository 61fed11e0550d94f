//! Lists of edits that were saved by name, to be laid on other pictures.

use brisk_margin_core::edits::EditList;
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde::Serialize;
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// A list of edits under its name.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EditPreset {
    /// Its number.
    pub id: Uuid,
    /// Its name, which no other list has.
    pub name: String,
    /// The edits.
    pub edits: EditList,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    name: String,
    edits: serde_json::Value,
}

impl TryFrom<Row> for EditPreset {
    type Error = StoreError;

    fn try_from(row: Row) -> Result<Self, StoreError> {
        Ok(Self { id: row.id, name: row.name, edits: read(row.edits)? })
    }
}

impl Store {
    /// Every list that was saved, by name.
    pub async fn edit_presets(&self) -> Result<Vec<EditPreset>, StoreError> {
        let sql = "SELECT id, name, edits FROM edit_presets ORDER BY lower(name)";
        let rows = Row::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        rows.into_iter().map(EditPreset::try_from).collect()
    }

    /// Saves `edits` under `name`, in place of the one that had that name.
    pub async fn save_edit_preset(&self, name: &str, edits: &EditList) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO edit_presets (id, name, edits) VALUES ($1, $2, $3)
             ON CONFLICT (name) DO UPDATE SET edits = excluded.edits",
            [Uuid::now_v7().into(), name.to_owned().into(), json(edits).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The list `id`.
    pub async fn edit_preset(&self, id: Uuid) -> Result<Option<EditPreset>, StoreError> {
        let sql = "SELECT id, name, edits FROM edit_presets WHERE id = $1";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(EditPreset::try_from).transpose()
    }

    /// Forgets list `id`; returns it, so that it can be saved again. Pictures keep their edits.
    pub async fn delete_edit_preset(&self, id: Uuid) -> Result<Option<EditPreset>, StoreError> {
        let sql = "DELETE FROM edit_presets WHERE id = $1 RETURNING id, name, edits";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(EditPreset::try_from).transpose()
    }
}

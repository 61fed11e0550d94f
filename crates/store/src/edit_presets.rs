//! Lists of edits that were saved by name, to be laid on other pictures.

use brisk_margin_core::edits::EditList;
use brisk_margin_core::seen::Seen;
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde::Serialize;
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError, saving};

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

    /// Saves `edits` under `name`, in the place of those that were `seen` under it.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where others have that name by now.
    pub async fn save_edit_preset(
        &self,
        name: &str,
        edits: &EditList,
        seen: &Seen<EditList>,
    ) -> Result<(), StoreError> {
        let turn = self.turn_to_save(&format!("edit preset {name}")).await?;
        let sql = "SELECT id, name, edits FROM edit_presets WHERE name = $1";
        let now = Row::find_by_statement(self.statement(sql, [name.into()])).one(&turn).await?;
        let now = now.map(EditPreset::try_from).transpose()?.map(|preset| preset.edits);
        saving::check(seen, now.as_ref())?;
        let statement = self.statement(
            "INSERT INTO edit_presets (id, name, edits) VALUES ($1, $2, $3)
             ON CONFLICT (name) DO UPDATE SET edits = excluded.edits",
            [Uuid::now_v7().into(), name.to_owned().into(), json(edits).into()],
        );
        turn.execute_raw(statement).await?;
        Ok(turn.commit().await?)
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

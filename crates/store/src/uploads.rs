//! Uploads that can be resumed: what is expected; the bytes themselves lie in the spool.

use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult};
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError};
use brisk_margin_core::site::ImportAction;

/// An upload that is under way.
#[derive(Debug, Clone, PartialEq)]
pub struct Upload {
    /// Its number.
    pub id: Uuid,
    /// The file's name, as it came.
    pub name: String,
    /// The folder of the library that it goes into.
    pub folder: String,
    /// How many bytes there will be.
    pub bytes: Bytes,
    /// What is done with the picture; nothing for the site's own rule.
    pub import_action: Option<ImportAction>,
    /// When it began.
    pub made_at: DateTime<Utc>,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    name: String,
    folder: String,
    bytes: i64,
    import_action: serde_json::Value,
    made_at: DateTime<Utc>,
}

impl TryFrom<Row> for Upload {
    type Error = StoreError;

    fn try_from(row: Row) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            name: row.name,
            folder: row.folder,
            bytes: Bytes(row.bytes.unsigned_abs()),
            import_action: read(row.import_action)?,
            made_at: row.made_at,
        })
    }
}

impl Store {
    /// Expects an upload.
    pub async fn expect_upload(&self, upload: &Upload) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO uploads (id, name, folder, bytes, import_action, made_at)
             VALUES ($1, $2, $3, $4, $5, $6)",
            [
                upload.id.into(),
                upload.name.clone().into(),
                upload.folder.clone().into(),
                (upload.bytes.get() as i64).into(),
                json(&upload.import_action).into(),
                upload.made_at.into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The upload `id`.
    pub async fn upload(&self, id: Uuid) -> Result<Option<Upload>, StoreError> {
        let sql =
            "SELECT id, name, folder, bytes, import_action, made_at FROM uploads WHERE id = $1";
        let row = Row::find_by_statement(self.statement(sql, [id.into()])).one(&self.db).await?;
        row.map(Upload::try_from).transpose()
    }

    /// Every upload under way, the oldest first.
    pub async fn uploads(&self) -> Result<Vec<Upload>, StoreError> {
        let sql = "SELECT id, name, folder, bytes, import_action, made_at FROM uploads ORDER BY id";
        let rows = Row::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        rows.into_iter().map(Upload::try_from).collect()
    }

    /// Forgets upload `id`; false where there is none.
    pub async fn forget_upload(&self, id: Uuid) -> Result<bool, StoreError> {
        let statement = self.statement("DELETE FROM uploads WHERE id = $1", [id.into()]);
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }
}

//! Files in the site's own folder, and what became of them.

use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use crate::{BlobHash, Store, StoreError};

/// A file in the site's folder, as it was looked at last.
#[derive(Debug, Clone, PartialEq)]
pub struct FolderFile {
    /// Its path below the folder, with forward slashes.
    pub path: String,
    /// Its length.
    pub bytes: Bytes,
    /// When it was written.
    pub modified_at: DateTime<Utc>,
    /// The hash of its bytes, where it was taken.
    pub hash: Option<BlobHash>,
    /// The picture that it became.
    pub picture_id: Option<Uuid>,
    /// Why it was not taken.
    pub refusal: Option<String>,
}

#[derive(FromQueryResult)]
struct Row {
    path: String,
    bytes: i64,
    modified_at: DateTime<Utc>,
    hash: Option<String>,
    picture_id: Option<Uuid>,
    refusal: Option<String>,
}

impl Store {
    /// Every file of the site's folder that is known of, by path.
    pub async fn folder_files(&self) -> Result<Vec<FolderFile>, StoreError> {
        let sql = "SELECT path, bytes, modified_at, hash, picture_id, refusal FROM folder_files
                   ORDER BY path";
        let rows = Row::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        let file = |row: Row| FolderFile {
            path: row.path,
            bytes: Bytes(row.bytes.unsigned_abs()),
            modified_at: row.modified_at,
            hash: row.hash.as_deref().map(BlobHash::stored),
            picture_id: row.picture_id,
            refusal: row.refusal,
        };
        Ok(rows.into_iter().map(file).collect())
    }

    /// Keeps what became of `file`. Where another picture lay at its path before, that one counts
    /// as replaced.
    pub async fn keep_folder_file(&self, file: &FolderFile) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        let before = self.statement(
            "SELECT path, bytes, modified_at, hash, picture_id, refusal FROM folder_files
             WHERE path = $1 FOR UPDATE",
            [file.path.clone().into()],
        );
        let before = Row::find_by_statement(before).one(&transaction).await?;
        let replaced = before
            .and_then(|row| row.picture_id)
            .filter(|before| file.picture_id.is_some_and(|now| now != *before));
        let keep = self.statement(
            "INSERT INTO folder_files (path, bytes, modified_at, hash, picture_id, refusal)
             VALUES ($1, $2, $3, $4, $5, $6)
             ON CONFLICT (path) DO UPDATE SET bytes = excluded.bytes,
                 modified_at = excluded.modified_at, hash = excluded.hash,
                 picture_id = coalesce(excluded.picture_id, folder_files.picture_id),
                 refusal = excluded.refusal",
            [
                file.path.clone().into(),
                (file.bytes.get() as i64).into(),
                file.modified_at.into(),
                file.hash.as_ref().map(|hash| hash.as_str().to_owned()).into(),
                file.picture_id.into(),
                file.refusal.clone().into(),
            ],
        );
        transaction.execute_raw(keep).await?;
        if let Some(replaced) = replaced {
            let note = self.statement(
                "INSERT INTO replaced_files (path, picture_id, replaced_at) VALUES ($1, $2, now())
                 ON CONFLICT DO NOTHING",
                [file.path.clone().into(), replaced.into()],
            );
            transaction.execute_raw(note).await?;
        }
        if let Some(now) = file.picture_id {
            // A picture that came back to its path is not replaced there any more.
            let back = self.statement(
                "DELETE FROM replaced_files WHERE path = $1 AND picture_id = $2",
                [file.path.clone().into(), now.into()],
            );
            transaction.execute_raw(back).await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Forgets files that are not in the folder any more.
    pub async fn forget_folder_files(&self, paths: &[String]) -> Result<(), StoreError> {
        let sql = "DELETE FROM folder_files WHERE path = ANY ($1)";
        self.db.execute_raw(self.statement(sql, [paths.to_vec().into()])).await?;
        Ok(())
    }
}

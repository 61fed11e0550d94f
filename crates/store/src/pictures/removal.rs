//! Removed pictures: brought back, uses and all, until their time is over.

use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use super::{Edit, Edits};
use crate::{BlobHash, Store, StoreError};

/// Held by whoever stores an original, and by whoever deletes one.
pub(crate) const ORIGINALS: i64 = 0x6d61_7267_696e;

#[derive(FromQueryResult)]
struct Gone {
    hash: String,
}

impl Store {
    /// Brings pictures back.
    pub async fn bring_back(&self, ids: &[Uuid]) -> Result<(), StoreError> {
        let edit = Edit { removed: Some(false), ..Edit::default() };
        let pictures = ids.iter().map(|&id| (id, edit.clone())).collect();
        self.edit("brought back", &Edits { pictures, ..Edits::default() }).await?;
        Ok(())
    }

    /// Forgets pictures that were removed before `then`, rows and originals; returns how many.
    ///
    /// An original is deleted only while nobody can store the same bytes, and only where neither
    /// a file that was made nor a place on a page has them.
    pub async fn forget_removed(&self, then: DateTime<Utc>) -> Result<usize, StoreError> {
        let transaction = self.db.begin().await?;
        let lock = self.statement("SELECT pg_advisory_xact_lock($1)", [ORIGINALS.into()]);
        transaction.execute_raw(lock).await?;
        let variants = self.statement(
            "DELETE FROM variants WHERE picture_id IN (
                 SELECT id FROM pictures WHERE removed_at < $1
             )",
            [then.into()],
        );
        transaction.execute_raw(variants).await?;
        let pictures = self
            .statement("DELETE FROM pictures WHERE removed_at < $1 RETURNING hash", [then.into()]);
        let gone = Gone::find_by_statement(pictures).all(&transaction).await?;
        for Gone { hash } in &gone {
            let used = self.statement(
                "SELECT hash FROM variants WHERE hash = $1
                 UNION ALL
                 SELECT $1::text FROM occurrences WHERE served @> to_jsonb($1::text) LIMIT 1",
                [hash.clone().into()],
            );
            if Gone::find_by_statement(used).one(&transaction).await?.is_none() {
                self.blobs.delete(&BlobHash::stored(hash)).await?;
            }
        }
        transaction.commit().await?;
        Ok(gone.len())
    }
}

//! Removed pictures: brought back, uses and all, until their time is over.

use chrono::{DateTime, Utc};
use sea_orm::FromQueryResult;
use uuid::Uuid;

use super::{ChangeSet, FieldChange};
use crate::{Store, StoreError};

#[derive(FromQueryResult)]
#[expect(dead_code, reason = "only counted")]
struct Hash {
    hash: String,
}

impl Store {
    /// Brings pictures back.
    pub async fn bring_back(&self, ids: &[Uuid]) -> Result<(), StoreError> {
        let edit = FieldChange { removed: Some(false), ..FieldChange::default() };
        let pictures = ids.iter().map(|&id| (id, edit.clone())).collect();
        self.edit("brought back", &ChangeSet { pictures, ..ChangeSet::default() }).await?;
        Ok(())
    }

    /// Forgets pictures that were removed before `then`, with the files made of them; returns how
    /// many. Their bytes stay until [`Installation::delete_unused_bytes`](crate::Installation::delete_unused_bytes).
    pub async fn forget_removed(&self, then: DateTime<Utc>) -> Result<usize, StoreError> {
        let statement = self.statement(
            "WITH forgotten AS (
                 SELECT id FROM pictures WHERE removed_at < $1
             ), files AS (
                 DELETE FROM variants WHERE picture_id IN (SELECT id FROM forgotten) RETURNING hash
             ), gone AS (
                 DELETE FROM pictures WHERE id IN (SELECT id FROM forgotten) RETURNING hash
             ), noted AS (
                 INSERT INTO unused_bytes (hash, since)
                 SELECT hash, now() FROM files UNION SELECT hash, now() FROM gone
                 ON CONFLICT DO NOTHING
             )
             SELECT hash FROM gone",
            [then.into()],
        );
        Ok(Hash::find_by_statement(statement).all(&self.db).await?.len())
    }
}

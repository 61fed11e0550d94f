//! Removed pictures: brought back, uses and all, until their time is over.

use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use super::{ChangeSet, FieldChange};
use crate::{BYTES, BlobHash, Store, StoreError};

#[derive(FromQueryResult)]
#[expect(dead_code, reason = "only counted")]
struct Hash {
    hash: String,
}

#[derive(FromQueryResult)]
struct Orphan {
    hash: String,
    is_used: bool,
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
    /// many. Their bytes stay until [`Store::delete_orphans`].
    pub async fn forget_removed(&self, then: DateTime<Utc>) -> Result<usize, StoreError> {
        let statement = self.statement(
            "WITH forgotten AS (
                 SELECT id FROM pictures WHERE removed_at < $1
             ), files AS (
                 DELETE FROM variants WHERE picture_id IN (SELECT id FROM forgotten) RETURNING hash
             ), gone AS (
                 DELETE FROM pictures WHERE id IN (SELECT id FROM forgotten) RETURNING hash
             ), noted AS (
                 INSERT INTO orphans (hash, since)
                 SELECT hash, now() FROM files UNION SELECT hash, now() FROM gone
                 ON CONFLICT DO NOTHING
             )
             SELECT hash FROM gone",
            [then.into()],
        );
        Ok(Hash::find_by_statement(statement).all(&self.db).await?.len())
    }

    /// Deletes bytes of which no row has spoken since before `then`, while nobody can store the
    /// same ones; returns how many. Rows went before bytes, so that an end in the middle leaves
    /// bytes too many and never too few.
    pub async fn delete_orphans(&self, then: DateTime<Utc>) -> Result<usize, StoreError> {
        let transaction = self.db.begin().await?;
        let lock = self.statement("SELECT pg_advisory_xact_lock($1)", [BYTES.into()]);
        transaction.execute_raw(lock).await?;
        let old = self.statement(
            "DELETE FROM orphans o WHERE since < $1 RETURNING hash, (
                 EXISTS (SELECT FROM pictures WHERE hash = o.hash)
                 OR EXISTS (SELECT FROM variants WHERE hash = o.hash)
                 -- Laid on other pictures as a logo, now or at any step of theirs.
                 OR EXISTS (SELECT FROM steps WHERE adjustments::text LIKE '%' || o.hash || '%')
                 OR EXISTS (SELECT FROM edit_presets WHERE edits::text LIKE '%' || o.hash || '%')
                 OR EXISTS (SELECT FROM places WHERE served @> to_jsonb(o.hash))
                 -- A site's files that are measured, or may be again.
                 OR EXISTS (SELECT FROM jobs WHERE args -> 'files' ->> 'hash' = o.hash)
             ) AS is_used",
            [then.into()],
        );
        let unused = Orphan::find_by_statement(old).all(&transaction).await?;
        let unused: Vec<Orphan> = unused.into_iter().filter(|orphan| !orphan.is_used).collect();
        for orphan in &unused {
            self.blobs.delete(&BlobHash::stored(&orphan.hash)).await?;
        }
        transaction.commit().await?;
        Ok(unused.len())
    }
}

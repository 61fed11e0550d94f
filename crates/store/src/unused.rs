//! Bytes that no row speaks of: noted when that is found, and deleted when it still holds a day later.

use chrono::{DateTime, Utc};
use futures::{StreamExt, TryStreamExt, stream};
use sea_orm::{ConnectionTrait, FromQueryResult};

use crate::spoken_bytes::KEEPING;
use crate::transactions::begin_lasting;
use crate::{BlobHash, Installation, Site, StoreError};

#[derive(FromQueryResult)]
struct Hash {
    hash: String,
}

#[derive(FromQueryResult)]
struct Got {
    got: bool,
}

/// How many are looked at under one lock: whoever stores something waits meanwhile, and a bucket is
/// slow.
const UNDER_ONE_LOCK: u32 = 64;
/// How many are deleted at once.
const AT_ONCE: usize = 16;

impl Installation {
    /// Notes the bytes whose hashes begin with `part`, two digits, that were stored before `then`
    /// and of which no row speaks, as a process leaves them that ended between the two; returns how
    /// many are new among the noted ones.
    ///
    /// # Errors
    /// Those of the database and the blob store.
    pub async fn note_unused_bytes(
        &self,
        part: u8,
        then: DateTime<Utc>,
    ) -> Result<u64, StoreError> {
        let stored = self.blobs.stored_before(part, then).await?;
        let hashes = stored.iter().map(|hash| hash.as_str().to_owned()).collect();
        let unused = self.unused(self.db(), hashes).await?;
        let note = self.statement(
            "INSERT INTO unused_bytes (hash, since) SELECT unnest($1::text[]), now()
             ON CONFLICT DO NOTHING",
            [unused.into()],
        );
        Ok(self.db.execute_raw(note).await?.rows_affected())
    }

    /// Deletes bytes of which no row of any site has spoken since before `then`, and what was made
    /// of them, while nobody can store the same ones; returns how many. Rows went before bytes, so
    /// that an end in the middle leaves bytes too many and never too few. Deletes none while somebody
    /// [keeps](Self::keep_bytes) all of them.
    ///
    /// # Errors
    /// Those of the database and the blob store.
    pub async fn delete_unused_bytes(&self, then: DateTime<Utc>) -> Result<usize, StoreError> {
        let mut deleted = 0;
        loop {
            // It has the lock until the last bytes are gone, however long that takes.
            let transaction = begin_lasting(&self.db).await?;
            // Whoever keeps all bytes may take hours: nobody waits for it here.
            let keeping =
                self.statement("SELECT pg_try_advisory_xact_lock($1) AS got", [KEEPING.into()]);
            if !Got::find_by_statement(keeping).one(&transaction).await?.is_some_and(|row| row.got)
            {
                return Ok(deleted);
            }
            let lock = self.statement("SELECT pg_advisory_xact_lock($1)", [crate::BYTES.into()]);
            transaction.execute_raw(lock).await?;
            let old = format!(
                "DELETE FROM unused_bytes WHERE hash IN (
                     SELECT hash FROM unused_bytes WHERE since < $1 LIMIT {UNDER_ONE_LOCK}
                 ) RETURNING hash"
            );
            let old = Hash::find_by_statement(self.statement(&old, [then.into()]));
            let old: Vec<String> =
                old.all(&transaction).await?.into_iter().map(|row| row.hash).collect();
            if old.is_empty() {
                return Ok(deleted);
            }
            let unused = self.unused(&transaction, old).await?;
            stream::iter(&unused)
                .map(Ok)
                .try_for_each_concurrent(AT_ONCE, async |hash| {
                    self.blobs.delete(&BlobHash::stored(hash)).await
                })
                .await?;
            transaction.commit().await?;
            deleted += unused.len();
        }
    }

    /// Those of `hashes` of which no row speaks.
    async fn unused(
        &self,
        db: &impl ConnectionTrait,
        mut hashes: Vec<String>,
    ) -> Result<Vec<String>, StoreError> {
        for site in self.sites().await? {
            if !hashes.is_empty() {
                hashes = self.unused_in(db, &site, hashes).await?;
            }
        }
        Ok(hashes)
    }

    /// Those of `hashes` of which no row of `site` speaks; [`Self::spoken_bytes`] names the same rows.
    async fn unused_in(
        &self,
        db: &impl ConnectionTrait,
        site: &Site,
        hashes: Vec<String>,
    ) -> Result<Vec<String>, StoreError> {
        let schema = &site.schema;
        let sql = format!(
            "SELECT hash FROM unnest($1::text[]) AS o (hash) WHERE NOT (
                 EXISTS (SELECT FROM \"{schema}\".pictures WHERE hash = o.hash)
                 OR EXISTS (SELECT FROM \"{schema}\".variants WHERE hash = o.hash)
                 OR EXISTS (SELECT FROM \"{schema}\".publication_blobs WHERE hash = o.hash)
                 OR EXISTS (SELECT FROM \"{schema}\".icon_files WHERE hash = o.hash)
                 -- Laid on other pictures as a logo, now or at any step of theirs.
                 OR EXISTS (SELECT FROM \"{schema}\".steps
                     WHERE adjustments::text LIKE '%' || o.hash || '%')
                 OR EXISTS (SELECT FROM \"{schema}\".edit_presets
                     WHERE edits::text LIKE '%' || o.hash || '%')
                 OR EXISTS (SELECT FROM \"{schema}\".places WHERE served @> to_jsonb(o.hash))
                 -- A site's files that are measured, or may be again.
                 OR EXISTS (SELECT FROM jobs WHERE args -> 'files' ->> 'hash' = o.hash)
             )"
        );
        let left = Hash::find_by_statement(self.statement(&sql, [hashes.into()]));
        Ok(left.all(db).await?.into_iter().map(|row| row.hash).collect())
    }
}

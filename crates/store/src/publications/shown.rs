//! Which pictures of the library the places of the site show, and what of them could be published.

use brisk_margin_core::encoding::generations;
use sea_orm::{ConnectionTrait, FromQueryResult};
use uuid::Uuid;

use crate::{BlobHash, Store, StoreError};

/// How many places could be published.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReadySets {
    /// Places whose files are all made, and that do not show them yet.
    pub ready: u64,
    /// Places that show files which were made of their picture.
    pub shown: u64,
    /// Places with a picture of the library of which some files are still to be made.
    pub unmade: u64,
    /// Of those that show files, places for which other files were made since.
    pub newer: u64,
    /// Of those that show files, places that may need others: something changed since, and a run tells.
    pub changed: u64,
}

/// The picture that a place shows.
#[derive(Debug, Clone, PartialEq, Eq, FromQueryResult)]
pub struct ShownPicture {
    /// The place.
    pub place_id: Uuid,
    /// The picture.
    pub picture_id: Uuid,
    /// Whether the page serves another one today.
    pub is_new: bool,
}

#[derive(Default, FromQueryResult)]
struct Counts {
    ready: i64,
    shown: i64,
    unmade: i64,
    newer: i64,
    changed: i64,
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

/// The picture of each place that shows one of the library: placed there, or served as it is where nothing
/// else was placed.
const SHOWN: &str = "SELECT o.id AS place_id, p.id AS picture_id,
        NOT o.is_published AND NOT o.served @> to_jsonb(p.hash) AS is_new
    FROM places o JOIN pictures p ON p.id = o.picture_id WHERE p.removed_at IS NULL
    UNION ALL
    SELECT DISTINCT o.id, p.id, false
    FROM places o, jsonb_array_elements_text(o.served) AS s (hash)
    JOIN pictures p ON p.hash = s.hash AND NOT p.is_copy AND p.removed_at IS NULL
    WHERE o.picture_id IS NULL";

impl Store {
    /// The picture of each place that shows one of the library: placed there, or served as it is where
    /// nothing else was placed.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn shown_pictures(&self) -> Result<Vec<ShownPicture>, StoreError> {
        let shown = ShownPicture::find_by_statement(self.statement(SHOWN, []));
        Ok(shown.all(&self.db).await?)
    }

    /// How many places could be published, as far as is known of their sets.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn ready_sets(&self) -> Result<ReadySets, StoreError> {
        let sql = format!(
            "WITH published AS (
                 SELECT DISTINCT ON (t.picture_id, t.slot_id) t.picture_id, t.slot_id, t.files
                 FROM published_sets t JOIN publications q ON q.id = t.publication_id
                 WHERE q.state = 'published'
                 ORDER BY t.picture_id, t.slot_id, q.published_at DESC
             )
             SELECT count(*) FILTER (WHERE is_made AND NOT is_published) AS ready,
                count(*) FILTER (WHERE is_published) AS shown,
                count(*) FILTER (WHERE NOT is_made AND NOT is_published) AS unmade,
                count(*) FILTER (WHERE is_published AND is_made AND is_other) AS newer,
                count(*) FILTER (WHERE is_published AND NOT is_made AND was_told) AS changed
             FROM (
                 SELECT o.is_published, m.picture_id IS NOT NULL AS is_made,
                     m.files <> q.files AS is_other, q.files IS NOT NULL AS was_told
                 FROM ({SHOWN}) s JOIN places o ON o.id = s.place_id
                 JOIN pictures p ON p.id = s.picture_id JOIN slots t ON t.id = o.slot_id
                 LEFT JOIN made_sets m ON m.picture_id = p.id AND m.slot_id = t.id
                     AND m.basis = made_basis(p, t) AND m.generation = $1
                 LEFT JOIN published q ON q.picture_id = p.id AND q.slot_id = o.slot_id
             ) places"
        );
        let generation = i32::from(generations());
        let counts = self.statement(&sql, [generation.into()]);
        let counts = Counts::find_by_statement(counts).one(&self.db).await?;
        let counts = counts.unwrap_or_default();
        Ok(ReadySets {
            ready: counts.ready.unsigned_abs(),
            shown: counts.shown.unsigned_abs(),
            unmade: counts.unmade.unsigned_abs(),
            newer: counts.newer.unsigned_abs(),
            changed: counts.changed.unsigned_abs(),
        })
    }

    /// The picture that the file with that hash was made of, where it was made here.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn picture_made_into(&self, hash: &BlobHash) -> Result<Option<Uuid>, StoreError> {
        let sql = "SELECT picture_id AS id FROM variants WHERE hash = $1
             UNION ALL
             SELECT picture_id FROM publication_blobs WHERE hash = $1 AND picture_id IS NOT NULL
             LIMIT 1";
        let row = Id::find_by_statement(self.statement(sql, [hash.as_str().into()]));
        Ok(row.one(&self.db).await?.map(|row| row.id))
    }
}

/// Notes of which pictures the files are that the places of a page show, where those were made here.
pub(crate) async fn note_published(
    db: &impl ConnectionTrait,
    page: Uuid,
    store: &Store,
) -> Result<(), StoreError> {
    let sql = "UPDATE places o SET picture_id = found.picture_id, is_published = found.picture_id IS NOT NULL
         FROM (
             SELECT q.id, (
                 SELECT made.picture_id FROM jsonb_array_elements_text(q.served) AS s (hash)
                 CROSS JOIN LATERAL (
                     SELECT v.picture_id FROM variants v WHERE v.hash = s.hash
                     UNION ALL
                     SELECT b.picture_id FROM publication_blobs b
                     WHERE b.hash = s.hash AND b.picture_id IS NOT NULL
                 ) made
                 WHERE NOT EXISTS (SELECT FROM pictures p WHERE p.hash = s.hash)
                 LIMIT 1
             ) AS picture_id
             FROM places q WHERE q.page_id = $1 AND (q.is_published OR q.picture_id IS NULL)
         ) found
         WHERE o.id = found.id AND o.picture_id IS DISTINCT FROM found.picture_id";
    db.execute_raw(store.statement(sql, [page.into()])).await?;
    Ok(())
}

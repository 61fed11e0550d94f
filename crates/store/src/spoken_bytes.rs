//! Which bytes rows speak of, so that they can be held against the blob store.

use sea_orm::{ConnectionTrait, FromQueryResult};

use crate::{BlobHash, BytesHeld, Installation, StoreError};

/// Held for reading by whoever needs all bytes to stay, and for writing by who deletes some.
pub(crate) const KEEPING: i64 = 0x6b65_6570_696e;

/// What bytes are to the rows that speak of them, the dearest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    /// A picture's original.
    Original,
    /// A logo that lies on pictures, now or at any step of theirs.
    Logo,
    /// What a publication replaced or wrote.
    Publication,
    /// A site's files that came as an archive.
    Archive,
    /// A file made of a picture: it can be made again.
    Variant,
    /// An icon: it can be made again.
    Icon,
    /// A copy of what a page serves: measuring brings it again.
    Served,
}

/// Bytes that rows speak of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SpokenBytes {
    /// Their hash.
    pub hash: BlobHash,
    /// The dearest that they are to a row.
    pub role: Role,
    /// The site's slug, and what the row is called.
    pub of: String,
}

#[derive(FromQueryResult)]
struct Spoken {
    hash: String,
    role: i32,
    name: String,
}

impl Role {
    const ALL: [Self; 7] = [
        Self::Original,
        Self::Logo,
        Self::Publication,
        Self::Archive,
        Self::Variant,
        Self::Icon,
        Self::Served,
    ];
}

impl Installation {
    /// Has no sweep delete bytes while the value lives; storing goes on.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn keep_bytes(&self) -> Result<BytesHeld, StoreError> {
        BytesHeld::by(self.db(), KEEPING).await
    }

    /// All bytes of which rows of any site speak, each once, in the order of their hashes: those that a
    /// sweep spares (`unused`).
    ///
    /// # Errors
    /// Those of the database.
    pub async fn spoken_bytes(&self) -> Result<Vec<SpokenBytes>, StoreError> {
        let mut all = Vec::new();
        for site in self.sites().await? {
            let schema = &site.schema;
            let sql = format!(
                "SELECT DISTINCT ON (hash) hash, role, name FROM (
                     SELECT hash, 0 AS role, name FROM \"{schema}\".pictures
                     UNION ALL SELECT image #>> '{{}}', 1, 'a logo' FROM (
                         SELECT jsonb_path_query(adjustments, '$.**.image') FROM \"{schema}\".steps
                         UNION ALL
                         SELECT jsonb_path_query(edits, '$.**.image') FROM \"{schema}\".edit_presets
                     ) AS laid (image) WHERE image #>> '{{}}' ~ '^[0-9a-f]{{64}}$'
                     UNION ALL SELECT hash, 2, 'a publication' FROM \"{schema}\".publication_blobs
                     UNION ALL SELECT args -> 'files' ->> 'hash', 3, 'files to be measured' FROM jobs
                         WHERE site = $1 AND args -> 'files' ->> 'hash' IS NOT NULL
                     UNION ALL SELECT hash, 4, file_name FROM \"{schema}\".variants
                     UNION ALL SELECT hash, 5, file_name FROM \"{schema}\".icon_files
                     UNION ALL SELECT s.hash, 6, 'a page''s file' FROM \"{schema}\".places o,
                         jsonb_array_elements_text(o.served) AS s (hash)
                 ) AS spoken ORDER BY hash, role"
            );
            let rows = Spoken::find_by_statement(self.statement(&sql, [schema.clone().into()]));
            for Spoken { hash, role, name } in rows.all(self.db()).await? {
                let role = Role::ALL[role as usize];
                let of = format!("{}: {name}", site.slug);
                all.push(SpokenBytes { hash: BlobHash::stored(&hash), role, of });
            }
        }
        all.sort_by(|a, b| (&a.hash, a.role).cmp(&(&b.hash, b.role)));
        all.dedup_by(|later, first| later.hash == first.hash);
        Ok(all)
    }

    /// Forgets every file of any site with these bytes that was made of pictures or as an icon: it is made again when
    /// its picture is. Returns how many rows went.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn forget_made(&self, hash: &BlobHash) -> Result<u64, StoreError> {
        let mut gone = 0;
        for site in self.sites().await? {
            for table in ["variants", "icon_files"] {
                let sql = format!("DELETE FROM \"{}\".{table} WHERE hash = $1", site.schema);
                let statement = self.statement(&sql, [hash.as_str().into()]);
                gone += self.db().execute_raw(statement).await?.rows_affected();
            }
        }
        Ok(gone)
    }
}

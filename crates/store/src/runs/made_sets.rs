//! Sets of which all files are known to be there, so that nothing of them is planned again.

use std::collections::HashSet;

use brisk_margin_core::encoding::GENERATION;
use sea_orm::{ConnectionTrait, FromQueryResult};
use uuid::Uuid;

use crate::{Store, StoreError};

/// A picture in a slot, all of whose files are there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, FromQueryResult)]
pub struct MadeSet {
    /// The picture.
    pub picture_id: Uuid,
    /// The slot.
    pub slot_id: Uuid,
}

impl Store {
    /// Notes that all files of `set` are there, of a picture with this revision.
    pub async fn note_made_set(&self, set: MadeSet, revision: i32) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO made_sets (picture_id, slot_id, revision, generation)
             VALUES ($1, $2, $3, $4)
             ON CONFLICT (picture_id, slot_id)
             DO UPDATE SET revision = excluded.revision, generation = excluded.generation",
            [
                set.picture_id.into(),
                set.slot_id.into(),
                revision.into(),
                i32::from(GENERATION).into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The sets of the pictures `ids` of which all files are known to be there.
    pub async fn made_sets(&self, ids: &[Uuid]) -> Result<HashSet<MadeSet>, StoreError> {
        let statement = self.statement(
            "SELECT m.picture_id, m.slot_id FROM made_sets m JOIN pictures p ON p.id = m.picture_id
             WHERE p.id = ANY ($1) AND m.revision = p.revision AND m.generation = $2
                 AND NOT EXISTS (SELECT FROM stale_pictures s WHERE s.picture_id = p.id)",
            [ids.to_vec().into(), i32::from(GENERATION).into()],
        );
        Ok(MadeSet::find_by_statement(statement).all(&self.db).await?.into_iter().collect())
    }
}

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

#[derive(FromQueryResult)]
struct Basis {
    basis: String,
}

impl Store {
    /// What of a picture decides its files, as one text; nothing where it is gone. Asked for before the
    /// picture is read, it tells afterwards whether that changed meanwhile.
    pub async fn set_basis(&self, picture: Uuid) -> Result<Option<String>, StoreError> {
        let sql = "SELECT made_basis(p) AS basis FROM pictures p WHERE p.id = $1";
        let found = Basis::find_by_statement(self.statement(sql, [picture.into()]));
        Ok(found.one(&self.db).await?.map(|found| found.basis))
    }

    /// Notes that all files of `set` are there, of a picture whose files are decided by `basis`; nothing
    /// where that is another one by now. `files` stands for what they are together.
    pub async fn note_made_set(
        &self,
        set: MadeSet,
        basis: &str,
        files: &str,
    ) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO made_sets (picture_id, slot_id, basis, generation, files)
             SELECT p.id, $2, $3, $4, $5 FROM pictures p WHERE p.id = $1 AND made_basis(p) = $3
             ON CONFLICT (picture_id, slot_id)
             DO UPDATE SET basis = excluded.basis, generation = excluded.generation,
                 files = excluded.files",
            [
                set.picture_id.into(),
                set.slot_id.into(),
                basis.into(),
                i32::from(GENERATION).into(),
                files.into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The sets of the pictures `ids` of which all files are known to be there.
    pub async fn made_sets(&self, ids: &[Uuid]) -> Result<HashSet<MadeSet>, StoreError> {
        let statement = self.statement(
            "SELECT m.picture_id, m.slot_id FROM made_sets m JOIN pictures p ON p.id = m.picture_id
             WHERE p.id = ANY ($1) AND m.basis = made_basis(p) AND m.generation = $2",
            [ids.to_vec().into(), i32::from(GENERATION).into()],
        );
        Ok(MadeSet::find_by_statement(statement).all(&self.db).await?.into_iter().collect())
    }
}

//! Sets of which all files are known to be there, so that nothing of them is planned again.

use std::collections::HashSet;

use brisk_margin_core::encoding::generations;
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

/// What decides the files of a set.
#[derive(Debug, Clone, PartialEq, Eq, FromQueryResult)]
pub struct SetBasis {
    /// What of the picture and the slot does, as one text.
    basis: String,
    /// The rules, as one text.
    rules: String,
}

impl Store {
    /// What decides the files of `set`; nothing where its picture or slot is gone. Asked for before they are
    /// read, it tells afterwards whether that changed meanwhile.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn set_basis(&self, set: MadeSet) -> Result<Option<SetBasis>, StoreError> {
        let sql = "SELECT made_basis(p, s) AS basis, deciding_rules(p.id, s.id) AS rules
             FROM pictures p, slots s WHERE p.id = $1 AND s.id = $2";
        let statement = self.statement(sql, [set.picture_id.into(), set.slot_id.into()]);
        Ok(SetBasis::find_by_statement(statement).one(&self.db).await?)
    }

    /// Notes that all files of `set` are there, decided by `basis`; nothing where that is another one by now.
    /// `files` stands for what they are together.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn note_made_set(
        &self,
        set: MadeSet,
        SetBasis { basis, rules }: &SetBasis,
        files: &str,
    ) -> Result<(), StoreError> {
        let statement = self.statement(
            "INSERT INTO made_sets (picture_id, slot_id, basis, generation, files)
             SELECT p.id, s.id, $3, $4, $5 FROM pictures p, slots s
             WHERE p.id = $1 AND s.id = $2 AND made_basis(p, s) = $3
                 AND deciding_rules(p.id, s.id) = $6
             ON CONFLICT (picture_id, slot_id)
             DO UPDATE SET basis = excluded.basis, generation = excluded.generation,
                 files = excluded.files",
            [
                set.picture_id.into(),
                set.slot_id.into(),
                basis.into(),
                i32::from(generations()).into(),
                files.into(),
                rules.into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// The sets of the pictures `ids` of which all files are known to be there.
    pub async fn made_sets(&self, ids: &[Uuid]) -> Result<HashSet<MadeSet>, StoreError> {
        let statement = self.statement(
            "SELECT m.picture_id, m.slot_id FROM made_sets m
             JOIN pictures p ON p.id = m.picture_id JOIN slots s ON s.id = m.slot_id
             WHERE p.id = ANY ($1) AND m.basis = made_basis(p, s) AND m.generation = $2",
            [ids.to_vec().into(), i32::from(generations()).into()],
        );
        Ok(MadeSet::find_by_statement(statement).all(&self.db).await?.into_iter().collect())
    }
}

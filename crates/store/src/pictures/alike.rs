//! Pictures that look the same: listed in pairs, told apart, or merged into one.

use sea_orm::{ConnectionTrait, FromQueryResult};
use uuid::Uuid;

use super::{Change, ChangeSet, FieldChange, Picture};
use crate::{Store, StoreError};

/// Two pictures that look the same.
#[derive(Debug, Clone)]
pub struct Pair {
    /// The one that came first.
    pub one: Picture,
    /// The one that came later.
    pub other: Picture,
    /// In how many of 64 signs they differ.
    pub distance: u32,
}

#[derive(FromQueryResult)]
struct Row {
    one: Uuid,
    other: Uuid,
    distance: i16,
}

#[derive(FromQueryResult)]
struct Place {
    id: Uuid,
}

impl Store {
    /// Pairs that look the same and were not told apart, the most alike first.
    pub async fn alike(&self, limit: u64) -> Result<Vec<Pair>, StoreError> {
        let sql = format!(
            "SELECT a.one, a.other, a.distance FROM alike a
             JOIN pictures p ON p.id = a.one AND p.removed_at IS NULL
             JOIN pictures q ON q.id = a.other AND q.removed_at IS NULL
             WHERE NOT a.apart ORDER BY a.distance, a.one, a.other LIMIT {limit}"
        );
        let rows = Row::find_by_statement(self.statement(&sql, [])).all(&self.db).await?;
        let ids: Vec<Uuid> = rows.iter().flat_map(|row| [row.one, row.other]).collect();
        let pictures = self.pictures_of(&ids).await?;
        let find = |id| pictures.iter().find(|picture| picture.id == id).cloned();
        let pair = |row: &Row| {
            let distance = row.distance.unsigned_abs().into();
            Some(Pair { one: find(row.one)?, other: find(row.other)?, distance })
        };
        Ok(rows.iter().filter_map(pair).collect())
    }

    /// Says that two pictures are not the same, or takes that back.
    pub async fn tell_apart(&self, a: Uuid, b: Uuid, apart: bool) -> Result<bool, StoreError> {
        let statement = self.statement(
            "UPDATE alike SET apart = $3 WHERE one = least($1, $2) AND other = greatest($1, $2)",
            [a.into(), b.into(), apart.into()],
        );
        Ok(self.db.execute_raw(statement).await?.rows_affected() > 0)
    }

    /// Merges `gone` into `kept`: every place that shows one of them gets `kept`, and they are
    /// removed. As one change, which can be taken back.
    pub async fn merge(
        &self,
        kept: Uuid,
        gone: &[Uuid],
        summary: &str,
    ) -> Result<Option<Change>, StoreError> {
        let statement = self.statement(
            "SELECT o.id FROM places o WHERE o.picture_id = ANY ($1)
             UNION
             SELECT o.id FROM pictures p JOIN places o ON o.served @> to_jsonb(p.hash)
             WHERE p.id = ANY ($1) AND NOT p.is_copy AND o.picture_id IS NULL",
            [gone.to_vec().into()],
        );
        let places = Place::find_by_statement(statement).all(&self.db).await?;
        let removed = FieldChange { removed: Some(true), ..FieldChange::default() };
        let edits = ChangeSet {
            pictures: gone.iter().map(|&id| (id, removed.clone())).collect(),
            places: places.into_iter().map(|place| (place.id, Some(kept))).collect(),
        };
        self.edit(summary, &edits).await
    }
}

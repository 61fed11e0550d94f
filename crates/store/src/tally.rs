//! The tally: what is selected or in view weighs, before and after.

use sea_orm::{FromQueryResult, Statement};
use uuid::Uuid;

use crate::{Store, StoreError};

/// The weights of some pictures. A picture counts in `before`, `after` and `budget` once it has
/// a variant, and then with its newest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, FromQueryResult)]
pub struct Weights {
    /// How many pictures there are.
    pub pictures: i64,
    /// The bytes of all their originals.
    pub originals: i64,
    /// How many of them have a variant.
    pub made: i64,
    /// The originals' bytes of those.
    pub before: i64,
    /// Their newest variants' bytes.
    pub after: i64,
    /// Their slots' budgets.
    pub budget: i64,
}

impl Store {
    /// The weights of the pictures `ids`, or of the whole library.
    pub async fn weights(&self, ids: Option<&[Uuid]>) -> Result<Weights, StoreError> {
        let statement = Statement::from_sql_and_values(
            self.db.get_database_backend(),
            r#"
            SELECT count(*) AS pictures,
                   coalesce(sum(p.bytes), 0)::bigint AS originals,
                   count(v.bytes) AS made,
                   coalesce(sum(p.bytes) FILTER (WHERE v.bytes IS NOT NULL), 0)::bigint AS before,
                   coalesce(sum(v.bytes), 0)::bigint AS after,
                   coalesce(sum(v.budget), 0)::bigint AS budget
            FROM pictures p
            LEFT JOIN LATERAL (
                SELECT bytes, budget FROM variants WHERE picture_id = p.id ORDER BY id DESC LIMIT 1
            ) v ON true
            WHERE $1::uuid[] IS NULL OR p.id = ANY ($1::uuid[])
            "#,
            [ids.map(<[Uuid]>::to_vec).into()],
        );
        let found = Weights::find_by_statement(statement).one(&self.db).await?;
        found.ok_or_else(|| StoreError::Corrupt("no sum".to_owned()))
    }
}

//! The tally: what is selected or in view weighs, before and after.

use sea_orm::FromQueryResult;
use uuid::Uuid;

use crate::pictures::{Conditions, Filter};
use crate::{Store, StoreError};

/// The weights of some pictures. A picture counts in `before`, `after` and `budget` once it has
/// a variant, and then with its newest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, FromQueryResult)]
pub struct Weights {
    /// How many pictures there are.
    pub pictures: i64,
    /// The bytes of all their originals.
    pub originals: i64,
    /// How many of them have an estimate of what they could weigh.
    pub estimated: i64,
    /// What pages that show those transfer today.
    pub today: i64,
    /// The sum of the lower bounds.
    pub low: i64,
    /// The sum of the likeliest weights.
    pub about: i64,
    /// The sum of the upper bounds.
    pub high: i64,
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
    /// The weights of the pictures `ids`, or of all that meet `filter`.
    pub async fn weights(
        &self,
        ids: Option<&[Uuid]>,
        filter: &Filter,
    ) -> Result<Weights, StoreError> {
        // Pictures that are named count, removed or not.
        let Conditions { text, values } = match ids {
            Some(ids) => {
                Conditions { text: "id = ANY ($1)".to_owned(), values: vec![ids.to_vec().into()] }
            }
            None => Conditions::of(filter),
        };
        let sql = format!(
            "WITH chosen AS MATERIALIZED (
                 SELECT id, bytes, today, possible_low, possible, possible_high FROM pictures
                 WHERE {text}
             ), newest AS (
                 SELECT DISTINCT ON (picture_id) picture_id, v.bytes, v.budget, c.bytes AS original
                 FROM variants v JOIN chosen c ON c.id = v.picture_id
                 ORDER BY picture_id, v.id DESC
             ), made AS (
                 SELECT count(*) AS made, coalesce(sum(original), 0)::bigint AS before,
                        coalesce(sum(bytes), 0)::bigint AS after,
                        coalesce(sum(budget), 0)::bigint AS budget
                 FROM newest
             )
             SELECT count(*) AS pictures,
                    coalesce(sum(bytes), 0)::bigint AS originals,
                    count(possible) AS estimated,
                    coalesce(sum(today) FILTER (WHERE possible IS NOT NULL), 0)::bigint AS today,
                    coalesce(sum(possible_low), 0)::bigint AS low,
                    coalesce(sum(possible), 0)::bigint AS about,
                    coalesce(sum(possible_high), 0)::bigint AS high,
                    (SELECT made FROM made) AS made, (SELECT before FROM made) AS before,
                    (SELECT after FROM made) AS after, (SELECT budget FROM made) AS budget
             FROM chosen"
        );
        let found = Weights::find_by_statement(self.statement(&sql, values)).one(&self.db).await?;
        found.ok_or_else(|| StoreError::Corrupt("no sum".to_owned()))
    }
}

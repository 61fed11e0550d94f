//! Saving in the place of something: one after the other, and only where it is still what was seen.

use brisk_margin_core::seen::Seen;
use sea_orm::{ConnectionTrait, DatabaseTransaction, DbErr, TransactionTrait};

use crate::{Store, StoreError, sql_state};

impl Store {
    /// A turn to read and replace `what`, which nobody else has until it ends.
    pub(crate) async fn turn_to_save(&self, what: &str) -> Result<DatabaseTransaction, StoreError> {
        let turn = self.db.begin().await?;
        let sql = "SELECT pg_advisory_xact_lock(hashtextextended($1, 0))";
        let lock = self.statement(sql, [format!("{} {what}", self.schema()).into()]);
        turn.execute_raw(lock).await?;
        Ok(turn)
    }
}

/// How often work is done before two that wait for each other are an error.
const TRIES: usize = 4;

/// Does `work`, which is one transaction, again where the database ended it because it and another waited for
/// each other.
///
/// # Errors
/// What the last try says.
pub(crate) async fn again_after_deadlock<T, F: Future<Output = Result<T, StoreError>>>(
    work: impl Fn() -> F,
) -> Result<T, StoreError> {
    for _ in 1..TRIES {
        match work().await {
            Err(StoreError::Database(error)) if is_deadlock(&error) => {}
            done => return done,
        }
    }
    work().await
}

/// Whether the database ended a transaction for another that it waited for (`deadlock_detected`; PostgreSQL,
/// appendix A).
fn is_deadlock(error: &DbErr) -> bool {
    sql_state(error).as_deref() == Some("40P01")
}

/// Goes on only where what is there `now` is what was `seen`.
///
/// # Errors
/// [`StoreError::SavedMeanwhile`].
pub(crate) fn check<T: PartialEq>(seen: &Seen<T>, now: Option<&T>) -> Result<(), StoreError> {
    if seen.holds(now) { Ok(()) } else { Err(StoreError::SavedMeanwhile) }
}

//! Saving in the place of something: one after the other, and only where it is still what was seen.

use brisk_margin_core::seen::Seen;
use sea_orm::{ConnectionTrait, DatabaseTransaction, TransactionTrait};

use crate::{Store, StoreError};

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

/// Goes on only where what is there `now` is what was `seen`.
///
/// # Errors
/// [`StoreError::SavedMeanwhile`].
pub(crate) fn check<T: PartialEq>(seen: &Seen<T>, now: Option<&T>) -> Result<(), StoreError> {
    if seen.holds(now) { Ok(()) } else { Err(StoreError::SavedMeanwhile) }
}

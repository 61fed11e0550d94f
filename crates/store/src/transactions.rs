//! How long transactions may rest: what a process that hangs in the middle of one holds is given up.

use sea_orm::{ConnectionTrait, DatabaseConnection, DatabaseTransaction, TransactionTrait};

use crate::StoreError;

/// So long may a transaction rest between two statements. Then the database ends it: whoever began it
/// hangs, and others wait for its rows. Longer than what storing bytes in between may take, with the
/// pauses between attempts.
pub(crate) const REST_AT_MOST: &str = "60s";

/// Begins a transaction that may rest as long as it has to: what it waits for is not the database, and it
/// holds nothing that others want often.
pub(crate) async fn begin_lasting(
    db: &DatabaseConnection,
) -> Result<DatabaseTransaction, StoreError> {
    let transaction = db.begin().await?;
    transaction.execute_unprepared("SET LOCAL idle_in_transaction_session_timeout = 0").await?;
    Ok(transaction)
}

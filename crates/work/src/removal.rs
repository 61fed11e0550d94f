//! The sweep, as a job: removed pictures whose time is over, bytes that no row speaks of, and jobs
//! that ended long ago.

use brisk_margin_store::{Store, StoreError};
use chrono::{TimeDelta, Utc};

use crate::jobs::JobFailure;

/// Bytes are left for so long after their last row.
const BYTES_LEFT: TimeDelta = TimeDelta::hours(24);
/// Jobs are told of for so long after they ended.
const JOBS_LEFT: TimeDelta = TimeDelta::days(2);

/// Sweeps once.
///
/// # Errors
/// Those of the database and the blob store.
pub(crate) async fn run(store: &Store) -> Result<(), JobFailure> {
    sweep(store).await?;
    store.forget_jobs(Utc::now() - JOBS_LEFT).await?;
    Ok(())
}

/// Forgets every picture that was removed longer ago than the site keeps them, and deletes bytes
/// of which no row has spoken for a day; returns how many pictures.
///
/// # Errors
/// Those of the database and the blob store.
pub async fn sweep(store: &Store) -> Result<usize, StoreError> {
    let days = store.site().await?.keep_days;
    let forgotten = store.forget_removed(Utc::now() - TimeDelta::days(days.into())).await?;
    store.delete_orphans(Utc::now() - BYTES_LEFT).await?;
    Ok(forgotten)
}

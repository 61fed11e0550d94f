//! The sweep, as a job: sites and pictures that were removed and whose time is over, bytes that no row
//! speaks of, and jobs that ended long ago.

use brisk_margin_store::{Installation, Store, StoreError};
use chrono::{TimeDelta, Utc};

use crate::jobs::JobFailure;
use crate::sites::Sites;

/// A removed site can be restored for so long.
const SITES_LEFT: TimeDelta = TimeDelta::days(90);
/// Bytes are left for so long after their last row.
const BYTES_LEFT: TimeDelta = TimeDelta::hours(24);
/// Jobs are told of for so long after they ended.
const JOBS_LEFT: TimeDelta = TimeDelta::days(2);

/// Sweeps once.
///
/// # Errors
/// Those of the database and the blob store.
pub(crate) async fn run(sites: &Sites) -> Result<(), JobFailure> {
    for site in sites.all().await? {
        forget_pictures(&sites.services(&site).await?.store).await?;
    }
    let installation = sites.installation();
    installation.forget_sites(Utc::now() - SITES_LEFT).await?;
    delete_bytes(installation).await?;
    installation.forget_jobs(Utc::now() - JOBS_LEFT).await?;
    Ok(())
}

/// Forgets every picture that was removed longer ago than its site keeps them; returns how many.
///
/// # Errors
/// Those of the database.
pub async fn forget_pictures(store: &Store) -> Result<usize, StoreError> {
    let days = store.site().await?.keep_days;
    store.forget_removed(Utc::now() - TimeDelta::days(days.into())).await
}

/// Deletes bytes of which no row has spoken for a day; returns how many.
///
/// # Errors
/// Those of the database and the blob store.
pub async fn delete_bytes(installation: &Installation) -> Result<usize, StoreError> {
    installation.delete_unused_bytes(Utc::now() - BYTES_LEFT).await
}

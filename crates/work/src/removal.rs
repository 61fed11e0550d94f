//! The sweep, as a job: sites and pictures that were removed and whose time is over, bytes that no row
//! speaks of and what was made of them, what was tried long ago, and jobs that ended long ago.

use brisk_margin_store::{Installation, Store, StoreError};
use chrono::{TimeDelta, Timelike, Utc};

use crate::jobs::JobFailure;
use crate::sites::Sites;

/// A removed site can be restored for so long.
const SITES_LEFT: TimeDelta = TimeDelta::days(90);
/// Bytes are left for so long after their last row.
const BYTES_LEFT: TimeDelta = TimeDelta::hours(24);
/// Trials and the like are left for so long.
const TRIALS_LEFT: TimeDelta = TimeDelta::days(30);
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
    for part in parts_of(Utc::now().hour() as u8) {
        installation.note_unused_bytes(part, Utc::now() - BYTES_LEFT).await?;
        let trials = installation.blobs().delete_passing(part, Utc::now() - TRIALS_LEFT);
        trials.await.map_err(StoreError::Blob)?;
    }
    delete_bytes(installation).await?;
    installation.forget_jobs(Utc::now() - JOBS_LEFT).await?;
    Ok(())
}

/// The parts of the blob store that are looked through in `hour`: all of it in a day, since a store
/// on another machine is slow to list.
fn parts_of(hour: u8) -> impl Iterator<Item = u8> {
    (0..=u8::MAX).filter(move |part| part % 24 == hour)
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_part_of_the_store_is_looked_through_once_a_day() {
        let mut parts: Vec<u8> = (0..24).flat_map(parts_of).collect();
        parts.sort_unstable();
        assert!(parts.into_iter().eq(0..=u8::MAX));
    }
}

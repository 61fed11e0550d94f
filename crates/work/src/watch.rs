//! Pages that are measured again by themselves.

use std::time::Duration;

use brisk_margin_core::job::JobKind;
use brisk_margin_core::watch::Watch;
use brisk_margin_store::jobs::NewJob;
use brisk_margin_store::{Store, StoreError};

use crate::clock::minutes_of_day;
use crate::jobs::{JobFailure, JobInHand};
use crate::sites::SiteServices;

/// Has the site measured again when the time of `watch` comes.
///
/// # Errors
/// Those of the database.
pub async fn expect(store: &Store, watch: Watch) -> Result<(), StoreError> {
    match watch.is_on {
        true => push(store, watch, watch.until_first(minutes_of_day())).await,
        false => Ok(()),
    }
}

/// Has the site measured again as it was measured last, as a job that sees to the next time.
pub(crate) async fn run(site: &SiteServices, job: &JobInHand) -> Result<(), JobFailure> {
    let watch = site.store.site().await?.watch;
    // What was set otherwise meanwhile has a job of its own.
    if !watch.is_on || job.args::<Watch>()? != watch {
        return Ok(());
    }
    push(&site.store, watch, watch.until_next(minutes_of_day())).await?;
    Ok(site.measuring.again().await?)
}

async fn push(store: &Store, watch: Watch, minutes: u32) -> Result<(), StoreError> {
    let key = format!("{} {}", watch.at, watch.days);
    let args = serde_json::to_value(watch).expect("plain values");
    let after = Duration::from_secs(u64::from(minutes) * 60);
    store.push_job(&NewJob { after, ..NewJob::new(JobKind::Watch, key, args) }).await?;
    Ok(())
}

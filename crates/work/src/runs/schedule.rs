//! Runs that start by themselves, over what is new or changed.

use std::time::Duration;

use brisk_margin_core::job::JobKind;
use brisk_margin_core::run::StartedBy;
use brisk_margin_core::run::limits::RunLimits;
use brisk_margin_core::run::schedule::RunSchedule;
use brisk_margin_store::jobs::NewJob;
use brisk_margin_store::pictures::Filter;
use brisk_margin_store::{Store, StoreError};
use chrono::Local;

use super::{MOST_PICTURES, RunWish, plan};
use crate::clock::minutes_of_day;
use crate::jobs::JobFailure;
use crate::making::Maker;

/// After how long is looked again whether nothing else is to be done.
const LOOK_AGAIN: Duration = Duration::from_secs(5 * 60);

/// Has the site's schedule looked at when its time comes, or now where that is now.
///
/// # Errors
/// Those of the database.
pub async fn expect(store: &Store, schedule: RunSchedule) -> Result<(), StoreError> {
    let now = minutes_of_day();
    match (schedule.is_on, schedule.is_time(now)) {
        (false, _) => Ok(()),
        (true, true) => push(store, Duration::ZERO).await,
        (true, false) => push(store, until_next(schedule, now)).await,
    }
}

/// Starts a run where it is time and something is new or changed, as a job that sees to the next one.
///
/// # Errors
/// Those of the database.
pub(crate) async fn run(maker: &Maker) -> Result<(), JobFailure> {
    let store = &maker.store;
    let schedule = store.site().await?.schedule;
    let now = minutes_of_day();
    if !schedule.is_on {
        return Ok(());
    }
    if schedule.is_time(now) && is_busy(store, schedule).await? {
        return Ok(push(store, LOOK_AGAIN).await?);
    }
    // Whatever becomes of this one.
    push(store, until_next(schedule, now)).await?;
    if !schedule.is_time(now) {
        return Ok(());
    }
    let pictures = store.picture_ids(&Filter::default(), MOST_PICTURES).await?;
    let limits = RunLimits { minutes: Some(schedule.minutes), ..RunLimits::default() };
    let plan = plan(maker, &RunWish { pictures, limits, ..RunWish::default() }).await?;
    if plan.forecast.sets > 0 {
        let name = format!("By schedule, {}", Local::now().format("%-d %B %Y"));
        plan.start(maker, name, StartedBy::Schedule).await?;
    }
    Ok(())
}

/// Whether another run goes on, or something else is to be done that it should wait for.
async fn is_busy(store: &Store, schedule: RunSchedule) -> Result<bool, StoreError> {
    if !store.open_runs().await?.is_empty() {
        return Ok(true);
    }
    let jobs = store.count_jobs().await?;
    Ok(schedule.only_idle && jobs.iter().any(|jobs| jobs.state.is_open() && !jobs.kind.is_upkeep()))
}

async fn push(store: &Store, after: Duration) -> Result<(), StoreError> {
    let job = NewJob::new(JobKind::Schedule, "", serde_json::json!({}));
    store.push_job(&NewJob { after, ..job }).await?;
    Ok(())
}

fn until_next(schedule: RunSchedule, now: u32) -> Duration {
    Duration::from_secs(u64::from(schedule.until_next(now)) * 60)
}

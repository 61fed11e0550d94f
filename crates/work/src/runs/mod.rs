//! Runs: the files of many pictures for their slots, as a job that goes on wherever it was ended.
//!
//! Rows say what is done: an item that was begun when the process ended is begun again, makes what
//! is missing, and still knows which files were there before.

mod plan;

use brisk_margin_core::run::SkipReason;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::runs::{ItemOutcome, RunItem};
use serde::Deserialize;
use uuid::Uuid;

pub use plan::{Plan, plan};

use crate::jobs::{JobFailure, JobInHand};
use crate::making::Maker;
use crate::making::sets::{ResponsiveSet, SetError};

/// Which run a job works at.
#[derive(Debug, Deserialize)]
struct RunArgs {
    run: Uuid,
}

/// Makes the files of every item that has its turn, until none is left or the run does not go on.
/// One that cannot be made fails alone.
///
/// # Errors
/// Those of the machine: what is done stays, and the rest is tried again.
pub(crate) async fn run(maker: &Maker, job: &JobInHand) -> Result<(), JobFailure> {
    let RunArgs { run } = job.args()?;
    let found = maker.store.run(run).await?.ok_or_else(|| JobFailure::last("the run is gone"))?;
    let total = found.totals.waiting as usize;
    let mut done = 0;
    while let Some(item) = maker.store.next_run_item(run).await? {
        let outcome = outcome(maker, run, &item).await?;
        maker.store.end_run_item(run, item.place, &outcome).await?;
        done += 1;
        // Rows say what is done; keeping tells that the job came further.
        job.keep(done, total, &()).await?;
    }
    maker.store.end_run(run).await?;
    Ok(())
}

async fn outcome(maker: &Maker, run: Uuid, item: &RunItem) -> Result<ItemOutcome, JobFailure> {
    match made(maker, run, item).await {
        Err(JobFailure::Failed { reason, is_transient: false }) => Ok(ItemOutcome::Failed(reason)),
        other => other,
    }
}

async fn made(maker: &Maker, run: Uuid, item: &RunItem) -> Result<ItemOutcome, JobFailure> {
    let picture = maker.store.picture(item.picture_id).await?;
    let Some(picture) = picture.filter(|picture| picture.removed_at.is_none()) else {
        return Ok(ItemOutcome::Skipped(SkipReason::Removed));
    };
    let slot = match item.slot_id {
        Some(id) => maker.store.slot(id).await?,
        None => None,
    };
    let Some(slot) = slot else { return Ok(ItemOutcome::Skipped(SkipReason::NotUsed)) };
    let planned = planned(maker, &picture, slot.clone()).await?;
    if planned.decision.excluded.value {
        return Ok(ItemOutcome::Skipped(SkipReason::Excluded));
    }
    let had = maker.store.begin_run_item(run, item.place, &ids(&planned)).await?;
    let missing = planned.files.iter().any(|file| file.made.is_none());
    if !missing && ids(&planned).iter().all(|id| had.contains(id)) {
        return Ok(ItemOutcome::Skipped(SkipReason::Unchanged));
    }
    planned.make(maker, &picture, None).await?;
    let set = self::planned(maker, &picture, slot).await?;
    let made = || set.files.iter().filter_map(|file| file.made.as_ref());
    let score = made().filter_map(|made| made.score).map(|score| score.0).min_by(f64::total_cmp);
    Ok(ItemOutcome::Done {
        after: weight(&set),
        score,
        files: set.files.len(),
        variants: ids(&set).into_iter().filter(|id| !had.contains(id)).collect(),
    })
}

async fn planned(
    maker: &Maker,
    picture: &Picture,
    slot: brisk_margin_core::slot::Slot,
) -> Result<ResponsiveSet, SetError> {
    ResponsiveSet::plan(maker, picture, &picture.adjustments, slot).await
}

/// The variants of a set that are there.
fn ids(set: &ResponsiveSet) -> Vec<Uuid> {
    set.files.iter().filter_map(|file| Some(file.made.as_ref()?.variant.id)).collect()
}

/// What a slot weighs: the heaviest file that a browser downloads for it at any layout width, on a
/// screen of the reference density.
fn weight(set: &ResponsiveSet) -> Option<Bytes> {
    let chosen = set.chooser();
    let shown = set.slot.boxes().iter().filter(|(_, size)| size.is_shown());
    shown
        .filter_map(|(&viewport, _)| {
            Some(chosen(viewport, Density::REFERENCE)?.made.as_ref()?.variant.bytes)
        })
        .max()
}

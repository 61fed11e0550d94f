//! Runs: the files of many pictures for their slots, by jobs that go on wherever they were ended.
//!
//! Rows say what is done: an item that was begun when the process ended is begun again, makes what
//! is missing, and still knows which files were there before. Any number of workers work at a run, by
//! a job each; an item is claimed for the job that has it in hand.
//!
//! - [`plan`]: what a run would do; [`sample`] is what it knows of the files to come.
//! - [`slots`]: which slots it is over, size presets among them.
//! - [`making`]: makes one item.
//! - [`schedule`]: starts runs by itself.

mod making;
mod plan;
mod sample;
pub mod schedule;
pub mod slots;

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use brisk_margin_core::run::limits::{RunEffort, RunLimits};
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_store::runs::items::{ItemOutcome, RunItem};
use brisk_margin_store::runs::run_job;
use futures::stream::{self, TryStreamExt};
use serde::Deserialize;
use tokio::sync::Mutex;
use uuid::Uuid;

pub(crate) use plan::add_arrival;
pub use plan::{Plan, RunOver, RunWish, plan};

use crate::jobs::{JobFailure, JobInHand};
use crate::making::Maker;

/// Sets that a worker has in hand at once: while the files of one end on some cores, those of the
/// next begin on the others.
const AT_ONCE: usize = 2;
/// Pictures that a run is planned over at most.
pub const MOST_PICTURES: u64 = 200_000;
/// An item that was taken in hand so often without an end is at fault itself.
const MOST_BEGUN: u32 = 10;
/// Other workers are asked for help, and what they did is read, so often.
const LOOK: Duration = Duration::from_secs(5);

/// Which run a job works at.
#[derive(Debug, Deserialize)]
struct RunArgs {
    run: Uuid,
}

/// Makes the files of every item that is free, until none is left or the run does not go on. One that
/// cannot be made fails alone.
///
/// # Errors
/// Those of the machine: what is done stays, and the rest is tried again.
pub(crate) async fn run(maker: &Maker, job: &JobInHand) -> Result<(), JobFailure> {
    let RunArgs { run } = job.args()?;
    let found = maker.store.run(run).await?.ok_or_else(|| JobFailure::last("the run is gone"))?;
    let worker = RunWorker {
        maker,
        job,
        run,
        limits: found.limits,
        rule: found.own_rule,
        total: found.totals.waiting as usize,
        done: AtomicUsize::new(0),
        looked: Mutex::new(None),
        effort: Mutex::new(RunEffort::default()),
    };
    let items =
        stream::try_unfold((), |()| async { Ok(worker.next().await?.map(|item| (item, ()))) });
    items.try_for_each_concurrent(AT_ONCE, |item| worker.make(item)).await?;
    maker.store.end_run(run).await?;
    Ok(())
}

/// Whoever works at a run, by one job.
struct RunWorker<'a> {
    maker: &'a Maker,
    job: &'a JobInHand,
    run: Uuid,
    limits: RunLimits,
    rule: Option<RunRule>,
    total: usize,
    done: AtomicUsize,
    /// When it last looked at what the others do.
    looked: Mutex<Option<Instant>>,
    /// What all did until then, and what it did since.
    effort: Mutex<RunEffort>,
}

impl RunWorker<'_> {
    async fn next(&self) -> Result<Option<RunItem>, JobFailure> {
        let store = &self.maker.store;
        self.look_at_others().await?;
        if self.limits.is_reached(*self.effort.lock().await) {
            store.leave_rest_of_run(self.run).await?;
        }
        Ok(store.claim_run_item(self.run, self.job.claim()).await?)
    }

    /// Reads what all did so far, and has a job for every other process that lives, too: those with
    /// workers take theirs, and one that nobody takes ends as soon as somebody has time for it.
    async fn look_at_others(&self) -> Result<(), JobFailure> {
        let mut looked = self.looked.lock().await;
        if looked.is_some_and(|before| before.elapsed() < LOOK) {
            return Ok(());
        }
        *looked = Some(Instant::now());
        *self.effort.lock().await = self.maker.store.run_effort(self.run).await?;
        let living = self.job.installation().count_living().await? as usize;
        let jobs = self.maker.store.jobs_of_run(self.run).await?;
        let open = jobs.iter().filter(|job| job.state.is_open()).count();
        for lane in open..living.min(self.total) {
            self.maker.store.push_job(&run_job(self.run, lane)).await?;
        }
        Ok(())
    }

    async fn make(&self, item: RunItem) -> Result<(), JobFailure> {
        let begun = Instant::now();
        let outcome = match making::made(self.maker, self.run, self.rule.as_ref(), &item).await {
            Ok(outcome) => outcome,
            Err(JobFailure::Failed { reason, is_transient: false }) => ItemOutcome::Failed(reason),
            Err(JobFailure::Failed { reason, .. }) if item.begun >= MOST_BEGUN => {
                ItemOutcome::Failed(reason)
            }
            Err(JobFailure::Later { reason }) => {
                let (store, by) = (&self.maker.store, self.job.claim());
                store.give_run_item_back(self.run, item.place, by).await?;
                return Err(JobFailure::Later { reason });
            }
            Err(other) => return Err(other),
        };
        let (store, by) = (&self.maker.store, self.job.claim());
        let seconds = begun.elapsed().as_secs_f64();
        store.end_run_item(self.run, item.place, by, &outcome, seconds).await?;
        if self.rule.is_some() && !matches!(outcome, ItemOutcome::Done(_)) {
            store.take_run_rule_back(self.run, item.picture_id).await?;
        }
        if let ItemOutcome::Done(done) = &outcome {
            let mut effort = self.effort.lock().await;
            effort.seconds += seconds;
            effort.bytes.0 += done.made_bytes.0;
        }
        let done = self.done.fetch_add(1, Ordering::Relaxed) + 1;
        // Rows say what is done; keeping tells that the job came further.
        self.job.keep(done, self.total.max(done), &()).await
    }
}

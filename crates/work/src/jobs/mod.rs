//! Jobs: long work, kept in the database until it is done.
//!
//! - [`runner`]: begins a job, does it, and notes how it ended; [`failure`] is why it did not end
//!   well.
//! - [`workers`]: takes jobs from the queue for as long as the process runs, and gives back what is
//!   not done when it ends.
//! - [`upkeep`]: what workers see to by themselves.
//!
//! What a job does stands with its subject: [`analysis`](crate::analysis),
//! [`import_actions`](crate::import_actions), [`status`](crate::status),
//! [`measuring`](crate::measuring), [`making::sets`](crate::making::sets),
//! [`publications`](crate::publications) and [`removal`](crate::removal). Each can be stopped at any moment and begun again: rows say what is
//! done.

pub mod failure;
pub mod runner;
mod upkeep;
pub mod workers;

use std::sync::Mutex;
use std::time::{Duration, Instant};

use brisk_margin_store::Installation;
use brisk_margin_store::jobs::{Claim, Heard, Job, Progress};
use serde::Serialize;
use serde::de::DeserializeOwned;

pub use failure::JobFailure;

/// Progress is noted at most so often.
const EVERY: Duration = Duration::from_millis(300);

/// A job in hand: what is to be done, and how far it is.
pub struct JobInHand {
    installation: Installation,
    job: Job,
    noted: Mutex<Option<Instant>>,
}

impl JobInHand {
    fn new(installation: Installation, job: Job) -> Self {
        Self { installation, job, noted: Mutex::default() }
    }

    /// As whom it was begun.
    pub(crate) const fn claim(&self) -> Claim {
        self.job.claim()
    }

    /// Where the jobs of all sites are.
    pub(crate) const fn installation(&self) -> &Installation {
        &self.installation
    }

    /// What to do.
    ///
    /// # Errors
    /// A final one where this version does not understand it.
    pub fn args<T: DeserializeOwned>(&self) -> Result<T, JobFailure> {
        let read = serde_json::from_value(self.job.args.clone());
        read.map_err(|error| JobFailure::last(format!("the job is not understood: {error}")))
    }

    /// What an earlier attempt left, where it left something.
    pub fn checkpoint<T: DeserializeOwned>(&self) -> Option<T> {
        serde_json::from_value(self.job.checkpoint.clone()?).ok()
    }

    /// Notes that `done` of `total` is done; what comes too soon after the last time is left out.
    ///
    /// # Errors
    /// [`JobFailure::Lost`] where another process has the job now.
    pub async fn note(&self, done: usize, total: usize) -> Result<(), JobFailure> {
        match self.is_soon() {
            true => Ok(()),
            false => self.write(done, total, None).await,
        }
    }

    /// Notes how far it is and where it would go on; everything before counts as done.
    ///
    /// # Errors
    /// As [`Self::note`].
    pub async fn keep(
        &self,
        done: usize,
        total: usize,
        checkpoint: &impl Serialize,
    ) -> Result<(), JobFailure> {
        let checkpoint = serde_json::to_value(checkpoint).expect("plain values");
        self.write(done, total, Some(checkpoint)).await
    }

    /// [`keep`](Self::keep), but for what comes too soon after the last time.
    ///
    /// # Errors
    /// As [`Self::note`].
    pub async fn keep_now_and_then(
        &self,
        done: usize,
        total: usize,
        checkpoint: &impl Serialize,
    ) -> Result<(), JobFailure> {
        match self.is_soon() {
            true => Ok(()),
            false => self.keep(done, total, checkpoint).await,
        }
    }

    /// Whether something was noted just now; if not, it is now.
    fn is_soon(&self) -> bool {
        let mut noted = self.noted.lock().expect("no panic holds the lock");
        if noted.is_some_and(|before| before.elapsed() < EVERY) {
            return true;
        }
        *noted = Some(Instant::now());
        false
    }

    async fn write(
        &self,
        done: usize,
        total: usize,
        checkpoint: Option<serde_json::Value>,
    ) -> Result<(), JobFailure> {
        let progress = Progress { done: done as u64, total: Some(total as u64) };
        match self.installation.note_progress(self.claim(), progress, checkpoint).await? {
            Heard::GoOn => Ok(()),
            Heard::Cancel => Err(JobFailure::Cancelled),
            Heard::Lost => Err(JobFailure::Lost),
        }
    }
}

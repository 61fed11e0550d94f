//! The runner: begins a job, does it, and notes how it ended.

use std::time::Duration;

use brisk_margin_core::job::{AfterFailure, JobKind, Priority};
use brisk_margin_store::changes::{ChangeKind, RowsChanged, Told};
use brisk_margin_store::jobs::{Claim, Ending, Job, NewJob};
use brisk_margin_store::{Installation, StoreError};
use tokio::sync::watch;
use uuid::Uuid;

use super::{JobFailure, JobInHand};
use crate::events::Events;
use crate::sites::Sites;
use crate::{analysis, import_actions, making, publications, removal, runs, status};

/// How long is waited before the end of a job is noted again, where the database was away.
const NOTE_AGAIN: Duration = Duration::from_secs(1);
/// After how long without a sign of life others take over what a process has in hand.
pub const PATIENCE: Duration = Duration::from_secs(60);
/// So many signs are given in that time.
const SIGNS: u32 = 5;
/// After how long is looked again whether there is what a job waits for.
const LOOK_AGAIN: Duration = Duration::from_secs(10);

/// Does jobs of every site. Clones do them with the same services.
#[derive(Clone)]
pub struct JobRunner {
    sites: Sites,
    give_back: watch::Sender<bool>,
    patience: Duration,
}

/// Why a job in hand is not gone on with.
enum Stop {
    Cancelled,
    Lost,
    TooLong,
    GivenBack,
}

impl JobRunner {
    /// A runner for `sites`.
    pub fn new(sites: &Sites) -> Self {
        Self { sites: sites.clone(), give_back: watch::Sender::new(false), patience: PATIENCE }
    }

    /// The same, which counts as hung after `patience` without a sign of life.
    pub fn with_patience(self, patience: Duration) -> Self {
        Self { patience, ..self }
    }

    pub(super) const fn sites(&self) -> &Sites {
        &self.sites
    }

    pub(super) const fn installation(&self) -> &Installation {
        self.sites.installation()
    }

    pub(super) const fn events(&self) -> &Events {
        self.sites.events()
    }

    /// Has every job in hand given back, now and from now on.
    pub(super) fn give_all_back(&self) {
        self.give_back.send_replace(true);
    }

    /// Does every job that is due, one after the other, until none is left, and returns how many
    /// are left for later since the machine was at fault. For commands that end, and for tests: no
    /// worker is needed.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn do_all(&self) -> Result<u64, StoreError> {
        loop {
            for site in self.sites.all().await? {
                if self.sites.services(&site).await?.store.has_stale_pictures().await? {
                    self.installation().push_job(&site.schema, &status_job()).await?;
                }
            }
            match self.installation().due_job().await? {
                Some(id) => self.run(id).await?,
                None => return self.installation().count_put_off().await,
            }
        }
    }

    /// Does the job `id`, unless it was done, cancelled or begun by somebody else.
    ///
    /// # Errors
    /// Where the database does not say whose it is; the job is not begun then.
    pub async fn run(&self, id: Uuid) -> Result<(), StoreError> {
        let own = self.clone();
        self.run_by(id, None, move |job| async move { own.work(job).await }).await
    }

    /// Does the job `id` by `work`, in the time that its kind has or in `limit`. An attempt that
    /// panics or takes longer fails, and nothing else with it.
    ///
    /// # Errors
    /// As [`Self::run`].
    pub async fn run_by<W>(
        &self,
        id: Uuid,
        limit: Option<Duration>,
        work: impl FnOnce(Job) -> W,
    ) -> Result<(), StoreError>
    where
        W: Future<Output = Result<(), JobFailure>> + Send + 'static,
    {
        self.events().alive().await;
        let heard = self.events().listen();
        let Some(job) =
            self.installation().claim_job(id, self.events().number(), self.patience).await?
        else {
            return Ok(());
        };
        let (kind, claim, attempts) = (job.kind, job.claim(), job.attempts);
        if job.cancel_asked {
            self.end(claim, &Ending::Cancelled).await;
            return Ok(());
        }
        let limit = limit.unwrap_or_else(|| kind.time_limit());
        // A task of its own: what panics in it costs this attempt only.
        let mut work = tokio::spawn(work(job));
        let outcome = tokio::select! {
            done = &mut work => done.unwrap_or_else(|error| {
                Err(JobFailure::transient(format!("the work broke down: {error}")))
            }),
            stop = self.stopped(claim, limit, heard) => {
                work.abort();
                // Nothing of it goes on after this.
                let _ = work.await;
                match stop {
                    Stop::Cancelled => Err(JobFailure::Cancelled),
                    Stop::Lost => Err(JobFailure::Lost),
                    Stop::TooLong => Err(JobFailure::transient(format!(
                        "it did not end within {} minutes", limit.as_secs().div_ceil(60)
                    ))),
                    Stop::GivenBack => {
                        self.end(claim, &Ending::GivenBack).await;
                        return Ok(());
                    }
                }
            }
        };
        let ending = match outcome {
            Ok(()) => Ending::Done,
            Err(JobFailure::Lost) => return Ok(()),
            Err(JobFailure::Cancelled) => Ending::Cancelled,
            Err(JobFailure::Later { reason }) => {
                tracing::warn!("{} waits: {reason}", kind.name());
                Ending::Later { reason, pause: LOOK_AGAIN }
            }
            Err(JobFailure::Failed { reason, is_transient }) => {
                tracing::warn!("{} failed: {reason}", kind.name());
                match AfterFailure::of(attempts, is_transient) {
                    AfterFailure::Again(pause) => Ending::Again { reason, pause },
                    AfterFailure::SetAside => Ending::SetAside { reason },
                }
            }
        };
        metrics::counter!("brisk_margin_job_attempts_total", "kind" => kind.name(), "ended" => ending.name())
            .increment(1);
        let is_over = !matches!(ending, Ending::Again { .. } | Ending::Later { .. });
        self.end(claim, &ending).await;
        if let Some(after) = kind.comes_back_after().filter(|_| is_over) {
            let next = NewJob { after, ..NewJob::new(kind, "", serde_json::json!({})) };
            self.installation().push_job("", &next).await?;
        }
        Ok(())
    }

    async fn work(&self, job: Job) -> Result<(), JobFailure> {
        let (kind, schema) = (job.kind, job.site.clone());
        let job = JobInHand::new(self.installation().clone(), job);
        let site = async || {
            let site = self.sites.in_schema(&schema).await?;
            site.ok_or_else(|| JobFailure::last("the site was removed"))
        };
        match kind {
            JobKind::Analyse => analysis::run(&site().await?.maker.in_background(), &job).await,
            JobKind::Import => {
                import_actions::run(&site().await?.maker.in_background(), &job).await
            }
            JobKind::Status => {
                let site = site().await?;
                status::run(&site.store, &site.layouts, &job).await
            }
            JobKind::Measure => site().await?.measuring.run(&job).await,
            JobKind::Set => making::sets::making::run(&site().await?.maker, &job).await,
            JobKind::Run => runs::run(&site().await?.maker.in_background(), &job).await,
            JobKind::Publish => publications::run(&site().await?, &job).await,
            JobKind::Film => publications::filming::run(&site().await?, &job).await,
            JobKind::Schedule => runs::schedule::run(&site().await?.maker.in_background()).await,
            JobKind::Watch => crate::watch::run(&site().await?, &job).await,
            JobKind::Sweep => removal::run(&self.sites).await,
        }
    }

    /// Waits until the job behind `claim` is not to be gone on with.
    async fn stopped(
        &self,
        claim: Claim,
        limit: Duration,
        heard: tokio::sync::broadcast::Receiver<Told>,
    ) -> Stop {
        let mut give_back = self.give_back.subscribe();
        tokio::select! {
            stop = self.cancelled(claim, heard) => stop,
            () = self.lost(claim) => Stop::Lost,
            () = tokio::time::sleep(limit) => Stop::TooLong,
            _ = give_back.wait_for(|given| *given) => Stop::GivenBack,
        }
    }

    /// Gives signs of life until another process has the job: this one hung for too long.
    async fn lost(&self, claim: Claim) {
        loop {
            tokio::time::sleep(self.patience / SIGNS).await;
            if let Ok(false) = self.installation().sign_of_life(claim, self.patience).await {
                return;
            }
        }
    }

    async fn cancelled(
        &self,
        claim: Claim,
        mut heard: tokio::sync::broadcast::Receiver<Told>,
    ) -> Stop {
        use tokio::sync::broadcast::error::RecvError;
        loop {
            let concerns_it = match heard.recv().await {
                Ok(Told::Changed(RowsChanged { kind: ChangeKind::Jobs, ids, .. })) => {
                    ids.is_none_or(|ids| ids.contains(&claim.id))
                }
                Ok(Told::MissedSome) | Err(RecvError::Lagged(_)) => true,
                Ok(_) => false,
                Err(RecvError::Closed) => std::future::pending().await,
            };
            if !concerns_it {
                continue;
            }
            match self.installation().job(claim.id).await {
                Ok(Some(job)) if job.claim() != claim => return Stop::Lost,
                Ok(Some(job)) if job.cancel_asked => return Stop::Cancelled,
                Ok(None) => return Stop::Lost,
                // Where the database is away, it is asked again when it tells something.
                Ok(Some(_)) | Err(_) => {}
            }
        }
    }

    /// Notes the end of an attempt, as often as it takes.
    async fn end(&self, claim: Claim, ending: &Ending) {
        loop {
            match self.installation().end_attempt(claim, ending).await {
                Ok(_) => return,
                Err(error) => tracing::warn!("the end of a job is noted again: {error}"),
            }
            tokio::time::sleep(NOTE_AGAIN).await;
        }
    }
}

/// The job that refreshes whatever status is stale.
pub(super) fn status_job() -> NewJob {
    let job = NewJob::new(JobKind::Status, "", serde_json::json!({}));
    // A list that somebody looks at shows it.
    NewJob { priority: Priority::Awaited, ..job }
}

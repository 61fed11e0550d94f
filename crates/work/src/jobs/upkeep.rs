//! What workers see to by themselves: stale status, lost jobs, and the sweep.

use std::collections::BTreeSet;
use std::time::Duration;

use brisk_margin_core::job::JobKind;
use brisk_margin_store::StoreError;
use brisk_margin_store::changes::{ChangeKind, RowsChanged, Told};
use brisk_margin_store::jobs::NewJob;
use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::{RecvError, TryRecvError};
use tokio::time::{Instant, sleep_until};

use super::runner::{JobRunner, status_job};

/// How often is looked for jobs that got lost.
const RECOVERY: Duration = Duration::from_secs(10);
/// What is told within this time leads to one job.
const TOGETHER: Duration = Duration::from_millis(50);
/// Such jobs are added at most so often: while hundreds of pictures arrive, each would be for one.
const APART: Duration = Duration::from_millis(500);

/// Sees to it, for as long as the process runs.
pub(super) async fn keep_up(runner: JobRunner) {
    runner.events().alive().await;
    let mut heard = runner.events().listen();
    // What was changed while no worker ran is not told again.
    let mut stale = Stale::AnySite;
    let mut recovery = Instant::now();
    let mut next_status = Instant::now();
    loop {
        if !stale.is_none() {
            next_status = Instant::now() + APART;
            match push(&runner, &stale).await {
                Ok(()) => stale = Stale::default(),
                Err(error) => told(&error),
            }
        }
        tokio::select! {
            () = sleep_until(recovery) => {
                recovery = Instant::now() + RECOVERY;
                if let Err(error) = recover(&runner).await {
                    told(&error);
                }
            }
            is_open = hear(&mut heard, &mut stale) => {
                if !is_open {
                    return;
                }
                sleep_until(next_status.max(Instant::now() + TOGETHER)).await;
                // What was told meanwhile is in the same job: one each would never catch up.
                while let Some(next) = told_already(&mut heard) {
                    stale.add(next);
                }
            }
        }
    }
}

/// Where statuses became stale.
enum Stale {
    /// At the sites with these schemas.
    Sites(BTreeSet<String>),
    AnySite,
}

impl Default for Stale {
    fn default() -> Self {
        Self::Sites(BTreeSet::new())
    }
}

impl Stale {
    fn is_none(&self) -> bool {
        matches!(self, Self::Sites(sites) if sites.is_empty())
    }

    /// Takes in what was heard, where it is about statuses.
    fn add(&mut self, heard: Result<Told, Missed>) {
        match (heard, &mut *self) {
            (Ok(Told::MissedSome) | Err(Missed), _) => *self = Self::AnySite,
            (
                Ok(Told::Changed(RowsChanged { kind: ChangeKind::Stale, site, .. })),
                Self::Sites(sites),
            ) => {
                sites.insert(site);
            }
            (Ok(_), _) => {}
        }
    }
}

/// More was told than there was room for.
struct Missed;

async fn push(runner: &JobRunner, stale: &Stale) -> Result<(), StoreError> {
    match stale {
        Stale::Sites(sites) => {
            for schema in sites {
                runner.installation().push_job(schema, &status_job()).await?;
            }
        }
        Stale::AnySite => {
            for site in runner.sites().all().await? {
                runner.installation().push_job(&site.schema, &status_job()).await?;
            }
        }
    }
    Ok(())
}

fn told(error: &StoreError) {
    tracing::warn!("the upkeep of jobs waits: {error}");
}

/// Waits until something became stale, and notes it; false where nobody tells any more.
async fn hear(heard: &mut Receiver<Told>, stale: &mut Stale) -> bool {
    loop {
        match heard.recv().await {
            Ok(told) => stale.add(Ok(told)),
            Err(RecvError::Lagged(_)) => stale.add(Err(Missed)),
            Err(RecvError::Closed) => return false,
        }
        if !stale.is_none() {
            return true;
        }
    }
}

/// What was told and not heard yet.
fn told_already(heard: &mut Receiver<Told>) -> Option<Result<Told, Missed>> {
    match heard.try_recv() {
        Ok(told) => Some(Ok(told)),
        Err(TryRecvError::Lagged(_)) => Some(Err(Missed)),
        // That nobody tells any more is found when that is waited for.
        Err(TryRecvError::Empty | TryRecvError::Closed) => None,
    }
}

async fn recover(runner: &JobRunner) -> Result<(), StoreError> {
    let lost = runner.installation().recover_jobs().await?;
    if lost > 0 {
        tracing::info!("{lost} jobs go on that had got lost");
    }
    let sweep = NewJob::new(JobKind::Sweep, "", serde_json::json!({}));
    runner.installation().expect_job(&sweep).await
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stale(site: &str) -> Told {
        let site = site.to_owned();
        Told::Changed(RowsChanged { site, kind: ChangeKind::Stale, ids: None })
    }

    #[tokio::test]
    async fn everything_that_was_told_is_heard_at_once() {
        let (tell, mut heard) = tokio::sync::broadcast::channel(64);
        for n in 0..40 {
            tell.send(stale(if n % 2 == 0 { "tarnlight" } else { "tea_room" })).unwrap();
            tell.send(Told::Delivered("status".to_owned())).unwrap();
        }
        let mut found = Stale::default();
        // Some were lost: there was room for fewer.
        assert!(hear(&mut heard, &mut found).await);
        assert!(matches!(found, Stale::AnySite));
        while let Some(told) = told_already(&mut heard) {
            found.add(told);
        }
        assert!(heard.is_empty());

        tell.send(stale("tarnlight")).unwrap();
        let mut found = Stale::default();
        assert!(hear(&mut heard, &mut found).await);
        assert!(matches!(found, Stale::Sites(sites) if sites.len() == 1));
        drop(tell);
        assert!(!hear(&mut heard, &mut Stale::default()).await);
    }
}

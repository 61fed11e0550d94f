//! What workers see to by themselves: stale status, lost jobs, and the sweep.

use std::time::Duration;

use brisk_margin_core::job::JobKind;
use brisk_margin_store::StoreError;
use brisk_margin_store::changes::{ChangeKind, RowsChanged, Told};
use brisk_margin_store::jobs::NewJob;
use tokio::sync::broadcast::error::RecvError;
use tokio::time::{Instant, sleep, sleep_until};

use super::runner::{JobRunner, status_job};

/// How often is looked for jobs that got lost.
const RECOVERY: Duration = Duration::from_secs(10);
/// What is told within this time leads to one job.
const TOGETHER: Duration = Duration::from_millis(50);

/// Sees to it, for as long as the process runs.
pub(super) async fn keep_up(runner: JobRunner) {
    runner.events().alive().await;
    let mut heard = runner.events().listen();
    // What was changed while no worker ran is not told again.
    let mut stale = Some(Stale::AnySite);
    let mut recovery = Instant::now();
    loop {
        if let Some(found) = stale.take()
            && let Err(error) = push(&runner, &found).await
        {
            told(&error);
            stale = Some(Stale::AnySite);
        }
        tokio::select! {
            () = sleep_until(recovery) => {
                recovery = Instant::now() + RECOVERY;
                if let Err(error) = recover(&runner).await {
                    told(&error);
                }
            }
            found = heard_of_stale(&mut heard) => {
                let Some(found) = found else { return };
                stale = Some(found);
                sleep(TOGETHER).await;
            }
        }
    }
}

/// Where statuses became stale.
enum Stale {
    Site(String),
    AnySite,
}

async fn push(runner: &JobRunner, stale: &Stale) -> Result<(), StoreError> {
    match stale {
        Stale::Site(schema) => runner.installation().push_job(schema, &status_job()).await,
        Stale::AnySite => {
            for site in runner.sites().all().await? {
                runner.installation().push_job(&site.schema, &status_job()).await?;
            }
            Ok(())
        }
    }
}

fn told(error: &StoreError) {
    tracing::warn!("the upkeep of jobs waits: {error}");
}

/// Waits until something became stale; nothing where nobody tells any more.
async fn heard_of_stale(heard: &mut tokio::sync::broadcast::Receiver<Told>) -> Option<Stale> {
    loop {
        match heard.recv().await {
            Ok(Told::Changed(RowsChanged { kind: ChangeKind::Stale, site, .. })) => {
                return Some(Stale::Site(site));
            }
            Ok(Told::MissedSome) | Err(RecvError::Lagged(_)) => return Some(Stale::AnySite),
            Ok(_) => {}
            Err(RecvError::Closed) => return None,
        }
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

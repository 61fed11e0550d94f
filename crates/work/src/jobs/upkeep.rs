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
    let mut stale = true;
    let mut recovery = Instant::now();
    loop {
        if stale {
            stale = match runner.store().push_job(&status_job()).await {
                Ok(_) => false,
                Err(error) => told(&error),
            };
        }
        tokio::select! {
            () = sleep_until(recovery) => {
                recovery = Instant::now() + RECOVERY;
                if let Err(error) = recover(&runner).await {
                    told(&error);
                }
            }
            concerns_it = heard_of_stale(&mut heard) => {
                if !concerns_it {
                    return;
                }
                stale = true;
                sleep(TOGETHER).await;
            }
        }
    }
}

fn told(error: &StoreError) -> bool {
    tracing::warn!("the upkeep of jobs waits: {error}");
    true
}

/// Waits until something became stale; false where nothing is told any more.
async fn heard_of_stale(heard: &mut tokio::sync::broadcast::Receiver<Told>) -> bool {
    loop {
        match heard.recv().await {
            Ok(Told::Changed(RowsChanged { kind: ChangeKind::Stale, .. }))
            | Ok(Told::MissedSome)
            | Err(RecvError::Lagged(_)) => return true,
            Ok(_) => {}
            Err(RecvError::Closed) => return false,
        }
    }
}

async fn recover(runner: &JobRunner) -> Result<(), StoreError> {
    let lost = runner.store().recover_jobs().await?;
    if lost > 0 {
        tracing::info!("{lost} jobs go on that had got lost");
    }
    let sweep = NewJob::new(JobKind::Sweep, "", serde_json::json!({}));
    runner.store().expect_job(&sweep).await
}

//! Workers: take jobs from the queue for as long as the process runs.
//!
//! Each kind of job has a queue of its own, so that a program that does not know a kind leaves it
//! to others, and its own number of jobs at once; the work pool bounds cores and memory.

use std::time::Duration;

use apalis::prelude::*;
use apalis_postgres::{Config, PostgresStorage};
use brisk_margin_core::job::JobKind;
use brisk_margin_store::changes::Told;
use futures::channel::mpsc;
use serde::{Deserialize, Serialize};
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::watch;
use tokio::task::JoinSet;
use uuid::Uuid;

use super::runner::JobRunner;
use super::upkeep;

/// How long running jobs may take to end once the process is to end.
const GRACE: Duration = Duration::from_secs(6);
/// After that they are given back, within this time.
const GIVING_BACK: Duration = Duration::from_secs(3);
/// The queue is looked at so often for what is due later; what is due now is told.
const LOOK: Duration = Duration::from_secs(5);
const HEARTBEAT: Duration = Duration::from_secs(20);
/// How long is waited before a worker is started again, where the database was away.
const RESTART: Duration = Duration::from_secs(1);

/// What the queue hands out.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Delivery {
    job: Uuid,
}

/// The workers of this process.
pub struct Workers {
    runner: JobRunner,
    stopping: watch::Sender<bool>,
    tasks: JoinSet<()>,
    upkeep: tokio::task::JoinHandle<()>,
}

impl Workers {
    /// Starts workers for every kind of job.
    pub fn start(runner: &JobRunner) -> Self {
        let stopping = watch::Sender::new(false);
        let mut tasks = JoinSet::new();
        for kind in JobKind::ALL {
            tasks.spawn(work(runner.clone(), kind, stopping.subscribe()));
        }
        let upkeep = tokio::spawn(upkeep::keep_up(runner.clone()));
        Self { runner: runner.clone(), stopping, tasks, upkeep }
    }

    /// Takes no more jobs, waits a few seconds for those in hand, and gives back the rest.
    pub async fn drain(mut self) {
        self.upkeep.abort();
        self.stopping.send_replace(true);
        let ended = async { while self.tasks.join_next().await.is_some() {} };
        tokio::pin!(ended);
        if tokio::time::timeout(GRACE, &mut ended).await.is_ok() {
            return;
        }
        self.runner.give_all_back();
        self.runner.sites().pool().codecs().end();
        if tokio::time::timeout(GIVING_BACK, ended).await.is_err() {
            tracing::warn!("jobs are left that others will find");
        }
    }
}

/// How many jobs of a kind are done at once by this process.
const fn at_once(kind: JobKind) -> usize {
    match kind {
        // The work pool spreads them over cores and memory.
        JobKind::Analyse => 4,
        // These fill the cores by themselves.
        JobKind::Import | JobKind::Set | JobKind::Run | JobKind::Measure | JobKind::Publish => 1,
        // Its time is told: two would share the machine.
        JobKind::Film => 1,
        JobKind::Status | JobKind::Schedule | JobKind::Watch | JobKind::Sweep => 1,
    }
}

/// The queue of a kind, as the table of jobs delivers to it.
fn queue(kind: JobKind) -> String {
    format!("brisk-margin/{}", kind.name())
}

/// Works at one kind until the process is to end; where the database goes away, it goes on when
/// that is back.
async fn work(runner: JobRunner, kind: JobKind, mut stopping: watch::Receiver<bool>) {
    runner.events().alive().await;
    for start in 0u32.. {
        let name = format!("{}/{}/{start}", runner.events().number(), kind.name());
        let context = WorkerContext::new(&name);
        let stop = context.clone();
        let running = run_worker(&runner, kind, context);
        tokio::pin!(running);
        let ended = tokio::select! {
            ended = &mut running => ended,
            () = said(&mut stopping) => {
                let _ = stop.stop();
                running.await
            }
        };
        if *stopping.borrow() {
            return;
        }
        if let Err(error) = ended {
            tracing::warn!("the worker for {} starts again: {error}", kind.name());
        }
        tokio::time::sleep(RESTART).await;
    }
}

/// Waits until it is said.
async fn said(told: &mut watch::Receiver<bool>) {
    // Nobody who could say it any more has said it.
    let _ = told.wait_for(|said| *said).await;
}

async fn run_worker(
    runner: &JobRunner,
    kind: JobKind,
    context: WorkerContext,
) -> Result<(), WorkerError> {
    let config = Config::default()
        .queue(queue(kind))
        // What is fetched and not begun would wait behind what is in hand.
        .batch_size(1)
        .lock_tasks(false)
        .heartbeat_interval(HEARTBEAT)
        .missed_heartbeats(3);
    let storage =
        PostgresStorage::<Delivery>::new(runner.installation().pool()).with_config(config);
    let looks = Strategy::new().stream(deliveries(runner, kind)).interval(LOOK);
    WorkerBuilder::new(&context)
        .backend(PollWith::new(storage, looks))
        .concurrency(at_once(kind))
        .data(runner.clone())
        .build(run_delivered)
        .run()
        .await
}

/// Does what was delivered. The table of jobs says how that ends; an error here only means that the
/// database did not say whose it is, and that it is delivered again.
async fn run_delivered(delivery: Delivery, runner: Data<JobRunner>) -> Result<(), BoxDynError> {
    let ran = runner.run(delivery.job).await;
    if ran.is_err() {
        tokio::time::sleep(RESTART).await;
    }
    Ok(ran?)
}

/// Something each time that a job of the kind may have been delivered.
fn deliveries(runner: &JobRunner, kind: JobKind) -> mpsc::UnboundedReceiver<()> {
    let (tell, told) = mpsc::unbounded();
    let mut heard = runner.events().listen();
    let queue = queue(kind);
    tokio::spawn(async move {
        loop {
            let concerns_it = match heard.recv().await {
                Ok(Told::Delivered(to)) => to == queue,
                Ok(Told::MissedSome) | Err(RecvError::Lagged(_)) => true,
                Ok(Told::Changed(_)) => false,
                Err(RecvError::Closed) => return,
            };
            // Whoever listened is gone.
            if tell.is_closed() || (concerns_it && tell.unbounded_send(()).is_err()) {
                return;
            }
        }
    });
    told
}

//! `worker`: long work for servers that share the same database and blobs.

use brisk_margin_work::jobs::workers::Workers;
use clap::Args;
use tokio::signal::unix::{SignalKind, signal};

use crate::home::{Failure, Home};
use crate::metrics;

/// Does the long work of servers with the same database and blobs, until it is told to end.
#[derive(Args)]
pub struct Worker {
    #[command(flatten)]
    home: Home,
}

impl Worker {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let mut interrupt = signal(SignalKind::interrupt())?;
        let mut terminate = signal(SignalKind::terminate())?;
        let sites = self.home.open().await?;
        metrics::serve(self.home.metrics_port, &sites).await?;
        sites.folder().clear_spool()?;
        let workers = Workers::start(&self.home.runner(&sites));
        sites.events().alive().await;
        println!("Brisk Margin works for the server");
        tokio::select! {
            _ = interrupt.recv() => {}
            _ = terminate.recv() => {}
        }
        workers.drain().await;
        Ok(())
    }
}

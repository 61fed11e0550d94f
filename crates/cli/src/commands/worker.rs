//! `worker`: long work for servers that share the same database and blobs.

use std::collections::BTreeSet;

use brisk_margin_work::jobs::workers::Workers;
use clap::Args;
use tokio::signal::unix::{SignalKind, signal};
use url::Url;

use crate::home::{Failure, Home};

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
        let own_ports: BTreeSet<u16> =
            Url::parse(&self.home.database)?.port().into_iter().collect();
        let app = self.home.open_for(own_ports, None).await?;
        app.intake.folder().clear_spool()?;
        let workers = Workers::start(&app.job_runner());
        app.events.alive().await;
        println!("Brisk Margin works for the server");
        tokio::select! {
            _ = interrupt.recv() => {}
            _ = terminate.recv() => {}
        }
        workers.drain().await;
        Ok(())
    }
}

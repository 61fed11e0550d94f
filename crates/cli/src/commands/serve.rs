//! `serve`: the application on loopback, with workers or without.

use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;

use brisk_margin_api::application;
use brisk_margin_work::jobs::workers::Workers;
use brisk_margin_work::watched_folders;
use clap::Args;
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};

use crate::client;
use crate::home::{Failure, Home};
use crate::metrics;
use crate::server;

/// Serves the application on loopback.
#[derive(Args)]
pub struct Serve {
    #[command(flatten)]
    home: Home,
    /// The port; 0 takes any free one
    #[arg(long, default_value_t = 4810)]
    port: u16,
    /// The folder of the built client, where it is not the one inside the program
    #[arg(long, value_name = "DIR")]
    web: Option<PathBuf>,
    /// Leave long work to `brisk-margin worker`, here or on other machines
    #[arg(long)]
    no_workers: bool,
}

impl Serve {
    pub(crate) async fn run(self) -> Result<(), Failure> {
        let mut interrupt = signal(SignalKind::interrupt())?;
        let mut terminate = signal(SignalKind::terminate())?;
        let client = client::router(self.web.as_deref())?;
        let address = SocketAddr::from((Ipv4Addr::LOCALHOST, self.port));
        let listener = TcpListener::bind(address).await.map_err(|error| {
            format!("port {} cannot be used ({error}); give another with --port", self.port)
        })?;
        let sites = self.home.open_beside(Some(listener.local_addr()?.port())).await?;
        metrics::serve(self.home.metrics_port, &sites).await?;
        sites.clear_uploads().await?;
        let workers = (!self.no_workers).then(|| Workers::start(&self.home.runner(&sites)));
        watched_folders::spawn(&sites);
        let routes = application(sites, client);
        println!("Brisk Margin is ready at http://{}", listener.local_addr()?);
        tokio::select! {
            served = server::serve(listener, routes) => served?,
            // Every accepted write is durable already, so no request has to be waited for.
            _ = interrupt.recv() => {}
            _ = terminate.recv() => {}
        }
        if let Some(workers) = workers {
            workers.drain().await;
        }
        Ok(())
    }
}

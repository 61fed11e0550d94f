//! `serve`: the application on loopback, with workers or without.

use std::collections::BTreeSet;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;

use brisk_margin_api::application;
use brisk_margin_work::jobs::workers::Workers;
use clap::Args;
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};
use url::Url;

use crate::client;
use crate::home::{Failure, Home};

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
    /// The site's own folder of pictures, to be watched; nothing is written there
    #[arg(long, value_name = "DIR")]
    media: Option<PathBuf>,
    /// The address of the site's first page, to be measured
    #[arg(long, value_name = "URL")]
    site: Option<String>,
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
        let mut own_ports = BTreeSet::from([listener.local_addr()?.port()]);
        own_ports.extend(Url::parse(&self.home.database)?.port());
        let app = self.home.open_for(own_ports, self.site).await?;
        app.intake.folder().clear_spool()?;
        app.uploads.clear().await?;
        let workers = (!self.no_workers).then(|| Workers::start(&app.job_runner()));
        if let Some(folder) = self.media {
            app.folder_watch.spawn(folder);
        }
        let routes = application(app, client);
        println!("Brisk Margin is ready at http://{}", listener.local_addr()?);
        tokio::select! {
            served = axum::serve(listener, routes) => served?,
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

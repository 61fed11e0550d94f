//! `serve`: the application on loopback.

use std::collections::BTreeSet;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;

use axum::Router;
use axum::middleware::from_fn;
use clap::Args;
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};

use url::Url;

use super::{Failure, Home};
use crate::app::App;
use crate::guard::guard;
use crate::{api, forgetting, looking, uploads, watching, web};

/// Serves the application on loopback.
#[derive(Args)]
pub struct Serve {
    #[command(flatten)]
    home: Home,
    /// The port; 0 takes any free one
    #[arg(long, default_value_t = 4810)]
    port: u16,
    /// The folder of the built client
    #[arg(long, default_value = "web/dist")]
    web: PathBuf,
    /// The site's own folder of pictures, to be watched; nothing is written there
    #[arg(long, value_name = "DIR")]
    media: Option<PathBuf>,
    /// The address of the site's first page, to be measured
    #[arg(long, value_name = "URL")]
    site: Option<String>,
}

impl Serve {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let mut interrupt = signal(SignalKind::interrupt())?;
        let mut terminate = signal(SignalKind::terminate())?;
        let client = web::router(&self.web).map_err(|error| {
            format!("no built client in {} ({error}); run bin/setup", self.web.display())
        })?;
        let address = SocketAddr::from((Ipv4Addr::LOCALHOST, self.port));
        let listener = TcpListener::bind(address).await.map_err(|error| {
            format!("port {} cannot be used ({error}); give another with --port", self.port)
        })?;
        let mut own_ports = BTreeSet::from([listener.local_addr()?.port()]);
        own_ports.extend(Url::parse(&self.home.database)?.port());
        let app = self.home.open().await?.with_own_ports(own_ports).with_site(self.site);
        app.folder().clear_spool()?;
        uploads::clear(&app).await?;
        looking::spawn(&app);
        looking::follow_layouts(&app);
        forgetting::spawn(&app);
        if let Some(folder) = self.media {
            watching::spawn(&app, folder);
        }
        let routes = routes(app, client);
        println!("Brisk Margin is ready at http://{}", listener.local_addr()?);
        tokio::select! {
            served = axum::serve(listener, routes) => served?,
            // Every accepted write is durable already, so nothing has to be waited for.
            _ = interrupt.recv() => {}
            _ = terminate.recv() => {}
        }
        Ok(())
    }
}

/// All that is served: the API, the client, and the guard before both.
pub fn routes(app: App, client: Router) -> Router {
    // Pictures are compressed by their own formats, and events must not wait in a buffer.
    let worth_it = DefaultPredicate::new().and(NotForContentType::new("image/"));
    client
        .merge(api::router(app))
        .layer(CompressionLayer::new().gzip(true).compress_when(worth_it))
        .layer(from_fn(guard))
}

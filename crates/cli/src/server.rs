//! Serving HTTP within limits: so many connections, and none for whoever says nothing.

use std::io;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tower_http::timeout::RequestBodyTimeoutLayer;

/// Connections at once; more wait until one ends.
pub const MOST_CONNECTIONS: usize = 512;
/// A request's head has to come within this time, also the next one's on a connection that is kept.
pub const HEAD_WITHIN: Duration = Duration::from_secs(30);
/// The bytes of a request may pause for so long.
pub const BODY_PAUSE: Duration = Duration::from_secs(60);
/// How long is waited where no connection can be taken, such as for want of file descriptors.
const PAUSE: Duration = Duration::from_millis(200);

/// Serves `routes` on `listener`, without end.
pub async fn serve(listener: TcpListener, routes: Router) -> io::Result<()> {
    let room = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let routes = routes.layer(RequestBodyTimeoutLayer::new(BODY_PAUSE));
    loop {
        let place = Arc::clone(&room).acquire_owned().await.map_err(io::Error::other)?;
        let stream = match listener.accept().await {
            Ok((stream, _)) => stream,
            Err(error) => {
                tracing::warn!("a connection could not be taken: {error}");
                tokio::time::sleep(PAUSE).await;
                continue;
            }
        };
        let service = TowerToHyperService::new(routes.clone());
        tokio::spawn(async move {
            let _held = place;
            let _ = stream.set_nodelay(true);
            let connection = http1::Builder::new()
                .timer(TokioTimer::new())
                .header_read_timeout(HEAD_WITHIN)
                .serve_connection(TokioIo::new(stream), service)
                .with_upgrades();
            // One that breaks is its client's to notice.
            let _ = connection.await;
        });
    }
}

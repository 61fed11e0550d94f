//! The stand-in host: serves a folder as a customer's web host would, with the faults of some.

use std::path::Path;
use std::sync::Arc;

use axum::Router;
use axum::extract::Request;
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::{Next, from_fn};
use axum::response::{IntoResponse, Response};
use tokio::net::TcpListener;
use tokio::task::JoinHandle;
use tower_http::services::ServeDir;
use tower_http::set_header::SetResponseHeaderLayer;

/// What the host does not do as it should, by file extensions without the dot.
#[derive(Debug, Clone, Default)]
pub struct Faults {
    /// Formats that it refuses with 403.
    pub refused: Vec<String>,
    /// Formats that it sends as `application/octet-stream`.
    pub mistyped: Vec<String>,
}

/// Serves `folder` with `faults`.
pub fn router(folder: &Path, faults: Faults) -> Router {
    let faults = Arc::new(faults);
    Router::new().fallback_service(ServeDir::new(folder)).layer(from_fn(
        move |request: Request, next: Next| {
            let faults = Arc::clone(&faults);
            async move { faulty(&faults, request, next).await }
        },
    ))
}

/// Serves `folder`, but for what is in `front`. Both may change meanwhile: browsers keep nothing of it.
pub fn layered(front: &Path, folder: &Path) -> Router {
    let files = ServeDir::new(front).fallback(ServeDir::new(folder));
    let unkept = SetResponseHeaderLayer::overriding(
        header::CACHE_CONTROL,
        HeaderValue::from_static("no-store"),
    );
    Router::new().fallback_service(files).layer(unkept)
}

/// A host on loopback, on a free port, for as long as the value lives.
pub struct LocalHost {
    /// What addresses begin with, without a slash at the end.
    pub origin: String,
    server: JoinHandle<std::io::Result<()>>,
}

impl LocalHost {
    /// Serves `router`.
    ///
    /// # Errors
    /// Where there is no port.
    pub async fn start(router: Router) -> std::io::Result<Self> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let origin = format!("http://{}", listener.local_addr()?);
        let server = tokio::spawn(async move { axum::serve(listener, router).await });
        Ok(Self { origin, server })
    }
}

impl Drop for LocalHost {
    fn drop(&mut self) {
        self.server.abort();
    }
}

async fn faulty(faults: &Faults, request: Request, next: Next) -> Response {
    let extension = request.uri().path().rsplit_once('.').map(|(_, e)| e.to_ascii_lowercase());
    let is_among = |list: &[String]| extension.as_ref().is_some_and(|e| list.contains(e));
    if is_among(&faults.refused) {
        return StatusCode::FORBIDDEN.into_response();
    }
    let mistyped = is_among(&faults.mistyped);
    let mut response = next.run(request).await;
    if mistyped {
        let plain = HeaderValue::from_static("application/octet-stream");
        response.headers_mut().insert(header::CONTENT_TYPE, plain);
    }
    response
}

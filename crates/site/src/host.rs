//! The stand-in host: serves a folder as a customer's web host would, with the faults of some.

use std::path::Path;
use std::sync::Arc;

use axum::Router;
use axum::extract::Request;
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::{Next, from_fn};
use axum::response::{IntoResponse, Response};
use tokio::net::TcpListener;
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

/// Serves `folder` with `faults` on `listener`, until it is aborted.
pub fn serve(
    listener: TcpListener,
    folder: &Path,
    faults: Faults,
) -> impl Future<Output = std::io::Result<()>> + Send + 'static {
    axum::serve(listener, router(folder, faults)).into_future()
}

/// Serves `folder` on `listener`, but for what is in `front`, until it is aborted. Both may change
/// meanwhile: browsers keep nothing of it.
pub fn serve_layered(
    listener: TcpListener,
    front: &Path,
    folder: &Path,
) -> impl Future<Output = std::io::Result<()>> + Send + 'static {
    let files = ServeDir::new(front).fallback(ServeDir::new(folder));
    let unkept = SetResponseHeaderLayer::overriding(
        header::CACHE_CONTROL,
        HeaderValue::from_static("no-store"),
    );
    axum::serve(listener, Router::new().fallback_service(files).layer(unkept)).into_future()
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

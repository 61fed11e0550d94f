//! The client's own files, and the page that starts it.

use std::io;
use std::path::Path;

use axum::Router;
use axum::http::{HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use tower::ServiceBuilder;
use tower_http::services::ServeDir;
use tower_http::set_header::SetResponseHeaderLayer;
use uuid::Uuid;

/// Stands in the built page where each answer puts a nonce of its own.
const NONCE: &str = "__NONCE__";

/// Serves the client that was built into `folder`; addresses without a file get the page, which
/// knows what to show there.
///
/// # Errors
/// Where the folder holds no built client.
pub fn router(folder: &Path) -> io::Result<Router> {
    let page = std::fs::read_to_string(folder.join("index.html"))?;
    let assets = ServeDir::new(folder.join("assets")).precompressed_br().precompressed_gzip();
    // Built files carry a hash of their content in their names.
    let forever = HeaderValue::from_static("public, max-age=31536000, immutable");
    let assets = ServiceBuilder::new()
        .layer(SetResponseHeaderLayer::if_not_present(header::CACHE_CONTROL, forever))
        .service(assets);
    Ok(Router::new()
        .nest_service("/assets", assets)
        .fallback(get(move || async move { start(&page) })))
}

fn start(page: &str) -> Response {
    // 122 random bits, new for every answer.
    let nonce = Uuid::new_v4().simple().to_string();
    let headers = [
        (header::CONTENT_SECURITY_POLICY, policy(&nonce)),
        (header::CACHE_CONTROL, HeaderValue::from_static("no-store")),
    ];
    (headers, Html(page.replace(NONCE, &nonce))).into_response()
}

/// The component library writes its styles at run time, each under the page's nonce.
fn policy(nonce: &str) -> HeaderValue {
    let policy = format!(
        "default-src 'none'; script-src 'self' 'nonce-{nonce}'; style-src 'self' 'nonce-{nonce}'; \
         img-src 'self' blob: data:; font-src 'self'; connect-src 'self'; base-uri 'none'; \
         form-action 'none'; frame-ancestors 'none'"
    );
    HeaderValue::try_from(policy).expect("hexadecimal digits")
}

//! The client's own files, and the page that starts it.

use std::borrow::Cow;
use std::io;
use std::path::Path;

use axum::Router;
use axum::extract;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use tower::ServiceBuilder;
use tower_http::services::ServeDir;
use tower_http::set_header::SetResponseHeaderLayer;
use uuid::Uuid;

/// Stands in the built page where each answer puts a nonce of its own.
const NONCE: &str = "__NONCE__";

/// Built files carry a hash of their content in their names.
const FOREVER: HeaderValue = HeaderValue::from_static("public, max-age=31536000, immutable");

/// Serves the client that was built into `folder`; addresses without a file get the page, which
/// knows what to show there.
///
/// # Errors
/// Where the folder holds no built client.
pub fn router(folder: &Path) -> io::Result<Router> {
    let page = std::fs::read_to_string(folder.join("index.html"))?;
    let assets = ServeDir::new(folder.join("assets")).precompressed_br().precompressed_gzip();
    let assets = ServiceBuilder::new()
        .layer(SetResponseHeaderLayer::if_not_present(header::CACHE_CONTROL, FOREVER))
        .service(assets);
    Ok(starting(page, Router::new().nest_service("/assets", assets)))
}

/// A file of the client that is part of the program, and its media type.
pub struct BuiltFile {
    /// Its bytes.
    pub bytes: Cow<'static, [u8]>,
    /// Such as `text/javascript`.
    pub media_type: String,
}

/// Serves the client that is part of the program: `find` gives its files by their paths below the
/// built folder.
///
/// # Errors
/// Where there is no page to start with.
pub fn router_of(find: fn(&str) -> Option<BuiltFile>) -> io::Result<Router> {
    let page = find("index.html").ok_or(io::ErrorKind::NotFound)?;
    let page = String::from_utf8(page.bytes.into_owned()).map_err(io::Error::other)?;
    let asset = async move |extract::Path(path): extract::Path<String>| {
        let file = find(&format!("assets/{path}")).ok_or(StatusCode::NOT_FOUND)?;
        let media_type = HeaderValue::try_from(file.media_type)
            .map_err(|_| StatusCode::INTERNAL_SERVER_ERROR)?;
        let headers = [(header::CONTENT_TYPE, media_type), (header::CACHE_CONTROL, FOREVER)];
        Ok::<_, StatusCode>((headers, file.bytes))
    };
    Ok(starting(page, Router::new().route("/assets/{*path}", get(asset))))
}

/// Addresses that `files` does not know get the page.
fn starting(page: String, files: Router) -> Router {
    files.fallback(get(move || async move { start(&page) }))
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

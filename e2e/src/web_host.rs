//! A web host of the tests' own, on a free port.

use std::path::Path;
use std::time::Duration;

use axum::Router;
use axum::extract::{Path as UrlPath, Request};
use axum::http::{StatusCode, header};
use axum::middleware::{Next, from_fn};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use brisk_margin_demo::site;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_testing::pictures::gradient_jpeg;
use tokio::net::TcpListener;

/// Serves `router` until the test ends, and returns its address without a path.
pub async fn serve(router: Router) -> String {
    let listener = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    tokio::spawn(async move { axum::serve(listener, router).await });
    address
}

/// Serves `page`, and as its pictures every `/NAME-WIDTHxHEIGHT.jpg` in that size.
pub async fn serve_page(page: &'static str) -> String {
    let index = get(move || async move { Html(page) });
    let address = serve(Router::new().route("/", index).route("/{name}", get(sized))).await;
    format!("{address}/")
}

async fn sized(UrlPath(name): UrlPath<String>) -> Response {
    let size = name.trim_end_matches(".jpg").rsplit_once('-').and_then(|(_, size)| {
        let (width, height) = size.split_once('x')?;
        Some((width.parse().ok()?, height.parse().ok()?))
    });
    match size {
        Some((width, height)) => {
            ([(header::CONTENT_TYPE, "image/jpeg")], gradient_jpeg(width, height)).into_response()
        }
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

/// Serves the Tarnlight site with plain pictures, which are drawn faster than the park's own.
pub async fn tarnlight(folder: &Path) -> String {
    slow_tarnlight(folder, Duration::ZERO).await
}

/// The same, where each page takes so long until it is answered.
pub async fn slow_tarnlight(folder: &Path, page: Duration) -> String {
    site::write_pages(folder).unwrap();
    std::fs::create_dir_all(folder.join("media")).unwrap();
    let picture = gradient_jpeg(1200, 800);
    for medium in site::MEDIA {
        let broken = medium.name == "guide-9.jpg";
        let bytes = if broken { b"no picture".as_slice() } else { &picture };
        std::fs::write(folder.join("media").join(medium.name), bytes).unwrap();
    }
    let slowly = move |request: Request, next: Next| async move {
        if request.uri().path().ends_with(".html") {
            tokio::time::sleep(page).await;
        }
        next.run(request).await
    };
    serve(host::router(folder, Faults::default()).layer(from_fn(slowly))).await
}

//! A web host of the tests' own, on a free port.

use std::path::Path;

use axum::Router;
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

/// Serves the Tarnlight site with plain pictures, which are drawn faster than the park's own.
pub async fn tarnlight(folder: &Path) -> String {
    site::write_pages(folder).unwrap();
    std::fs::create_dir_all(folder.join("media")).unwrap();
    let picture = gradient_jpeg(1200, 800);
    for medium in site::MEDIA {
        let broken = medium.name == "guide-9.jpg";
        let bytes = if broken { b"no picture".as_slice() } else { &picture };
        std::fs::write(folder.join("media").join(medium.name), bytes).unwrap();
    }
    serve(host::router(folder, Faults::default())).await
}

//! Figures for whoever watches the processes, in the text form of Prometheus, on a port of their own.

use std::net::{Ipv4Addr, SocketAddr};

use axum::Router;
use axum::http::header;
use axum::routing::get;
use brisk_margin_work::sites::Sites;
use metrics::gauge;
use metrics_exporter_prometheus::{Matcher, PrometheusBuilder, PrometheusHandle};
use tokio::net::TcpListener;

use crate::home::Failure;

/// What a scrape's answer is (Prometheus, exposition formats).
const TEXT: &str = "text/plain; version=0.0.4; charset=utf-8";
/// The steps that requests are counted by, in seconds.
const STEPS: [f64; 9] = [0.005, 0.02, 0.05, 0.1, 0.25, 1.0, 5.0, 20.0, 60.0];

/// Answers at the port of loopback that was asked for, until the process ends; counts from now on.
///
/// # Errors
/// Where the port cannot be used.
pub(crate) async fn serve(port: Option<u16>, sites: &Sites) -> Result<(), Failure> {
    let Some(port) = port else { return Ok(()) };
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    let listener = TcpListener::bind(address)
        .await
        .map_err(|error| format!("port {port} cannot be used for metrics ({error})"))?;
    let address = listener.local_addr()?;
    let steps = Matcher::Suffix("_seconds".to_owned());
    let recorder = PrometheusBuilder::new().set_buckets_for_metric(steps, &STEPS)?;
    let told = recorder.install_recorder()?;
    let sites = sites.clone();
    let answer = move || {
        let (told, sites) = (told.clone(), sites.clone());
        async move { ([(header::CONTENT_TYPE, TEXT)], now(&told, &sites).await) }
    };
    let routes = Router::new().route("/metrics", get(answer));
    tokio::spawn(async move { axum::serve(listener, routes).await });
    tracing::info!("metrics are at http://{address}/metrics");
    Ok(())
}

/// Everything that was counted, beside how things stand now.
async fn now(told: &PrometheusHandle, sites: &Sites) -> String {
    // Others have the database's own state more often than this is asked for.
    let counts = sites.installation().count_all_jobs().await;
    gauge!("brisk_margin_database_up").set(f64::from(u8::from(counts.is_ok())));
    if let Ok(counts) = counts {
        for (kind, state, count) in counts.by_kind {
            let labels = [("kind", kind.name()), ("state", state.name())];
            gauge!("brisk_margin_jobs", &labels).set(count as f64);
        }
        gauge!("brisk_margin_queue_age_seconds").set(counts.oldest.as_secs_f64());
    }
    let pool = sites.pool();
    gauge!("brisk_margin_memory_limit_bytes").set(pool.memory().get() as f64);
    gauge!("brisk_margin_memory_admitted_bytes").set(pool.admitted().get() as f64);
    if let Some(free) = sites.installation().blobs().free().await {
        gauge!("brisk_margin_disk_free_bytes").set(free.get() as f64);
    }
    told.run_upkeep();
    told.render()
}

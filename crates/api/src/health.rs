//! Whether the application can work, and within which limits.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::slot_shape::MAX_SIDE;
use brisk_margin_core::units::Bytes;
use brisk_margin_site::chromium;
use serde::Serialize;
use utoipa::ToSchema;

use super::Problem;
use brisk_margin_work::intake::MAX_FILE;
use brisk_margin_work::sites::Sites;

/// The application can work.
#[derive(Serialize, ToSchema)]
pub(super) struct Health {
    /// Always `ok`; anything else is a problem document.
    status: &'static str,
    /// The program's version.
    version: &'static str,
    /// What of the protection against hostile files and pages does not hold here, in words.
    weaknesses: Vec<String>,
}

/// Answers once database and blob store do.
#[utoipa::path(get, path = "/api/health", responses(
    (status = 200, body = Health),
    (status = 503, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn health(State(sites): State<Sites>) -> Result<Json<Health>, Problem> {
    sites.installation().ping().await.map_err(|error| {
        let title = "The application cannot work now";
        Problem::new(StatusCode::SERVICE_UNAVAILABLE, "unavailable", title, error)
    })?;
    let codecs = sites.pool().codecs().clone();
    let of_codecs = tokio::task::spawn_blocking(move || codecs.weakness()).await.ok().flatten();
    let weaknesses = of_codecs.into_iter().chain(chromium::weakness()).collect();
    Ok(Json(Health { status: "ok", version: env!("CARGO_PKG_VERSION"), weaknesses }))
}

/// Requests can be sent here.
#[derive(Serialize, ToSchema)]
pub(super) struct Ready {
    /// Always `ready`; anything else is a problem document.
    status: &'static str,
}

/// Answers once this process can take requests: its tables are up to date, database and blob store answer, and the disk
/// has room.
#[utoipa::path(get, path = "/api/ready", responses(
    (status = 200, body = Ready),
    (status = 503, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn ready(State(sites): State<Sites>) -> Result<Json<Ready>, Problem> {
    let unready = |reason: &dyn std::fmt::Display| {
        let title = "The application takes no requests now";
        Problem::new(StatusCode::SERVICE_UNAVAILABLE, "unready", title, reason)
    };
    let installation = sites.installation();
    installation.ping().await.map_err(|error| {
        tracing::warn!(%error, "not ready");
        unready(&"the database or the blob store does not answer")
    })?;
    installation.blobs().has_room().await.map_err(|error| unready(&error))?;
    Ok(Json(Ready { status: "ready" }))
}

/// What is taken at most.
#[derive(Serialize, ToSchema)]
pub(super) struct Limits {
    /// Bytes of one file.
    file: Bytes,
    /// Pixels of one picture.
    pixels: u64,
    /// CSS pixels of a slot's side.
    slot_side: f64,
    /// The quality that a first try starts with.
    usual_quality: Quality,
}

/// What is taken at most, so that a client can say so before it sends.
#[utoipa::path(get, path = "/api/limits", responses((status = 200, body = Limits)))]
pub(super) async fn limits() -> Json<Limits> {
    Json(Limits {
        file: MAX_FILE,
        pixels: MAX_PIXELS,
        slot_side: MAX_SIDE,
        usual_quality: Quality::USUAL,
    })
}

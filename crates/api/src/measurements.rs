//! Measuring pages: started, followed, cancelled; and the files that pages serve today.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::format::Format;
use brisk_margin_store::BlobHash;
use serde::Deserialize;
use utoipa::ToSchema;

use super::Problem;
use super::extract::{self, Path};
use super::served::Served;
use crate::state::App;
use brisk_margin_work::making::previews;
use brisk_margin_work::measuring::{self, Report, StartError};

/// A page to be measured.
#[derive(Deserialize, ToSchema)]
pub(super) struct MeasureWish {
    /// Its address; without one, the pages in the site's own folder are measured.
    #[serde(default)]
    address: String,
    /// Whether the pages that it links to on the same host are measured, too.
    #[serde(default)]
    whole_site: bool,
}

/// Measures a page, or a whole site, as a job, at the site's layout widths. Only its own host and
/// port, and the hosts that the site's settings allow, are ever reached.
#[utoipa::path(post, path = "/measurements", request_body = MeasureWish, responses(
    (status = 202, description = "It has its turn after what is measured before", body = Option<Report>),
    (status = 422, body = Problem, content_type = "application/problem+json"),
    (status = 429, description = "As many jobs wait as may", body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn measure(
    State(app): State<App>,
    extract::Json(wish): extract::Json<MeasureWish>,
) -> Result<(StatusCode, Json<Option<Report>>), Problem> {
    let address = wish.address.trim().to_owned();
    let site = app.store.site().await?;
    match (address.as_str(), &site.folder) {
        ("", Some(folder)) => app.measuring.start_folder(folder.into()).await?,
        _ => {
            let wish = measuring::Wish { address, whole_site: wish.whole_site };
            app.measuring.start(wish, &site).await?;
        }
    }
    Ok((StatusCode::ACCEPTED, Json(app.measuring.report().await?)))
}

/// How far measuring is, or how the last one ended; `null` before the first.
#[utoipa::path(get, path = "/measurements/latest", responses(
    (status = 200, body = Option<Report>),
))]
pub(super) async fn measuring(State(app): State<App>) -> Result<Json<Option<Report>>, Problem> {
    Ok(Json(app.measuring.report().await?))
}

/// Stops measuring. What was measured stays.
#[utoipa::path(delete, path = "/measurements/latest", responses((status = 204)))]
pub(super) async fn cancel(State(app): State<App>) -> Result<StatusCode, Problem> {
    app.measuring.cancel().await?;
    Ok(StatusCode::NO_CONTENT)
}

impl From<StartError> for Problem {
    fn from(error: StartError) -> Self {
        match error {
            StartError::Store(error) => error.into(),
            StartError::Files(error) => error.into(),
            StartError::Address(_) => Self::invalid(error),
        }
    }
}

/// A copy of a file that a page serves today, decoded and encoded anew as WebP.
#[utoipa::path(get, path = "/served/{hash}", responses(
    (status = 200, content_type = "image/webp", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("hash" = String, Path, description = "Its hash")))]
pub(super) async fn served(
    State(app): State<App>,
    Path(hash): Path<String>,
) -> Result<Served, Problem> {
    let hash = BlobHash::parse(&hash).ok_or_else(|| Problem::not_found("file"))?;
    let bytes = previews::served_preview(&app.maker, &hash).await?;
    let bytes = bytes.ok_or_else(|| Problem::not_found("file"))?;
    Ok(Served { bytes, media_type: Format::Webp.media_type(), save_as: None })
}

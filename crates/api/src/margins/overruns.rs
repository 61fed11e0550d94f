//! Overruns that arose and of which nobody was told yet.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_store::overruns::{NewOverrun, Overrun};
use chrono::{DateTime, Utc};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::Problem;
use crate::state::App;

/// A page that went over a budget.
#[derive(Serialize, ToSchema)]
pub(crate) struct OverrunBody {
    page: Uuid,
    page_name: String,
    /// By how many bytes; nothing where it keeps to that budget.
    bytes: Option<Bytes>,
    /// By how many milliseconds at the usual connection.
    time: Option<Millis>,
    since: DateTime<Utc>,
}

/// Pages that went over a budget and of which nobody was told yet, the newest first.
#[utoipa::path(get, path = "/margins/overruns", responses((status = 200, body = Vec<OverrunBody>)))]
pub(crate) async fn new_overruns(
    State(app): State<App>,
) -> Result<Json<Vec<OverrunBody>>, Problem> {
    let body = |NewOverrun { overrun: Overrun { page, bytes, time }, page_name, since }| {
        OverrunBody { page, page_name, bytes, time, since }
    };
    Ok(Json(app.store.new_overruns().await?.into_iter().map(body).collect()))
}

/// Says that somebody was told of them.
#[utoipa::path(post, path = "/margins/overruns/seen", responses((status = 204)))]
pub(crate) async fn see_overruns(State(app): State<App>) -> Result<StatusCode, Problem> {
    app.store.see_overruns().await?;
    Ok(StatusCode::NO_CONTENT)
}

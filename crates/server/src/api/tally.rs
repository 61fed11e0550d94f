//! The tally: what is selected or in view weighs.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::units::Bytes;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::Query;
use crate::app::App;

#[derive(Deserialize, IntoParams)]
pub(super) struct Selection {
    /// Picture numbers with commas between; without it, the whole library counts.
    ids: Option<String>,
}

/// The weights of some pictures. A picture counts in the saving and the margin once a file was
/// made of it, and then with its newest.
#[derive(Serialize, ToSchema)]
pub(super) struct Tally {
    /// How many pictures.
    pictures: i64,
    /// The bytes of all their originals.
    originals: Bytes,
    /// How many of them have a file made of them.
    made: i64,
    /// Those originals' bytes, and those files'.
    saving: Saving,
    /// Those files' bytes under their slots' budgets.
    margin: Margin,
}

/// What some pictures, or all, weigh before and after.
#[utoipa::path(get, path = "/api/tally", params(Selection), responses(
    (status = 200, body = Tally),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn tally(
    State(app): State<App>,
    Query(selection): Query<Selection>,
) -> Result<Json<Tally>, Problem> {
    let ids = selection.ids.map(|text| ids(&text)).transpose()?;
    let weights = app.store.weights(ids.as_deref()).await?;
    let bytes = |count: i64| Bytes(count.unsigned_abs());
    Ok(Json(Tally {
        pictures: weights.pictures,
        originals: bytes(weights.originals),
        made: weights.made,
        saving: Saving::new(bytes(weights.before), bytes(weights.after)),
        margin: Margin::new(bytes(weights.budget), bytes(weights.after)),
    }))
}

fn ids(text: &str) -> Result<Vec<Uuid>, Problem> {
    text.split(',')
        .filter(|id| !id.is_empty())
        .map(|id| id.parse().map_err(|_| Problem::invalid(format!("“{id}” is no picture number"))))
        .collect()
}

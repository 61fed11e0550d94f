//! The tally: what is selected or in view weighs.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::status::Estimate;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Filter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::pictures::which::Which;
use super::{Problem, extract};
use crate::state::App;

/// Whose weights.
#[derive(Deserialize, ToSchema)]
pub(super) struct TallyOf {
    which: Which,
}

/// The weights of some pictures. A picture counts in the saving and the margin once a file was
/// made of it, and then with its newest.
#[derive(Serialize, ToSchema)]
pub(super) struct Tally {
    /// How many pictures.
    pictures: i64,
    /// The bytes of all their originals.
    originals: Bytes,
    /// What pages that show them transfer today, of those whose possible weight is estimated.
    today: Bytes,
    /// About what they could weigh instead.
    possible: Estimate,
    /// How many of them are estimated.
    estimated: i64,
    /// How many of them have a file made of them.
    made: i64,
    /// Those originals' bytes, and those files'.
    saving: Saving,
    /// Those files' bytes under their slots' budgets.
    margin: Margin,
}

/// What some pictures, or all that meet a filter, weigh before and after.
#[utoipa::path(post, path = "/tally", request_body = TallyOf, responses(
    (status = 200, body = Tally),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn tally(
    State(app): State<App>,
    extract::Json(wish): extract::Json<TallyOf>,
) -> Result<Json<Tally>, Problem> {
    let weights = match wish.which {
        Which::Ids(ids) => app.store.weights(Some(&ids), &Filter::default()).await?,
        Which::Filter(filter) => app.store.weights(None, &filter).await?,
    };
    let bytes = |count: i64| Bytes(count.unsigned_abs());
    Ok(Json(Tally {
        pictures: weights.pictures,
        originals: bytes(weights.originals),
        today: bytes(weights.today),
        possible: Estimate {
            low: bytes(weights.low),
            about: bytes(weights.about),
            high: bytes(weights.high),
        },
        estimated: weights.estimated,
        made: weights.made,
        saving: Saving::new(bytes(weights.before), bytes(weights.after)),
        margin: Margin::new(bytes(weights.budget), bytes(weights.after)),
    }))
}

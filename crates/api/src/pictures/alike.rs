//! Pictures that look the same, side by side.

use axum::Json;
use axum::extract::State;
use brisk_margin_store::pictures::Pair;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::changes::{ChangeBody, count, settle};
use super::{PictureBody, bodies_of};
use crate::Problem;
use crate::extract;
use crate::state::App;

/// Two pictures that look the same.
#[derive(Serialize, ToSchema)]
pub(crate) struct PairBody {
    /// The one that came first.
    one: PictureBody,
    /// The one that came later.
    other: PictureBody,
    /// How they compare, in words.
    words: &'static str,
}

/// Pairs that look the same and were not told apart, the most alike first.
#[utoipa::path(get, path = "/alike", responses((status = 200, body = Vec<PairBody>)))]
pub(crate) async fn alike(State(app): State<App>) -> Result<Json<Vec<PairBody>>, Problem> {
    let pairs = app.store.alike(200).await?;
    let words: Vec<&str> = pairs.iter().map(words).collect();
    let pictures = pairs.into_iter().flat_map(|pair| [pair.one, pair.other]).collect();
    let mut bodies = bodies_of(&app, pictures).await?.into_iter();
    let pair = |words| {
        let (one, other) = (bodies.next()?, bodies.next()?);
        Some(PairBody { one, other, words })
    };
    Ok(Json(words.into_iter().map_while(pair).collect()))
}

fn words(pair: &Pair) -> &'static str {
    let same_size = pair.one.facts.size == pair.other.facts.size;
    match (pair.distance, same_size) {
        (0, true) => "the same picture, saved twice",
        (0, false) => "the same picture at two sizes",
        (1..=3, _) => "hardly to be told apart",
        _ => "much alike",
    }
}

/// Two pictures.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Apart {
    one: Uuid,
    other: Uuid,
    /// Whether they are two pictures; false takes that back.
    apart: bool,
}

/// Says that two pictures are not the same, or takes that back.
#[utoipa::path(post, path = "/alike/apart", request_body = Apart, responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn tell_apart(
    State(app): State<App>,
    extract::Json(wish): extract::Json<Apart>,
) -> Result<axum::http::StatusCode, Problem> {
    if !app.store.tell_apart(wish.one, wish.other, wish.apart).await? {
        return Err(Problem::not_found("pair"));
    }
    settle(&app, &[wish.one, wish.other]).await?;
    Ok(axum::http::StatusCode::NO_CONTENT)
}

/// Pictures to be merged.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Merge {
    /// The one that stays, and gets the places of the others.
    kept: Uuid,
    /// Those that are removed.
    gone: Vec<Uuid>,
}

/// Moves every use of some pictures to another one and removes them, as one change that can be
/// taken back.
#[utoipa::path(post, path = "/alike/merge", request_body = Merge, responses(
    (status = 200, body = Option<ChangeBody>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn merge(
    State(app): State<App>,
    extract::Json(wish): extract::Json<Merge>,
) -> Result<Json<Option<ChangeBody>>, Problem> {
    if wish.gone.contains(&wish.kept) {
        return Err(Problem::invalid("a picture cannot be merged into itself"));
    }
    let kept = app.store.pictures_of(&[wish.kept]).await?;
    let kept = kept.first().ok_or_else(|| Problem::not_found("picture"))?;
    let summary = format!("merged {} into {}", count(wish.gone.len()), kept.name);
    let change = app.store.merge(kept.id, &wish.gone, &summary).await?;
    let touched: Vec<Uuid> = wish.gone.into_iter().chain([kept.id]).collect();
    settle(&app, &touched).await?;
    Ok(Json(change.map(ChangeBody::from)))
}

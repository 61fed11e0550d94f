//! The picture itself cropped, rotated, flipped or straightened by hand, with or without a slot.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::{EditList, RotateOrFlip};
use brisk_margin_core::framing::{self, Cuts, Holding};
use brisk_margin_core::geometry::Rect;
use brisk_margin_store::pictures::Picture;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::framings::check_shape;
use crate::Problem;
use crate::extract::{self, Path};
use crate::find::find;
use crate::state::App;

/// A crop of the picture itself.
#[derive(Deserialize, ToSchema)]
pub(crate) struct TrimAsked {
    /// How the picture is framed and edited.
    adjustments: Adjustments,
    /// The part that stays, in pixels of the picture with its geometry changed; without one, the
    /// largest part of the shape around the focal point.
    crop: Option<Rect>,
    /// The shape that it keeps, width over height; nothing for any.
    aspect: Option<f64>,
    /// What stays as it is while it is drawn.
    #[serde(default)]
    holding: Holding,
}

/// A crop of the picture itself, as it comes out.
#[derive(Serialize, ToSchema)]
pub(crate) struct Trimmed {
    /// The adjustments with it.
    adjustments: Adjustments,
    /// The part that stays: inside the picture and of the shape that was asked for.
    crop: Rect,
    /// What is cut from each side.
    cuts: Cuts,
    /// How much of the picture's area is cut, in percent.
    cut_percent: f64,
}

/// A rotation or a flip of the picture as it lies there.
#[derive(Deserialize, ToSchema)]
pub(crate) struct RotateAsked {
    /// How the picture is framed and edited.
    adjustments: Adjustments,
    /// Which.
    by: RotateOrFlip,
}

/// A line on the picture that is to be level or upright.
#[derive(Deserialize, ToSchema)]
pub(crate) struct StraightenAsked {
    /// How the picture is framed and edited.
    adjustments: Adjustments,
    /// Where the line begins, in pixels of the picture with its geometry changed.
    #[schema(value_type = Vec<f64>)]
    from: [f64; 2],
    /// Where it ends.
    #[schema(value_type = Vec<f64>)]
    to: [f64; 2],
}

/// Crops the picture itself: the part that was drawn or typed is brought inside the picture and to
/// its shape. Nothing is kept; the answer is the adjustments with it.
#[utoipa::path(post, path = "/pictures/{id}/trim", request_body = TrimAsked, responses(
    (status = 200, body = Trimmed),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's id")))]
pub(crate) async fn trim(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<TrimAsked>,
) -> Result<Json<Trimmed>, Problem> {
    let picture = find(&app, id).await?;
    let mut adjustments = asked.adjustments;
    let canvas = Canvas::new(picture.facts.size, &adjustments.edits).map_err(Problem::invalid)?;
    check_shape(asked.aspect)?;
    let size = canvas.size();
    let crop = match (asked.crop, asked.aspect) {
        (Some(crop), aspect) => framing::drawn(size, crop, aspect, asked.holding)
            .ok_or_else(|| Problem::invalid("a crop must be at least 1 px wide and high"))?,
        (None, Some(aspect)) => around_the_focal_point(&canvas, &adjustments, aspect),
        (None, None) => Rect::whole(size),
    };
    adjustments.edits = adjustments.edits.trimmed(&canvas, crop).map_err(Problem::invalid)?;
    let share = crop.size().pixels() as f64 / size.pixels() as f64;
    let cuts = Cuts::of(size, crop);
    Ok(Json(Trimmed { adjustments, crop, cuts, cut_percent: 100.0 * (1.0 - share) }))
}

/// Rotates or flips the picture as it lies there, crop and angle with it. Nothing is kept; the
/// answer is the adjustments with it.
#[utoipa::path(post, path = "/pictures/{id}/rotate", request_body = RotateAsked, responses(
    (status = 200, body = Adjustments),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's id")))]
pub(crate) async fn rotate(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<RotateAsked>,
) -> Result<Json<Adjustments>, Problem> {
    let picture = find(&app, id).await?;
    let edits = asked.adjustments.edits.rotated(asked.by).map_err(Problem::invalid)?;
    with_edits(&picture, asked.adjustments, edits)
}

/// Straightens the picture so that a line on it is level or upright, whichever is nearer. Nothing is
/// kept; the answer is the adjustments with it.
#[utoipa::path(post, path = "/pictures/{id}/straighten", request_body = StraightenAsked, responses(
    (status = 200, body = Adjustments),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's id")))]
pub(crate) async fn straighten(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<StraightenAsked>,
) -> Result<Json<Adjustments>, Problem> {
    let picture = find(&app, id).await?;
    let edits = asked.adjustments.edits.straightened(asked.from.into(), asked.to.into());
    with_edits(&picture, asked.adjustments, edits.map_err(Problem::invalid)?)
}

/// The largest part of shape `aspect` around the focal point, with the keep area inside it.
fn around_the_focal_point(canvas: &Canvas, adjustments: &Adjustments, aspect: f64) -> Rect {
    let size = canvas.size();
    let keep = adjustments.keep_area.and_then(|keep| canvas.keep(keep));
    framing::frame(size, aspect, canvas.focal(adjustments.focal), keep)
}

/// The adjustments with other edits, where the picture bears them.
fn with_edits(
    picture: &Picture,
    adjustments: Adjustments,
    edits: EditList,
) -> Result<Json<Adjustments>, Problem> {
    Canvas::new(picture.facts.size, &edits).map_err(Problem::invalid)?;
    Ok(Json(Adjustments { edits, ..adjustments }))
}

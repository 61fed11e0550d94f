//! Output rules: what is said for the site, for a slot and for a picture.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::rule::OutputRule;
use brisk_margin_store::output_rules::RuleFor;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use crate::app::{App, Change};

async fn say(app: &App, subject: RuleFor, rule: &OutputRule) -> Result<Json<OutputRule>, Problem> {
    let before = app.store.say_output_rule(subject, rule).await?;
    app.tell(Change::Variants);
    Ok(Json(before))
}

/// What is said for the whole site.
#[utoipa::path(get, path = "/api/output-rules/site", responses((status = 200, body = OutputRule)))]
pub(super) async fn site_rule(State(app): State<App>) -> Result<Json<OutputRule>, Problem> {
    Ok(Json(app.store.output_rule(RuleFor::Site).await?))
}

/// Says what holds for the whole site; the answer is what was said before.
#[utoipa::path(put, path = "/api/output-rules/site", request_body = OutputRule, responses(
    (status = 200, body = OutputRule),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn say_site_rule(
    State(app): State<App>,
    extract::Json(rule): extract::Json<OutputRule>,
) -> Result<Json<OutputRule>, Problem> {
    say(&app, RuleFor::Site, &rule).await
}

async fn slot(app: &App, id: Uuid) -> Result<RuleFor, Problem> {
    let slot = app.store.slot(id).await?.ok_or_else(|| Problem::not_found("slot"))?;
    Ok(RuleFor::Slot(slot.id))
}

/// What is said for a slot.
#[utoipa::path(get, path = "/api/output-rules/slots/{id}", responses(
    (status = 200, body = OutputRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot's number")))]
pub(super) async fn slot_rule(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<OutputRule>, Problem> {
    Ok(Json(app.store.output_rule(slot(&app, id).await?).await?))
}

/// Says what holds for a slot; the answer is what was said before.
#[utoipa::path(put, path = "/api/output-rules/slots/{id}", request_body = OutputRule, responses(
    (status = 200, body = OutputRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The slot's number")))]
pub(super) async fn say_slot_rule(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(rule): extract::Json<OutputRule>,
) -> Result<Json<OutputRule>, Problem> {
    let subject = slot(&app, id).await?;
    say(&app, subject, &rule).await
}

async fn picture(app: &App, id: Uuid) -> Result<RuleFor, Problem> {
    Ok(RuleFor::Picture(super::pictures::find(app, id).await?.id))
}

/// What is said for a picture.
#[utoipa::path(get, path = "/api/output-rules/pictures/{id}", responses(
    (status = 200, body = OutputRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn picture_rule(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<OutputRule>, Problem> {
    Ok(Json(app.store.output_rule(picture(&app, id).await?).await?))
}

/// Says what holds for a picture; the answer is what was said before.
#[utoipa::path(put, path = "/api/output-rules/pictures/{id}", request_body = OutputRule, responses(
    (status = 200, body = OutputRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn say_picture_rule(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(rule): extract::Json<OutputRule>,
) -> Result<Json<OutputRule>, Problem> {
    let subject = picture(&app, id).await?;
    say(&app, subject, &rule).await
}

//! Output rules: what is said for the site, for a slot and for a picture.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::rule::{EffectiveRule, OutputRule};
use brisk_margin_core::seen::Seen;
use brisk_margin_store::output_rules::RuleFor;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use crate::find::find;
use crate::state::App;

/// Whose rule; the site's where nothing is given.
#[derive(Deserialize, IntoParams)]
pub(super) struct RuleOf {
    /// A slot's number.
    slot: Option<Uuid>,
    /// A picture's number.
    picture: Option<Uuid>,
}

impl RuleOf {
    async fn subject(&self, app: &App) -> Result<RuleFor, Problem> {
        match (self.slot, self.picture) {
            (None, None) => Ok(RuleFor::Site),
            (Some(slot), None) => {
                let slot = app.store.slot(slot).await?;
                Ok(RuleFor::Slot(slot.ok_or_else(|| Problem::not_found("slot"))?.id))
            }
            (None, Some(picture)) => Ok(RuleFor::Picture(find(app, picture).await?.id)),
            (Some(_), Some(_)) => Err(Problem::invalid("give a slot or a picture, not both")),
        }
    }
}

/// What is said for the site, a slot or a picture.
#[utoipa::path(get, path = "/output-rules", params(RuleOf), responses(
    (status = 200, body = OutputRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn output_rule(
    State(app): State<App>,
    Query(of): Query<RuleOf>,
) -> Result<Json<OutputRule>, Problem> {
    let subject = of.subject(&app).await?;
    Ok(Json(app.store.output_rule(subject).await?))
}

/// A rule to be said.
#[derive(Deserialize, ToSchema)]
#[serde(try_from = "serde_json::Map<String, serde_json::Value>")]
pub(super) struct SaidRule {
    #[serde(flatten)]
    rule: OutputRule,
    /// What was said when whoever saves looked: what somebody else said since is not overwritten.
    #[serde(default)]
    #[schema(value_type = Option<OutputRule>)]
    seen: Seen<OutputRule>,
}

impl TryFrom<serde_json::Map<String, serde_json::Value>> for SaidRule {
    type Error = serde_json::Error;

    /// A rule refuses what it does not know, so that what was seen is taken out first.
    fn try_from(mut said: serde_json::Map<String, serde_json::Value>) -> serde_json::Result<Self> {
        let seen = said.remove("seen").map(serde_json::from_value).transpose()?;
        Ok(Self { rule: serde_json::from_value(said.into())?, seen: seen.unwrap_or_default() })
    }
}

/// Says what holds for the site, a slot or a picture; the answer is what was said before.
#[utoipa::path(put, path = "/output-rules", params(RuleOf), request_body = SaidRule, responses(
    (status = 200, body = OutputRule),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn say_output_rule(
    State(app): State<App>,
    Query(of): Query<RuleOf>,
    extract::Json(said): extract::Json<SaidRule>,
) -> Result<Json<OutputRule>, Problem> {
    let subject = of.subject(&app).await?;
    let before = app.store.say_output_rule(subject, &said.rule, &said.seen).await?;
    Ok(Json(before))
}

/// Where a picture is to be shown.
#[derive(Deserialize, IntoParams)]
pub(super) struct DecisionIn {
    /// A slot's number; nothing for no slot in particular.
    slot: Option<Uuid>,
}

/// What holds for a picture, and who decided it.
#[utoipa::path(get, path = "/pictures/{id}/decision", params(
    ("id" = Uuid, Path, description = "The picture's number"), DecisionIn,
), responses(
    (status = 200, body = EffectiveRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn decision(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(place): Query<DecisionIn>,
) -> Result<Json<EffectiveRule>, Problem> {
    let picture = find(&app, id).await?;
    Ok(Json(app.store.decision(picture.id, place.slot).await?))
}

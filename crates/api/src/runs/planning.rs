//! What a run would do, and starting it.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::run::StartedBy;
use brisk_margin_core::run::limits::RunLimits;
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_store::output_rules::RuleFor;
use brisk_margin_store::pictures::ShownBy;
use brisk_margin_work::runs::slots::{self, RunSlotError};
use brisk_margin_work::runs::{self, MOST_PICTURES, RunOver, RunWish};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{ForecastBody, RunBody, find};
use crate::Problem;
use crate::extract;
use crate::pictures::which::Which;
use crate::state::App;

/// Letters of a name.
const MOST_NAME: usize = 200;

/// A run that is asked for.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewRun {
    /// Of which pictures; of all that the page or the slots show where nothing is given.
    which: Option<Which>,
    /// Only for the slots of this page.
    page: Option<Uuid>,
    /// For these slots, whether they show the pictures or not; else for every slot that shows one.
    #[serde(default)]
    slots: Vec<Uuid>,
    /// In the sizes of these presets, each as a slot that no page has.
    #[serde(default)]
    presets: Vec<Uuid>,
    /// What is left for later.
    #[serde(default)]
    limits: RunLimits,
    /// How the files are made, where that is chosen for it: formats, quality target, most bytes, densities,
    /// credit and colours. It becomes part of each picture's own rule when that has its turn.
    rule: Option<RunRule>,
    /// What it is called.
    #[serde(default)]
    name: String,
    /// Who has it started: by hand where nothing is given.
    started_by: Option<StartedBy>,
}

impl NewRun {
    async fn wish(self, app: &App) -> Result<RunWish, Problem> {
        let slots = slots::chosen(&app.store, &self.slots, &self.presets).await?;
        let over = match self.page {
            Some(_) if !slots.is_empty() => {
                return Err(Problem::invalid("choose a page, or slots and size presets, not both"));
            }
            Some(page) => RunOver::Page(page),
            None if slots.is_empty() => RunOver::Uses,
            None => RunOver::Slots(slots),
        };
        let pictures = match (self.which, &over) {
            (Some(which), _) => which.at_most(app, MOST_PICTURES).await?,
            (None, RunOver::Page(page)) => app.store.pictures_shown(ShownBy::Page(*page)).await?,
            (None, RunOver::Slots(_)) if !self.slots.is_empty() => {
                let mut all = Vec::new();
                for &slot in &self.slots {
                    all.extend(app.store.pictures_shown(ShownBy::Slot(slot)).await?);
                }
                all.sort_unstable();
                all.dedup();
                all
            }
            (None, RunOver::Uses | RunOver::Slots(_)) => {
                return Err(Problem::invalid("say which pictures, or which page or slots"));
            }
        };
        Ok(RunWish { pictures, over, limits: self.limits, rule: self.rule })
    }
}

impl From<RunSlotError> for Problem {
    fn from(error: RunSlotError) -> Self {
        match error {
            RunSlotError::NoSlot => Self::not_found("slot"),
            RunSlotError::NoPreset => Self::not_found("size preset"),
            RunSlotError::Sizes { .. } => Self::invalid(error),
            RunSlotError::Store(error) => error.into(),
        }
    }
}

/// What a run over some pictures would do. Nothing is made but a few trials, by which the bytes are
/// told.
#[utoipa::path(post, path = "/runs/forecast", request_body = NewRun, responses(
    (status = 200, body = ForecastBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn forecast(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewRun>,
) -> Result<Json<ForecastBody>, Problem> {
    let wish = new.wish(&app).await?;
    let plan = runs::plan(&app.maker, &wish).await?;
    let rule = app.store.output_rule(RuleFor::Site).await?;
    let free = app.store.blobs().free().await;
    Ok(Json(ForecastBody::new(plan.forecast, &rule, wish.rule.as_ref(), free)))
}

/// Starts a run: the files of pictures for slots, the largest saving first.
#[utoipa::path(post, path = "/runs", request_body = NewRun, responses(
    (status = 201, body = RunBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
    (status = 429, description = "As many jobs wait as may", body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn start_run(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewRun>,
) -> Result<(StatusCode, Json<RunBody>), Problem> {
    let name = new.name.trim().to_owned();
    if name.chars().count() > MOST_NAME {
        return Err(Problem::invalid("a run's name has at most 200 characters"));
    }
    let started_by = new.started_by.unwrap_or(StartedBy::Hand);
    let wish = new.wish(&app).await?;
    if wish.pictures.is_empty() {
        return Err(Problem::invalid("no picture is chosen; choose some, or widen the filter"));
    }
    let id = runs::plan(&app.maker, &wish).await?.start(&app.maker, name, started_by).await?;
    Ok((StatusCode::CREATED, Json(find(&app, id).await?)))
}

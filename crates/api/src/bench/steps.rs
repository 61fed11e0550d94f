//! Steps: what was done on the bench, gone through in both directions, named, saved, and made into
//! a picture of its own.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::naming;
use brisk_margin_store::pictures;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::Problem;
use crate::extract::{self, Path};
use crate::find::find;
use crate::pictures::changes::{ChangeBody, settle};
use crate::pictures::{PictureBody, body_of};
use crate::state::App;

/// A step of the work on a picture.
#[derive(Serialize, ToSchema)]
pub(crate) struct StepBody {
    /// Its number, in order of making.
    id: Uuid,
    /// The step that it came from; nothing for the first.
    parent: Option<Uuid>,
    /// What was done, in words.
    summary: String,
    /// The name that it was given.
    name: Option<String>,
    /// When.
    made_at: DateTime<Utc>,
}

impl From<pictures::Step> for StepBody {
    fn from(step: pictures::Step) -> Self {
        let pictures::Step { id, parent, summary, name, made_at, .. } = step;
        Self { id, parent, summary, name, made_at }
    }
}

/// A step to be noted.
#[derive(Deserialize, ToSchema)]
pub(crate) struct NewStep {
    /// The step that it comes from; nothing for the one that holds.
    after: Option<Uuid>,
    /// What was done, in words.
    summary: String,
    /// What came of it.
    #[serde(alias = "work")]
    adjustments: Adjustments,
}

/// Notes a step of the work on a picture. What it was before stays and can be gone back to; where
/// the picture is shown, nothing changes until it is saved.
#[utoipa::path(post, path = "/pictures/{id}/steps", request_body = NewStep, responses(
    (status = 201, body = StepBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn add_step(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(new): extract::Json<NewStep>,
) -> Result<(StatusCode, Json<StepBody>), Problem> {
    let picture = find(&app, id).await?;
    Canvas::new(picture.facts.size, &new.adjustments.edits).map_err(Problem::invalid)?;
    if let Some(after) = new.after {
        of_picture(&app, after, id).await?;
    }
    let summary: String = new.summary.trim().chars().take(200).collect();
    let step = app.store.add_step(&picture, new.after, &summary, &new.adjustments).await?;
    Ok((StatusCode::CREATED, Json(step.into())))
}

/// The work of step `step`, which must be of picture `id`.
async fn of_picture(app: &App, step: Uuid, id: Uuid) -> Result<Adjustments, Problem> {
    match app.store.step(step).await? {
        Some((picture, adjustments)) if picture == id => Ok(adjustments),
        _ => Err(Problem::not_found("step of this picture")),
    }
}

/// Goes to a step: its work lies on the bench, now and when the picture is opened again.
#[utoipa::path(post, path = "/steps/{id}/go", responses(
    (status = 200, body = Adjustments),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The step's number")))]
pub(crate) async fn go_to_step(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Adjustments>, Problem> {
    let adjustments = app.store.remember_step(id).await?;
    Ok(Json(adjustments.ok_or_else(|| Problem::not_found("step"))?))
}

/// The work of a step, to be looked at.
#[utoipa::path(get, path = "/steps/{id}", responses(
    (status = 200, body = Adjustments),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The step's number")))]
pub(crate) async fn step(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Adjustments>, Problem> {
    let found = app.store.step(id).await?.ok_or_else(|| Problem::not_found("step"))?;
    Ok(Json(found.1))
}

/// The name of a step.
#[derive(Deserialize, ToSchema)]
pub(crate) struct StepName {
    /// The name; empty for none. Another step of the picture that has it loses it.
    name: String,
}

/// Names a step, so that it is found again.
#[utoipa::path(patch, path = "/steps/{id}", request_body = StepName, responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The step's number")))]
pub(crate) async fn name_step(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(named): extract::Json<StepName>,
) -> Result<StatusCode, Problem> {
    let name: String = named.name.trim().chars().take(80).collect();
    let named =
        app.store.name_step(id, Some(name.as_str()).filter(|name| !name.is_empty())).await?;
    if named { Ok(StatusCode::NO_CONTENT) } else { Err(Problem::not_found("step")) }
}

/// A step to be saved.
#[derive(Deserialize, ToSchema)]
pub(crate) struct SaveAsked {
    /// The step that shall hold.
    step: Uuid,
    /// The step that held when the work began; where another one holds by now, nothing is saved.
    over: Uuid,
}

/// A saved picture.
#[derive(Serialize, ToSchema)]
pub(crate) struct SavedBody {
    /// The picture.
    picture: PictureBody,
    /// By which it is taken back; nothing where nothing changed.
    change: Option<ChangeBody>,
}

/// Has a step hold wherever the picture is shown. Files made before stay as they are.
#[utoipa::path(post, path = "/pictures/{id}/save", request_body = SaveAsked, responses(
    (status = 200, body = SavedBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, description = "Somebody else saved it in the meantime", body = Problem,
        content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn save(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(saving): extract::Json<SaveAsked>,
) -> Result<Json<SavedBody>, Problem> {
    let picture = find(&app, id).await?;
    of_picture(&app, saving.step, id).await?;
    let change = app.store.save_step(&picture, saving.step, saving.over).await?;
    if change.is_some() {
        settle(&app, &[id]).await?;
    }
    let picture = body_of(&app, find(&app, id).await?).await?;
    Ok(Json(SavedBody { picture, change: change.map(ChangeBody::from) }))
}

/// A picture to be made beside another.
#[derive(Deserialize, ToSchema)]
pub(crate) struct NewBeside {
    /// The work that it has.
    #[serde(alias = "work")]
    adjustments: Adjustments,
    /// Its name.
    name: String,
    /// The places in which it is shown instead of the other.
    #[serde(default)]
    places: Vec<Uuid>,
}

/// Makes a new picture beside another: it shares that one's original and has its own work.
#[utoipa::path(post, path = "/pictures/{id}/beside", request_body = NewBeside, responses(
    (status = 201, body = SavedBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn save_beside(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(new): extract::Json<NewBeside>,
) -> Result<(StatusCode, Json<SavedBody>), Problem> {
    let picture = find(&app, id).await?;
    Canvas::new(picture.facts.size, &new.adjustments.edits).map_err(Problem::invalid)?;
    let name = naming::tidy(&new.name);
    if new.name.trim().is_empty() {
        return Err(Problem::invalid("the new picture needs a name"));
    }
    let summary = format!("made from {}", picture.name);
    let (made, change) =
        app.store.copy_picture(&picture, &name, &summary, &new.adjustments, &new.places).await?;
    settle(&app, &[made, id]).await?;
    let picture = body_of(&app, find(&app, made).await?).await?;
    Ok((StatusCode::CREATED, Json(SavedBody { picture, change: change.map(ChangeBody::from) })))
}

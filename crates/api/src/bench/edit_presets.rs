//! Finishes: lists of edits under a name, laid on many pictures at once.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::edits::EditList;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::seen::Seen;
use brisk_margin_store::edit_presets::EditPreset;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::Problem;
use crate::extract::{self, Path};
use crate::pictures::changes::{ChangeBody, settle};
use crate::pictures::which::Which;
use crate::state::App;

/// Every list of edits that was saved, by name.
#[utoipa::path(get, path = "/finishes", responses((status = 200, body = Vec<EditPreset>)))]
pub(crate) async fn edit_presets(State(app): State<App>) -> Result<Json<Vec<EditPreset>>, Problem> {
    Ok(Json(app.store.edit_presets().await?))
}

/// A list of edits to be saved.
#[derive(Deserialize, ToSchema)]
pub(crate) struct NewFinish {
    /// Its name; a list that has it is replaced.
    name: String,
    /// The edits.
    #[serde(alias = "finish")]
    edits: EditList,
    /// What had that name when whoever saves looked, `null` for nothing: what somebody else saved since is not
    /// overwritten.
    #[serde(default)]
    #[schema(value_type = Option<EditList>)]
    seen: Seen<EditList>,
}

/// Saves a list of edits under a name.
#[utoipa::path(post, path = "/finishes", request_body = NewFinish, responses(
    (status = 204),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn save_edit_preset(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewFinish>,
) -> Result<StatusCode, Problem> {
    let name: String = new.name.trim().chars().take(80).collect();
    if name.is_empty() {
        return Err(Problem::invalid("a list of edits needs a name"));
    }
    if new.edits.is_plain() {
        return Err(Problem::invalid("there is no edit in use that could be saved"));
    }
    app.store.save_edit_preset(&name, &new.edits.in_use(), &new.seen).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Forgets a saved list of edits; pictures keep theirs. The answer can be saved again.
#[utoipa::path(delete, path = "/finishes/{id}", responses(
    (status = 200, body = EditPreset),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The list's number")))]
pub(crate) async fn forget_edit_preset(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<EditPreset>, Problem> {
    let gone = app.store.delete_edit_preset(id).await?;
    Ok(Json(gone.ok_or_else(|| Problem::not_found("list of edits"))?))
}

/// Pictures that get a list of edits.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Laying {
    /// Which.
    which: Which,
}

/// What came of it.
#[derive(Serialize, ToSchema)]
pub(crate) struct Laid {
    /// By which it is taken back; nothing where nothing changed.
    change: Option<ChangeBody>,
    /// Pictures that it cannot be laid on, and why.
    refused: Vec<String>,
}

/// Lays a list of edits on many pictures, in place of their own; how each was turned and
/// straightened stays, unless the list says otherwise. It holds at once and can be taken back as one.
#[utoipa::path(post, path = "/finishes/{id}/lay", request_body = Laying, responses(
    (status = 200, body = Laid),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The list's number")))]
pub(crate) async fn lay_edit_preset(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(laying): extract::Json<Laying>,
) -> Result<Json<Laid>, Problem> {
    let found = app.store.edit_preset(id).await?;
    let named = found.ok_or_else(|| Problem::not_found("list of edits"))?;
    let ids = laying.which.ids(&app).await?;
    let (mut adjustments, mut refused) = (Vec::new(), Vec::new());
    for some in ids.chunks(500) {
        for picture in app.store.pictures_of(some).await? {
            let edits = named.edits.laid_on(&picture.adjustments.edits);
            match Canvas::new(picture.facts.size, &edits) {
                Ok(_) => {
                    let laid = Adjustments { edits, ..picture.adjustments.clone() };
                    adjustments.push((picture, laid));
                }
                Err(error) => refused.push(format!("{}: {error}", picture.name)),
            }
        }
    }
    let summary = format!("applied “{}” to {} pictures", named.name, adjustments.len());
    let change = app.store.lay_adjustments(&summary, &adjustments).await?;
    if let Some(change) = &change {
        settle(&app, &change.pictures).await?;
    }
    Ok(Json(Laid { change: change.map(ChangeBody::from), refused }))
}

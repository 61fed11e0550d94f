//! Uploads that can be resumed: begun, gone on with from where they stand, cancelled.

use axum::Json;
use axum::body::Body;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Arrival;
use brisk_margin_store::uploads::Upload;
use chrono::Utc;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::pictures::{PictureBody, bodies_of};
use crate::state::App;
use brisk_margin_work::intake::IntakeOutcome;
use brisk_margin_work::uploads::{Progress, UploadError};

/// A file that is about to come.
#[derive(Deserialize, ToSchema)]
pub(super) struct NewUpload {
    /// Its name.
    name: String,
    /// How many bytes it has.
    bytes: Bytes,
    /// The folder of the library that it goes into.
    #[serde(default)]
    folder: String,
    /// What is done with it; without it, what the site's own rule says.
    #[serde(alias = "treatment")]
    import_action: Option<ImportAction>,
}

/// An upload that is under way.
#[derive(Serialize, ToSchema)]
pub(super) struct UploadBody {
    /// Its number.
    id: Uuid,
    /// The file's name.
    name: String,
    /// How many bytes there will be.
    bytes: Bytes,
    /// How many of them are safe: where to go on.
    offset: Bytes,
}

/// Begins an upload that can be resumed.
#[utoipa::path(post, path = "/uploads", request_body = NewUpload, responses(
    (status = 201, body = UploadBody),
    (status = 413, body = Problem, content_type = "application/problem+json"),
    (status = 507, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn begin_upload(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewUpload>,
) -> Result<(StatusCode, Json<UploadBody>), Problem> {
    let upload = Upload {
        id: Uuid::now_v7(),
        name: new.name,
        folder: new.folder,
        bytes: new.bytes,
        import_action: new.import_action,
        made_at: Utc::now(),
    };
    app.uploads.begin(&upload).await?;
    let Upload { id, name, bytes, .. } = upload;
    Ok((StatusCode::CREATED, Json(UploadBody { id, name, bytes, offset: Bytes(0) })))
}

/// Every upload that is under way or was left, the oldest first.
#[utoipa::path(get, path = "/uploads", responses((status = 200, body = Vec<UploadBody>)))]
pub(super) async fn list_uploads(State(app): State<App>) -> Result<Json<Vec<UploadBody>>, Problem> {
    let mut bodies = Vec::new();
    for Upload { id, name, bytes, .. } in app.store.uploads().await? {
        // One that was finished meanwhile is none.
        if let Ok(offset) = app.uploads.offset(id).await {
            bodies.push(UploadBody { id, name, bytes, offset });
        }
    }
    Ok(Json(bodies))
}

/// Where an upload stands.
#[utoipa::path(get, path = "/uploads/{id}", responses(
    (status = 200, body = UploadBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The upload's number")))]
pub(super) async fn upload_state(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<UploadBody>, Problem> {
    let upload = app.store.upload(id).await?.ok_or(UploadError::Unknown)?;
    let offset = app.uploads.offset(id).await?;
    Ok(Json(UploadBody { id, name: upload.name, bytes: upload.bytes, offset }))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct AppendFrom {
    /// Where these bytes begin: where the upload stands.
    offset: Bytes,
}

/// What became of bytes that came.
#[derive(Serialize, ToSchema)]
pub(super) struct AppendedBody {
    /// How many bytes are safe.
    offset: Bytes,
    /// What became of the file, or of each file in the archive, once all bytes came.
    files: Option<Vec<FileOutcome>>,
}

/// What became of one file.
#[derive(Serialize, ToSchema)]
pub(super) struct FileOutcome {
    /// Its name, as it came.
    name: String,
    /// What became of it.
    outcome: OutcomeKind,
    /// The picture, where it was taken or is there already.
    picture: Option<PictureBody>,
    /// Why it was not taken.
    reason: Option<String>,
}

/// What became of one file.
#[derive(Clone, Copy, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum OutcomeKind {
    /// It is new in the library.
    Taken,
    /// The same bytes are there already.
    There,
    /// The same bytes had been removed and are back.
    Back,
    /// It was not taken.
    Refused,
}

/// Adds bytes to an upload. Once all of them came, the file is taken into the library.
#[utoipa::path(patch, path = "/uploads/{id}", params(
    ("id" = Uuid, Path, description = "The upload's number"), AppendFrom,
), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses(
    (status = 200, body = AppendedBody),
    (status = 400, body = Problem, content_type = "application/problem+json"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, description = "It stands elsewhere", body = Problem, content_type = "application/problem+json"),
    (status = 507, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn append_upload(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(from): Query<AppendFrom>,
    body: Body,
) -> Result<Json<AppendedBody>, Problem> {
    match app.uploads.append(id, from.offset, body.into_data_stream()).await? {
        Progress::Partly(offset) => Ok(Json(AppendedBody { offset, files: None })),
        Progress::Done(outcomes) => {
            let files = outcome_bodies(&app, outcomes).await?;
            Ok(Json(AppendedBody { offset: from.offset, files: Some(files) }))
        }
    }
}

async fn outcome_bodies(
    app: &App,
    outcomes: Vec<IntakeOutcome>,
) -> Result<Vec<FileOutcome>, Problem> {
    let mut pictures = Vec::new();
    let mut files: Vec<FileOutcome> = Vec::with_capacity(outcomes.len());
    for IntakeOutcome { name, arrival } in outcomes {
        let (outcome, reason) = match arrival {
            Ok(arrival) => {
                let (kind, picture) = match arrival {
                    Arrival::New(picture) => (OutcomeKind::Taken, picture),
                    Arrival::There(picture) => (OutcomeKind::There, picture),
                    Arrival::Back(picture) => (OutcomeKind::Back, picture),
                };
                pictures.push(picture);
                (kind, None)
            }
            Err(error) => (OutcomeKind::Refused, Some(error.to_string())),
        };
        files.push(FileOutcome { name, outcome, picture: None, reason });
    }
    let mut bodies = bodies_of(app, pictures).await?.into_iter();
    for file in files.iter_mut().filter(|file| file.reason.is_none()) {
        file.picture = bodies.next();
    }
    Ok(files)
}

/// Cancels an upload; nothing is kept of it.
#[utoipa::path(delete, path = "/uploads/{id}", responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The upload's number")))]
pub(super) async fn cancel_upload(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    if app.uploads.forget(id).await? {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(UploadError::Unknown.into())
    }
}

impl From<UploadError> for Problem {
    fn from(error: UploadError) -> Self {
        match error {
            UploadError::Unknown => {
                Self::new(StatusCode::NOT_FOUND, "not-found", "Not found", error)
            }
            UploadError::Busy | UploadError::Offset { .. } => {
                Self::new(StatusCode::CONFLICT, "offset", "The upload stands elsewhere", error)
            }
            UploadError::TooMany(_) => Self::invalid(error),
            UploadError::BrokenOff { .. } => {
                let status = StatusCode::BAD_REQUEST;
                Self::new(status, "broken-off", "The transfer broke off", error)
            }
            UploadError::Intake(error) => error.into(),
        }
    }
}

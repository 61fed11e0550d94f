//! One picture in one request, the simplest way in.

use axum::Json;
use axum::extract::State;
use axum::extract::multipart::{Field, Multipart, MultipartRejection};
use axum::http::StatusCode;
use brisk_margin_store::pictures::Arrival;
use utoipa::ToSchema;

use super::{PictureBody, body_of};
use crate::Problem;
use crate::state::App;
use brisk_margin_work::intake::{IncomingFile, IntakeError, Spooled};

/// A file in a form.
#[derive(ToSchema)]
#[expect(dead_code, reason = "describes the form; the fields are read as a stream")]
pub(crate) struct Upload {
    /// A picture in any format that is read, told by its content; 200 MB at most.
    #[schema(value_type = String, format = Binary)]
    file: Vec<u8>,
}

/// Brings one picture into the library. It is accepted only when its bytes are safely stored;
/// bytes that are there already are answered with 200 and not stored again.
#[utoipa::path(post, path = "/pictures",
    request_body(content = Upload, content_type = "multipart/form-data"),
    responses(
        (status = 201, description = "Taken", body = PictureBody),
        (status = 200, description = "There already", body = PictureBody),
        (status = 413, body = Problem, content_type = "application/problem+json"),
        (status = 415, body = Problem, content_type = "application/problem+json"),
        (status = 422, body = Problem, content_type = "application/problem+json"),
        (status = 507, body = Problem, content_type = "application/problem+json"),
    ))]
pub(crate) async fn upload(
    State(app): State<App>,
    form: Result<Multipart, MultipartRejection>,
) -> Result<(StatusCode, Json<PictureBody>), Problem> {
    let form = form.map_err(Problem::from)?;
    let (spooled, name) = receive(&app, form).await?;
    let (status, picture) = match app.intake.accept(spooled, IncomingFile::upload(&name)).await? {
        Arrival::New(picture) => (StatusCode::CREATED, picture),
        Arrival::There(picture) | Arrival::Back(picture) => (StatusCode::OK, picture),
    };
    Ok((status, Json(body_of(&app, picture).await?)))
}

/// Reads the form to its end, so that a transfer that breaks off is never taken for whole.
async fn receive(app: &App, mut form: Multipart) -> Result<(Spooled, String), Problem> {
    let mut received = None;
    while let Some(field) = form.next_field().await.map_err(broken_off)? {
        if field.name() != Some("file") {
            continue;
        }
        if received.is_some() {
            return Err(Problem::invalid("one file a request: send the others on their own"));
        }
        received = Some(receive_file(app, field).await?);
    }
    received.ok_or_else(|| Problem::invalid("the form has no field called file"))
}

async fn receive_file(app: &App, field: Field<'_>) -> Result<(Spooled, String), Problem> {
    app.store.blobs().has_room().await?;
    let name = field.file_name().unwrap_or_default().to_owned();
    Ok((Spooled::receive(&app.intake.folder().spool(), field).await?, name))
}

fn broken_off(error: impl std::fmt::Display) -> Problem {
    IntakeError::BrokenOff(error.to_string()).into()
}

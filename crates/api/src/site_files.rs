//! Sites that come as files: measured in the same browser as any other.

use std::io;

use axum::Json;
use axum::extract::State;
use axum::extract::multipart::{Multipart, MultipartRejection};
use axum::http::StatusCode;
use brisk_margin_archive::{ArchiveError, ArchiveReader, MOST_BYTES, Unpacking};
use futures::StreamExt;
use tempfile::{NamedTempFile, TempDir};
use tokio::io::AsyncWriteExt;
use utoipa::ToSchema;

use super::Problem;
use crate::state::App;
use brisk_margin_work::intake::IntakeError;
use brisk_margin_work::measuring::Report;
use brisk_margin_work::work_pool::WorkFailed;

/// Files in a form.
#[derive(ToSchema)]
#[expect(dead_code, reason = "describes the form; the fields are read as a stream")]
pub(super) struct SiteFiles {
    /// One zip archive, or the site's files with their paths as file names.
    #[schema(value_type = Vec<String>, format = Binary)]
    file: Vec<Vec<u8>>,
}

/// Measures a site that comes as HTML, CSS and pictures: a zip archive, or its files one by one.
#[utoipa::path(post, path = "/measurements/files",
    request_body(content = SiteFiles, content_type = "multipart/form-data"),
    responses(
        (status = 202, description = "It has its turn after what is measured before", body = Option<Report>),
        (status = 422, body = Problem, content_type = "application/problem+json"),
        (status = 429, description = "As many jobs wait as may", body = Problem, content_type = "application/problem+json"),
    ))]
pub(super) async fn measure_files(
    State(app): State<App>,
    form: Result<Multipart, MultipartRejection>,
) -> Result<(StatusCode, Json<Option<Report>>), Problem> {
    let form = form.map_err(Problem::invalid)?;
    let folder = tempfile::tempdir_in(app.intake.folder().spool()).map_err(ArchiveError::Disk)?;
    let name = receive(&app, form, &folder).await?;
    app.measuring.start_files(folder, &name).await?;
    Ok((StatusCode::ACCEPTED, Json(app.measuring.report().await?)))
}

/// Writes the files of the form into `folder`; returns what the site is to be called.
async fn receive(app: &App, mut form: Multipart, folder: &TempDir) -> Result<String, Problem> {
    let mut unpacking = Unpacking::into(folder.path());
    let mut called = None;
    let broken_off = |error: axum::extract::multipart::MultipartError| {
        Problem::from(IntakeError::BrokenOff(error.to_string()))
    };
    while let Some(mut field) = form.next_field().await.map_err(broken_off)? {
        let name = field.file_name().unwrap_or_default().to_owned();
        let spooled =
            NamedTempFile::new_in(app.intake.folder().spool()).map_err(ArchiveError::Disk)?;
        let mut file = tokio::fs::File::from_std(spooled.reopen().map_err(ArchiveError::Disk)?);
        let mut received = 0u64;
        while let Some(chunk) = field.next().await {
            let chunk = chunk.map_err(broken_off)?;
            received += chunk.len() as u64;
            if received > MOST_BYTES.get() {
                return Err(ArchiveError::TooLarge(MOST_BYTES).into());
            }
            file.write_all(&chunk).await.map_err(ArchiveError::Disk)?;
        }
        file.flush().await.map_err(ArchiveError::Disk)?;
        let first = name.split('/').next().unwrap_or_default().to_owned();
        called.get_or_insert(first);
        unpacking = if name.to_ascii_lowercase().ends_with(".zip") {
            let unpack = move |reader: &ArchiveReader| -> Result<Unpacking, ArchiveError> {
                unpacking.zip(spooled.reopen()?, reader)?;
                Ok(unpacking)
            };
            app.intake.pool().read_archive(unpack).await??
        } else {
            let copy = move || -> Result<Unpacking, ArchiveError> {
                unpacking.file(&name, &mut io::BufReader::new(spooled.reopen()?))?;
                Ok(unpacking)
            };
            tokio::task::spawn_blocking(copy).await.map_err(|_| WorkFailed)??
        };
    }
    called.filter(|name| !name.is_empty()).ok_or_else(|| Problem::invalid("the form has no file"))
}

impl From<ArchiveError> for Problem {
    fn from(error: ArchiveError) -> Self {
        Self::invalid(error)
    }
}

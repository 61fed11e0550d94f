//! Packages: what was made, as a zip archive for sites that are published elsewhere.

use std::fs::File;
use std::io;

use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use brisk_margin_work::packages::{PackageError, package};
use bytes::Bytes;
use futures::stream;
use serde::Deserialize;
use tokio::io::{AsyncReadExt, AsyncSeekExt};
use utoipa::ToSchema;

use super::Problem;
use super::extract;
use super::pictures::which::Which;
use crate::state::App;

/// Pictures of a package at most.
const MOST: u64 = 1_000;
/// Bytes that are sent at once.
const CHUNK: usize = 256 << 10;

/// A package that is asked for.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PackageAsked {
    /// Of which pictures.
    which: Which,
}

/// A zip archive with all files that were made of pictures for the slots that show them, the markup of each set, a
/// list as JSON, credits, and a contact sheet.
#[utoipa::path(post, path = "/package", request_body = PackageAsked, responses(
    (status = 200, content_type = "application/zip"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn make_package(
    State(app): State<App>,
    extract::Json(PackageAsked { which }): extract::Json<PackageAsked>,
) -> Result<impl IntoResponse, Problem> {
    let ids = which.at_most(&app, MOST).await?;
    let file = package(&app.maker, &app.intake.folder().spool(), &ids).await?;
    Ok(sent(file, &format!("{}-pictures.zip", app.site.slug)).await.map_err(PackageError::Disk)?)
}

/// The archive in `file`, part by part, to be saved as `name`.
///
/// # Errors
/// Those of the disk.
pub(super) async fn sent(file: File, name: &str) -> io::Result<impl IntoResponse + use<>> {
    let mut file = tokio::fs::File::from_std(file);
    let length = file.seek(std::io::SeekFrom::End(0)).await?;
    file.rewind().await?;
    let parts = stream::try_unfold(file, |mut file| async move {
        let mut part = vec![0; CHUNK];
        let read = file.read(&mut part).await?;
        part.truncate(read);
        Ok::<_, io::Error>((read > 0).then(|| (Bytes::from(part), file)))
    });
    let headers = [
        (header::CONTENT_TYPE, "application/zip".to_owned()),
        (header::CONTENT_LENGTH, length.to_string()),
        (header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")),
    ];
    Ok((headers, Body::from_stream(parts)))
}

impl From<PackageError> for Problem {
    fn from(error: PackageError) -> Self {
        match error {
            PackageError::Nothing => {
                let status = StatusCode::UNPROCESSABLE_ENTITY;
                Self::new(status, "nothing-made", "There is nothing to pack", error)
            }
            PackageError::Disk(error) => Self::no_room(error),
            PackageError::Blob(error) => error.into(),
            PackageError::Store(error) => error.into(),
        }
    }
}

//! HAR archives: pages as another tool recorded them, one archive or one before and one after, and a page's own.

use axum::Json;
use axum::extract::State;
use axum::extract::multipart::{Field, Multipart, MultipartRejection};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use brisk_margin_core::load::margin::{PageFigures, PageLoad};
use brisk_margin_core::load::{Connection, PageWeight};
use brisk_margin_site::har::{self, HarError, HarPage};
use brisk_margin_work::margins;
use chrono::{SecondsFormat, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::page::{RequestBody, requests};
use super::{ConnectionBody, ViewAskedFor, connections_beside, view};
use crate::Problem;
use crate::extract::{Path, Query};
use crate::state::App;

/// An archive of more bytes is read by `brisk-margin weigh` alone.
const MOST_BYTES: usize = 100_000_000;

/// Archives in a form.
#[derive(ToSchema)]
#[expect(dead_code, reason = "describes the form; the fields are read as a stream")]
pub(crate) struct Archives {
    /// A HAR file (1.1 to 1.3), 100 MB at most.
    #[schema(value_type = String, format = Binary)]
    before: Vec<u8>,
    /// Another one of the same pages.
    #[schema(value_type = Option<String>, format = Binary)]
    after: Option<Vec<u8>>,
}

/// Over which connection.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct HarView {
    /// kbit/s, ms there and back, and where it matters how many ms servers think. 1600/150 where nothing is given.
    connection: Option<String>,
}

/// The pages of one archive, or of two.
#[derive(Serialize, ToSchema)]
pub(crate) struct ArchivesBody {
    connection: ConnectionBody,
    /// Those to choose from.
    connections: Vec<ConnectionBody>,
    pages: Vec<ArchivedPage>,
}

/// A page of an archive, and the same in the other.
#[derive(Serialize, ToSchema)]
pub(crate) struct ArchivedPage {
    title: String,
    /// Nothing where only the other has it.
    before: Option<ArchivedLoad>,
    after: Option<ArchivedLoad>,
}

/// How it comes.
#[derive(Serialize, ToSchema)]
pub(crate) struct ArchivedLoad {
    figures: PageFigures,
    requests: Vec<RequestBody>,
}

impl ArchivedLoad {
    fn of(page: HarPage, connection: Connection) -> Self {
        let load = PageLoad::of(page.requests, connection);
        let weight = PageWeight::of(&load.requests);
        let figures = PageFigures { weight, times: load.loaded.times };
        Self { figures, requests: requests(load) }
    }
}

/// Weighs the pages of a HAR file, or of one before and one after, and tells how they come over a connection. Nothing
/// of them is kept.
#[utoipa::path(post, path = "/margins/har", params(HarView),
    request_body(content = Archives, content_type = "multipart/form-data"), responses(
    (status = 200, body = ArchivesBody),
    (status = 413, body = Problem, content_type = "application/problem+json"),
    (status = 415, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn weigh_archives(
    Query(asked): Query<HarView>,
    form: Result<Multipart, MultipartRejection>,
) -> Result<Json<ArchivesBody>, Problem> {
    let connection = asked.connection.as_deref().map(str::parse).transpose();
    let connection = connection.map_err(Problem::invalid)?.unwrap_or(Connection::USUAL);
    let mut form = form.map_err(Problem::from)?;
    let (mut before, mut after) = (None, None);
    while let Some(field) =
        form.next_field().await.map_err(|error| Problem::invalid(error.body_text()))?
    {
        match field.name() {
            Some("before") => before = Some(received(field).await?),
            Some("after") => after = Some(received(field).await?),
            _ => {}
        }
    }
    let before = before.ok_or_else(|| Problem::invalid("choose a HAR file"))?;
    let read = tokio::task::spawn_blocking(move || {
        let before = har::read(&before).map_err(|error| refused("the first file", &error))?;
        let after = after.map(|after| har::read(&after));
        let after = after.transpose().map_err(|error| refused("the second file", &error))?;
        let pages = har::paired(before, after.unwrap_or_default()).into_iter();
        let load = |page: HarPage| ArchivedLoad::of(page, connection);
        let pages = pages.map(|(title, before, after)| ArchivedPage {
            title,
            before: before.map(load),
            after: after.map(load),
        });
        Ok::<_, Problem>(pages.collect())
    });
    let pages = read.await.map_err(|_| Problem::invalid("the archive cannot be read"))??;
    let connections = connections_beside(connection);
    Ok(Json(ArchivesBody { connection: connection.into(), connections, pages }))
}

fn refused(which: &str, error: &HarError) -> Problem {
    Problem::invalid(format!("{which}: {error}"))
}

async fn received(mut field: Field<'_>) -> Result<Vec<u8>, Problem> {
    let mut bytes = Vec::new();
    while let Some(chunk) =
        field.chunk().await.map_err(|error| Problem::invalid(error.body_text()))?
    {
        if bytes.len() + chunk.len() > MOST_BYTES {
            let (status, title) = (StatusCode::PAYLOAD_TOO_LARGE, "The file is too large");
            let detail = "a HAR file has at most 100 MB here; “brisk-margin weigh FILE.har” reads larger ones";
            return Err(Problem::new(status, "too-large", title, detail));
        }
        bytes.extend_from_slice(&chunk);
    }
    Ok(bytes)
}

/// What a page transfers today as a HAR file, with the times of the model.
#[utoipa::path(get, path = "/margins/{page}/requests.har", params(
    ("page" = Uuid, Path, description = "The page's id"), ViewAskedFor,
), responses(
    (status = 200, content_type = "application/json", body = String),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn page_archive(
    State(app): State<App>,
    Path(page): Path<Uuid>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Response, Problem> {
    let (at, _) = view(&app, &asked).await?;
    let coming = margins::of_page(&app.store, page, at).await?;
    let coming = coming.ok_or_else(|| Problem::not_found("page whose weight is known"))?;
    let now = Utc::now().to_rfc3339_opts(SecondsFormat::Millis, true);
    let PageLoad { requests, loaded } = &coming.today;
    let archive = har::written(&coming.page.name, &now, requests, loaded);
    let headers = [
        (header::CONTENT_TYPE, "application/json"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"requests.har\""),
    ];
    Ok((headers, archive.to_string()).into_response())
}

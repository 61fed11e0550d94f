//! What a publication changes: lines of its files, pictures of its pages, and who changed them since.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::publication::{Step, StepKind, StepState};
use brisk_margin_site::publishing::folder::hash_of;
use brisk_margin_store::publications::Publication;
use brisk_margin_store::{BlobHash, StoreError};
use brisk_margin_work::publications::differences::{Difference, differences};
use brisk_margin_work::publications::{self, PublicationError};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::known;
use crate::Problem;
use crate::extract::{Path, Query};
use crate::served::Served;
use crate::state::App;

/// Which file of a publication.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct FileQuery {
    /// Its path from the root of the site.
    path: String,
}

/// A page or style sheet that a publication writes: its lines that differ.
#[derive(Serialize, ToSchema)]
pub(crate) struct FileDifferences {
    path: String,
    /// What the publication changes.
    own: Vec<Difference>,
    /// What somebody else changed since it was published or prepared; nothing where nobody did.
    since: Option<Vec<Difference>>,
    /// Whether the file is gone.
    is_gone: bool,
}

/// Files of a publication that somebody else changed since.
#[derive(Serialize, ToSchema)]
pub(crate) struct ChangedSince {
    /// Their paths.
    paths: Vec<String>,
    /// Why that cannot be told.
    problem: Option<String>,
}

/// What a page or style sheet of a publication says otherwise, and what somebody else changed since.
#[utoipa::path(get, path = "/publications/{id}/file", responses(
    (status = 200, body = FileDifferences),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id"), FileQuery))]
pub(crate) async fn file_differences(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(FileQuery { path }): Query<FileQuery>,
) -> Result<Json<FileDifferences>, Problem> {
    let publication = known(&app, id).await?;
    let step = step(&publication, &path)?;
    let bytes = async |hash: Option<&str>| match hash.and_then(BlobHash::parse) {
        Some(hash) => app.store.blobs().get(&hash).await.map(Some),
        None => Ok(None),
    };
    let before = bytes(step.before.as_deref()).await?.unwrap_or_default();
    let after = bytes(Some(&step.after)).await?.unwrap_or_default();
    let folder = publications::folder(&app).await.map_err(Problem::invalid)?;
    let told = tokio::task::spawn_blocking(move || {
        let now = folder.read(&step.path).map_err(Problem::invalid)?;
        let state = step.state(now.as_deref().map(hash_of).as_deref());
        let is_ours = publication.published_at.is_some();
        let since = (state == StepState::Changed).then(|| {
            let last = if is_ours { &after } else { &before };
            differences(last, now.as_deref().unwrap_or_default())
        });
        let own = differences(&before, &after);
        Ok::<_, Problem>(FileDifferences { path, own, since, is_gone: now.is_none() })
    });
    Ok(Json(told.await.expect("nothing in it panics")?))
}

/// The files of a publication that somebody else changed since it was published or prepared.
#[utoipa::path(get, path = "/publications/{id}/changed-since", responses(
    (status = 200, body = ChangedSince),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(crate) async fn changed_since(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<ChangedSince>, Problem> {
    let publication = known(&app, id).await?;
    if publication.change.is_none() || publication.taken_back_at.is_some() {
        return Ok(Json(ChangedSince { paths: publication.left_alone, problem: None }));
    }
    let found = async {
        let (folder, change) =
            (publications::folder(&app).await?, publications::change(&publication)?);
        let found = tokio::task::spawn_blocking(move || change.at(&folder, StepState::Changed));
        Ok::<_, PublicationError>(found.await??)
    };
    Ok(Json(match found.await {
        Ok(paths) => ChangedSince { paths, problem: None },
        Err(error) => ChangedSince { paths: Vec::new(), problem: Some(error.to_string()) },
    }))
}

/// A picture of a page before or after, as a WebP file.
#[utoipa::path(get, path = "/publications/{id}/shots/{hash}", responses(
    (status = 200, content_type = "image/webp"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(
    ("id" = Uuid, Path, description = "The publication's id"),
    ("hash" = String, Path, description = "The hash that its report tells"),
))]
pub(crate) async fn shot(
    State(app): State<App>,
    Path((id, hash)): Path<(Uuid, String)>,
) -> Result<Served, Problem> {
    let report = known(&app, id).await?.report.unwrap_or_default();
    let mut shots = report.pages.iter().flat_map(|page| &page.shots);
    let is_one = shots.any(|shot| shot.before == hash || shot.after == hash);
    let hash = BlobHash::parse(&hash).filter(|_| is_one);
    let hash = hash.ok_or_else(|| Problem::not_found("picture of a page"))?;
    let bytes = app.store.blobs().get(&hash).await.map_err(StoreError::Blob)?;
    Ok(Served { bytes, media_type: "image/webp", save_as: None })
}

fn step(publication: &Publication, path: &str) -> Result<Step, Problem> {
    let change = publications::change(publication).ok();
    let mut steps = change.iter().flat_map(|change| change.publication().steps());
    let step = steps.find(|step| step.path == path);
    let step = step.ok_or_else(|| Problem::not_found("file in the publication"))?;
    match step.kind {
        StepKind::File => Err(Problem::invalid("pictures have no lines")),
        StepKind::Style | StepKind::Page => Ok(step.clone()),
    }
}

//! The site's own folder: what was found in it and what became of it.

use axum::Json;
use axum::extract::State;
use serde::Serialize;
use utoipa::ToSchema;

use super::Problem;
use crate::state::App;

/// How the watched folder stands.
#[derive(Serialize, ToSchema)]
pub(super) struct SiteFolder {
    /// The folder; nothing where none is watched.
    folder: Option<String>,
    /// How many of its files are in the library.
    taken: usize,
    /// Files that are still being written, by their paths.
    waiting: Vec<String>,
    /// Files that were not taken, and why.
    refused: Vec<RefusedFile>,
    /// Why the folder cannot be looked through.
    problem: Option<String>,
}

/// A file that was not taken.
#[derive(Serialize, ToSchema)]
pub(super) struct RefusedFile {
    /// Its path below the folder.
    path: String,
    reason: String,
}

/// How the watched folder stands.
#[utoipa::path(get, path = "/site-folder", responses((status = 200, body = SiteFolder)))]
pub(super) async fn site_folder(State(app): State<App>) -> Result<Json<SiteFolder>, Problem> {
    let report = app.folder_watch.report();
    let files = app.store.folder_files().await?;
    let taken = files.iter().filter(|file| file.refusal.is_none()).count();
    let refused = files
        .into_iter()
        .filter_map(|file| Some(RefusedFile { reason: file.refusal?, path: file.path }));
    Ok(Json(SiteFolder {
        folder: report.folder.map(|folder| folder.display().to_string()),
        taken,
        waiting: report.waiting,
        refused: refused.collect(),
        problem: report.problem,
    }))
}

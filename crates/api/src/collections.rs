//! Collections and saved filters: ways back to pictures that belong together.

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use brisk_margin_core::issue::IssueKind;
use brisk_margin_core::seen::Seen;
use brisk_margin_store::collections::{Collect, Collection};
use brisk_margin_store::pictures::Filter;
use brisk_margin_store::saved_filters::SavedFilter;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::pictures::which::Which;
use crate::state::App;

/// How the library is divided.
#[derive(Serialize, ToSchema)]
pub(super) struct Shelves {
    /// What is worth doing, and with how many pictures.
    issues: Vec<IssueCount>,
    /// How many pictures were removed and can be brought back.
    removed: u64,
    /// How many pictures are still to be looked at.
    not_analysed: u64,
    /// Folders that hold pictures, by path.
    folders: Vec<FolderBody>,
    /// Collections, by name.
    collections: Vec<Collection>,
    /// Saved filters, by name.
    filters: Vec<SavedFilter>,
}

/// With how many pictures something is worth doing.
#[derive(Serialize, ToSchema)]
pub(super) struct IssueCount {
    issue: IssueKind,
    words: &'static str,
    pictures: u64,
}

/// A folder of the library.
#[derive(Serialize, ToSchema)]
pub(super) struct FolderBody {
    path: String,
    /// How many pictures lie right in it.
    pictures: u64,
}

/// How the library is divided: folders, collections, saved filters.
#[utoipa::path(get, path = "/shelves", responses((status = 200, body = Shelves)))]
pub(super) async fn shelves(State(app): State<App>) -> Result<Json<Shelves>, Problem> {
    let folder = |(path, pictures)| FolderBody { path, pictures };
    let worth =
        |(issue, pictures): (IssueKind, u64)| IssueCount { issue, words: issue.words(), pictures };
    let removed = Filter { removed: true, ..Filter::default() };
    let (issues, removed, not_analysed, folders, collections, filters) = tokio::try_join!(
        app.store.issue_counts(),
        app.store.count_pictures(&removed),
        app.store.count_not_analysed(),
        app.store.folders(),
        app.store.collections(),
        app.store.saved_filters(),
    )?;
    Ok(Json(Shelves {
        issues: issues.into_iter().map(worth).collect(),
        removed,
        not_analysed,
        folders: folders.into_iter().map(folder).collect(),
        collections,
        filters,
    }))
}

/// A filter to be saved.
#[derive(Deserialize, ToSchema)]
pub(super) struct NewFilter {
    /// Its name; one that had that name is replaced.
    name: String,
    filter: Filter,
    /// What had that name when whoever saves looked, `null` for nothing: what somebody else saved since is not
    /// overwritten.
    #[serde(default)]
    #[schema(value_type = Option<Filter>)]
    seen: Seen<Filter>,
}

/// Saves a filter by name.
#[utoipa::path(put, path = "/filters", request_body = NewFilter, responses(
    (status = 204),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn save_filter(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewFilter>,
) -> Result<StatusCode, Problem> {
    app.store.save_filter(name(&new.name)?, &new.filter, &new.seen).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Another name.
#[derive(Deserialize, ToSchema)]
pub(super) struct NewName {
    name: String,
    /// What it was called when whoever renames it looked: a name that somebody else gave it since stays.
    #[serde(default)]
    #[schema(value_type = Option<String>)]
    seen: Seen<String>,
}

/// What something was called before, which brings the name back when it is sent.
#[derive(Serialize, ToSchema)]
pub(super) struct OldName {
    before: String,
}

impl OldName {
    fn of(what: &str, before: Option<String>) -> Result<Json<Self>, Problem> {
        let before = before.ok_or_else(|| Problem::not_found(what))?;
        Ok(Json(Self { before }))
    }
}

/// Renames a saved filter.
#[utoipa::path(patch, path = "/filters/{id}", request_body = NewName, responses(
    (status = 200, body = OldName),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, description = "Another one is called so", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The filter's id")))]
pub(super) async fn rename_filter(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(new): extract::Json<NewName>,
) -> Result<Json<OldName>, Problem> {
    OldName::of("filter", app.store.rename_filter(id, name(&new.name)?, &new.seen).await?)
}

/// Forgets a saved filter; answers it, so that it can be saved again.
#[utoipa::path(delete, path = "/filters/{id}", responses(
    (status = 200, body = SavedFilter),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The filter's number")))]
pub(super) async fn forget_filter(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<SavedFilter>, Problem> {
    let gone = app.store.forget_filter(id).await?.ok_or_else(|| Problem::not_found("filter"))?;
    Ok(Json(gone))
}

/// Pictures for a collection.
#[derive(Deserialize, ToSchema)]
pub(super) struct Collecting {
    /// The collection's name; one that is not there is made.
    name: String,
    /// Which pictures, in their order.
    which: Which,
    /// Whether they come after those that are in it, or instead of them.
    #[serde(default)]
    add: bool,
    /// What was in it when whoever saves looked, in its order: what somebody else changed since is not overwritten.
    #[serde(default)]
    #[schema(value_type = Option<Vec<Uuid>>)]
    seen: Seen<Vec<Uuid>>,
}

/// What was in a collection before, so that it can be put back.
#[derive(Serialize, ToSchema)]
pub(super) struct CollectedBody {
    id: Uuid,
    /// The pictures that were in it, in their order.
    before: Vec<Uuid>,
    /// How many are in it now.
    pictures: usize,
}

/// Puts pictures into a collection, in an order.
#[utoipa::path(put, path = "/collections", request_body = Collecting, responses(
    (status = 200, body = CollectedBody),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn collect(
    State(app): State<App>,
    extract::Json(wish): extract::Json<Collecting>,
) -> Result<Json<CollectedBody>, Problem> {
    let id = app.store.collection(name(&wish.name)?).await?;
    let how = if wish.add { Collect::After } else { Collect::InPlaceOf(wish.seen) };
    let before = app.store.collect(id, &wish.which.ids(&app).await?, &how).await?;
    let pictures = app.store.collected(id).await?.len();
    Ok(Json(CollectedBody { id, before, pictures }))
}

/// Renames a collection.
#[utoipa::path(patch, path = "/collections/{id}", request_body = NewName, responses(
    (status = 200, body = OldName),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, description = "Another one is called so", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The collection's id")))]
pub(super) async fn rename_collection(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(new): extract::Json<NewName>,
) -> Result<Json<OldName>, Problem> {
    OldName::of("collection", app.store.rename_collection(id, name(&new.name)?, &new.seen).await?)
}

/// A collection that was deleted: collecting `pictures` under `name` brings it back.
#[derive(Serialize, ToSchema)]
pub(super) struct GoneCollection {
    name: String,
    /// What was in it, in its order.
    pictures: Vec<Uuid>,
}

/// Deletes a collection, not its pictures; answers what it was.
#[utoipa::path(delete, path = "/collections/{id}", responses(
    (status = 200, body = GoneCollection),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The collection's number")))]
pub(super) async fn forget_collection(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<GoneCollection>, Problem> {
    let gone = app.store.forget_collection(id).await?;
    let (name, pictures) = gone.ok_or_else(|| Problem::not_found("collection"))?;
    Ok(Json(GoneCollection { name, pictures }))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct OrderAs {
    /// Whether each name gets its place before it, as in `003-dome.jpg`; else they stand alone.
    #[serde(default)]
    prefix: bool,
}

/// The file names of a collection in its order, one a line.
#[utoipa::path(get, path = "/collections/{id}/order", params(
    ("id" = Uuid, Path, description = "The collection's number"), OrderAs,
), responses(
    (status = 200, content_type = "text/plain", body = String),
))]
pub(super) async fn order(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(order): Query<OrderAs>,
) -> Result<impl IntoResponse, Problem> {
    let ids = app.store.collected(id).await?;
    let pictures = app.store.pictures_of(&ids).await?;
    let digits = ids.len().to_string().len().max(2);
    let named = ids.iter().enumerate().filter_map(|(n, id)| {
        let name = &pictures.iter().find(|picture| picture.id == *id)?.name;
        let place = n + 1;
        Some(if order.prefix { format!("{place:0digits$}-{name}\n") } else { format!("{name}\n") })
    });
    let headers = [
        (header::CONTENT_TYPE, "text/plain; charset=utf-8"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"order.txt\""),
    ];
    Ok((headers, named.collect::<String>()))
}

fn name(text: &str) -> Result<&str, Problem> {
    let name = text.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Problem::invalid("give it a name of 1 to 80 characters"));
    }
    Ok(name)
}

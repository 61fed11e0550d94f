//! Changes of many pictures at once, each of which can be taken back.

use std::collections::{BTreeMap, BTreeSet};

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_store::pictures::{self, ChangeSet, FieldChange};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::which::Which;
use crate::Problem;
use crate::extract::{self, Path};
use crate::state::App;
use brisk_margin_work::status;

/// A change that was made.
#[derive(Serialize, ToSchema)]
pub(crate) struct ChangeBody {
    /// Its number, by which it is taken back.
    id: Uuid,
    /// What was done, in words.
    summary: String,
    /// How many pictures it changed.
    pictures: usize,
    /// When.
    made_at: DateTime<Utc>,
}

impl From<pictures::Change> for ChangeBody {
    fn from(change: pictures::Change) -> Self {
        let pictures::Change { id, summary, pictures, made_at } = change;
        Self { id, summary, pictures: pictures.len(), made_at }
    }
}

/// Makes `edits` and judges what they touched; nothing where nothing changes.
pub(crate) async fn make(
    app: &App,
    summary: &str,
    edits: &ChangeSet,
) -> Result<Option<ChangeBody>, Problem> {
    let made = app.store.edit(summary, edits).await?;
    if let Some(change) = &made {
        settle(app, &change.pictures).await?;
    }
    Ok(made.map(ChangeBody::from))
}

/// Judges `pictures` at once where they are few, else in the background.
pub(crate) async fn settle(app: &App, pictures: &[Uuid]) -> Result<(), Problem> {
    if pictures.len() <= 1_000 {
        status::refresh(&app.store, pictures).await?;
    }
    Ok(())
}

/// The newest changes that can be taken back.
#[utoipa::path(get, path = "/changes", responses((status = 200, body = Vec<ChangeBody>)))]
pub(crate) async fn changes(State(app): State<App>) -> Result<Json<Vec<ChangeBody>>, Problem> {
    let changes = app.store.changes(50).await?;
    Ok(Json(changes.into_iter().map(ChangeBody::from).collect()))
}

/// How taking back went.
#[derive(Serialize, ToSchema)]
pub(crate) struct TakenBackBody {
    /// What had been done.
    summary: String,
    /// How many pictures stand as before.
    pictures: usize,
    /// How many of them had been changed again since, in what stays.
    changed_since: usize,
}

/// Takes a change back. What was changed again since stays.
#[utoipa::path(post, path = "/changes/{id}/back", responses(
    (status = 200, body = TakenBackBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The change's number")))]
pub(crate) async fn take_back(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<TakenBackBody>, Problem> {
    let taken = app.store.take_back(id).await?.ok_or_else(|| Problem::not_found("change"))?;
    settle(&app, &taken.pictures).await?;
    Ok(Json(TakenBackBody {
        summary: taken.summary,
        pictures: taken.pictures.len(),
        changed_since: taken.changed_since.len(),
    }))
}

/// Pictures to be removed.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Removal {
    /// Which.
    which: Which,
    /// Only say what it would mean.
    #[serde(default)]
    dry_run: bool,
    /// What the answer before said of which pictures these are: if they are others now, nothing is
    /// removed.
    seen: Option<String>,
}

/// What removing means.
#[derive(Serialize, ToSchema)]
pub(crate) struct RemovalBody {
    /// How many pictures.
    pictures: usize,
    /// Stands for exactly these pictures.
    seen: String,
    /// Those of them that pages show, with where.
    used: Vec<UsedBody>,
    /// For how many days they can be brought back.
    keep_days: u32,
    /// The change, by which they are brought back at once; nothing where it was only asked.
    change: Option<ChangeBody>,
}

/// A picture that pages show.
#[derive(Serialize, ToSchema)]
pub(crate) struct UsedBody {
    /// The picture's number.
    id: Uuid,
    /// Its name.
    name: String,
    /// In how many places.
    places: usize,
    /// The titles of their pages, each once.
    pages: Vec<String>,
}

/// Removes pictures, or says beforehand which of them are used where. Their places keep them, so
/// that bringing them back brings the uses back.
#[utoipa::path(post, path = "/pictures/remove", request_body = Removal, responses(
    (status = 200, body = RemovalBody),
    (status = 409, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn remove(
    State(app): State<App>,
    extract::Json(removal): extract::Json<Removal>,
) -> Result<Json<RemovalBody>, Problem> {
    let ids = removal.which.ids(&app).await?;
    let seen = String::from(CacheKey::of(&ids.iter().collect::<BTreeSet<_>>()));
    if removal.seen.is_some_and(|before| before != seen) {
        let title = "The pictures are others now";
        let detail = "since they were shown, pictures came or went: nothing was removed; look at \
                      them again";
        return Err(Problem::new(StatusCode::CONFLICT, "changed-meanwhile", title, detail));
    }
    let used = used(&app, &ids).await?;
    let change = if removal.dry_run {
        None
    } else {
        let summary = format!("removed {}", count(ids.len()));
        make(&app, &summary, &removed(&ids, true)).await?
    };
    let keep_days = app.store.site().await?.keep_days;
    Ok(Json(RemovalBody { pictures: ids.len(), seen, used, keep_days, change }))
}

/// Pictures to be brought back.
#[derive(Deserialize, ToSchema)]
pub(crate) struct BringBack {
    /// Which.
    which: Which,
}

/// Brings removed pictures back, uses and all.
#[utoipa::path(post, path = "/pictures/bring-back", request_body = BringBack, responses(
    (status = 200, body = Option<ChangeBody>),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn bring_back(
    State(app): State<App>,
    extract::Json(wish): extract::Json<BringBack>,
) -> Result<Json<Option<ChangeBody>>, Problem> {
    let ids = wish.which.ids(&app).await?;
    let summary = format!("restored {}", count(ids.len()));
    Ok(Json(make(&app, &summary, &removed(&ids, false)).await?))
}

fn removed(ids: &[Uuid], removed: bool) -> ChangeSet {
    let edit = FieldChange { removed: Some(removed), ..FieldChange::default() };
    let pictures: BTreeMap<Uuid, FieldChange> = ids.iter().map(|&id| (id, edit.clone())).collect();
    ChangeSet { pictures, ..ChangeSet::default() }
}

pub(crate) fn count(pictures: usize) -> String {
    if pictures == 1 { "1 picture".to_owned() } else { format!("{pictures} pictures") }
}

async fn used(app: &App, ids: &[Uuid]) -> Result<Vec<UsedBody>, Problem> {
    let uses = app.store.uses_of(ids).await?;
    let shown: Vec<Uuid> = uses.keys().copied().collect();
    let titles: BTreeMap<Uuid, String> =
        app.store.pages().await?.into_iter().map(|page| (page.id, page.name)).collect();
    let pictures = app.store.pictures_of(&shown).await?;
    let body = |picture: pictures::Picture| {
        let places = &uses[&picture.id];
        let mut pages: Vec<String> =
            places.iter().filter_map(|used| titles.get(&used.place.page_id).cloned()).collect();
        pages.sort();
        pages.dedup();
        UsedBody { id: picture.id, name: picture.name, places: places.len(), pages }
    };
    Ok(pictures.into_iter().map(body).collect())
}

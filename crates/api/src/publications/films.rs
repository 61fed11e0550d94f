//! Films: how a page of a publication comes before and after it, as pictures at the same moments.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::load::Connection;
use brisk_margin_core::load::film::FilmStrip;
use brisk_margin_store::films::{FilmRow, FilmWish};
use brisk_margin_store::{BlobHash, StoreError};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::known;
use crate::Problem;
use crate::extract::{self, Path, Query};
use crate::margins::ConnectionBody;
use crate::served::Served;
use crate::state::App;

/// A film that is asked for.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewFilm {
    /// The page, by its path.
    page: String,
    /// The layout width, in CSS px: one of those that pictures of the page were taken at.
    width: u32,
    /// What the browser throttles itself to: kbit/s and ms there and back; 1600/150 where nothing is given.
    connection: Option<String>,
}

/// Of which page.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct FilmsOf {
    /// Its path.
    page: String,
}

/// The films of a page.
#[derive(Serialize, ToSchema)]
pub(crate) struct FilmsBody {
    /// The latest first.
    films: Vec<FilmBody>,
    /// The connections to choose from.
    connections: Vec<ConnectionBody>,
}

/// How a page comes before and after a publication.
#[derive(Serialize, ToSchema)]
pub(crate) struct FilmBody {
    id: Uuid,
    width: u32,
    connection: ConnectionBody,
    /// Whether it is still made.
    is_filming: bool,
    /// What is seen; nothing until it is done.
    strip: Option<FilmStrip>,
    /// Why there is none.
    reason: Option<String>,
}

/// Has a page filmed as it comes before and after the publication, in a browser that throttles itself.
#[utoipa::path(post, path = "/publications/{id}/films", request_body = NewFilm, responses(
    (status = 202, body = FilmBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
    (status = 429, description = "As many jobs wait as may", body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(crate) async fn film_page(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(new): extract::Json<NewFilm>,
) -> Result<(StatusCode, Json<FilmBody>), Problem> {
    let report = known(&app, id).await?.report.unwrap_or_default();
    let page = report.pages.iter().find(|page| page.page == new.page);
    let page = page.ok_or_else(|| Problem::not_found("page in the publication"))?;
    if !page.shots.iter().any(|shot| shot.width == new.width) {
        return Err(Problem::invalid(format!("no layout width has {} px", new.width)));
    }
    let connection = match new.connection {
        Some(told) => told.parse().map_err(Problem::invalid)?,
        None => Connection::USUAL,
    };
    let wish = FilmWish { publication: id, page: new.page, width: new.width, connection };
    let film = app.store.ask_for_film(&wish).await?;
    let film = app.store.film(film).await?.ok_or_else(|| Problem::not_found("film"))?;
    Ok((StatusCode::ACCEPTED, Json(FilmBody::of(&app, film).await?)))
}

/// The films of a page of a publication.
#[utoipa::path(get, path = "/publications/{id}/films", responses(
    (status = 200, body = FilmsBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id"), FilmsOf))]
pub(crate) async fn films(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(of): Query<FilmsOf>,
) -> Result<Json<FilmsBody>, Problem> {
    known(&app, id).await?;
    let mut films = Vec::new();
    for film in app.store.films(id, &of.page).await? {
        films.push(FilmBody::of(&app, film).await?);
    }
    let connections = Connection::ALL.map(ConnectionBody::from).into();
    Ok(Json(FilmsBody { films, connections }))
}

/// A picture of a film, as a JPEG file.
#[utoipa::path(get, path = "/publications/{id}/films/{film}/{hash}", responses(
    (status = 200, content_type = "image/jpeg"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(
    ("id" = Uuid, Path, description = "The publication's id"),
    ("film" = Uuid, Path, description = "The film's id"),
    ("hash" = String, Path, description = "The hash that it tells"),
))]
pub(crate) async fn film_picture(
    State(app): State<App>,
    Path((id, film, hash)): Path<(Uuid, Uuid, String)>,
) -> Result<Served, Problem> {
    let film = app.store.film(film).await?.filter(|film| film.wish.publication == id);
    let strip = film.and_then(|film| film.ended?.ok());
    let moments = strip.into_iter().flat_map(|strip| strip.moments);
    let mut named = moments.flat_map(|moment| [moment.before, moment.after]).flatten();
    let is_one = named.any(|one| one == hash);
    let hash = BlobHash::parse(&hash).filter(|_| is_one);
    let hash = hash.ok_or_else(|| Problem::not_found("picture of the film"))?;
    let bytes = app.store.blobs().get(&hash).await.map_err(StoreError::Blob)?;
    Ok(Served { bytes, media_type: "image/jpeg", save_as: None })
}

impl FilmBody {
    async fn of(app: &App, film: FilmRow) -> Result<Self, Problem> {
        let FilmRow { id, wish, ended } = film;
        let (is_filming, strip, reason) = match ended {
            Some(Ok(strip)) => (false, Some(strip), None),
            Some(Err(reason)) => (false, None, Some(reason)),
            None => match app.store.open_job(JobKind::Film, &id.to_string()).await? {
                Some(_) => (true, None, None),
                None => (false, None, Some("it was cancelled, or failed too often".to_owned())),
            },
        };
        let connection = wish.connection.into();
        Ok(Self { id, width: wish.width, connection, is_filming, strip, reason })
    }
}

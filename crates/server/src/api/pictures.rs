//! Pictures: bringing them in, listing them, looking at them.

use axum::Json;
use axum::extract::State;
use axum::extract::multipart::{Field, Multipart, MultipartRejection};
use axum::http::StatusCode;
use brisk_margin_core::format::{Format, Source};
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::{Arrival, Page, Picture, Sort};
use brisk_margin_store::variants::Variant;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::served::Served;
use super::variants::VariantBody;
use crate::app::{App, Change};
use crate::intake::{self, IntakeError, Spooled};
use crate::variants::{self, Look};

/// Most pictures in one answer.
const MOST: u64 = 500;

/// A picture in the library.
#[derive(Serialize, ToSchema)]
pub(super) struct PictureBody {
    /// Its number, in order of arrival.
    id: Uuid,
    /// Its name, tidied.
    name: String,
    /// Pixels across, as shown.
    width: u32,
    /// Pixels down, as shown.
    height: u32,
    /// Its format, by content.
    format: Source,
    /// The weight of its original.
    bytes: Bytes,
    /// Whether a pixel can be transparent.
    has_alpha: bool,
    /// Whether its metadata tell where it was taken.
    has_location: bool,
    /// The name of its colour profile, where it is not sRGB.
    profile: Option<String>,
    /// Where its subject is.
    focal: FocalPoint,
    /// When it arrived.
    created_at: DateTime<Utc>,
    /// The files made of it, the newest first.
    variants: Vec<VariantBody>,
}

impl PictureBody {
    fn new(picture: Picture, variants: Vec<Variant>) -> Self {
        let original = picture.bytes;
        Self {
            id: picture.id,
            name: picture.name,
            width: picture.facts.size.width,
            height: picture.facts.size.height,
            format: picture.facts.format,
            bytes: picture.bytes,
            has_alpha: picture.facts.has_alpha,
            has_location: picture.facts.has_location,
            profile: picture.facts.profile,
            focal: picture.focal,
            created_at: picture.created_at,
            variants: variants.into_iter().map(|v| VariantBody::new(v, original)).collect(),
        }
    }
}

/// A file in a form.
#[derive(ToSchema)]
#[expect(dead_code, reason = "describes the form; the fields are read as a stream")]
pub(super) struct Upload {
    /// JPEG or PNG, told by its content; 200 MB at most.
    #[schema(value_type = String, format = Binary)]
    file: Vec<u8>,
}

/// Brings one picture into the library. It is accepted only when its bytes are safely stored;
/// bytes that are there already are answered with 200 and not stored again.
#[utoipa::path(post, path = "/api/pictures",
    request_body(content = Upload, content_type = "multipart/form-data"),
    responses(
        (status = 201, description = "Taken", body = PictureBody),
        (status = 200, description = "There already", body = PictureBody),
        (status = 413, body = Problem, content_type = "application/problem+json"),
        (status = 415, body = Problem, content_type = "application/problem+json"),
        (status = 422, body = Problem, content_type = "application/problem+json"),
        (status = 507, body = Problem, content_type = "application/problem+json"),
    ))]
pub(super) async fn upload(
    State(app): State<App>,
    form: Result<Multipart, MultipartRejection>,
) -> Result<(StatusCode, Json<PictureBody>), Problem> {
    let form = form.map_err(|rejection| {
        let status = StatusCode::UNSUPPORTED_MEDIA_TYPE;
        Problem::new(status, "form", "The request is no form", rejection.body_text())
    })?;
    let (spooled, name) = receive(&app, form).await?;
    let (status, picture) = match intake::accept(&app, spooled, &name).await? {
        Arrival::New(picture) => (StatusCode::CREATED, picture),
        Arrival::There(picture) => (StatusCode::OK, picture),
    };
    Ok((status, Json(with_variants(&app, picture).await?)))
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
    let name = field.file_name().unwrap_or_default().to_owned();
    Ok((Spooled::receive(&app.folder().spool(), field).await?, name))
}

fn broken_off(error: impl std::fmt::Display) -> Problem {
    IntakeError::BrokenOff(error.to_string()).into()
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct Listing {
    /// Only names that hold this text.
    search: Option<String>,
    /// In which order.
    #[serde(default)]
    #[param(inline)]
    sort: SortBy,
    /// Only what comes after this picture in that order.
    after: Option<Uuid>,
    /// At most so many, up to 500.
    limit: Option<u64>,
}

/// The order of a list.
#[derive(Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum SortBy {
    /// The newest first.
    #[default]
    Newest,
    /// By name, A to Z.
    Name,
    /// The heaviest first.
    Heaviest,
}

impl From<SortBy> for Sort {
    fn from(sort: SortBy) -> Self {
        match sort {
            SortBy::Newest => Self::Newest,
            SortBy::Name => Self::Name,
            SortBy::Heaviest => Self::Heaviest,
        }
    }
}

/// Part of the library.
#[derive(Serialize, ToSchema)]
pub(super) struct PictureList {
    pictures: Vec<PictureBody>,
    /// Where the next part starts; nothing where this was the last.
    next: Option<Uuid>,
}

/// The library, part by part.
#[utoipa::path(get, path = "/api/pictures", params(Listing), responses(
    (status = 200, body = PictureList),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn list(
    State(app): State<App>,
    Query(listing): Query<Listing>,
) -> Result<Json<PictureList>, Problem> {
    let limit = listing.limit.unwrap_or(100).clamp(1, MOST);
    let page = Page {
        search: listing.search,
        sort: listing.sort.into(),
        after: listing.after,
        // One more tells whether there is a next part.
        limit: limit + 1,
    };
    let mut pictures = app.store.pictures(&page).await?;
    let more = pictures.len() as u64 > limit;
    pictures.truncate(limit as usize);
    let next = if more { pictures.last().map(|picture| picture.id) } else { None };
    let ids: Vec<Uuid> = pictures.iter().map(|picture| picture.id).collect();
    let mut variants = app.store.variants_of(&ids).await?;
    let pictures = pictures
        .into_iter()
        .map(|picture| {
            let own = variants.extract_if(.., |variant| variant.picture_id == picture.id).collect();
            PictureBody::new(picture, own)
        })
        .collect();
    Ok(Json(PictureList { pictures, next }))
}

/// One picture and the files made of it.
#[utoipa::path(get, path = "/api/pictures/{id}", responses(
    (status = 200, body = PictureBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn one(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<PictureBody>, Problem> {
    let picture = find(&app, id).await?;
    Ok(Json(with_variants(&app, picture).await?))
}

/// What can be changed about a picture.
#[derive(Deserialize, ToSchema)]
pub(super) struct PictureChange {
    /// Where its subject is.
    focal: FocalPoint,
}

/// Moves a picture's focal point. Files made before stay as they are.
#[utoipa::path(patch, path = "/api/pictures/{id}", request_body = PictureChange, responses(
    (status = 200, body = PictureBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn change(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(change): extract::Json<PictureChange>,
) -> Result<Json<PictureBody>, Problem> {
    let changed = app.store.set_focal(id, change.focal).await?;
    let picture = changed.ok_or_else(|| Problem::not_found("picture"))?;
    app.tell(Change::Pictures);
    Ok(Json(with_variants(&app, picture).await?))
}

/// The original, unchanged, to be saved.
#[utoipa::path(get, path = "/api/pictures/{id}/original", responses(
    (status = 200, content_type = "image/*", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn original(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let picture = find(&app, id).await?;
    Ok(Served {
        bytes: app.store.blobs().get(&picture.hash).await?,
        media_type: picture.facts.format.format().media_type(),
        save_as: Some(picture.name),
    })
}

/// How large a preview is.
#[derive(Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum PreviewSize {
    /// For a row of a list.
    Thumbnail,
    /// For the bench.
    Bench,
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct PreviewChoice {
    /// How large.
    #[param(inline)]
    size: PreviewSize,
}

/// The whole picture, upright and small, as WebP.
#[utoipa::path(get, path = "/api/pictures/{id}/preview", params(
    ("id" = Uuid, Path, description = "The picture's number"), PreviewChoice,
), responses(
    (status = 200, content_type = "image/webp", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn preview(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(choice): Query<PreviewChoice>,
) -> Result<Served, Problem> {
    let picture = find(&app, id).await?;
    let look = match choice.size {
        PreviewSize::Thumbnail => Look::Thumbnail,
        PreviewSize::Bench => Look::Bench,
    };
    let bytes = variants::preview(&app, &picture, look).await?;
    Ok(Served { bytes, media_type: Format::Webp.media_type(), save_as: None })
}

/// The picture `id`, or a problem that says there is none.
pub(super) async fn find(app: &App, id: Uuid) -> Result<Picture, Problem> {
    app.store.picture(id).await?.ok_or_else(|| Problem::not_found("picture"))
}

async fn with_variants(app: &App, picture: Picture) -> Result<PictureBody, Problem> {
    let variants = app.store.variants_of(&[picture.id]).await?;
    Ok(PictureBody::new(picture, variants))
}

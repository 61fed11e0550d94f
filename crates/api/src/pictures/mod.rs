//! Pictures: listed, looked at, and said where they are used.

pub(super) mod alike;
pub(super) mod changes;
pub(super) mod describing;
pub(super) mod table;
pub(super) mod upload;
pub(super) mod uses;
pub(super) mod which;

use crate::find::find;
use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::content::{ContentClass, MOST_COLOURS};
use brisk_margin_core::describe::Description;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::issue::IssuePlace;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::status::Estimate;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::{After, ListPage, Origin, Picture, Sort};
use brisk_margin_store::variants::Variant;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::issues::IssueBody;
use super::served::Served;
use super::variants::VariantBody;
use crate::state::App;
use brisk_margin_work::making::previews::{self, PreviewSize};
use brisk_margin_work::status;
use which::FilterQuery;

/// Most pictures in one answer.
const MOST: u64 = 500;

/// A picture in the library.
#[derive(Serialize, ToSchema)]
pub(super) struct PictureBody {
    /// Its number, in order of arrival.
    id: Uuid,
    /// Its name, tidied.
    name: String,
    /// The hash of its original.
    hash: String,
    /// Pixels across, as shown.
    width: u32,
    /// Pixels down, as shown.
    height: u32,
    /// Its format, by content.
    format: SourceFormat,
    /// The weight of its original.
    bytes: Bytes,
    /// Whether a pixel can be transparent.
    has_alpha: bool,
    /// How many pictures follow each other; 1 for a still one.
    frames: u32,
    /// Whether its metadata tell where it was taken.
    has_location: bool,
    /// The name of its colour profile, where it is not sRGB.
    profile: Option<String>,
    /// Where its subject is.
    focal: FocalPoint,
    /// The step of its work that holds; its previews change with it.
    step: Option<Uuid>,
    /// Whether it has edits.
    is_edited: bool,
    /// Pixels across with its edits.
    shown_width: u32,
    /// Pixels down with its edits.
    shown_height: u32,
    /// The picture that it was made from, and whose original it shares.
    made_from: Option<Uuid>,
    /// When it arrived.
    created_at: DateTime<Utc>,
    /// The folder of the library it lies in; empty for none.
    folder: String,
    /// Whether it came by the site's own folder, past Brisk Margin.
    from_folder: bool,
    /// What people say of it.
    description: Description,
    /// How it looks; nothing before it was looked at.
    analysis: Option<LookBody>,
    /// Why it could not be looked at.
    analysis_failed: Option<String>,
    /// How many places show it.
    uses: u32,
    /// What a page that shows it transfers today.
    today: Bytes,
    /// About what it could weigh; nothing before it was looked at, and for animations and
    /// drawings.
    possible: Option<Estimate>,
    /// About what that saves.
    saving: Option<Bytes>,
    /// What is worth mending of it and of its alt text, the most serious first.
    issues: Vec<IssueBody>,
    /// Whether anybody who has its address may fetch what was made of it.
    is_public: bool,
    /// When it was removed.
    removed_at: Option<DateTime<Utc>>,
    /// The files made of it, the newest first.
    variants: Vec<VariantBody>,
}

/// How a picture looks.
#[derive(Serialize, ToSchema)]
pub(super) struct LookBody {
    /// What kind it is.
    class: ContentClass,
    /// How many colours a reduced copy has; nothing where there are more than were counted.
    colours: Option<u32>,
    /// Whether a pixel is transparent.
    is_transparent: bool,
}

/// What was written down of `picture` when its status was worked out, and what its alt text says
/// now; `others` pictures have the same one.
fn issues(picture: &Picture, others: u64) -> Vec<IssueBody> {
    let stored = picture.issues.iter().filter(|issue| issue.place != IssuePlace::AltText);
    let alt = picture.description.check_alt(&picture.name, others);
    let mut issues: Vec<_> = stored.cloned().chain(alt).collect();
    issues.sort_by_key(|issue| issue.kind());
    issues.into_iter().map(IssueBody::from).collect()
}

impl PictureBody {
    fn new(picture: Picture, variants: Vec<Variant>, others: u64) -> Self {
        let original = picture.bytes;
        let possible = picture.possible;
        Self {
            id: picture.id,
            hash: picture.hash.as_str().to_owned(),
            width: picture.facts.size.width,
            height: picture.facts.size.height,
            format: picture.facts.format,
            bytes: picture.bytes,
            has_alpha: picture.facts.has_alpha,
            frames: picture.facts.frames,
            has_location: picture.facts.has_location,
            focal: picture.adjustments.focal,
            step: picture.step,
            is_edited: !picture.adjustments.edits.is_plain(),
            shown_width: picture.shown_size().width,
            shown_height: picture.shown_size().height,
            made_from: picture.made_from,
            created_at: picture.created_at,
            from_folder: picture.origin == Origin::Folder,
            analysis: picture.analysis.map(|look| LookBody {
                class: look.class,
                colours: (look.colours < MOST_COLOURS).then_some(look.colours),
                is_transparent: look.is_transparent,
            }),
            uses: picture.uses,
            today: picture.today,
            possible,
            saving: possible.map(|p| Bytes(picture.today.get().saturating_sub(p.about.get()))),
            issues: issues(&picture, others),
            is_public: picture.is_public,
            removed_at: picture.removed_at,
            variants: variants.into_iter().map(|v| VariantBody::new(v, original)).collect(),
            name: picture.name,
            profile: picture.facts.profile,
            folder: picture.folder,
            description: picture.description,
            analysis_failed: picture.analysis_failed,
        }
    }
}

/// The bodies of `pictures`, in their order.
pub(super) async fn bodies_of(
    app: &App,
    pictures: Vec<Picture>,
) -> Result<Vec<PictureBody>, Problem> {
    let ids: Vec<Uuid> = pictures.iter().map(|picture| picture.id).collect();
    let mut by_picture: HashMap<Uuid, Vec<Variant>> = HashMap::new();
    let alts = pictures.iter().map(|picture| picture.description.alt.to_lowercase());
    let alts: Vec<String> = alts.filter(|alt| !alt.is_empty()).collect();
    let (variants, used) =
        tokio::try_join!(app.store.variants_of(&ids), app.store.alt_counts(alts))?;
    for variant in variants {
        by_picture.entry(variant.picture_id).or_default().push(variant);
    }
    let body = |picture: Picture| {
        let variants = by_picture.remove(&picture.id).unwrap_or_default();
        let all = used.get(&picture.description.alt.to_lowercase()).copied().unwrap_or(1);
        PictureBody::new(picture, variants, all.saturating_sub(1))
    };
    Ok(pictures.into_iter().map(body).collect())
}

pub(super) async fn body_of(app: &App, picture: Picture) -> Result<PictureBody, Problem> {
    let mut bodies = bodies_of(app, vec![picture]).await?;
    Ok(bodies.remove(0))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct Listing {
    /// In which order.
    #[serde(default)]
    #[param(inline)]
    sort: Sort,
    /// Whether the largest, the newest or the last of the alphabet comes first. Without it, what
    /// there is most of does, and names begin at A.
    descending: Option<bool>,
    /// Only what comes after this: the `next` of the part before.
    after: Option<String>,
    /// At most so many, up to 500.
    limit: Option<u64>,
}

/// Part of the library.
#[derive(Serialize, ToSchema)]
pub(super) struct PictureList {
    pictures: Vec<PictureBody>,
    /// Where the next part starts; nothing where this was the last.
    next: Option<String>,
}

/// The library, part by part.
#[utoipa::path(get, path = "/pictures", params(Listing, FilterQuery), responses(
    (status = 200, body = PictureList),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn list(
    State(app): State<App>,
    Query(listing): Query<Listing>,
    Query(filter): Query<FilterQuery>,
) -> Result<Json<PictureList>, Problem> {
    let page = ListPage {
        filter: filter.filter()?,
        sort: listing.sort,
        descending: listing.descending.unwrap_or(listing.sort.begins_with_most()),
        after: listing.after.as_deref().map(after).transpose()?,
        limit: listing.limit.unwrap_or(100).clamp(1, MOST),
    };
    let (pictures, next) = app.store.pictures(&page).await?;
    let pictures = bodies_of(&app, pictures).await?;
    Ok(Json(PictureList {
        pictures,
        next: next.map(|after| format!("{}.{}", after.id, after.key)),
    }))
}

/// Where a list goes on, from the text that was answered before.
fn after(text: &str) -> Result<After, Problem> {
    let (id, key) = text.split_once('.').unwrap_or((text, ""));
    let id =
        id.parse().map_err(|_| Problem::invalid("`after` is not from an answer of this list"))?;
    Ok(After { id, key: key.to_owned() })
}

/// One picture.
#[utoipa::path(get, path = "/pictures/{id}", responses(
    (status = 200, body = PictureBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn one(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<PictureBody>, Problem> {
    let picture = find(&app, id).await?;
    Ok(Json(body_of(&app, picture).await?))
}

/// What can be changed about a picture.
#[derive(Deserialize, ToSchema)]
pub(super) struct PictureChange {
    /// Where its subject is.
    focal: FocalPoint,
}

/// Moves a picture's focal point. Files made before stay as they are.
#[utoipa::path(patch, path = "/pictures/{id}", request_body = PictureChange, responses(
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
    status::refresh(&app.store, &[id]).await?;
    Ok(Json(body_of(&app, picture).await?))
}

/// The original, unchanged, to be saved.
#[utoipa::path(get, path = "/pictures/{id}/original", responses(
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
        media_type: picture.facts.format.media_type(),
        save_as: Some(picture.name),
    })
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct PreviewChoice {
    /// How large.
    #[param(inline)]
    size: PreviewSize,
}

/// The whole picture, upright and small, as WebP.
#[utoipa::path(get, path = "/pictures/{id}/preview", params(
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
    let bytes = previews::preview(&app.maker, &picture, choice.size).await?;
    Ok(Served { bytes, media_type: Format::Webp.media_type(), save_as: None })
}

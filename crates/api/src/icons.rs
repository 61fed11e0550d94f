//! Icons of the site: what is decided for them, how they look, their files, and what those that are served come to.

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::check::IconReport;
use brisk_margin_core::icon::design::IconDesign;
use brisk_margin_core::icon::target::IconTarget;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::icons::SiteIcons;
use brisk_margin_work::icons::looks::IconLooks;
use brisk_margin_work::icons::{IconsError, texts};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use url::Url;
use utoipa::ToSchema;

use super::Problem;
use super::extract::{self, Path};
use super::packages;
use crate::state::App;

/// Pages whose icons are checked at most.
const MOST_PAGES: usize = 50;

/// The icons of a site.
#[derive(Serialize, ToSchema)]
pub(super) struct IconsBody {
    /// What is decided.
    design: IconDesign,
    /// How often that was saved: whoever saves says which one was seen.
    version: u32,
    /// What was made; nothing before.
    made: Option<MadeBody>,
    /// What the site's icons came to when they were checked last.
    checked: Option<CheckedBody>,
}

/// Files that were made.
#[derive(Serialize, ToSchema)]
struct MadeBody {
    /// When.
    at: DateTime<Utc>,
    /// Whether what is decided is still the same.
    is_current: bool,
    /// In the order of their targets.
    files: Vec<IconFileBody>,
    /// What they weigh together.
    bytes: Bytes,
    /// The manifest that goes with them.
    manifest: String,
    /// The lines for the heads of pages.
    lines: Vec<String>,
}

/// A file that was made.
#[derive(Serialize, ToSchema)]
struct IconFileBody {
    target: IconTarget,
    file_name: String,
    /// What it is for, in words.
    words: &'static str,
    media_type: String,
    size: Size,
    bytes: Bytes,
}

/// A report, and when it was made.
#[derive(Serialize, ToSchema)]
struct CheckedBody {
    at: DateTime<Utc>,
    /// Whether nothing is wrong, and nothing is missing.
    is_fine: bool,
    report: IconReport,
}

impl IconsBody {
    fn new(icons: SiteIcons, address: Option<&Url>) -> Self {
        let (manifest, lines) =
            texts(&icons, address).map(|texts| (texts.manifest, texts.lines)).unwrap_or_default();
        let SiteIcons { design, version, files, made, checked } = icons;
        let made = made.map(|(by, at)| MadeBody {
            at,
            is_current: by == design,
            bytes: Bytes(files.iter().map(|file| file.bytes.get()).sum()),
            files: files
                .into_iter()
                .map(|file| IconFileBody {
                    target: file.made.target,
                    words: file.made.target.words(),
                    file_name: file.made.file_name,
                    media_type: file.media_type,
                    size: file.size,
                    bytes: file.bytes,
                })
                .collect(),
            manifest,
            lines,
        });
        let checked =
            checked.map(|(report, at)| CheckedBody { at, is_fine: report.is_fine(), report });
        Self { design, version, made, checked }
    }

    async fn of(app: &App) -> Result<Json<Self>, Problem> {
        let address = app.icons.address().await?;
        Ok(Json(Self::new(app.store.icons().await?, address.as_ref())))
    }
}

/// The icons of the site.
#[utoipa::path(get, path = "/icons", responses((status = 200, body = IconsBody)))]
pub(super) async fn site_icons(State(app): State<App>) -> Result<Json<IconsBody>, Problem> {
    IconsBody::of(&app).await
}

/// A design that is saved.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SavedDesign {
    design: IconDesign,
    /// The version that was seen; 0 where there was none.
    version: u32,
}

/// Saves what is decided for the icons.
#[utoipa::path(put, path = "/icons", request_body = SavedDesign, responses(
    (status = 200, body = IconsBody),
    (status = 409, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn save_icons(
    State(app): State<App>,
    extract::Json(SavedDesign { design, version }): extract::Json<SavedDesign>,
) -> Result<Json<IconsBody>, Problem> {
    design.check().map_err(Problem::invalid)?;
    app.store.save_icon_design(&design, version).await?;
    IconsBody::of(&app).await
}

/// How icons look, before anything is saved.
#[utoipa::path(post, path = "/icons/looks", request_body = IconDesign, responses(
    (status = 200, body = IconLooks),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn icon_looks(
    State(app): State<App>,
    extract::Json(design): extract::Json<IconDesign>,
) -> Result<Json<IconLooks>, Problem> {
    Ok(Json(app.icons.looks(design).await?))
}

/// Makes all files of what is saved.
#[utoipa::path(post, path = "/icons/files", responses(
    (status = 200, body = IconsBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn make_icons(State(app): State<App>) -> Result<Json<IconsBody>, Problem> {
    app.icons.make().await?;
    IconsBody::of(&app).await
}

/// A file that was made.
#[utoipa::path(get, path = "/icons/files/{name}", responses(
    (status = 200, content_type = "image/*"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("name" = String, Path, description = "What the file is called")))]
pub(super) async fn icon_file(
    State(app): State<App>,
    Path(name): Path<String>,
) -> Result<impl IntoResponse, Problem> {
    let files = app.store.icons().await?.files;
    let file = files.into_iter().find(|file| file.made.file_name == name);
    let file = file.ok_or_else(|| Problem::not_found("icon file"))?;
    let bytes = app.store.blobs().get(&file.hash).await?;
    let headers = [
        (header::CONTENT_TYPE, file.media_type),
        // Another one may have its name tomorrow.
        (header::CACHE_CONTROL, "no-cache".to_owned()),
        (
            header::CONTENT_SECURITY_POLICY,
            "default-src 'none'; img-src data:; style-src 'unsafe-inline'; sandbox".to_owned(),
        ),
    ];
    Ok((headers, bytes))
}

/// A zip archive with the files that were made, their manifest, and the lines for the heads of pages.
#[utoipa::path(get, path = "/icons/package", responses(
    (status = 200, content_type = "application/zip"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn icon_package(State(app): State<App>) -> Result<impl IntoResponse, Problem> {
    let file = app.icons.package(&app.intake.folder().spool()).await?;
    let name = format!("{}-icons.zip", app.site.slug);
    Ok(packages::sent(file, &name).await.map_err(IconsError::Disk)?)
}

/// What is checked.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct CheckAsked {
    /// The address of a page; the pages of the site that were measured where nothing is given.
    #[serde(default)]
    address: Option<String>,
}

/// Fetches the icons that the site serves, and judges them.
#[utoipa::path(post, path = "/icons/check", request_body = CheckAsked, responses(
    (status = 200, body = IconsBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn check_icons(
    State(app): State<App>,
    extract::Json(CheckAsked { address }): extract::Json<CheckAsked>,
) -> Result<Json<IconsBody>, Problem> {
    let asked = match address {
        Some(address) => vec![address],
        None => {
            let pages = app.store.pages().await?.into_iter();
            pages.map(|page| page.address).take(MOST_PAGES).collect()
        }
    };
    if asked.is_empty() {
        return Err(Problem::invalid(
            "no page of the site is known yet; give the address of one, or measure the site first",
        ));
    }
    let report = app.measuring.check_icons(&asked).await.map_err(Problem::invalid)?;
    app.store.keep_icon_report(&report).await?;
    IconsBody::of(&app).await
}

impl From<IconsError> for Problem {
    fn from(error: IconsError) -> Self {
        let cannot = |kind, title| Self::new(StatusCode::UNPROCESSABLE_ENTITY, kind, title, &error);
        match error {
            IconsError::Make(error) => error.into(),
            IconsError::Work(error) => error.into(),
            IconsError::Store(error) => error.into(),
            IconsError::Blob(error) => error.into(),
            IconsError::Disk(error) => Self::no_room(error),
            IconsError::NoMaster | IconsError::Gone(_) => {
                cannot("no-master", "There is no picture to make icons of")
            }
            IconsError::NothingMade => cannot("nothing-made", "There is nothing to pack"),
            IconsError::NoDrawing | IconsError::Design(_) => {
                cannot("invalid", "The request holds a value that cannot be used")
            }
            IconsError::Master(_) => cannot("no-mark", "No icons can be made of this picture"),
            IconsError::Icon(_) => cannot("codec", "The file could not be made"),
        }
    }
}

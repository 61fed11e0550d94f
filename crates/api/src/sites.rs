//! The sites of the installation: listed, added, removed and restored; and the way of a request to
//! the site that it is about.

use std::collections::HashMap;
use std::sync::Arc;

use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{StatusCode, Uri};
use axum::response::{IntoResponse, Response};
use axum::{Json, Router};
use brisk_margin_core::budget::Margin;
use brisk_margin_core::job::JobState;
use brisk_margin_core::layout_summary::SiteSummary;
use brisk_margin_core::site::SiteSettings;
use brisk_margin_store::Site;
use brisk_margin_store::pictures::Filter;
use brisk_margin_work::sites::Sites;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use tokio::sync::Mutex;
use tower::ServiceExt;
use url::Url;
use utoipa::ToSchema;
use uuid::Uuid;

use super::extract::{self, Path};
use super::{Problem, site};

/// What handlers of the installation share.
#[derive(Clone)]
pub(super) struct Hub {
    pub(super) sites: Sites,
    /// The routes of each site, with its services.
    routers: Arc<Mutex<HashMap<Uuid, Router>>>,
}

impl axum::extract::FromRef<Hub> for Sites {
    fn from_ref(hub: &Hub) -> Self {
        hub.sites.clone()
    }
}

impl Hub {
    pub(super) fn new(sites: Sites) -> Self {
        Self { sites, routers: Arc::default() }
    }

    async fn router(&self, slug: &str) -> Result<Router, Problem> {
        let site = self.sites.named(slug).await?.ok_or_else(|| Problem::not_found("site"))?;
        let mut routers = self.routers.lock().await;
        let router = routers.entry(site.site.id);
        Ok(router.or_insert_with(|| super::site_router(site)).clone())
    }
}

/// Hands a request to the site that its address names.
pub(super) async fn dispatch(
    State(hub): State<Hub>,
    axum::extract::Path((slug, _)): axum::extract::Path<(String, String)>,
    request: Request<Body>,
) -> Response {
    let router = match hub.router(&slug).await {
        Ok(router) => router,
        Err(problem) => return problem.into_response(),
    };
    // As it was sent, not as it was decoded.
    let path = request.uri().path_and_query().map_or("/", |path| path.as_str());
    let below = path.splitn(5, '/').nth(4).unwrap_or_default();
    let Ok(uri) = format!("/{below}").parse::<Uri>() else {
        return Problem::no_such_address().into_response();
    };
    let (sent, body) = request.into_parts();
    // Without what was found in the address so far, which is none of the site's.
    let mut request = Request::new(body);
    *request.method_mut() = sent.method;
    *request.uri_mut() = uri;
    *request.headers_mut() = sent.headers;
    match router.oneshot(request).await {
        Ok(answer) => answer,
        Err(never) => match never {},
    }
}

/// A site, and how it does.
#[derive(Serialize, ToSchema)]
pub(super) struct ListedSite {
    /// What its addresses begin with.
    slug: String,
    /// Its name.
    name: String,
    /// The address of its first page, where it is known.
    address: Option<String>,
    created_at: DateTime<Utc>,
    /// When it was removed; it can be restored for 90 days.
    removed_at: Option<DateTime<Utc>>,
    /// How many pictures it has.
    pictures: u64,
    /// How many pages were measured.
    pages: usize,
    /// How many places on them have something to mend.
    to_mend: usize,
    /// What the pictures of its pages weigh today, under the sum of their budgets.
    margin: Margin,
    /// How many jobs of it run or wait.
    jobs: u64,
    /// How many were set aside.
    failed: u64,
}

async fn listed(sites: &Sites, site: &Site) -> Result<ListedSite, Problem> {
    let services = sites.services(site).await?;
    let settings = services.store.site().await?;
    let layouts = services.layouts.all().await?;
    let jobs = services.store.count_jobs().await?;
    let count = |states: &[JobState]| {
        let those = jobs.iter().filter(|count| states.contains(&count.state));
        those.map(|count| count.count).sum()
    };
    let pages = SiteSummary::new(layouts.pages.iter().map(|(_, page)| page));
    Ok(ListedSite {
        slug: site.slug.clone(),
        name: settings.name,
        address: settings.address,
        created_at: site.created_at,
        removed_at: site.removed_at,
        pictures: services.store.count_pictures(&Filter::default()).await?,
        pages: pages.pages,
        to_mend: pages.to_mend,
        margin: pages.margin,
        jobs: count(&[JobState::Running, JobState::Waiting]),
        failed: count(&[JobState::Failed]),
    })
}

/// Every site, removed ones among them, in the order in which they were added.
#[utoipa::path(get, path = "/api/sites", responses((status = 200, body = Vec<ListedSite>)))]
pub(super) async fn sites(State(hub): State<Hub>) -> Result<Json<Vec<ListedSite>>, Problem> {
    let mut found = Vec::new();
    for site in hub.sites.installation().sites().await? {
        found.push(listed(&hub.sites, &site).await?);
    }
    Ok(Json(found))
}

/// A site to be added.
#[derive(Deserialize, ToSchema)]
pub(super) struct NewSite {
    /// Its name; its addresses begin with that. Where none is given, it is called after the host of
    /// its address, or its folder.
    #[serde(default)]
    name: String,
    /// The address of its first page.
    address: Option<String>,
    /// The folder that holds its files, on the server's machine, with its whole path. Nothing is
    /// written there.
    folder: Option<String>,
    /// Whether pictures that are put into that folder are added by themselves.
    #[serde(default)]
    watches: bool,
    /// The slug of a site whose size presets, edit presets and output rule it begins with.
    like: Option<String>,
}

/// Adds a site.
#[utoipa::path(post, path = "/api/sites", request_body = NewSite, responses(
    (status = 201, body = ListedSite),
    (status = 409, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn add_site(
    State(hub): State<Hub>,
    extract::Json(new): extract::Json<NewSite>,
) -> Result<(StatusCode, Json<ListedSite>), Problem> {
    let text = |text: Option<String>| {
        text.map(|text| text.trim().to_owned()).filter(|text| !text.is_empty())
    };
    let (address, folder) = (text(new.address), text(new.folder));
    let name = text(Some(new.name)).or_else(|| host_of(address.as_deref()?));
    let name = name.or_else(|| folder.as_deref()?.rsplit('/').next().map(str::to_owned));
    let name = name.unwrap_or_default();
    let name = name.as_str();
    if name.is_empty() || name.chars().count() > 120 {
        return Err(Problem::invalid(
            "give the site an address, a folder, or a name of 1 to 120 letters",
        ));
    }
    if let Some(folder) = &folder {
        site::check_folder(folder).await?;
    }
    let like = match &new.like {
        Some(slug) => Some(find_other(&hub, slug).await?),
        None => None,
    };
    let installation = hub.sites.installation();
    let name = name.to_owned();
    let settings =
        SiteSettings { name, address, folder, watches: new.watches, ..SiteSettings::default() };
    let site = installation.add_site_with(settings).await?;
    if let Some(like) = like {
        installation.copy_presets(&like, &site).await?;
    }
    Ok((StatusCode::CREATED, Json(listed(&hub.sites, &site).await?)))
}

fn host_of(address: &str) -> Option<String> {
    let url = Url::parse(address).ok()?;
    let host = url.host_str()?;
    Some(host.trim_start_matches("www.").to_owned())
}

/// The site that a request names beside the one that it is about.
async fn find_other(hub: &Hub, slug: &str) -> Result<Site, Problem> {
    let found = hub.sites.named(slug).await?.map(|services| services.site);
    found.ok_or_else(|| Problem::invalid(format!("there is no site “{slug}”")))
}

async fn find(hub: &Hub, slug: &str) -> Result<Site, Problem> {
    let site = hub.sites.installation().site(slug).await?;
    site.ok_or_else(|| Problem::not_found("site"))
}

/// Removes a site: its jobs are cancelled and its addresses answer no more. It can be restored, with all
/// it has, for 90 days.
#[utoipa::path(delete, path = "/api/sites/{site}", responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("site" = String, Path, description = "The site's slug")))]
pub(super) async fn remove_site(
    State(hub): State<Hub>,
    Path(slug): Path<String>,
) -> Result<StatusCode, Problem> {
    hub.sites.installation().remove_site(&find(&hub, &slug).await?).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Restores a site that was removed.
#[utoipa::path(post, path = "/api/sites/{site}/restore", responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("site" = String, Path, description = "The site's slug")))]
pub(super) async fn restore_site(
    State(hub): State<Hub>,
    Path(slug): Path<String>,
) -> Result<StatusCode, Problem> {
    hub.sites.installation().restore_site(&find(&hub, &slug).await?).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// From which site presets are copied.
#[derive(Deserialize, ToSchema)]
pub(super) struct CopyFrom {
    /// Its slug.
    from: String,
}

/// Copies size presets, edit presets and the site's output rule from another site. What has the same
/// name here stays as it is.
#[utoipa::path(post, path = "/api/sites/{site}/copy-presets", request_body = CopyFrom, responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("site" = String, Path, description = "The site's slug")))]
pub(super) async fn copy_presets(
    State(hub): State<Hub>,
    Path(slug): Path<String>,
    extract::Json(copy): extract::Json<CopyFrom>,
) -> Result<StatusCode, Problem> {
    let (to, from) = (find(&hub, &slug).await?, find_other(&hub, &copy.from).await?);
    hub.sites.installation().copy_presets(&from, &to).await?;
    Ok(StatusCode::NO_CONTENT)
}

//! The site's settings: its name, where it is, how it is measured.

use std::collections::BTreeSet;
use std::ops::RangeInclusive;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_site::gate::Authority;
use brisk_margin_store::site::SiteSettings;
use serde::{Deserialize, Serialize};
use url::Url;
use utoipa::ToSchema;

use super::{Problem, extract};
use crate::app::{App, Change};

/// Viewports that a page can be opened at, in CSS px.
const SIDE: RangeInclusive<u32> = 160..=7_680;
/// Most layout widths of a site.
const MOST_WIDTHS: usize = 8;

/// What holds for the whole site.
#[derive(Serialize, ToSchema)]
pub(super) struct SiteBody {
    name: String,
    /// The address of its first page, where it is known.
    address: Option<String>,
    /// The viewports at which its pages are measured, the narrowest first.
    widths: Vec<LayoutWidth>,
    /// Other hosts that its pages may reach.
    allowed_hosts: Vec<String>,
}

impl SiteBody {
    fn new(settings: SiteSettings, app: &App) -> Self {
        let SiteSettings { name, address, widths, allowed_hosts } = settings;
        let address = address.or_else(|| app.site().map(str::to_owned));
        Self { name, address, widths, allowed_hosts }
    }
}

/// The site's settings.
#[utoipa::path(get, path = "/api/site", responses((status = 200, body = SiteBody)))]
pub(super) async fn site(State(app): State<App>) -> Result<Json<SiteBody>, Problem> {
    Ok(Json(SiteBody::new(app.store.site().await?, &app)))
}

/// What is to be changed; what is left out stays as it is.
#[derive(Deserialize, ToSchema)]
pub(super) struct SiteChange {
    name: Option<String>,
    address: Option<String>,
    /// One to eight viewports, 160 to 7,680 CSS px across and down. Without a height, it is that
    /// of the usual viewport nearest in width.
    widths: Option<Vec<ViewportWish>>,
    /// Other hosts that pages may reach, as in `http://pictures.example:8080`.
    allowed_hosts: Option<Vec<String>>,
}

/// A viewport, in CSS px.
#[derive(Clone, Copy, Deserialize, ToSchema)]
pub(super) struct ViewportWish {
    width: u32,
    height: Option<u32>,
}

impl From<ViewportWish> for LayoutWidth {
    fn from(wish: ViewportWish) -> Self {
        let usual = Self::of(wish.width);
        Self { height: wish.height.unwrap_or(usual.height), ..usual }
    }
}

/// Changes the site's settings.
#[utoipa::path(patch, path = "/api/site", request_body = SiteChange, responses(
    (status = 200, body = SiteBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn change_site(
    State(app): State<App>,
    extract::Json(change): extract::Json<SiteChange>,
) -> Result<Json<SiteBody>, Problem> {
    let widths = change.widths.map(widths).transpose()?;
    for host in change.allowed_hosts.iter().flatten() {
        if Url::parse(host).ok().and_then(|url| Authority::of(&url)).is_none() {
            let detail = format!("“{host}” is no host: write it as in http://pictures.example");
            return Err(Problem::invalid(detail));
        }
    }
    let settings = app.store.change_site(|settings| {
        if let Some(name) = change.name {
            name.trim().clone_into(&mut settings.name);
        }
        if let Some(address) = change.address {
            settings.address = Some(address.trim().to_owned()).filter(|text| !text.is_empty());
        }
        if let Some(widths) = widths {
            settings.widths = widths;
        }
        if let Some(hosts) = change.allowed_hosts {
            settings.allowed_hosts = hosts;
        }
    });
    let settings = settings.await?;
    app.tell(Change::Layouts);
    Ok(Json(SiteBody::new(settings, &app)))
}

fn widths(wishes: Vec<ViewportWish>) -> Result<Vec<LayoutWidth>, Problem> {
    let widths: BTreeSet<LayoutWidth> = wishes.into_iter().map(LayoutWidth::from).collect();
    let distinct: BTreeSet<u32> = widths.iter().map(|viewport| viewport.width).collect();
    let possible = |v: &LayoutWidth| SIDE.contains(&v.width) && SIDE.contains(&v.height);
    let count = 1..=MOST_WIDTHS;
    if !count.contains(&widths.len()) || !widths.iter().all(possible) {
        return Err(Problem::invalid(
            "give one to eight layout widths between 160 and 7,680 CSS px, as in 390, 1280×800",
        ));
    }
    if distinct.len() != widths.len() {
        return Err(Problem::invalid("each layout width stands once, with one height"));
    }
    Ok(widths.into_iter().collect())
}

//! The site's settings: its name, where it is, how it is measured.

use std::collections::BTreeSet;
use std::ops::RangeInclusive;
use std::path::Path;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::margin::PageBudgets;
use brisk_margin_core::name_pattern::Pattern;
use brisk_margin_core::run::schedule::RunSchedule;
use brisk_margin_core::site::{ImportAction, SiteSettings};
use brisk_margin_core::watch::Watch;
use brisk_margin_site::gate::Authority;
use brisk_margin_work::margins::overruns;
use brisk_margin_work::{runs, watch};
use serde::{Deserialize, Serialize};
use url::Url;
use utoipa::ToSchema;

use super::margins::page::BudgetsWish;
use super::{Problem, extract};
use crate::state::App;

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
    /// The folder that holds its files, on the server's machine.
    folder: Option<String>,
    /// Whether pictures that are put into that folder are added by themselves.
    watches: bool,
    /// The viewports at which its pages are measured, the narrowest first.
    widths: Vec<LayoutWidth>,
    /// Other hosts that its pages may reach.
    allowed_hosts: Vec<String>,
    /// The long side that is made of a picture at most where no slot says more, in pixels.
    ceiling: u32,
    /// What happens to pictures that arrive.
    import_action: ImportAction,
    /// The pattern that file names are proposed by.
    name_pattern: String,
    /// The initials that stand in names where the pattern has them; empty for the creator's.
    initials: String,
    /// For how many days a removed picture can be brought back.
    keep_days: u32,
    /// When files of what is new or changed are made by themselves.
    schedule: RunSchedule,
    /// When its pages are measured again by themselves.
    watch: Watch,
    /// What its pages may weigh and take where nothing else is said of one.
    page_budgets: PageBudgets,
}

impl SiteBody {
    fn new(settings: SiteSettings) -> Self {
        Self {
            name: settings.name,
            address: settings.address,
            folder: settings.folder,
            watches: settings.watches,
            widths: settings.widths,
            allowed_hosts: settings.allowed_hosts,
            ceiling: settings.ceiling,
            import_action: settings.import_action,
            name_pattern: settings.name_pattern,
            initials: settings.initials,
            keep_days: settings.keep_days,
            schedule: settings.schedule,
            watch: settings.watch,
            page_budgets: settings.page_budgets,
        }
    }
}

/// The site's settings.
#[utoipa::path(get, path = "/site", responses((status = 200, body = SiteBody)))]
pub(super) async fn site(State(app): State<App>) -> Result<Json<SiteBody>, Problem> {
    Ok(Json(SiteBody::new(app.store.site().await?)))
}

/// What is to be changed; what is left out stays as it is.
#[derive(Deserialize, ToSchema)]
pub(super) struct SiteChange {
    name: Option<String>,
    address: Option<String>,
    /// A folder on the server's machine, with its whole path; an empty text for none. Only
    /// publications write there.
    folder: Option<String>,
    watches: Option<bool>,
    /// One to eight viewports, 160 to 7,680 CSS px across and down. Without a height, it is that
    /// of the usual viewport nearest in width.
    widths: Option<Vec<ViewportWish>>,
    /// Other hosts that pages may reach, as in `http://pictures.example:8080`.
    allowed_hosts: Option<Vec<String>>,
    /// 160 to 20,000 pixels.
    ceiling: Option<u32>,
    #[serde(alias = "treatment")]
    import_action: Option<ImportAction>,
    /// Of `{title}`, `{slot}`, `{width}`, `{height}`, `{date}`, `{initials}`, `{number}`.
    name_pattern: Option<String>,
    initials: Option<String>,
    /// 1 to 3,650 days.
    keep_days: Option<u32>,
    /// When files of what is new or changed are made by themselves.
    schedule: Option<RunSchedule>,
    /// When its pages are measured again by themselves.
    watch: Option<Watch>,
    /// What its pages may weigh and take where nothing else is said of one.
    page_budgets: Option<BudgetsWish>,
    /// Settings as whoever saves saw them; those that are left out do not matter. What somebody else changed since is
    /// not overwritten.
    #[serde(default)]
    #[schema(value_type = std::collections::BTreeMap<String, serde_json::Value>)]
    seen: serde_json::Map<String, serde_json::Value>,
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
#[utoipa::path(patch, path = "/site", request_body = SiteChange, responses(
    (status = 200, body = SiteBody),
    (status = 409, body = Problem, content_type = "application/problem+json"),
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
    if let Some(pattern) = &change.name_pattern {
        Pattern::parse(pattern).map_err(Problem::invalid)?;
    }
    if change.ceiling.is_some_and(|ceiling| !(160..=20_000).contains(&ceiling)) {
        return Err(Problem::invalid("give a ceiling between 160 and 20,000 pixels"));
    }
    if change.keep_days.is_some_and(|days| !(1..=3_650).contains(&days)) {
        return Err(Problem::invalid("keep removed pictures for 1 to 3,650 days"));
    }
    if change.schedule.is_some_and(|schedule| !schedule.is_possible()) {
        return Err(Problem::invalid("give a time of the day, and 1 to 1,440 minutes"));
    }
    if change.watch.is_some_and(|watch| !watch.is_possible()) {
        return Err(Problem::invalid("give a time of the day, and 1 to 31 days"));
    }
    let page_budgets = change.page_budgets.map(BudgetsWish::budgets).transpose()?;
    if let Some(ImportAction::SizeSet { name }) = &change.import_action
        && !app.store.size_sets().await?.iter().any(|set| set.name == *name)
    {
        return Err(Problem::invalid(format!("there is no set of sizes called “{name}”")));
    }
    if let Some(folder) = change.folder.as_deref().map(str::trim).filter(|text| !text.is_empty()) {
        check_folder(folder).await?;
    }
    let seen = change.seen;
    let are_as_seen = move |now: &SiteSettings| {
        let now = serde_json::to_value(SiteBody::new(now.clone())).expect("plain values");
        seen.iter().all(|(name, value)| now[name] == *value)
    };
    let change_them = |settings: &mut SiteSettings| {
        if let Some(name) = change.name {
            name.trim().clone_into(&mut settings.name);
        }
        if let Some(address) = change.address {
            settings.address = Some(address.trim().to_owned()).filter(|text| !text.is_empty());
        }
        if let Some(folder) = change.folder {
            settings.folder = Some(folder.trim().to_owned()).filter(|text| !text.is_empty());
        }
        settings.watches = change.watches.unwrap_or(settings.watches);
        if let Some(widths) = widths {
            settings.widths = widths;
        }
        if let Some(hosts) = change.allowed_hosts {
            settings.allowed_hosts = hosts;
        }
        settings.ceiling = change.ceiling.unwrap_or(settings.ceiling);
        settings.keep_days = change.keep_days.unwrap_or(settings.keep_days);
        settings.schedule = change.schedule.unwrap_or(settings.schedule);
        settings.watch = change.watch.unwrap_or(settings.watch);
        settings.page_budgets = page_budgets.unwrap_or(settings.page_budgets);
        if let Some(treatment) = change.import_action {
            settings.import_action = treatment;
        }
        if let Some(pattern) = change.name_pattern {
            settings.name_pattern = pattern;
        }
        if let Some(initials) = change.initials {
            initials.trim().clone_into(&mut settings.initials);
        }
    };
    let settings = app.store.change_site_where(are_as_seen, change_them).await?;
    if change.schedule.is_some() {
        runs::schedule::expect(&app.store, settings.schedule).await?;
    }
    if change.watch.is_some() {
        watch::expect(&app.store, settings.watch).await?;
    }
    if page_budgets.is_some() {
        overruns::note(&app.store).await?;
    }
    Ok(Json(SiteBody::new(settings)))
}

/// Whether a site's files can be read in `folder`.
pub(super) async fn check_folder(folder: &str) -> Result<(), Problem> {
    let unusable = |reason: String| {
        let detail = format!("the folder “{folder}” cannot be used: {reason}");
        Err(Problem::invalid(detail))
    };
    let path = Path::new(folder);
    if !path.is_absolute() {
        return unusable("give its whole path, from the root of the server's machine".to_owned());
    }
    match tokio::fs::read_dir(path).await {
        Ok(_) => Ok(()),
        Err(error) => unusable(format!("{error}; see that it is there and can be read")),
    }
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

//! Margins: pages by what they leave under their budgets in bytes and in time, and how each comes.

use std::cmp::Reverse;

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse};
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::margin::{
    LoadTimes, PageBudgets, PageFigures, PageMargins, TimeMargin,
};
use brisk_margin_core::load::report::{Report, ReportedGain, ReportedPage};
use brisk_margin_core::load::{Connection, PageRequests, Request, Timing};
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_store::layouts::Page;
use brisk_margin_work::margins::{self, Gain, SiteMargins, View};
use chrono::Local;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::pictures::table::harmless;
use crate::state::App;

/// From where pages are looked at.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(super) struct ViewAskedFor {
    /// The connection: kbit/s, ms there and back, and where it matters how many ms servers think. 1600/150 where nothing
    /// is given.
    connection: Option<String>,
    /// The layout width in CSS px; the narrowest of which it is known where nothing is given.
    width: Option<u32>,
    /// In which order.
    #[serde(default)]
    #[param(inline)]
    order: PageOrder,
}

/// In which order pages stand.
#[derive(Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub(super) enum PageOrder {
    /// The least margin in time first.
    #[default]
    Time,
    /// The least margin in bytes first.
    Bytes,
    /// The most that could be saved first.
    Saving,
    /// By name.
    Name,
}

/// A connection to choose.
#[derive(Serialize, ToSchema)]
pub(super) struct ConnectionBody {
    /// As it is asked for.
    value: String,
    /// Its figures, in words.
    words: String,
}

impl From<Connection> for ConnectionBody {
    fn from(connection: Connection) -> Self {
        Self { value: connection.into(), words: connection.to_string() }
    }
}

/// The margins of a site.
#[derive(Serialize, ToSchema)]
pub(super) struct MarginsBody {
    /// The connection that times are told for.
    connection: ConnectionBody,
    /// Those to choose from.
    connections: Vec<ConnectionBody>,
    /// The layout width that is told of; nothing where nothing was measured yet.
    width: Option<u32>,
    /// Those to choose from.
    widths: Vec<u32>,
    order: PageOrder,
    /// The pages in that order.
    pages: Vec<PageMarginBody>,
    /// Pages that have to be measured again before their weight is known.
    unknown: usize,
    /// What all pages transfer, today and about as they could.
    saving: Saving,
    /// Of that, pictures.
    pictures: Saving,
    /// How many pages are over their budget in bytes, and in time.
    over: Overruns,
    /// The places with most to gain, those first.
    gains: Vec<GainBody>,
}

/// How many pages are over a budget.
#[derive(Serialize, ToSchema)]
pub(super) struct Overruns {
    bytes: usize,
    time: usize,
}

/// A page and its margins.
#[derive(Serialize, ToSchema)]
pub(super) struct PageMarginBody {
    id: Uuid,
    /// What it is called.
    name: String,
    address: String,
    /// As it is.
    today: PageFigures,
    /// About as it could be.
    possible: PageFigures,
    /// Its bytes under its budget.
    bytes: Margin,
    /// Its largest paint under the time that it may take.
    time: TimeMargin,
    /// What lighter pictures save of what comes before anybody scrolls.
    saving: Saving,
}

/// A place and about what it could save.
#[derive(Serialize, ToSchema)]
pub(super) struct GainBody {
    place: Uuid,
    page: Uuid,
    page_name: String,
    slot: Uuid,
    slot_name: String,
    /// The picture that it shows.
    picture: Uuid,
    picture_name: String,
    saving: Saving,
    /// How long the link carries those bytes.
    time: Millis,
}

impl PageMarginBody {
    fn of(page: Page, margins: PageMargins) -> Self {
        let PageMargins { today, possible, bytes, time } = margins;
        Self {
            id: page.id,
            name: page.name,
            address: page.address,
            saving: today.saving(&possible),
            today,
            possible,
            bytes,
            time,
        }
    }
}

/// What is looked at, as a person asked for it or as is usual.
async fn view(
    app: &App,
    connection: Option<&str>,
    width: Option<u32>,
) -> Result<(Connection, Option<u32>, Vec<u32>), Problem> {
    let connection = connection.map(str::parse).transpose().map_err(Problem::invalid)?;
    let widths = app.store.load_widths().await?;
    if let Some(width) = width.filter(|width| !widths.is_empty() && !widths.contains(width)) {
        let known: Vec<String> = widths.iter().map(u32::to_string).collect();
        let detail = format!("no page was measured at {width} px; there is {}", known.join(", "));
        return Err(Problem::invalid(detail));
    }
    let usual = widths.iter().copied().find(|&width| width >= LayoutWidth::USUAL[0].width);
    let width = width.filter(|_| !widths.is_empty()).or(usual).or(widths.last().copied());
    Ok((connection.unwrap_or(Connection::USUAL), width, widths))
}

/// The pages of the site with their margins, and where most can be gained.
#[utoipa::path(get, path = "/margins", params(ViewAskedFor), responses(
    (status = 200, body = MarginsBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn margins(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Json<MarginsBody>, Problem> {
    let (connection, width, widths) = view(&app, asked.connection.as_deref(), asked.width).await?;
    let found =
        margins::of_site(&app.store, View { width: width.unwrap_or(0), connection }).await?;
    let SiteMargins { pages, unknown, gains } = found;
    let mut pages: Vec<PageMarginBody> =
        pages.into_iter().map(|(page, margins)| PageMarginBody::of(page, margins)).collect();
    sort(&mut pages, asked.order);
    let sum = |of: &dyn Fn(&PageMarginBody) -> Bytes| pages.iter().map(of).sum();
    let pictures = |of: &PageFigures| of.weight.picture;
    let saving =
        Saving::new(sum(&|page| page.today.weight.total), sum(&|page| page.possible.weight.total));
    let of_pictures =
        Saving::new(sum(&|page| pictures(&page.today)), sum(&|page| pictures(&page.possible)));
    let gains = gains.into_iter().map(|gain| gain_body(gain, &pages, connection)).collect();
    let mut connections: Vec<ConnectionBody> =
        Connection::ALL.into_iter().map(ConnectionBody::from).collect();
    if !Connection::ALL.contains(&connection) {
        connections.push(connection.into());
    }
    Ok(Json(MarginsBody {
        connection: connection.into(),
        connections,
        width,
        widths,
        order: asked.order,
        unknown: unknown.len(),
        saving,
        pictures: of_pictures,
        over: Overruns {
            bytes: pages.iter().filter(|page| page.bytes.margin < 0).count(),
            time: pages.iter().filter(|page| page.time.margin < 0.0).count(),
        },
        gains,
        pages,
    }))
}

fn sort(pages: &mut [PageMarginBody], order: PageOrder) {
    match order {
        PageOrder::Time => pages.sort_by(|a, b| a.time.margin.total_cmp(&b.time.margin)),
        PageOrder::Bytes => pages.sort_by_key(|page| page.bytes.margin),
        PageOrder::Saving => pages.sort_by_key(|page| Reverse(page.saving.saved)),
        PageOrder::Name => pages.sort_by(|a, b| a.name.cmp(&b.name)),
    }
}

fn gain_body(gain: Gain, pages: &[PageMarginBody], connection: Connection) -> GainBody {
    let page = pages.iter().find(|page| page.id == gain.page);
    GainBody {
        place: gain.place,
        page: gain.page,
        page_name: page.map_or_else(String::new, |page| page.name.clone()),
        slot: gain.slot.id,
        slot_name: gain.slot.name,
        picture: gain.picture,
        picture_name: gain.picture_name,
        saving: gain.saving,
        time: connection.time_of(Bytes(gain.saving.saved.max(0).unsigned_abs())),
    }
}

/// The margins of all pages as a table. Cells that a spreadsheet would take for formulas begin with an apostrophe.
#[utoipa::path(get, path = "/margins/pages.csv", params(ViewAskedFor), responses(
    (status = 200, content_type = "text/csv", body = String),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn margins_as_csv(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<impl IntoResponse, Problem> {
    let Json(margins) = margins(State(app), Query(asked)).await?;
    let mut writer = csv::Writer::from_writer(Vec::new());
    let columns = [
        "page",
        "address",
        "connection",
        "width",
        "bytes",
        "possible_bytes",
        "pictures",
        "possible_pictures",
        "lazy",
        "byte_budget",
        "byte_margin",
        "lcp_ms",
        "possible_lcp_ms",
        "time_budget_ms",
        "time_margin_ms",
    ];
    writer.write_record(columns).map_err(Problem::invalid)?;
    let width = margins.width.unwrap_or(0).to_string();
    for page in &margins.pages {
        let (today, possible) = (&page.today, &page.possible);
        let cells = [
            harmless(&page.name),
            harmless(&page.address),
            margins.connection.value.clone(),
            width.clone(),
            today.weight.total.get().to_string(),
            possible.weight.total.get().to_string(),
            today.weight.picture.get().to_string(),
            possible.weight.picture.get().to_string(),
            today.weight.lazy.get().to_string(),
            page.bytes.budget.get().to_string(),
            page.bytes.margin.to_string(),
            format!("{:.0}", today.times.lcp.get()),
            format!("{:.0}", possible.times.lcp.get()),
            format!("{:.0}", page.time.budget.get()),
            format!("{:.0}", page.time.margin),
        ];
        writer.write_record(cells).map_err(Problem::invalid)?;
    }
    let headers = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"margins.csv\""),
    ];
    Ok((headers, writer.into_inner().map_err(Problem::invalid)?))
}

/// The margins of all pages as a page to print: figures before and after, where most can be gained, and how that was
/// found.
#[utoipa::path(get, path = "/margins/report.html", params(ViewAskedFor), responses(
    (status = 200, content_type = "text/html", body = String),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn report(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<impl IntoResponse, Problem> {
    let (connection, width, _) = view(&app, asked.connection.as_deref(), asked.width).await?;
    let width = width.unwrap_or(0);
    let SiteMargins { mut pages, gains, .. } =
        margins::of_site(&app.store, View { width, connection }).await?;
    // A reader who was not there begins with the heaviest.
    pages.sort_by_key(|(_, margins)| Reverse(margins.today.weight.total));
    let gains = gains.into_iter().map(|Gain { picture_name, slot, saving, .. }| ReportedGain {
        picture: picture_name,
        slot: slot.name,
        saving,
    });
    let pages = pages.into_iter().map(|(page, margins)| ReportedPage {
        name: page.name,
        address: page.address,
        margins,
    });
    let report = Report {
        site: app.store.site().await?.name,
        day: Local::now().format("%-d %B %Y").to_string(),
        connection,
        width,
        pages: pages.collect(),
        gains: gains.collect(),
    };
    // Its own styles stand in it; it can do nothing else.
    let policy = "default-src 'none'; style-src 'unsafe-inline'; sandbox allow-modals";
    Ok(([(header::CONTENT_SECURITY_POLICY, policy)], Html(report.html())))
}

/// How a page comes.
#[derive(Serialize, ToSchema)]
pub(super) struct PageComingBody {
    id: Uuid,
    name: String,
    address: String,
    connection: ConnectionBody,
    width: u32,
    /// Its bytes under its budget.
    bytes: Margin,
    /// Its largest paint under the time that it may take.
    time: TimeMargin,
    /// What was said of its budgets; what is left out is the usual.
    budgets: PageBudgets,
    /// As it is.
    today: LoadBody,
    /// About as it could be.
    possible: LoadBody,
}

/// A load of a page.
#[derive(Serialize, ToSchema)]
pub(super) struct LoadBody {
    figures: PageFigures,
    /// What it transfers, in the order in which it is found.
    requests: Vec<RequestBody>,
}

/// A request and its times.
#[derive(Serialize, ToSchema)]
pub(super) struct RequestBody {
    #[serde(flatten)]
    request: Request,
    /// Nothing for what is lazy.
    timing: Option<Timing>,
}

impl LoadBody {
    fn of(requests: PageRequests, timings: Vec<Option<Timing>>, figures: PageFigures) -> Self {
        let requests = requests.0.into_iter().zip(timings);
        let requests = requests.map(|(request, timing)| RequestBody { request, timing });
        Self { figures, requests: requests.collect() }
    }
}

/// How a page comes over a connection, today and about as it could.
#[utoipa::path(get, path = "/margins/{page}", params(
    ("page" = Uuid, Path, description = "The page's id"), ViewAskedFor,
), responses(
    (status = 200, body = PageComingBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn page_margins(
    State(app): State<App>,
    Path(page): Path<Uuid>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Json<PageComingBody>, Problem> {
    let (connection, width, _) = view(&app, asked.connection.as_deref(), asked.width).await?;
    let width = width.unwrap_or(0);
    let coming = margins::of_page(&app.store, page, View { width, connection }).await?;
    let coming = coming.ok_or_else(|| Problem::not_found("page whose weight is known"))?;
    let (requests, loaded, figures) = coming.today;
    let (lighter, sooner, less) = coming.possible;
    let LoadTimes { lcp, .. } = figures.times;
    Ok(Json(PageComingBody {
        id: coming.page.id,
        name: coming.page.name,
        address: coming.page.address,
        connection: connection.into(),
        width,
        bytes: Margin::new(coming.byte_budget, figures.weight.total),
        time: TimeMargin::new(coming.budgets.time(), lcp),
        budgets: coming.budgets,
        today: LoadBody::of(requests, loaded.timings, figures),
        possible: LoadBody::of(lighter, sooner.timings, less),
    }))
}

/// What a page may weigh and take.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct BudgetsWish {
    /// The most bytes before anybody scrolls; nothing for those of its slots and what else it transfers.
    bytes: Option<Bytes>,
    /// The most milliseconds until its largest paint; nothing for 2,500.
    time: Option<f64>,
}

/// Says what a page may weigh and take.
#[utoipa::path(put, path = "/margins/{page}/budgets", request_body = BudgetsWish, responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("page" = Uuid, Path, description = "The page's id")))]
pub(super) async fn say_budgets(
    State(app): State<App>,
    Path(page): Path<Uuid>,
    extract::Json(wish): extract::Json<BudgetsWish>,
) -> Result<StatusCode, Problem> {
    if wish.bytes.is_some_and(|bytes| bytes > Bytes::mb(1_000)) {
        return Err(Problem::invalid("a page may have up to 1,000,000,000 bytes"));
    }
    let time = wish.time.map(Millis::new).transpose().map_err(Problem::invalid)?;
    if time.is_some_and(|time| time > Millis::whole(600_000)) {
        return Err(Problem::invalid("a page may take up to 600,000 ms"));
    }
    match app.store.say_page_budgets(page, PageBudgets { bytes: wish.bytes, time }).await? {
        true => Ok(StatusCode::NO_CONTENT),
        false => Err(Problem::not_found("page")),
    }
}

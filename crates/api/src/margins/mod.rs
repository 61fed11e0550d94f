//! Margins: pages by what they leave under their budgets in bytes and in time, and how each comes.

use std::cmp::Reverse;

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::growth::Growth;
use brisk_margin_core::load::margin::{
    PageBudgets, PageFigures, PageLoad, PageMargins, TimeMargin, USUAL_TIME,
};
use brisk_margin_core::load::report::{Report, ReportedGain, ReportedPage};
use brisk_margin_core::load::traffic::Month;
use brisk_margin_core::load::{Connection, PageWeight, Request, Timing};
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_store::layouts::Page;
use brisk_margin_store::page_loads::{HeavierPage, PastWeight};
use brisk_margin_work::making::previews::{self, PreviewSize};
use brisk_margin_work::margins::history::{self, SiteHistory};
use brisk_margin_work::margins::shares::Share;
use brisk_margin_work::margins::{self, Gain, SiteMargins, View};
use chrono::{DateTime, Local, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::spreadsheet::{Table, harmless};
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
    /// The most that could be saved in a month first, then those of which nobody knows how often they are looked at.
    Month,
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

/// From where pages are looked at, and from where else they can be.
#[derive(Serialize, ToSchema)]
pub(super) struct ViewBody {
    /// The connection that times are told for.
    connection: ConnectionBody,
    /// Those to choose from.
    connections: Vec<ConnectionBody>,
    /// The layout width that is told of; nothing where nothing was measured yet.
    width: Option<u32>,
    /// Those to choose from.
    widths: Vec<u32>,
}

/// The margins of a site.
#[derive(Serialize, ToSchema)]
pub(super) struct MarginsBody {
    view: ViewBody,
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
    /// What the pages transfer in a month of which it is known how often they are looked at; nothing where that is none.
    month: Option<Month>,
    /// The places with most to gain, those first.
    gains: Vec<GainBody>,
    /// Pages that became heavier in the last 30 days, those by most first.
    heavier: Vec<HeavierBody>,
    /// What their pictures weigh by the slots that show them, the heaviest share first.
    by_slot: Vec<SlotShare>,
    /// The same by their formats.
    by_format: Vec<FormatShare>,
    /// What pages may weigh and take where nothing else is said of one.
    budgets: PageBudgets,
    /// How long a page may take where nobody says anything.
    usual_time: Millis,
}

/// A page that weighs more than before.
#[derive(Serialize, ToSchema)]
pub(super) struct HeavierBody {
    page: Uuid,
    page_name: String,
    /// What it weighed before anybody scrolled.
    before: Bytes,
    #[serde(flatten)]
    now: PastWeightBody,
}

/// What the pictures in a slot weigh.
#[derive(Serialize, ToSchema)]
pub(super) struct SlotShare {
    slot: Uuid,
    name: String,
    /// How many files, each once a page.
    files: usize,
    saving: Saving,
}

/// What the pictures of a format weigh.
#[derive(Serialize, ToSchema)]
pub(super) struct FormatShare {
    /// By content; nothing where a file could not be read.
    format: Option<String>,
    /// How many files, each once a page.
    files: usize,
    saving: Saving,
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
    /// What it transfers in a month, where it is known how often it is looked at.
    month: Option<Month>,
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
    fn of(page: Page, margins: PageMargins, views: Option<u64>) -> Self {
        let month = views.map(|views| Month::of(views, &margins));
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
            month,
        }
    }
}

/// From where it is looked at, as a person asked for it or as is usual.
async fn view(app: &App, asked: &ViewAskedFor) -> Result<(View, ViewBody), Problem> {
    let connection = asked.connection.as_deref().map(str::parse).transpose();
    let connection = connection.map_err(Problem::invalid)?.unwrap_or(Connection::USUAL);
    let widths = app.store.load_widths().await?;
    let width = match asked.width {
        Some(width) if widths.contains(&width) => Some(width),
        Some(width) if !widths.is_empty() => {
            let known: Vec<String> = widths.iter().map(u32::to_string).collect();
            let known = known.join(", ");
            let detail = format!("no page was measured at {width} px; there is {known}");
            return Err(Problem::invalid(detail));
        }
        _ => {
            let usual = widths.iter().find(|&&width| width >= LayoutWidth::USUAL[0].width);
            usual.or(widths.last()).copied()
        }
    };
    let mut connections = Connection::ALL.to_vec();
    if !connections.contains(&connection) {
        connections.push(connection);
    }
    let view = View { width: width.unwrap_or(0), connection };
    let connections = connections.into_iter().map(ConnectionBody::from).collect();
    let connection = connection.into();
    Ok((view, ViewBody { connection, connections, width, widths }))
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
    let (at, view) = view(&app, &asked).await?;
    let found = margins::of_site(&app.store, at).await?;
    let SiteMargins { pages, unknown, gains, heavier, shares, views } = found;
    let mut pages: Vec<PageMarginBody> = pages
        .into_iter()
        .map(|(page, margins)| {
            let views = views.get(&page.id).copied();
            PageMarginBody::of(page, margins, views)
        })
        .collect();
    sort(&mut pages, asked.order);
    let sum = |of: &dyn Fn(&PageMarginBody) -> Bytes| pages.iter().map(of).sum();
    let pictures = |of: &PageFigures| of.weight.picture;
    let saving =
        Saving::new(sum(&|page| page.today.weight.total), sum(&|page| page.possible.weight.total));
    let of_pictures =
        Saving::new(sum(&|page| pictures(&page.today)), sum(&|page| pictures(&page.possible)));
    let gains = gains.into_iter().map(|gain| gain_body(gain, &pages, at.connection)).collect();
    Ok(Json(MarginsBody {
        view,
        order: asked.order,
        unknown,
        saving,
        pictures: of_pictures,
        over: Overruns {
            bytes: pages.iter().filter(|page| page.bytes.margin < 0).count(),
            time: pages.iter().filter(|page| page.time.margin < 0.0).count(),
        },
        heavier: heavier.into_iter().map(|one| heavier_body(one, &pages)).collect(),
        month: pages
            .iter()
            .any(|page| page.month.is_some())
            .then(|| pages.iter().filter_map(|page| page.month).sum()),
        by_slot: shares.slots.into_iter().map(slot_share).collect(),
        by_format: shares.formats.into_iter().map(format_share).collect(),
        budgets: app.store.site().await?.page_budgets,
        usual_time: USUAL_TIME,
        gains,
        pages,
    }))
}

fn sort(pages: &mut [PageMarginBody], order: PageOrder) {
    match order {
        PageOrder::Time => pages.sort_by(|a, b| a.time.margin.total_cmp(&b.time.margin)),
        PageOrder::Bytes => pages.sort_by_key(|page| page.bytes.margin),
        PageOrder::Saving => pages.sort_by_key(|page| Reverse(page.saving.saved)),
        PageOrder::Month => {
            pages.sort_by_key(|page| Reverse(page.month.map(|month| month.saved())))
        }
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

fn heavier_body(
    HeavierPage { page, before, now }: HeavierPage,
    pages: &[PageMarginBody],
) -> HeavierBody {
    let named = pages.iter().find(|one| one.id == page);
    let page_name = named.map_or_else(String::new, |page| page.name.clone());
    HeavierBody { page, page_name, before, now: now.into() }
}

fn slot_share(Share { of: (slot, name), files, saving }: Share<(Uuid, String)>) -> SlotShare {
    SlotShare { slot, name, files, saving }
}

fn format_share(Share { of: format, files, saving }: Share<Option<String>>) -> FormatShare {
    FormatShare { format, files, saving }
}

/// The margins of all pages as a table. Cells that a spreadsheet would take for formulas begin with an apostrophe.
#[utoipa::path(get, path = "/margins/pages.csv", params(ViewAskedFor), responses(
    (status = 200, content_type = "text/csv", body = String),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn margins_as_csv(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Response, Problem> {
    let Json(MarginsBody { view, pages, .. }) = margins(State(app), Query(asked)).await?;
    let mut table = Table::new([
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
        "views_a_month",
    ])?;
    let width = view.width.unwrap_or(0);
    let ms = |ms: f64| format!("{ms:.0}");
    for PageMarginBody { name, address, today, possible, bytes, time, month, .. } in &pages {
        table.add([
            harmless(name),
            harmless(address),
            view.connection.value.clone(),
            width.to_string(),
            today.weight.total.get().to_string(),
            possible.weight.total.get().to_string(),
            today.weight.picture.get().to_string(),
            possible.weight.picture.get().to_string(),
            today.weight.lazy.get().to_string(),
            bytes.budget.get().to_string(),
            bytes.margin.to_string(),
            ms(today.times.lcp.get()),
            ms(possible.times.lcp.get()),
            ms(time.budget.get()),
            ms(time.margin),
            month.map_or_else(String::new, |month| month.views.to_string()),
        ])?;
    }
    table.answer("margins.csv")
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
    let (at, _) = view(&app, &asked).await?;
    let SiteMargins { mut pages, gains, .. } = margins::of_site(&app.store, at).await?;
    // A reader who was not there begins with the heaviest.
    pages.sort_by_key(|(_, margins)| Reverse(margins.today.weight.total));
    let mut told = Vec::new();
    for Gain { picture, picture_name, slot, saving, .. } in gains {
        let thumbnail = thumbnail(&app, picture).await?;
        told.push(ReportedGain { picture: picture_name, slot: slot.name, saving, thumbnail });
    }
    let pages = pages.into_iter().map(|(page, margins)| ReportedPage {
        name: page.name,
        address: page.address,
        margins,
    });
    let report = Report {
        site: app.store.site().await?.name,
        day: Local::now().format("%-d %B %Y").to_string(),
        connection: at.connection,
        width: at.width,
        pages: pages.collect(),
        gains: told,
    };
    // Its own styles stand in it; it can do nothing else.
    let policy =
        "default-src 'none'; img-src data:; style-src 'unsafe-inline'; sandbox allow-modals";
    Ok(([(header::CONTENT_SECURITY_POLICY, policy)], Html(report.html())))
}

/// A picture small, as an address that holds it; nothing where it cannot be drawn.
async fn thumbnail(app: &App, picture: Uuid) -> Result<Option<String>, Problem> {
    let Some(picture) = app.store.picture(picture).await? else { return Ok(None) };
    let drawn = previews::preview(&app.maker, &picture, PreviewSize::Thumbnail).await.ok();
    Ok(drawn.map(|bytes| format!("data:image/webp;base64,{}", STANDARD.encode(bytes))))
}

/// What all pages weighed over time at a layout width.
#[derive(Serialize, ToSchema)]
pub(super) struct HistoryBody {
    view: ViewBody,
    #[serde(flatten)]
    history: SiteHistory,
}

/// What all pages weighed over time, and what was done to the site meanwhile.
#[utoipa::path(get, path = "/margins/history", params(ViewAskedFor), responses(
    (status = 200, body = HistoryBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn site_history(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Json<HistoryBody>, Problem> {
    let (at, view) = view(&app, &asked).await?;
    let history = history::of_site(&app.store, at.width).await?;
    Ok(Json(HistoryBody { view, history }))
}

/// How a page comes.
#[derive(Serialize, ToSchema)]
pub(super) struct PageComingBody {
    view: ViewBody,
    /// The page and its margins.
    page: PageMarginBody,
    /// What was said of its budgets; what is left out is the usual.
    budgets: PageBudgets,
    /// What it transfers, in the order in which it is found.
    today: Vec<RequestBody>,
    /// About what it could.
    possible: Vec<RequestBody>,
    /// What it weighed at this width, the newest first; the first is what it weighs now.
    history: Vec<PastWeightBody>,
}

/// What a page weighed.
#[derive(Serialize, ToSchema)]
pub(super) struct PastWeightBody {
    weight: PageWeight,
    /// The requests that brought more than before, those that grew most first.
    grown: Vec<Growth>,
    /// Since when.
    measured_at: DateTime<Utc>,
}

impl From<PastWeight> for PastWeightBody {
    fn from(PastWeight { weight, grown, measured_at }: PastWeight) -> Self {
        Self { weight, grown, measured_at }
    }
}

/// A request and its times.
#[derive(Serialize, ToSchema)]
pub(super) struct RequestBody {
    #[serde(flatten)]
    request: Request,
    /// Nothing for what is lazy.
    timing: Option<Timing>,
}

fn requests(PageLoad { requests, loaded }: PageLoad) -> Vec<RequestBody> {
    let requests = requests.0.into_iter().zip(loaded.timings);
    requests.map(|(request, timing)| RequestBody { request, timing }).collect()
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
    let (at, view) = view(&app, &asked).await?;
    let coming = margins::of_page(&app.store, page, at).await?;
    let coming = coming.ok_or_else(|| Problem::not_found("page whose weight is known"))?;
    Ok(Json(PageComingBody {
        view,
        page: PageMarginBody::of(coming.page, coming.margins, coming.views),
        budgets: coming.budgets,
        today: requests(coming.today),
        possible: requests(coming.possible),
        history: coming.history.into_iter().map(PastWeightBody::from).collect(),
    }))
}

/// What a page may weigh and take.
#[derive(Clone, Copy, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct BudgetsWish {
    /// The most bytes before anybody scrolls; nothing for those of its slots and what else it transfers.
    bytes: Option<Bytes>,
    /// The most milliseconds until its largest paint; nothing for 2,500.
    time: Option<f64>,
}

impl BudgetsWish {
    /// The budgets, where they are possible.
    pub(super) fn budgets(self) -> Result<PageBudgets, Problem> {
        if self.bytes.is_some_and(|bytes| bytes > Bytes::mb(1_000)) {
            return Err(Problem::invalid("a page may have up to 1,000,000,000 bytes"));
        }
        let time = self.time.map(Millis::new).transpose().map_err(Problem::invalid)?;
        if time.is_some_and(|time| time > Millis::whole(600_000)) {
            return Err(Problem::invalid("a page may take up to 600,000 ms"));
        }
        Ok(PageBudgets { bytes: self.bytes, time })
    }
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
    match app.store.say_page_budgets(page, wish.budgets()?).await? {
        true => Ok(StatusCode::NO_CONTENT),
        false => Err(Problem::not_found("page")),
    }
}

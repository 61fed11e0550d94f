//! Margins: pages by what they leave under their budgets in bytes and in time.

pub(super) mod har;
pub(super) mod overruns;
pub(super) mod page;
pub(super) mod reports;
pub(super) mod views;

use std::cmp::Reverse;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::load::growth::Growth;
use brisk_margin_core::load::margin::{
    PageBudgets, PageFigures, PageMargins, TimeMargin, USUAL_TIME,
};
use brisk_margin_core::load::traffic::Month;
use brisk_margin_core::load::{Connection, PageWeight};
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_store::layouts::Page;
use brisk_margin_store::page_loads::{HeavierPage, PastWeight};
use brisk_margin_work::margins::history::{self, SiteHistory};
use brisk_margin_work::margins::overruns::usual_width;
use brisk_margin_work::margins::shares::Share;
use brisk_margin_work::margins::{self, Gain, SiteMargins, View};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::Query;
use crate::state::App;

/// From where pages are looked at.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct ViewAskedFor {
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
pub(crate) enum PageOrder {
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
pub(crate) struct ConnectionBody {
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
pub(crate) struct ViewBody {
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
pub(crate) struct MarginsBody {
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
pub(crate) struct HeavierBody {
    page: Uuid,
    page_name: String,
    /// What it weighed before anybody scrolled.
    before: Bytes,
    #[serde(flatten)]
    now: PastWeightBody,
}

/// What a page weighed.
#[derive(Serialize, ToSchema)]
pub(crate) struct PastWeightBody {
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

/// What the pictures in a slot weigh.
#[derive(Serialize, ToSchema)]
pub(crate) struct SlotShare {
    slot: Uuid,
    name: String,
    /// How many files, each once a page.
    files: usize,
    saving: Saving,
    /// Of the weight of all today, in percent.
    percent: f64,
}

/// What the pictures of a format weigh.
#[derive(Serialize, ToSchema)]
pub(crate) struct FormatShare {
    /// By content; nothing where a file could not be read.
    format: Option<String>,
    /// How many files, each once a page.
    files: usize,
    saving: Saving,
    /// Of the weight of all today, in percent.
    percent: f64,
}

/// How many pages are over a budget.
#[derive(Serialize, ToSchema)]
pub(crate) struct Overruns {
    bytes: usize,
    time: usize,
}

/// A page and its margins.
#[derive(Serialize, ToSchema)]
pub(crate) struct PageMarginBody {
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
pub(crate) struct GainBody {
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
        _ => usual_width(&widths),
    };
    let view = View { width: width.unwrap_or(0), connection };
    let connections = connections_beside(connection);
    let connection = connection.into();
    Ok((view, ViewBody { connection, connections, width, widths }))
}

/// Those to choose from, the one that is chosen among them.
fn connections_beside(chosen: Connection) -> Vec<ConnectionBody> {
    let own = (!Connection::ALL.contains(&chosen)).then_some(chosen);
    Connection::ALL.into_iter().chain(own).map(ConnectionBody::from).collect()
}

/// The pages of the site with their margins, and where most can be gained.
#[utoipa::path(get, path = "/margins", params(ViewAskedFor), responses(
    (status = 200, body = MarginsBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn margins(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Json<MarginsBody>, Problem> {
    let (at, view) = view(&app, &asked).await?;
    let found = margins::of_site(&app.store, at).await?;
    let SiteMargins { pages, unknown, gains, heavier, shares, views, budgets } = found;
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
        budgets,
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

fn slot_share(
    Share { of: (slot, name), files, saving, percent }: Share<(Uuid, String)>,
) -> SlotShare {
    SlotShare { slot, name, files, saving, percent }
}

fn format_share(
    Share { of: format, files, saving, percent }: Share<Option<String>>,
) -> FormatShare {
    FormatShare { format, files, saving, percent }
}

/// What all pages weighed over time at a layout width.
#[derive(Serialize, ToSchema)]
pub(crate) struct HistoryBody {
    view: ViewBody,
    #[serde(flatten)]
    history: SiteHistory,
}

/// What all pages weighed over time, and what was done to the site meanwhile.
#[utoipa::path(get, path = "/margins/history", params(ViewAskedFor), responses(
    (status = 200, body = HistoryBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn site_history(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Json<HistoryBody>, Problem> {
    let (at, view) = view(&app, &asked).await?;
    let history = history::of_site(&app.store, at.width).await?;
    Ok(Json(HistoryBody { view, history }))
}

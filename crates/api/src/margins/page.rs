//! A page: how it comes today and as it could, and what it may weigh and take.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::load::margin::{PageBudgets, PageLoad};
use brisk_margin_core::load::{Request, Timing};
use brisk_margin_core::seen::Seen;
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_work::margins::overruns;
use brisk_margin_work::{margins, publications};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::{PageMarginBody, PastWeightBody, ViewAskedFor, ViewBody, view};
use crate::Problem;
use crate::extract::{self, Path, Query};
use crate::state::App;

/// How a page comes.
#[derive(Serialize, ToSchema)]
pub(crate) struct PageComingBody {
    view: ViewBody,
    /// The page and its margins.
    page: PageMarginBody,
    /// What was said of its budgets; what is left out is the usual.
    budgets: PageBudgets,
    /// What it transfers, in the order in which it is found.
    today: Vec<RequestBody>,
    /// About what it could.
    possible: Vec<RequestBody>,
    /// The latest publication that changes it, where there is one: it has pictures of it before and after.
    publication: Option<PagePublication>,
    /// What it weighed at this width, the newest first; the first is what it weighs now.
    history: Vec<PastWeightBody>,
}

/// A publication that changes a page.
#[derive(Serialize, ToSchema)]
pub(crate) struct PagePublication {
    id: Uuid,
    /// The page's path in it.
    page: String,
}

/// A request and its times.
#[derive(Serialize, ToSchema)]
pub(crate) struct RequestBody {
    #[serde(flatten)]
    request: Request,
    /// Nothing for what is lazy.
    timing: Option<Timing>,
}

/// The requests of a load, each with its times.
pub(crate) fn requests(PageLoad { requests, loaded }: PageLoad) -> Vec<RequestBody> {
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
pub(crate) async fn page_margins(
    State(app): State<App>,
    Path(page): Path<Uuid>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Json<PageComingBody>, Problem> {
    let (at, view) = view(&app, &asked).await?;
    let coming = margins::of_page(&app.store, page, at).await?;
    let coming = coming.ok_or_else(|| Problem::not_found("page whose weight is known"))?;
    let publication = publications::latest_of(&app.store, &coming.page.address).await?;
    Ok(Json(PageComingBody {
        publication: publication.map(|(id, page)| PagePublication { id, page }),
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
pub(crate) struct BudgetsWish {
    /// The most bytes before anybody scrolls; nothing for those of its slots and what else it transfers.
    bytes: Option<Bytes>,
    /// The most milliseconds until its largest paint; nothing for 2,500.
    time: Option<f64>,
}

impl BudgetsWish {
    /// The budgets, where they are possible.
    pub(crate) fn budgets(self) -> Result<PageBudgets, Problem> {
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

/// What a page is to be allowed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaidBudgets {
    /// The most bytes before anybody scrolls; nothing for those of its slots and what else it transfers.
    bytes: Option<Bytes>,
    /// The most milliseconds until its largest paint; nothing for 2,500.
    time: Option<f64>,
    /// What was said when whoever saves looked: what somebody else said since is not overwritten.
    #[serde(default)]
    #[schema(value_type = Option<PageBudgets>)]
    seen: Seen<PageBudgets>,
}

/// Says what a page may weigh and take.
#[utoipa::path(put, path = "/margins/{page}/budgets", request_body = SaidBudgets, responses(
    (status = 204),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("page" = Uuid, Path, description = "The page's id")))]
pub(crate) async fn say_budgets(
    State(app): State<App>,
    Path(page): Path<Uuid>,
    extract::Json(said): extract::Json<SaidBudgets>,
) -> Result<StatusCode, Problem> {
    let SaidBudgets { bytes, time, seen } = said;
    let budgets = BudgetsWish { bytes, time }.budgets()?;
    if !app.store.say_page_budgets(page, budgets, &seen).await? {
        return Err(Problem::not_found("page"));
    }
    overruns::note(&app.store).await?;
    Ok(StatusCode::NO_CONTENT)
}

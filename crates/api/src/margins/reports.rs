//! The margins as others get them: a table, and a page to print.

use std::cmp::Reverse;

use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{Html, IntoResponse, Response};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::load::report::{Report, ReportedGain, ReportedPage};
use brisk_margin_work::making::previews::{self, PreviewSize};
use brisk_margin_work::margins::{self, Gain, SiteMargins, history};
use chrono::Local;
use uuid::Uuid;

use super::{MarginsBody, PageMarginBody, ViewAskedFor, view};
use crate::Problem;
use crate::extract::Query;
use crate::spreadsheet::Table;
use crate::state::App;
use brisk_margin_spreadsheet::harmless;

/// The margins of all pages as a table. Cells that a spreadsheet would take for formulas begin with an apostrophe.
#[utoipa::path(get, path = "/margins/pages.csv", params(ViewAskedFor), responses(
    (status = 200, content_type = "text/csv", body = String),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn margins_as_csv(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<Response, Problem> {
    let Json(MarginsBody { view, pages, .. }) = super::margins(State(app), Query(asked)).await?;
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
pub(crate) async fn report(
    State(app): State<App>,
    Query(asked): Query<ViewAskedFor>,
) -> Result<impl IntoResponse, Problem> {
    let (at, _) = view(&app, &asked).await?;
    let SiteMargins { mut pages, gains, .. } = margins::of_site(&app.store, at).await?;
    let history = history::of_site(&app.store, at.width).await?;
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
        history: history.points,
        marks: history.marks,
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

//! How often pages are looked at: typed, or from a table.

use std::collections::HashMap;

use axum::Json;
use axum::body::Bytes;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::load::traffic::MOST_VIEWS;
use brisk_margin_store::layouts::Page;
use serde::{Deserialize, Serialize};
use url::Url;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::Problem;
use crate::extract::{self, Path};
use crate::state::App;
use brisk_margin_spreadsheet::{ReadRow, ReadTable};

const COLUMNS: [&str; 2] = ["page", "views"];
/// The most rows of nobody's that are told.
const MOST_TOLD: usize = 500;

/// How often a page is looked at.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ViewsWish {
    /// In a month, up to 10,000,000,000; nothing where nobody knows.
    per_month: Option<u64>,
}

/// Says how often a page is looked at.
#[utoipa::path(put, path = "/margins/{page}/views", request_body = ViewsWish, responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("page" = Uuid, Path, description = "The page's id")))]
pub(crate) async fn say_views(
    State(app): State<App>,
    Path(page): Path<Uuid>,
    extract::Json(wish): extract::Json<ViewsWish>,
) -> Result<StatusCode, Problem> {
    let is_there = match wish.per_month {
        Some(views) if views > MOST_VIEWS => {
            return Err(Problem::invalid("a page may have up to 10,000,000,000 views a month"));
        }
        Some(views) => app.store.say_page_views(&[(page, views)]).await? > 0,
        None => app.store.forget_page_views(page).await?,
    };
    if is_there { Ok(StatusCode::NO_CONTENT) } else { Err(Problem::not_found("page")) }
}

/// What a table said.
#[derive(Serialize, ToSchema)]
pub(crate) struct ViewsReadBody {
    /// Pages whose views were said.
    pages: u64,
    /// Rows of which there is no page, or several, by line, up to 500.
    unmatched: Vec<String>,
    /// Columns that are passed over.
    passed_over: Vec<String>,
}

/// Reads page views a month from a CSV table with the columns `page` (an address or its path) and `views`. Several rows of
/// a page are added up; pages that are not in it stay as they were.
#[utoipa::path(post, path = "/margins/views.csv",
    request_body(content = String, content_type = "text/csv"), responses(
    (status = 200, body = ViewsReadBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn read_views(
    State(app): State<App>,
    body: Bytes,
) -> Result<Json<ViewsReadBody>, Problem> {
    let read = tokio::task::spawn_blocking(move || ReadTable::read(&body, &COLUMNS, &["page"]));
    let table = read.await.map_err(|_| Problem::invalid("the table cannot be read"))?;
    let ReadTable { rows, passed_over } = table.map_err(Problem::invalid)?;
    let pages = app.store.pages().await?;
    let known = Known::of(&pages);
    let mut said: HashMap<Uuid, u64> = HashMap::new();
    let mut unmatched = Vec::new();
    for row in &rows {
        let views = views(row)?;
        let page = row.cells.get("page").map_or("", |cell| cell.trim());
        match known.page(page) {
            Some(page) => {
                let sum = said.entry(page).or_default();
                *sum = sum.saturating_add(views).min(MOST_VIEWS);
            }
            None if unmatched.len() < MOST_TOLD => {
                unmatched.push(format!("line {}: {page}", row.line));
            }
            None => {}
        }
    }
    let said: Vec<(Uuid, u64)> = said.into_iter().collect();
    let pages = app.store.say_page_views(&said).await?;
    Ok(Json(ViewsReadBody { pages, unmatched, passed_over }))
}

/// The views of a row, whose thousands may be divided.
fn views(row: &ReadRow) -> Result<u64, Problem> {
    let cell = row.cells.get("views").map_or("", String::as_str);
    let digits: String = cell
        .chars()
        .filter(|c| !matches!(c, ',' | '.' | '’' | '\'') && !c.is_whitespace())
        .collect();
    match digits.parse() {
        Ok(views) if views <= MOST_VIEWS => Ok(views),
        _ => {
            let detail = format!(
                "line {}: “{cell}” is no number of page views, 0 to 10,000,000,000; nothing was changed",
                row.line
            );
            Err(Problem::invalid(detail))
        }
    }
}

/// Pages by what tables call them.
struct Known {
    by_address: HashMap<String, Uuid>,
    /// Nothing where several have the path.
    by_path: HashMap<String, Option<Uuid>>,
}

impl Known {
    fn of(pages: &[Page]) -> Self {
        let mut known = Self { by_address: HashMap::new(), by_path: HashMap::new() };
        for page in pages {
            known.by_address.insert(page.address.clone(), page.id);
            let path = known.by_path.entry(path_of(&page.address));
            path.and_modify(|one| *one = None).or_insert(Some(page.id));
        }
        known
    }

    fn page(&self, called: &str) -> Option<Uuid> {
        let by_path = || *self.by_path.get(&path_of(called))?;
        self.by_address.get(called).copied().or_else(by_path)
    }
}

/// The path of an address or of what is one already, without a query; a folder is its first page.
fn path_of(address: &str) -> String {
    let path = match Url::parse(address) {
        Ok(url) => url.path().to_owned(),
        Err(_) => address.split(['?', '#']).next().unwrap_or_default().to_owned(),
    };
    let path = path.trim_start_matches('/');
    path.strip_suffix("index.html").unwrap_or(path).to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_are_known_by_their_addresses_and_their_paths() {
        for called in ["https://tarn.example/walks/", "/walks/index.html", "walks/", "/walks/?a=1"]
        {
            assert_eq!(path_of(called), "walks/", "{called}");
        }
        assert_eq!(path_of("https://tarn.example/"), path_of("/"));
        assert_eq!(path_of("folder:/visit.html"), "visit.html");
    }

    #[test]
    fn views_may_have_their_thousands_divided() {
        let row = |views: &str| ReadRow { line: 3, cells: [("views", views.to_owned())].into() };
        for written in ["12000", "12,000", "12 000", "12’000", " 12.000 "] {
            assert_eq!(views(&row(written)).ok(), Some(12_000), "{written}");
        }
        for written in ["", "many", "-4", "99999999999"] {
            assert!(views(&row(written)).is_err(), "{written}");
        }
    }
}

//! Descriptions as a CSV table: written out, and read in again with a preview of what changes.

use std::collections::HashMap;

use axum::Json;
use axum::body::Bytes;
use axum::extract::State;
use axum::response::Response;
use brisk_margin_store::pictures::{ChangeSet, ListPage, Picture, Sort};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::changes::{ChangeBody, count, make};
use super::describing::Fields;
use super::which::FilterQuery;
use crate::Problem;
use crate::extract::Query;
use crate::spreadsheet::Table;
use crate::state::App;
use brisk_margin_spreadsheet::{ReadRow, ReadTable, as_written, harmless};

/// What pictures are found by.
const KEYS: [&str; 2] = ["name", "hash"];
const COLUMNS: [&str; 10] = [
    "name",
    "hash",
    "folder",
    "title",
    "alt",
    "decorative",
    "caption",
    "creator",
    "licence",
    "source",
];

/// The descriptions of all pictures that meet the filter, as CSV. Cells that a spreadsheet would
/// take for formulas begin with an apostrophe.
#[utoipa::path(get, path = "/descriptions.csv", params(FilterQuery), responses(
    (status = 200, content_type = "text/csv", body = String),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn descriptions_as_csv(
    State(app): State<App>,
    Query(filter): Query<FilterQuery>,
) -> Result<Response, Problem> {
    let filter = filter.filter()?;
    let sort = if filter.collection.is_some() { Sort::Collection } else { Sort::Name };
    let mut page = ListPage { filter, sort, limit: 1_000, ..ListPage::default() };
    let mut table = Table::new(COLUMNS)?;
    loop {
        let (pictures, next) = app.store.pictures(&page).await?;
        for picture in &pictures {
            table.add(cells(picture))?;
        }
        page.after = next;
        if page.after.is_none() {
            break;
        }
    }
    table.answer("descriptions.csv")
}

fn cells(picture: &Picture) -> [String; 10] {
    let said = &picture.description;
    [
        harmless(&picture.name),
        picture.hash.as_str().to_owned(),
        harmless(&picture.folder),
        harmless(&said.title),
        harmless(&said.alt),
        if said.decorative { "yes".to_owned() } else { String::new() },
        harmless(&said.caption),
        harmless(&said.creator),
        harmless(&said.licence),
        harmless(&said.source),
    ]
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct Reading {
    /// Whether the changes are made; else they are only told.
    #[serde(default)]
    apply: bool,
}

/// What a table would change, or did.
#[derive(Serialize, ToSchema)]
pub(crate) struct TableBody {
    /// Cells that differ from what is said now, up to 500.
    changes: Vec<CellChange>,
    /// How many cells differ in all.
    cells: usize,
    /// How many pictures change.
    pictures: usize,
    /// Rows of which there is no picture, by line, up to 500.
    unmatched: Vec<String>,
    /// Columns that are passed over.
    passed_over: Vec<String>,
    /// The change; nothing where it was only asked, or where nothing changed.
    change: Option<ChangeBody>,
}

/// A cell that differs from what is said now.
#[derive(Serialize, ToSchema)]
pub(crate) struct CellChange {
    /// The picture's number.
    id: Uuid,
    /// Its name.
    name: String,
    /// The field.
    field: String,
    /// What is said now.
    before: String,
    /// What the table says.
    after: String,
}

/// Reads descriptions from a CSV table, matched by `hash` or else by `name`. Columns that are not
/// there stay as they are; cells that are empty empty their field.
#[utoipa::path(post, path = "/descriptions.csv", params(Reading),
    request_body(content = String, content_type = "text/csv"), responses(
    (status = 200, body = TableBody),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn read_descriptions(
    State(app): State<App>,
    Query(reading): Query<Reading>,
    body: Bytes,
) -> Result<Json<TableBody>, Problem> {
    let read = tokio::task::spawn_blocking(move || ReadTable::read(&body, &COLUMNS, &KEYS)).await;
    let table = read.map_err(|_| Problem::invalid("the table cannot be read"))?;
    let table = table.map_err(Problem::invalid)?;
    let found = Found::by(&table.rows, &app).await?;
    let mut answer = TableBody {
        changes: Vec::new(),
        cells: 0,
        pictures: 0,
        unmatched: Vec::new(),
        passed_over: table.passed_over.clone(),
        change: None,
    };
    let mut edits = ChangeSet::default();
    for row in &table.rows {
        let Some(picture) = found.of(row) else {
            answer.unmatched.push(format!("line {}: {}", row.line, called(row)));
            continue;
        };
        let fields = fields(row).map_err(|reason| in_line(row, &reason))?;
        let before = cells(picture);
        let said = row.cells.iter().filter(|(column, _)| !matches!(**column, "name" | "hash"));
        let differing = said.filter_map(|(column, cell)| {
            let place = COLUMNS.iter().position(|known| known == column)?;
            let before = as_written(&before[place]);
            let same = match *column {
                "decorative" => is_yes(cell) == Some(!before.is_empty()),
                _ => before == cell.trim(),
            };
            (!same).then(|| CellChange {
                id: picture.id,
                name: picture.name.clone(),
                field: (*column).to_owned(),
                before,
                after: cell.trim().to_owned(),
            })
        });
        let differing: Vec<CellChange> = differing.collect();
        if differing.is_empty() {
            continue;
        }
        answer.pictures += 1;
        answer.cells += differing.len();
        let room = 500usize.saturating_sub(answer.changes.len());
        answer.changes.extend(differing.into_iter().take(room));
        edits.pictures.insert(picture.id, fields.edit().map_err(|reason| in_line(row, &reason))?);
    }
    answer.unmatched.truncate(500);
    if reading.apply {
        let summary = format!("described {} from a table", count(edits.pictures.len()));
        answer.change = make(&app, &summary, &edits).await?;
    }
    Ok(Json(answer))
}

fn in_line(row: &ReadRow, reason: &str) -> Problem {
    Problem::invalid(format!("line {}: {reason}; nothing was changed", row.line))
}

fn is_yes(cell: &str) -> Option<bool> {
    match cell.trim().to_lowercase().as_str() {
        "yes" | "true" | "1" | "x" => Some(true),
        "" | "no" | "false" | "0" => Some(false),
        _ => None,
    }
}

/// Pictures by what rows call them.
struct Found {
    by_hash: HashMap<String, Picture>,
    /// Nothing where several have the name.
    by_name: HashMap<String, Option<Picture>>,
}

impl Found {
    fn of(&self, row: &ReadRow) -> Option<&Picture> {
        let by_hash = row.cells.get("hash").and_then(|hash| self.by_hash.get(hash.trim()));
        let by_name = || self.by_name.get(row.cells.get("name")?)?.as_ref();
        by_hash.or_else(by_name)
    }
}

impl Found {
    async fn by(rows: &[ReadRow], app: &App) -> Result<Self, Problem> {
        let all = |column| rows.iter().filter_map(move |row| row.cells.get(column).cloned());
        let pictures =
            app.store.pictures_called(all("hash").collect(), all("name").collect()).await?;
        let mut found = Self { by_hash: HashMap::new(), by_name: HashMap::new() };
        for picture in pictures {
            let one = found.by_name.entry(picture.name.clone());
            one.and_modify(|one| *one = None).or_insert_with(|| Some(picture.clone()));
            found.by_hash.insert(picture.hash.as_str().to_owned(), picture);
        }
        Ok(found)
    }
}

/// What a row calls its picture.
fn called(row: &ReadRow) -> &str {
    let name = row.cells.get("name").filter(|name| !name.is_empty());
    name.or_else(|| row.cells.get("hash")).map_or("", String::as_str)
}

fn fields(row: &ReadRow) -> Result<Fields, String> {
    let cell = |column| row.cells.get(column).cloned();
    let decorative =
        match row.cells.get("decorative") {
            Some(cell) => Some(is_yes(cell).ok_or_else(|| {
                format!("“{cell}” in the column decorative is neither yes nor no")
            })?),
            None => None,
        };
    Ok(Fields {
        name: None,
        folder: cell("folder"),
        title: cell("title"),
        alt: cell("alt"),
        decorative,
        caption: cell("caption"),
        creator: cell("creator"),
        licence: cell("licence"),
        source: cell("source"),
        // Who may fetch files is no word about the picture.
        is_public: None,
    })
}

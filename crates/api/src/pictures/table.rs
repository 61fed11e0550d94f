//! Descriptions as a CSV table: written out, and read in again with a preview of what changes.

use std::collections::{BTreeMap, HashMap};

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
use super::which::{FilterQuery, MOST_AT_ONCE};
use crate::Problem;
use crate::extract::Query;
use crate::spreadsheet::{Table, as_written, harmless};
use crate::state::App;

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
    let read = tokio::task::spawn_blocking(move || ReadTable::read(&body)).await;
    let table = read.map_err(|_| Problem::invalid("the table cannot be read"))?;
    let table = table.map_err(Problem::invalid)?;
    let found = table.find(&app).await?;
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
            answer.unmatched.push(format!("line {}: {}", row.line, row.called()));
            continue;
        };
        let fields = row.fields().map_err(|reason| in_line(row, &reason))?;
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

fn in_line(row: &Row, reason: &str) -> Problem {
    Problem::invalid(format!("line {}: {reason}; nothing was changed", row.line))
}

fn is_yes(cell: &str) -> Option<bool> {
    match cell.trim().to_lowercase().as_str() {
        "yes" | "true" | "1" | "x" => Some(true),
        "" | "no" | "false" | "0" => Some(false),
        _ => None,
    }
}

/// A table as it was read.
struct ReadTable {
    rows: Vec<Row>,
    passed_over: Vec<String>,
}

struct Row {
    line: u64,
    cells: BTreeMap<&'static str, String>,
}

/// Pictures by what rows call them.
struct Found {
    by_hash: HashMap<String, Picture>,
    /// Nothing where several have the name.
    by_name: HashMap<String, Option<Picture>>,
}

impl Found {
    fn of(&self, row: &Row) -> Option<&Picture> {
        let by_hash = row.cells.get("hash").and_then(|hash| self.by_hash.get(hash.trim()));
        let by_name = || self.by_name.get(row.cells.get("name")?)?.as_ref();
        by_hash.or_else(by_name)
    }
}

impl ReadTable {
    fn read(body: &[u8]) -> Result<Self, String> {
        let text = std::str::from_utf8(body).map_err(|_| {
            "the table is not UTF-8 text; save it as “CSV UTF-8” and bring it again".to_owned()
        })?;
        let text = text.trim_start_matches('\u{FEFF}');
        let head = text.lines().next().unwrap_or_default();
        let delimiter = [b',', b';', b'\t']
            .into_iter()
            .max_by_key(|&byte| head.bytes().filter(|&found| found == byte).count());
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(delimiter.unwrap_or(b','))
            .from_reader(text.as_bytes());
        let head = reader.headers().map_err(|error| error.to_string())?.clone();
        let known = |name: &str| {
            let name = name.trim().to_lowercase();
            COLUMNS.into_iter().find(|column| *column == name)
        };
        if !head.iter().any(|name| matches!(known(name), Some("name" | "hash"))) {
            return Err(format!(
                "the table has no column called name or hash, by which pictures are found; its \
                 columns can be {}",
                COLUMNS.join(", ")
            ));
        }
        let passed_over =
            head.iter().filter(|name| known(name).is_none()).map(str::to_owned).collect();
        let mut rows = Vec::new();
        for record in reader.records() {
            let record = record.map_err(|error| error.to_string())?;
            if rows.len() as u64 >= MOST_AT_ONCE {
                return Err(format!(
                    "the table has more than {MOST_AT_ONCE} rows; bring it in parts"
                ));
            }
            let line = record.position().map_or(0, csv::Position::line);
            let cells = head.iter().zip(&record);
            let cells = cells.filter_map(|(name, cell)| Some((known(name)?, as_written(cell))));
            rows.push(Row { line, cells: cells.collect() });
        }
        Ok(Self { rows, passed_over })
    }

    async fn find(&self, app: &App) -> Result<Found, Problem> {
        let all = |column| self.rows.iter().filter_map(move |row| row.cells.get(column).cloned());
        let pictures =
            app.store.pictures_called(all("hash").collect(), all("name").collect()).await?;
        let mut found = Found { by_hash: HashMap::new(), by_name: HashMap::new() };
        for picture in pictures {
            let one = found.by_name.entry(picture.name.clone());
            one.and_modify(|one| *one = None).or_insert_with(|| Some(picture.clone()));
            found.by_hash.insert(picture.hash.as_str().to_owned(), picture);
        }
        Ok(found)
    }
}

impl Row {
    fn called(&self) -> &str {
        let name = self.cells.get("name").filter(|name| !name.is_empty());
        name.or_else(|| self.cells.get("hash")).map_or("", String::as_str)
    }

    fn fields(&self) -> Result<Fields, String> {
        let cell = |column| self.cells.get(column).cloned();
        let decorative = match self.cells.get("decorative") {
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
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_of_spreadsheets_are_read_whatever_divides_their_cells() {
        let table = ReadTable::read(
            "\u{FEFF}Name;alt;Mood\ndome.jpg;\"The dome; at dusk\";calm\n".as_bytes(),
        );
        let table = table.unwrap();
        assert_eq!(table.passed_over, ["Mood"]);
        assert_eq!(table.rows[0].cells["alt"], "The dome; at dusk");
        assert_eq!(table.rows[0].line, 2);
    }

    #[test]
    fn what_cannot_be_read_is_told_with_what_to_do() {
        let latin = ReadTable::read(b"name,alt\nk\xFCche.jpg,x\n").err().unwrap();
        assert!(latin.contains("UTF-8"), "{latin}");
        let columns = ReadTable::read(b"file,text\na,b\n").err().unwrap();
        assert!(columns.contains("name or hash") && columns.contains("alt"), "{columns}");
    }

    #[test]
    fn a_formula_goes_out_harmless_and_comes_back_as_it_was() {
        for text in ["=SUM(A1)", "+1", "-1", "@home", "plain", "'quoted"] {
            assert_eq!(as_written(&harmless(text)), text);
        }
        assert_eq!(harmless("=HYPERLINK(\"x\")"), "'=HYPERLINK(\"x\")");
    }
}

//! Tables for spreadsheets: CSV that no spreadsheet takes for formulas.

use axum::http::header;
use axum::response::{IntoResponse, Response};

use crate::Problem;

/// What a spreadsheet takes a cell for a formula by.
const FORMULA: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// `text` as a cell that is no formula: an apostrophe stands before what could be one.
pub(crate) fn harmless(text: &str) -> String {
    if is_formula(text) { format!("'{text}") } else { text.to_owned() }
}

/// What `harmless` made a cell of.
pub(crate) fn as_written(cell: &str) -> String {
    cell.strip_prefix('\'').filter(|rest| is_formula(rest)).unwrap_or(cell).to_owned()
}

/// Apostrophes of its own count, so that each text comes back as it was.
fn is_formula(text: &str) -> bool {
    text.trim_start_matches('\'').starts_with(FORMULA)
}

/// A table that grows row by row.
pub(crate) struct Table(csv::Writer<Vec<u8>>);

impl Table {
    /// A table with these columns.
    pub(crate) fn new<const N: usize>(columns: [&str; N]) -> Result<Self, Problem> {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(columns).map_err(Problem::invalid)?;
        Ok(Self(writer))
    }

    /// Adds a row; words of people are to be [`harmless`].
    pub(crate) fn add<const N: usize>(&mut self, cells: [String; N]) -> Result<(), Problem> {
        self.0.write_record(cells).map_err(Problem::invalid)
    }

    /// As an answer that is saved as `name`.
    pub(crate) fn answer(self, name: &str) -> Result<Response, Problem> {
        let text = self.0.into_inner().map_err(Problem::invalid)?;
        let headers = [
            (header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()),
            (header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")),
        ];
        Ok((headers, text).into_response())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_cell_is_a_formula_and_each_comes_back_as_it_was() {
        for text in ["=1+1", "-4 °C", "@dome", "'=1", "dome", "'s", ""] {
            let cell = harmless(text);
            assert!(!cell.starts_with(FORMULA), "{cell}");
            assert_eq!(as_written(&cell), text);
        }
    }
}

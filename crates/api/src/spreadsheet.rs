//! Tables that are answered as CSV.

use axum::http::header;
use axum::response::{IntoResponse, Response};

use crate::Problem;

/// A table that grows row by row.
pub(crate) struct Table(csv::Writer<Vec<u8>>);

impl Table {
    /// A table with these columns.
    pub(crate) fn new<const N: usize>(columns: [&str; N]) -> Result<Self, Problem> {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(columns).map_err(Problem::invalid)?;
        Ok(Self(writer))
    }

    /// Adds a row; words of people are to be [`harmless`](brisk_margin_spreadsheet::harmless).
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

//! Tables of spreadsheets: cells that no spreadsheet takes for formulas, and CSV as they write it.

mod cells;
mod reading;

pub use cells::{as_written, harmless};
pub use reading::{MOST_ROWS, ReadRow, ReadTable};

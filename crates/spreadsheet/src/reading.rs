//! Reading CSV as spreadsheets write it.

use std::collections::BTreeMap;

use crate::as_written;

/// The most rows of a table that is read.
pub const MOST_ROWS: usize = 20_000;

/// A table as it was read.
pub struct ReadTable {
    /// Its rows but for the first, which names the columns.
    pub rows: Vec<ReadRow>,
    /// Columns that nobody knows.
    pub passed_over: Vec<String>,
}

/// A row, whose cells have the names of their columns.
pub struct ReadRow {
    /// Its line in the file, from 1.
    pub line: u64,
    /// What stands in it.
    pub cells: BTreeMap<&'static str, String>,
}

impl ReadTable {
    /// Reads a table that has some of `columns`, one of `keys` among them, divided by comma, semicolon or tab.
    ///
    /// # Errors
    /// What is wrong with it, in words.
    pub fn read(
        body: &[u8],
        columns: &'static [&'static str],
        keys: &[&str],
    ) -> Result<Self, String> {
        let text = std::str::from_utf8(body).map_err(|_| {
            "the table is not UTF-8 text; save it as “CSV UTF-8” and bring it again".to_owned()
        })?;
        let text = text.trim_start_matches('\u{FEFF}');
        let mut reader =
            csv::ReaderBuilder::new().delimiter(delimiter(text)).from_reader(text.as_bytes());
        let head = reader.headers().map_err(|error| error.to_string())?.clone();
        let known = |name: &str| {
            let name = name.trim().to_lowercase();
            columns.iter().copied().find(|column| *column == name)
        };
        if !head.iter().filter_map(known).any(|name| keys.contains(&name)) {
            return Err(format!(
                "the table has no column called {}, by which its rows are found; its columns can be {}",
                keys.join(" or "),
                columns.join(", ")
            ));
        }
        let passed_over =
            head.iter().filter(|name| known(name).is_none()).map(str::to_owned).collect();
        let mut rows = Vec::new();
        for record in reader.records() {
            let record = record.map_err(|error| error.to_string())?;
            if rows.len() >= MOST_ROWS {
                return Err(format!("the table has more than {MOST_ROWS} rows; bring it in parts"));
            }
            let line = record.position().map_or(0, csv::Position::line);
            let cells = head.iter().zip(&record);
            let cells = cells.filter_map(|(name, cell)| Some((known(name)?, as_written(cell))));
            rows.push(ReadRow { line, cells: cells.collect() });
        }
        Ok(Self { rows, passed_over })
    }
}

/// What divides the cells of `text`: what its first line has most of.
fn delimiter(text: &str) -> u8 {
    let head = text.lines().next().unwrap_or_default();
    let count = |&byte: &u8| head.bytes().filter(|&found| found == byte).count();
    [b'\t', b';', b','].into_iter().max_by_key(count).unwrap_or(b',')
}

#[cfg(test)]
mod tests {
    use super::*;

    const COLUMNS: [&str; 3] = ["name", "hash", "alt"];

    fn read(body: &[u8]) -> Result<ReadTable, String> {
        ReadTable::read(body, &COLUMNS, &["name", "hash"])
    }

    #[test]
    fn tables_of_spreadsheets_are_read_whatever_divides_their_cells() {
        let semicolons = "\u{FEFF}Name;alt;Mood\ndome.jpg;\"The dome; at dusk\";calm\n";
        let table = read(semicolons.as_bytes()).unwrap();
        assert_eq!(table.passed_over, ["Mood"]);
        assert_eq!(table.rows[0].cells["alt"], "The dome; at dusk");
        assert_eq!(table.rows[0].line, 2);
        assert_eq!(read(b"name\ndome.jpg\n").unwrap().rows[0].cells["name"], "dome.jpg");
    }

    #[test]
    fn what_cannot_be_read_is_told_with_what_to_do() {
        let latin = read(b"name,alt\nk\xFCche.jpg,x\n").err().unwrap();
        assert!(latin.contains("UTF-8"), "{latin}");
        let columns = read(b"file,text\na,b\n").err().unwrap();
        assert!(columns.contains("name or hash") && columns.contains("alt"), "{columns}");
    }
}

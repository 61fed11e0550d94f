//! Cells that no spreadsheet takes for formulas.

/// What a spreadsheet takes a cell for a formula by, also in the width of East Asian letters.
const FORMULA: [char; 10] = ['=', '+', '-', '@', '\t', '\r', '＝', '＋', '－', '＠'];

/// What a spreadsheet of another country divides cells by, where this table has commas.
const DIVIDERS: [char; 4] = [';', '\t', '\n', '\r'];

/// `text` as a cell that is no formula: an apostrophe stands before what could be one, also where
/// another divider of cells would begin one.
pub fn harmless(text: &str) -> String {
    by_part(text, |part, cell| {
        if is_formula(part) {
            cell.push('\'');
        }
        cell.push_str(part);
    })
}

/// What `harmless` made a cell of.
pub fn as_written(cell: &str) -> String {
    by_part(cell, |part, text| {
        text.push_str(part.strip_prefix('\'').filter(|rest| is_formula(rest)).unwrap_or(part));
    })
}

/// `text` as `each` writes its parts, each with the divider that ends it.
fn by_part(text: &str, each: impl Fn(&str, &mut String)) -> String {
    let mut written = String::with_capacity(text.len());
    text.split_inclusive(DIVIDERS).for_each(|part| each(part, &mut written));
    written
}

/// Apostrophes of its own count, so that each text comes back as it was; quotation marks and blanks do
/// not, since a spreadsheet takes them off first.
fn is_formula(text: &str) -> bool {
    text.trim_start_matches(['\'', '"', ' ']).starts_with(FORMULA)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_cell_is_a_formula_and_each_comes_back_as_it_was() {
        for text in [
            "=1+1",
            "-4 °C",
            "@dome",
            "'=1",
            "dome",
            "'s",
            "",
            "a;=1+1",
            "a; =1",
            "a;\"=1\"",
            "a;'=1;+2",
            "two\nlines\n-3",
            "\t=1",
            "＝1",
            "a;b",
        ] {
            let cell = harmless(text);
            for part in cell.split(DIVIDERS).filter(|part| !part.is_empty()) {
                let bare = part.trim_start_matches(['"', ' ']);
                assert!(!bare.starts_with(FORMULA), "{cell}");
            }
            assert_eq!(as_written(&cell), text);
        }
    }
}

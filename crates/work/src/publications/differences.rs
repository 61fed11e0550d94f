//! Differences: what a page or a style sheet says otherwise, line by line.

use std::time::Duration;

use serde::Serialize;
use similar::{ChangeTag, TextDiff};
use utoipa::ToSchema;

/// Lines before and after a difference that are shown with it.
const AROUND: usize = 2;
/// After so long what is left counts as different: pages have millions of letters.
const PATIENCE: Duration = Duration::from_secs(2);
/// A line longer than so many bytes is broken where tags and rules end: sites are packed tight.
const LONG: usize = 200;

/// Some lines of a text that differ, with those around them.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Difference {
    /// The number of the first line as the text was.
    pub from: usize,
    /// The lines.
    pub lines: Vec<DifferentLine>,
}

/// A line, as it was or as it would be.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct DifferentLine {
    /// Whether it is there, added or gone.
    pub kind: LineKind,
    /// Its text in parts, every other one of which differs: the first does not.
    pub parts: Vec<String>,
}

/// What becomes of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum LineKind {
    /// It stays.
    Same,
    /// It is gone.
    Gone,
    /// It is added.
    Added,
}

/// Where `after` differs from `before`. Letters that are none are shown as such.
pub fn differences(before: &[u8], after: &[u8]) -> Vec<Difference> {
    let (before, after) = (broken(before), broken(after));
    let (before, after) = (lines(&before), lines(&after));
    let diff = TextDiff::configure().timeout(PATIENCE).diff_slices(&before, &after);
    let groups = diff.grouped_ops(AROUND);
    let groups = groups.iter().filter_map(|group| {
        let from = group.first()?.old_range().start + 1;
        let changes = group.iter().flat_map(|op| diff.iter_inline_changes(op));
        let lines = changes.map(|change| {
            let kind = match change.tag() {
                ChangeTag::Equal => LineKind::Same,
                ChangeTag::Delete => LineKind::Gone,
                ChangeTag::Insert => LineKind::Added,
            };
            let mut parts = vec![String::new()];
            for (differs, text) in change.iter_strings_lossy() {
                if differs != parts.len().is_multiple_of(2) {
                    parts.push(String::new());
                }
                let part = parts.last_mut().expect("one at least");
                part.push_str(text.trim_end_matches(['\r', '\n']));
            }
            DifferentLine { kind, parts }
        });
        Some(Difference { from, lines: lines.collect() })
    });
    groups.collect()
}

fn lines(text: &str) -> Vec<&str> {
    text.split_inclusive('\n').collect()
}

/// A text whose long lines are broken.
fn broken(text: &[u8]) -> String {
    let text = String::from_utf8_lossy(text);
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        if line.len() <= LONG {
            out.push_str(line);
            continue;
        }
        for part in line.split_inclusive(['>', '}']) {
            out.push_str(part);
            if !part.ends_with('\n') {
                out.push('\n');
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_differs_is_told_with_the_lines_around_it() {
        let before = "<a>\n<b>\n<c>\n<img src=\"dome.jpg\" alt=\"Dome\">\n<d>\n<e>\n<f>\n";
        let after = before.replace("dome.jpg", "made/dome.jpg");
        let told = differences(before.as_bytes(), after.as_bytes());
        let [Difference { from: 2, lines }] = &told[..] else { panic!("{told:?}") };
        let kinds: Vec<LineKind> = lines.iter().map(|line| line.kind).collect();
        use LineKind::{Added, Gone, Same};
        assert_eq!(kinds, [Same, Same, Gone, Added, Same, Same]);
        let texts: Vec<String> = lines.iter().map(|line| line.parts.concat()).collect();
        assert_eq!(texts[3], "<img src=\"made/dome.jpg\" alt=\"Dome\">");
        assert!(lines[3].parts.len() > 1, "the part that differs is told: {:?}", lines[3]);
        assert!(lines[3].parts[1].contains("made"), "{:?}", lines[3]);
        assert!(differences(b"same", b"same").is_empty());
    }

    #[test]
    fn a_page_in_one_line_is_broken_where_tags_end() {
        let page = |picture: &str| {
            let many = "<p>The telescope is open on Fridays.</p>".repeat(20);
            format!("{many}<img src={picture}>{many}")
        };
        let told = differences(page("a.jpg").as_bytes(), page("b.jpg").as_bytes());
        assert_eq!(told.len(), 1);
        let changed = told[0].lines.iter().filter(|line| line.kind != LineKind::Same);
        assert_eq!(changed.count(), 2, "{told:?}");
    }
}

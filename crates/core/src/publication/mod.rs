//! Publications: what is written to a site, in which order, and how each of it goes back.
//!
//! - [`state`]: where one stands, and what may be done with it.
//! - [`report`]: what it changes, in figures.
//! - [`host`]: whether the web host serves what was written.
//! - [`package`]: the same to carry: files, markup and credits for sites that are published elsewhere.

pub mod host;
pub mod look;
pub mod package;
pub mod report;
pub mod state;

use serde::{Deserialize, Serialize};

/// What a file of the site is, in the order in which they are written: a page never names a file that
/// is not there yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum StepKind {
    /// A picture.
    File,
    /// A style sheet.
    Style,
    /// A page.
    Page,
}

/// A file of the site that a publication writes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// Its path from the root of the site, with slashes.
    pub path: String,
    /// What it is.
    pub kind: StepKind,
    /// The hash of what was there; nothing where there was no file.
    pub before: Option<String>,
    /// The hash of what is written.
    pub after: String,
}

/// What a publication writes, in order.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Publication {
    steps: Vec<Step>,
}

/// How a file of the site stands to a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StepState {
    /// As it was before.
    Before,
    /// As the step writes it.
    After,
    /// As somebody else wrote it since.
    Changed,
}

impl Publication {
    /// One of `steps`. What would be written as it is already is left out.
    pub fn new(mut steps: Vec<Step>) -> Self {
        steps.retain(|step| step.before.as_ref() != Some(&step.after));
        steps.sort_by(|a, b| (a.kind, &a.path).cmp(&(b.kind, &b.path)));
        Self { steps }
    }

    /// Its steps, in the order in which they are done.
    pub fn steps(&self) -> &[Step] {
        &self.steps
    }

    /// Its steps in the order in which they are taken back: what names a file goes before the file.
    pub fn back(&self) -> impl Iterator<Item = &Step> {
        self.steps.iter().rev()
    }
}

impl Step {
    /// How the file stands, whose hash is `now`, or which is not there.
    pub fn state(&self, now: Option<&str>) -> StepState {
        if now == Some(&self.after) {
            StepState::After
        } else if now == self.before.as_deref() {
            StepState::Before
        } else {
            StepState::Changed
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn step(path: &str, kind: StepKind, before: Option<&str>, after: &str) -> Step {
        let before = before.map(str::to_owned);
        Step { path: path.to_owned(), kind, before, after: after.to_owned() }
    }

    #[test]
    fn files_come_before_what_names_them_and_go_after_it() {
        let publication = Publication::new(vec![
            step("index.html", StepKind::Page, Some("1"), "2"),
            step("v/b.webp", StepKind::File, None, "3"),
            step("style.css", StepKind::Style, Some("4"), "5"),
            step("v/a.webp", StepKind::File, Some("6"), "6"),
        ]);
        let paths: Vec<&str> = publication.steps().iter().map(|s| s.path.as_str()).collect();
        assert_eq!(paths, ["v/b.webp", "style.css", "index.html"], "what is as it shall be stays");
        let back: Vec<&str> = publication.back().map(|s| s.path.as_str()).collect();
        assert_eq!(back, ["index.html", "style.css", "v/b.webp"]);
    }

    #[test]
    fn a_file_that_somebody_wrote_since_is_neither_before_nor_after() {
        let page = step("index.html", StepKind::Page, Some("1"), "2");
        assert_eq!(page.state(Some("1")), StepState::Before);
        assert_eq!(page.state(Some("2")), StepState::After);
        assert_eq!(page.state(Some("3")), StepState::Changed);
        assert_eq!(page.state(None), StepState::Changed);
        let new = step("v/a.webp", StepKind::File, None, "2");
        assert_eq!(new.state(None), StepState::Before);
    }
}

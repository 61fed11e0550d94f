//! How an issue is told to a client, wherever it stands.

use brisk_margin_core::issue::{Issue, Severity};
use serde::Serialize;
use utoipa::ToSchema;

/// Something worth mending.
#[derive(Serialize, ToSchema)]
pub(crate) struct IssueBody {
    /// What, where, and with which figures.
    #[serde(flatten)]
    issue: Issue,
    /// How serious it is.
    severity: Severity,
    /// Whether it should be mended, rather than only be known.
    to_mend: bool,
    /// The same in words, with its figures.
    words: String,
    /// How to mend it; nothing where there is nothing to do.
    mend: Option<&'static str>,
}

impl From<Issue> for IssueBody {
    fn from(issue: Issue) -> Self {
        let kind = issue.kind();
        let words = issue.to_string();
        Self {
            severity: kind.severity(),
            to_mend: kind.is_to_mend(),
            words,
            mend: kind.mend(),
            issue,
        }
    }
}

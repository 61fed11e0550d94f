//! Why an edit, or a list of them, is refused.

use thiserror::Error;

use super::limits::{MOST_EDITS, VERSION};
use super::text;

/// Why a list of edits was refused.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum EditError {
    /// It was written by a later version of the program.
    #[error(
        "this list of edits is of version {0}, and this program reads up to version {VERSION}: \
         update it; nothing was changed"
    )]
    Newer(u32),
    /// An edit that is not known, or lacks a value.
    #[error("an edit could not be read: {0}")]
    UnreadFormat(String),
    /// More than [`MOST_EDITS`].
    #[error("{0} edits are too many: a list holds at most {MOST_EDITS}")]
    TooMany(usize),
    /// An edit that has its place once.
    #[error("{0} stands twice in the list; change the one that is there")]
    Twice(&'static str),
    /// A value out of its range.
    #[error("{edit}: the {what} must lie between {from} and {to}, not {value}")]
    Range {
        /// Of which edit.
        edit: &'static str,
        /// Which value.
        what: &'static str,
        /// As given.
        value: f64,
        /// The least.
        from: f64,
        /// The most.
        to: f64,
    },
    /// A text that cannot be set.
    #[error(transparent)]
    Text(#[from] text::TextError),
}

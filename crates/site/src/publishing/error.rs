//! Why a publication is not made or taken back.

use std::io;
use std::path::PathBuf;

use thiserror::Error;

use super::folder::FolderError;

/// Why a publication is not made or taken back.
#[derive(Debug, Error)]
pub enum PublishError {
    /// Somebody wrote to the site meanwhile.
    #[error("changed since it was read: {}; nothing was written, begin again", .0.join(", "))]
    Changed(Vec<String>),
    /// Somebody wrote to the site after a part of it was written.
    #[error("changed by somebody else while it was written: {}; take it back, or have it go on once that is undone", .0.join(", "))]
    ChangedInBetween(Vec<String>),
    /// There is another one, which would be lost.
    #[error("{} holds a publication already; take that back first", .0.display())]
    Taken(PathBuf),
    /// Somebody else publishes.
    #[error("another publication to this site is under way ({}); wait until it has ended", .0.display())]
    Busy(PathBuf),
    /// There is none.
    #[error("{} holds no publication", .0.display())]
    Nothing(PathBuf),
    /// The journal cannot be read.
    #[error("{} cannot be read: {reason}", path.display())]
    Damaged {
        /// Its plan.
        path: PathBuf,
        /// Why not.
        reason: String,
    },
    /// A file of the site.
    #[error(transparent)]
    Folder(#[from] FolderError),
    /// The journal's own folder.
    #[error("the journal cannot be written: {0}")]
    Disk(#[from] io::Error),
}

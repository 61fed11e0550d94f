//! Why an archive is not taken.

use std::io;

use brisk_margin_core::units::Bytes;
use thiserror::Error;

/// Why an archive was not taken.
#[derive(Debug, Error)]
pub enum ArchiveError {
    /// Not a zip archive, or a damaged one.
    #[error("the archive cannot be read ({0}); pack it again as zip")]
    Unreadable(String),
    /// Whoever reads archives cannot be reached.
    #[error("the archive cannot be read now ({0}); try again")]
    NoReader(io::Error),
    /// A path that leads out of the folder.
    #[error(
        "the path “{0}” leads out of the archive's folder; nothing was taken, pack it with plain paths"
    )]
    Climbing(String),
    /// More files than [`Limits::files`](crate::Limits::files).
    #[error(
        "the archive has more than {0} files; leave out what is not needed, or bring it in parts"
    )]
    TooMany(usize),
    /// More bytes than [`Limits::bytes`](crate::Limits::bytes).
    #[error(
        "the archive unpacks to more than {0}; leave out what is not needed, or bring it in parts"
    )]
    TooLarge(Bytes),
    /// It holds no page.
    #[error("there is no .html file in it; pack the site's pages with their styles and pictures")]
    NoPages,
    /// The disk.
    #[error("the files could not be written to disk: {0}")]
    Disk(#[from] io::Error),
}

impl ArchiveError {
    pub(crate) fn unreadable(why: impl ToString) -> Self {
        Self::Unreadable(why.to_string())
    }
}

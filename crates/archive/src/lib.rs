//! Archives of files, and folders that files of others are written into.
//!
//! An archive is taken apart by an [`ArchiveReader`], in a process of its own where other people's
//! archives come; this side gets names and bytes in pieces, and writes them into a folder and never
//! out of it.

mod error;
mod folder;
mod packing;
mod pieces;
mod reader;
mod unpacking;

pub use error::ArchiveError;
pub use folder::{files_below, files_ending, pages};
pub use packing::{Packing, pack};
pub use pieces::send_pieces;
pub use reader::{ArchiveReader, RemoteReader};
pub use unpacking::{Limits, MOST_BYTES, MOST_FILES, Unpacking};

//! Where archives are read: in this process, or in one of their own.

use std::fs::File;
use std::io::{self, Read};
use std::sync::Arc;
use std::thread;

use brisk_margin_core::units::Bytes;

use crate::pieces::send_pieces;

/// Reads archives in another process.
pub trait RemoteReader: Send + Sync {
    /// The pieces of `archive`, as [`send_pieces`] writes them.
    ///
    /// # Errors
    /// Where it cannot be begun.
    fn pieces(&self, archive: File) -> io::Result<Box<dyn Read + Send>>;

    /// What the other process may hold at most while it reads one archive.
    fn memory(&self) -> Bytes;
}

/// The way to whoever reads archives. Clones lead the same way.
#[derive(Clone)]
pub struct ArchiveReader(Option<Arc<dyn RemoteReader>>);

impl ArchiveReader {
    /// Archives are read in this process: for those that we packed ourselves, and for tests.
    pub const fn in_process() -> Self {
        Self(None)
    }

    /// Archives are read by `remote`.
    pub fn remote(remote: Arc<dyn RemoteReader>) -> Self {
        Self(Some(remote))
    }

    /// What reading one archive may hold at most in another process.
    pub fn memory(&self) -> Bytes {
        self.0.as_ref().map_or(Bytes(0), |remote| remote.memory())
    }

    /// The pieces of `archive`.
    pub(crate) fn pieces(&self, archive: File) -> io::Result<Box<dyn Read + Send>> {
        match &self.0 {
            Some(remote) => remote.pieces(archive),
            None => {
                let (from, mut to) = io::pipe()?;
                // It ends with the archive, or where nobody takes its pieces any more.
                thread::spawn(move || send_pieces(archive, &mut to));
                Ok(Box::new(from))
            }
        }
    }
}

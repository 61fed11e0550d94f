//! What a blob store could not do.

use brisk_margin_core::units::Bytes;
use thiserror::Error;

use super::BlobHash;

/// What the blob store could not do.
#[derive(Debug, Error)]
pub enum BlobError {
    /// The folder cannot be used.
    #[error("the folder {folder} cannot be used: {source}")]
    Folder {
        /// Its path.
        folder: String,
        /// What the system said.
        source: std::io::Error,
    },
    /// The bytes are not there.
    #[error("the file {} is missing from the blob store; put it back from a backup", .0.as_str())]
    Missing(BlobHash),
    /// The bytes are others than those that were stored.
    #[error(
        "the file {} in the blob store is damaged; put it back from a backup, or upload the \
         original again",
        .0.as_str()
    )]
    Damaged(BlobHash),
    /// The store belongs to the blobs of another database.
    #[error(
        "the blob store belongs to another installation ({of}); give each its own folder or prefix, \
         or delete “installation” in it where the database of that one is gone for good"
    )]
    OfAnother {
        /// The number of that installation.
        of: String,
    },
    /// What is left of the disk is kept free.
    #[error(
        "the disk of the blob store has {free} left, of which {kept} are kept free: make room on it, then \
         try again"
    )]
    NoRoom {
        /// What is free.
        free: Bytes,
        /// What is kept free.
        kept: Bytes,
    },
    /// A read or write failed.
    #[error("the blob store failed: {0}")]
    Store(#[from] object_store::Error),
    /// A file beside the store, in which its bytes are read, could not be used.
    #[error("a file from the blob store cannot be read: {0}")]
    Reading(#[from] std::io::Error),
}

impl BlobError {
    /// Whether the bytes are not there, or are not what they were: no other time will find them.
    pub const fn is_lost(&self) -> bool {
        matches!(self, Self::Missing(_) | Self::Damaged(_))
    }

    /// Whether the store is at fault and not what was asked: later it may go well.
    pub const fn is_transient(&self) -> bool {
        !self.is_lost() && !matches!(self, Self::OfAnother { .. })
    }

    /// Whether the disk is full: it works again when there is room.
    pub fn is_out_of_room(&self) -> bool {
        if matches!(self, Self::NoRoom { .. }) {
            return true;
        }
        let mut cause: Option<&dyn std::error::Error> = Some(self);
        while let Some(error) = cause {
            if let Some(io) = error.downcast_ref::<std::io::Error>() {
                return matches!(
                    io.kind(),
                    std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded
                );
            }
            cause = error.source();
        }
        false
    }
}

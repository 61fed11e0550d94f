//! Uploads that can be resumed: bytes are added to a file in the spool, whose length says how far
//! the upload is, whatever stopped in between.

use std::collections::HashSet;
use std::fs::TryLockError;
use std::path::PathBuf;

use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Origin;
use brisk_margin_store::uploads::Upload;
use chrono::{TimeDelta, Utc};
use futures::{Stream, StreamExt};
use thiserror::Error;
use tokio::io::AsyncWriteExt;
use uuid::Uuid;

use crate::intake::{IncomingFile, Intake, IntakeError, IntakeOutcome, MAX_FILE};

/// The largest archive that is taken: 4 GB.
pub const MAX_ARCHIVE: Bytes = Bytes::mb(4_000);
/// An upload that nobody goes on with is forgotten after so many days.
const DAYS: i64 = 7;

/// Receives uploads that can be resumed.
#[derive(Clone)]
pub struct Uploads {
    intake: Intake,
}

/// How far an upload is.
pub enum Progress {
    /// So many bytes are safe.
    Partly(Bytes),
    /// All of them came, and this became of the file, or of the files in the archive.
    Done(Vec<IntakeOutcome>),
}

impl Uploads {
    /// Uploads whose files go to `intake`.
    pub const fn new(intake: Intake) -> Self {
        Self { intake }
    }

    async fn has_room(&self) -> Result<(), UploadError> {
        Ok(self.intake.store().blobs().has_room().await.map_err(IntakeError::Blob)?)
    }

    fn path(&self, id: Uuid) -> PathBuf {
        self.intake.folder().uploads().join(id.to_string())
    }

    /// Begins an upload.
    ///
    /// # Errors
    /// [`UploadError::Intake`] where so many bytes are never taken.
    pub async fn begin(&self, upload: &Upload) -> Result<(), UploadError> {
        let is_archive = upload.name.to_ascii_lowercase().ends_with(".zip");
        if upload.bytes > if is_archive { MAX_ARCHIVE } else { MAX_FILE } {
            return Err(IntakeError::TooLarge.into());
        }
        self.has_room().await?;
        // The row first: another process clears away files of which there is none.
        self.intake.store().expect_upload(upload).await.map_err(IntakeError::Store)?;
        self.open(upload.id).await?;
        Ok(())
    }

    /// The file of upload `id`, made where it is missing, for whoever is the only one to write it.
    async fn open(&self, id: Uuid) -> Result<tokio::fs::File, UploadError> {
        let path = self.path(id);
        let open = move || -> Result<std::fs::File, UploadError> {
            let file = std::fs::OpenOptions::new().append(true).create(true).open(path);
            let file = file.map_err(IntakeError::Disk)?;
            match file.try_lock() {
                Ok(()) => Ok(file),
                Err(TryLockError::WouldBlock) => Err(UploadError::Busy),
                Err(TryLockError::Error(error)) => Err(IntakeError::Disk(error).into()),
            }
        };
        let opened = tokio::task::spawn_blocking(open).await;
        let file = opened.map_err(std::io::Error::other).map_err(IntakeError::Disk)??;
        Ok(tokio::fs::File::from_std(file))
    }

    /// How many bytes of upload `id` are safe.
    ///
    /// # Errors
    /// [`UploadError::Unknown`] where there is no such upload.
    pub async fn offset(&self, id: Uuid) -> Result<Bytes, UploadError> {
        let file = tokio::fs::metadata(self.path(id)).await;
        file.map(|file| Bytes(file.len())).map_err(|_| UploadError::Unknown)
    }

    /// Adds `chunks` at `from`, and takes the file in once it is whole. What came before a sender
    /// stopped stays.
    ///
    /// # Errors
    /// [`UploadError::Offset`] where `from` is not where the upload stands.
    pub async fn append<E: std::fmt::Display>(
        &self,
        id: Uuid,
        from: Bytes,
        chunks: impl Stream<Item = Result<bytes::Bytes, E>>,
    ) -> Result<Progress, UploadError> {
        let upload = self.intake.store().upload(id).await.map_err(IntakeError::Store)?;
        let upload = upload.ok_or(UploadError::Unknown)?;
        self.has_room().await?;
        // Locked until the file was taken in.
        let mut file = self.open(id).await?;
        let stands = self.offset(id).await?;
        if stands != from {
            return Err(UploadError::Offset { from, stands });
        }
        let reached = Self::write(&upload, &mut file, stands, chunks).await?;
        if reached < upload.bytes {
            return Ok(Progress::Partly(reached));
        }
        let incoming = IncomingFile {
            name: upload.name.clone(),
            folder: upload.folder.clone(),
            origin: Origin::Upload,
            import_action: upload.import_action.clone(),
        };
        let mut outcomes = match self.intake.accept_all(&self.path(id), incoming).await {
            Ok(outcomes) => outcomes,
            // Where the file itself is fine, it can be tried again without sending it again.
            Err(error) if error.is_transient() => return Err(error.into()),
            Err(error) => {
                self.forget(id).await?;
                return Err(error.into());
            }
        };
        let passing =
            |outcome: &IntakeOutcome| matches!(&outcome.arrival, Err(e) if e.is_transient());
        if let Some(at) = outcomes.iter().position(passing)
            && let Err(error) = outcomes.swap_remove(at).arrival
        {
            return Err(error.into());
        }
        self.forget(id).await?;
        Ok(Progress::Done(outcomes))
    }

    async fn write<E: std::fmt::Display>(
        upload: &Upload,
        file: &mut tokio::fs::File,
        stands: Bytes,
        chunks: impl Stream<Item = Result<bytes::Bytes, E>>,
    ) -> Result<Bytes, UploadError> {
        let mut reached = stands.get();
        let mut chunks = std::pin::pin!(chunks);
        let mut broken = None;
        while let Some(chunk) = chunks.next().await {
            match chunk {
                Ok(chunk) => {
                    reached += chunk.len() as u64;
                    if reached > upload.bytes.get() {
                        return Err(UploadError::TooMany(upload.bytes));
                    }
                    file.write_all(&chunk).await.map_err(IntakeError::Disk)?;
                }
                Err(error) => {
                    broken = Some(error.to_string());
                    break;
                }
            }
        }
        file.flush().await.map_err(IntakeError::Disk)?;
        file.sync_data().await.map_err(IntakeError::Disk)?;
        match broken {
            Some(reason) => Err(UploadError::BrokenOff { reason, stands: Bytes(reached) }),
            None => Ok(Bytes(reached)),
        }
    }

    /// Cancels upload `id`; nothing is kept of it.
    ///
    /// # Errors
    /// Those of disk and database.
    pub async fn forget(&self, id: Uuid) -> Result<bool, UploadError> {
        let known = self.intake.store().forget_upload(id).await.map_err(IntakeError::Store)?;
        match tokio::fs::remove_file(self.path(id)).await {
            Ok(()) => Ok(true),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(known),
            Err(error) => Err(IntakeError::Disk(error).into()),
        }
    }

    /// Forgets uploads that nobody went on with, and returns the ids of the others.
    ///
    /// # Errors
    /// Those of disk and database.
    pub async fn keep_recent(&self) -> Result<HashSet<Uuid>, UploadError> {
        let mut known = HashSet::new();
        for upload in self.intake.store().uploads().await.map_err(IntakeError::Store)? {
            if Utc::now() - upload.made_at > TimeDelta::days(DAYS) {
                self.forget(upload.id).await?;
            } else {
                known.insert(upload.id);
            }
        }
        Ok(known)
    }
}

/// Why an upload does not go on.
#[derive(Debug, Error)]
pub enum UploadError {
    /// There is none of that number.
    #[error(
        "there is no such upload; it was finished, cancelled, or left for {DAYS} days: begin again"
    )]
    Unknown,
    /// Somebody else sends it at the same time.
    #[error("this upload is being sent by somebody else at this moment; ask where it stands")]
    Busy,
    /// The sender and the spool do not agree.
    #[error("the upload stands at {stands}, not at {from}; go on from there")]
    Offset {
        /// Where the sender wanted to go on.
        from: Bytes,
        /// Where it stands.
        stands: Bytes,
    },
    /// More bytes than were told.
    #[error("more bytes came than the {0} that were told; cancel this upload and begin again")]
    TooMany(Bytes),
    /// The sender stopped in the middle.
    #[error("the transfer broke off ({reason}); {stands} are safe, go on from there")]
    BrokenOff {
        /// What the connection said.
        reason: String,
        /// How many bytes are safe.
        stands: Bytes,
    },
    /// The file is not taken.
    #[error(transparent)]
    Intake(#[from] IntakeError),
}

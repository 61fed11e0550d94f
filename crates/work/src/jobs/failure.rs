//! Why a job did not end well.

use brisk_margin_archive::ArchiveError;
use brisk_margin_site::error::MeasureError;
use brisk_margin_store::{BlobError, StoreError};

use crate::making::MakeError;
use crate::making::sets::SetError;

/// Why a job did not end well.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum JobFailure {
    /// It failed.
    Failed {
        /// Why, in words.
        reason: String,
        /// Whether the machine was at fault: later it may go well.
        is_transient: bool,
    },
    /// Something only has to be waited for: it is tried again, however often that takes.
    Later {
        /// What, in words.
        reason: String,
    },
    /// Somebody cancelled it.
    Cancelled,
    /// Another process has it now.
    Lost,
}

impl JobFailure {
    /// A failure that no other attempt would change.
    pub fn last(reason: impl ToString) -> Self {
        Self::Failed { reason: reason.to_string(), is_transient: false }
    }

    fn no_room() -> Self {
        Self::Later {
            reason: "the disk is full; it goes on by itself when there is room".to_owned(),
        }
    }

    /// A failure of the machine.
    pub fn transient(reason: impl ToString) -> Self {
        Self::Failed { reason: reason.to_string(), is_transient: true }
    }
}

impl From<StoreError> for JobFailure {
    fn from(error: StoreError) -> Self {
        if error.is_out_of_room() {
            return Self::no_room();
        }
        let is_transient = error.is_transient();
        let reason = match error {
            // Its words tell of the inside.
            StoreError::Database(_) => {
                tracing::warn!(%error, "a job failed");
                "the database refused or did not answer; the server’s log says more".to_owned()
            }
            error => error.to_string(),
        };
        Self::Failed { reason, is_transient }
    }
}

impl From<BlobError> for JobFailure {
    fn from(error: BlobError) -> Self {
        if error.is_out_of_room() {
            return Self::no_room();
        }
        Self::Failed { reason: error.to_string(), is_transient: error.is_transient() }
    }
}

impl From<MakeError> for JobFailure {
    fn from(error: MakeError) -> Self {
        if error.is_out_of_room() {
            return Self::no_room();
        }
        match error {
            MakeError::Store(error) => error.into(),
            error => Self::Failed { is_transient: error.is_transient(), reason: error.to_string() },
        }
    }
}

impl From<SetError> for JobFailure {
    fn from(error: SetError) -> Self {
        match error {
            SetError::Make(error) => error.into(),
            SetError::Store(error) => error.into(),
            SetError::Plan(_) | SetError::Pattern(_) | SetError::Excluded => Self::last(error),
        }
    }
}

impl From<MeasureError> for JobFailure {
    fn from(error: MeasureError) -> Self {
        Self::Failed { reason: error.to_string(), is_transient: error.is_transient() }
    }
}

impl From<ArchiveError> for JobFailure {
    fn from(error: ArchiveError) -> Self {
        let is_transient = matches!(error, ArchiveError::Disk(_) | ArchiveError::NoReader(_));
        Self::Failed { reason: error.to_string(), is_transient }
    }
}

//! Where pictures and variants are kept: rows in PostgreSQL, bytes in a blob store.
//!
//! Bytes come first and rows after, so that a row never speaks of bytes that are not safe. What
//! is stored under a hash never changes.

pub mod blobs;
pub mod changes;
pub mod collections;
pub mod edit_presets;
mod entities;
pub mod file_names;
pub mod films;
pub mod folder_files;
pub mod icons;
pub mod installation;
pub mod jobs;
pub mod layouts;
mod migrations;
pub mod output_rules;
pub mod overruns;
pub mod page_loads;
pub mod pictures;
pub mod publications;
pub mod runs;
pub mod saved_filters;
mod saving;
pub mod site;
pub mod spoken_bytes;
pub mod tally;
mod transactions;
pub mod trials;
mod unused;
pub mod uploads;
pub mod variants;

use std::sync::Arc;

use brisk_margin_core::job::MOST_AWAITED;
use sea_orm::{
    ConnectionTrait, DatabaseConnection, DatabaseTransaction, DbErr, RuntimeErr, SqlErr,
    TransactionTrait,
};
use thiserror::Error;

pub use blobs::{BlobAddress, BlobError, BlobHash, BlobHasher, Blobs, Keep};
pub use installation::{Installation, Site, database_port, is_empty};
use transactions::begin_lasting;

/// The rows of a site and the blob store together. Clones share their connections.
#[derive(Clone)]
pub struct Store {
    db: DatabaseConnection,
    blobs: Blobs,
    schema: Arc<str>,
}

impl Store {
    /// The store of the site whose tables `db` finds, in `schema`.
    fn of_site(db: DatabaseConnection, blobs: Blobs, schema: &str) -> Self {
        Self { db, blobs, schema: schema.into() }
    }

    /// The schema of its site, by which jobs and changes name it.
    pub fn schema(&self) -> &str {
        &self.schema
    }

    /// The blob store.
    pub fn blobs(&self) -> &Blobs {
        &self.blobs
    }

    /// Has nobody delete bytes until the transaction ends: whoever stores some holds it until a row
    /// speaks of them.
    pub(crate) async fn holding_bytes(&self) -> Result<DatabaseTransaction, StoreError> {
        let transaction = self.db.begin().await?;
        transaction.execute_unprepared(&shared(BYTES)).await?;
        Ok(transaction)
    }

    /// The same, for bytes that are stored by somebody else; ends with the value.
    pub async fn hold_bytes(&self) -> Result<BytesHeld, StoreError> {
        BytesHeld::by(&self.db, BYTES).await
    }
}

/// The number of the lock on deleting bytes.
pub(crate) const BYTES: i64 = 0x6d61_7267_696e;

/// While it lives, nobody deletes bytes.
pub struct BytesHeld {
    _lock: DatabaseTransaction,
}

impl BytesHeld {
    /// Holds the lock `number`, beside others who hold it so.
    async fn by(db: &DatabaseConnection, number: i64) -> Result<Self, StoreError> {
        let lock = begin_lasting(db).await?;
        lock.execute_unprepared(&shared(number)).await?;
        Ok(Self { _lock: lock })
    }
}

/// The statement that takes the lock `number` until the transaction ends, beside others who hold it so.
fn shared(number: i64) -> String {
    format!("SELECT pg_advisory_xact_lock_shared({number})")
}

/// What the store could not do.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The database refused or did not answer.
    #[error("the database did not answer: {0}")]
    Database(DbErr),
    /// A value that no row can hold.
    #[error(
        "the request holds a text with characters that cannot be kept, a text that is too long, or \
         a number out of range; shorten it, or leave them out"
    )]
    Unusable,
    /// The blob store refused or did not answer.
    #[error(transparent)]
    Blob(#[from] BlobError),
    /// Somebody else saved it since.
    #[error(
        "somebody else saved this in the meantime, and nothing was overwritten: look at what they saved, \
         then save again to replace it"
    )]
    SavedMeanwhile,
    /// As many jobs wait as may.
    #[error(
        "{MOST_AWAITED} jobs wait already in this site; wait until some of them are done, or cancel them under Jobs"
    )]
    TooManyJobs,
    /// Another site has the address.
    #[error(
        "another site has this address already; open that one, or give this one another address"
    )]
    SameAddress,
    /// Something else of that kind has the name.
    #[error("something else is called “{0}” already; give it another name, or rename that first")]
    SameName(String),
    /// A row holds a value that this version does not know.
    #[error("a stored value is not understood: {0}")]
    Corrupt(String),
    /// The tables are from a later version.
    #[error("this data folder belongs to a newer version of Brisk Margin; start that one instead")]
    Newer,
}

impl From<DbErr> for StoreError {
    fn from(error: DbErr) -> Self {
        match sql_state(&error).as_deref() {
            // Data exceptions, and rows that are too large (PostgreSQL, appendix A).
            Some(state) if state.starts_with("22") || state.starts_with("54") => Self::Unusable,
            _ => Self::Database(error),
        }
    }
}

/// The code by which the database told what is wrong (SQLSTATE).
fn sql_state(error: &DbErr) -> Option<String> {
    let (DbErr::Exec(RuntimeErr::SqlxError(error))
    | DbErr::Query(RuntimeErr::SqlxError(error))
    | DbErr::Conn(RuntimeErr::SqlxError(error))) = error
    else {
        return None;
    };
    Some(error.as_database_error()?.code()?.into_owned())
}

impl StoreError {
    /// What it means that the database refused to write the row of a site.
    fn of_site(error: DbErr) -> Self {
        match error.sql_err() {
            Some(SqlErr::UniqueConstraintViolation(of)) if of.contains("sites_address") => {
                Self::SameAddress
            }
            _ => error.into(),
        }
    }

    /// What it means that the database refused to call something `name`.
    fn of_name(error: DbErr, name: &str) -> Self {
        match error.sql_err() {
            Some(SqlErr::UniqueConstraintViolation(_)) => Self::SameName(name.to_owned()),
            _ => error.into(),
        }
    }

    /// Whether the database cannot be reached now.
    pub const fn is_away(&self) -> bool {
        matches!(self, Self::Database(DbErr::Conn(_) | DbErr::ConnectionAcquire(_)))
    }

    /// Whether database or disk are at fault and not what was asked: later it may go well.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Database(_) | Self::TooManyJobs => true,
            Self::Blob(error) => error.is_transient(),
            Self::SavedMeanwhile
            | Self::Unusable
            | Self::SameAddress
            | Self::SameName(_)
            | Self::Corrupt(_)
            | Self::Newer => false,
        }
    }

    /// Whether a disk is full: it works again when there is room.
    pub fn is_out_of_room(&self) -> bool {
        match self {
            Self::Blob(error) => error.is_out_of_room(),
            // The database's own disk, in the words of the system.
            Self::Database(error) => error.to_string().contains("No space left on device"),
            _ => false,
        }
    }
}

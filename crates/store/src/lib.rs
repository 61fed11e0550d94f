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
pub mod folder_files;
pub mod jobs;
pub mod layouts;
mod migrations;
pub mod output_rules;
pub mod pictures;
pub mod saved_filters;
pub mod site;
pub mod tally;
pub mod trials;
pub mod uploads;
pub mod variants;

use std::path::Path;
use std::time::Duration;

use apalis_postgres::PostgresStorage;
use sea_orm::{
    ConnectOptions, ConnectionTrait, Database, DatabaseConnection, DatabaseTransaction, DbErr,
    TransactionTrait, sqlx,
};
use sea_orm_migration::MigratorTrait;
use thiserror::Error;

pub use blobs::{BlobError, BlobHash, BlobHasher, Blobs};

/// The database and the blob store together.
#[derive(Clone)]
pub struct Store {
    db: DatabaseConnection,
    blobs: Blobs,
}

impl Store {
    /// Connects to PostgreSQL at `url`, brings its tables up to date, and opens the blob store in
    /// `folder`, which is made where it is missing.
    ///
    /// # Errors
    /// [`StoreError::Newer`] where the tables were made by a later version of the program.
    pub async fn open(url: &str, folder: &Path) -> Result<Self, StoreError> {
        let mut options = ConnectOptions::new(url);
        options.max_connections(16).acquire_timeout(Duration::from_secs(10)).sqlx_logging(false);
        // Lists are short and asked for often: a plan made for its own values, not compiled.
        options.map_sqlx_postgres_opts(|options| {
            options.options([("jit", "off"), ("plan_cache_mode", "force_custom_plan")])
        });
        let db = Database::connect(options).await?;
        bring_up_to_date(&db).await?;
        Ok(Self { db, blobs: Blobs::open(folder)? })
    }

    /// The connections, for the queue.
    pub fn pool(&self) -> &sqlx::PgPool {
        self.db.get_postgres_connection_pool()
    }

    /// The blob store.
    pub fn blobs(&self) -> &Blobs {
        &self.blobs
    }

    /// Has nobody delete bytes until the transaction ends: whoever stores some holds it until a row
    /// speaks of them.
    pub(crate) async fn holding_bytes(&self) -> Result<DatabaseTransaction, StoreError> {
        let transaction = self.db.begin().await?;
        let lock = self.statement("SELECT pg_advisory_xact_lock_shared($1)", [BYTES.into()]);
        transaction.execute_raw(lock).await?;
        Ok(transaction)
    }

    /// The same, for bytes that are stored by somebody else; ends with the value.
    pub async fn hold_bytes(&self) -> Result<BytesHeld, StoreError> {
        Ok(BytesHeld { _lock: self.holding_bytes().await? })
    }

    /// Checks that database and blob store answer.
    pub async fn ping(&self) -> Result<(), StoreError> {
        self.db.ping().await?;
        Ok(self.blobs.ping().await?)
    }
}

/// Brings the tables up to date, the queue's first; of several processes, one does it and the
/// others wait. Each step is a transaction: one that was broken off is begun again.
async fn bring_up_to_date(db: &DatabaseConnection) -> Result<(), StoreError> {
    let turn = db.begin().await?;
    turn.execute_unprepared(&format!("SELECT pg_advisory_xact_lock({MIGRATING})")).await?;
    PostgresStorage::setup(db.get_postgres_connection_pool()).await.map_err(|error| {
        StoreError::Database(DbErr::Custom(format!("the queue's tables: {error}")))
    })?;
    migrations::Migrator::up(db, None).await.map_err(|error| match error {
        DbErr::Custom(text) if text.contains("missing") => StoreError::Newer,
        other => StoreError::Database(other),
    })?;
    Ok(turn.commit().await?)
}

/// The number of the lock on bringing tables up to date.
const MIGRATING: i64 = 0x6d69_6772_6174;

/// The number of the lock on deleting bytes.
pub(crate) const BYTES: i64 = 0x6d61_7267_696e;

/// While it lives, nobody deletes bytes.
pub struct BytesHeld {
    _lock: DatabaseTransaction,
}

/// What the store could not do.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The database refused or did not answer.
    #[error("the database did not answer: {0}")]
    Database(#[from] DbErr),
    /// The blob store refused or did not answer.
    #[error(transparent)]
    Blob(#[from] BlobError),
    /// Somebody else saved the picture since.
    #[error(
        "somebody else saved this picture in the meantime; nothing was overwritten: compare both, \
         then save over it, or save yours as a new picture"
    )]
    SavedMeanwhile,
    /// A row holds a value that this version does not know.
    #[error("a stored value is not understood: {0}")]
    Corrupt(String),
    /// The tables are from a later version.
    #[error("this data folder belongs to a newer version of Brisk Margin; start that one instead")]
    Newer,
}

impl StoreError {
    /// Whether database or disk are at fault and not what was asked: later it may go well.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Database(_) => true,
            Self::Blob(error) => error.is_transient(),
            Self::SavedMeanwhile | Self::Corrupt(_) | Self::Newer => false,
        }
    }
}

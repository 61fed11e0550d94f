//! Changes: what was committed, told to every process that listens, by triggers and
//! `LISTEN`/`NOTIFY`.

use std::collections::BTreeSet;

use sea_orm::sqlx::postgres::{PgListener, PgPoolOptions};
use sea_orm::sqlx::{self, Executor};
use sea_orm::{ConnectionTrait, DbErr, RuntimeErr};
use serde::Deserialize;
use uuid::Uuid;

use crate::{Installation, Store, StoreError};

const CHANNEL: &str = "brisk_margin";
/// Where the queue tells of a job that was delivered.
const DELIVERED: &str = "apalis::job::insert";
/// The class of the lock by which a process shows that it lives; the table of jobs looks for it.
const ALIVE: i32 = 1_112_363_088;

/// What kind of rows changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ChangeKind {
    /// Pictures; ids are theirs.
    Pictures,
    /// Files that were made; ids are those of pictures.
    Variants,
    /// Encodings that were tried; ids are those of pictures.
    Trials,
    /// Versions on the bench; ids are those of pictures.
    Steps,
    /// Jobs; ids are theirs.
    Jobs,
    /// Pages, slots, places, and size presets.
    Layouts,
    /// Output rules.
    Rules,
    /// The site's settings.
    Site,
    /// Collections and saved filters.
    Shelves,
    /// Edit presets.
    Presets,
    /// Pictures that look the same.
    Alike,
    /// Runs and their items; ids are those of runs.
    Runs,
    /// Publications; ids are theirs.
    Publications,
    /// Pages that went over a budget.
    Overruns,
    /// What is decided for the site's icons, and what was made of it.
    Icons,
    /// Files in the site's own folder.
    Folder,
    /// Which sites there are.
    Sites,
    /// The status of pictures is not true any more; nothing to look at yet.
    Stale,
}

impl ChangeKind {
    /// Its name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Pictures => "pictures",
            Self::Variants => "variants",
            Self::Trials => "trials",
            Self::Steps => "steps",
            Self::Jobs => "jobs",
            Self::Layouts => "layouts",
            Self::Rules => "rules",
            Self::Site => "site",
            Self::Shelves => "shelves",
            Self::Presets => "presets",
            Self::Alike => "alike",
            Self::Runs => "runs",
            Self::Publications => "publications",
            Self::Overruns => "overruns",
            Self::Icons => "icons",
            Self::Folder => "folder",
            Self::Sites => "sites",
            Self::Stale => "stale",
        }
    }
}

/// Rows that changed.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
pub struct RowsChanged {
    /// The schema of their site; empty for what all sites share.
    pub site: String,
    /// Which kind.
    pub kind: ChangeKind,
    /// Their ids; nothing where they are many, or where the kind has none.
    pub ids: Option<BTreeSet<Uuid>>,
}

/// Something that was told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Told {
    /// Rows changed.
    Changed(RowsChanged),
    /// A job was handed to the queue called so.
    Delivered(String),
    /// The connection was lost for a while: anything may have changed.
    MissedSome,
}

#[derive(Deserialize)]
struct Delivered {
    job_type: String,
}

/// A connection that listens, and by which this process shows that it lives.
pub struct Listener {
    connection: PgListener,
    number: i32,
}

impl Installation {
    /// Listens from now on, as the process with number `number`.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn listen(&self, number: i32) -> Result<Listener, StoreError> {
        // A connection of its own: one that went back among the others would keep its lock.
        let own = PgPoolOptions::new().max_connections(1).idle_timeout(None).max_lifetime(None);
        let own = own.connect_lazy_with(self.pool().connect_options().as_ref().clone());
        let connection = PgListener::connect_with(&own).await.map_err(database)?;
        let mut listener = Listener { connection, number };
        listener.show_life().await?;
        listener.connection.listen_all([CHANNEL, DELIVERED]).await.map_err(database)?;
        Ok(listener)
    }
}

impl Store {
    /// Tells everybody that something changed that is no row.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn tell(&self, kind: ChangeKind) -> Result<(), StoreError> {
        let told = serde_json::json!({"site": self.schema(), "kind": kind.name()}).to_string();
        let tell = self.statement("SELECT pg_notify($1, $2)", [CHANNEL.into(), told.into()]);
        self.db.execute_raw(tell).await?;
        Ok(())
    }
}

impl Listener {
    /// The next thing that is told.
    ///
    /// # Errors
    /// Where the database cannot be reached any more; asked again, it is tried again.
    pub async fn next(&mut self) -> Result<Told, StoreError> {
        loop {
            let Some(told) = self.connection.try_recv().await.map_err(database)? else {
                self.show_life().await?;
                return Ok(Told::MissedSome);
            };
            let told = match told.channel() {
                CHANNEL => serde_json::from_str(told.payload()).map(Told::Changed),
                _ => serde_json::from_str(told.payload())
                    .map(|Delivered { job_type }| Told::Delivered(job_type)),
            };
            // What a newer version tells is for newer versions.
            if let Ok(told) = told {
                return Ok(told);
            }
        }
    }

    /// Takes the lock by which others see that this process lives.
    async fn show_life(&mut self) -> Result<(), StoreError> {
        let lock = sqlx::query("SELECT pg_advisory_lock($1, $2)").bind(ALIVE).bind(self.number);
        self.connection.execute(lock).await.map_err(database)?;
        Ok(())
    }
}

fn database(error: sqlx::Error) -> StoreError {
    StoreError::Database(DbErr::Conn(RuntimeErr::SqlxError(error.into())))
}

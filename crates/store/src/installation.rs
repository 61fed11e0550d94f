//! An installation: sites in one database, each in a schema of its own, and blobs that they share.
//!
//! A connection of a site looks for tables in the site's schema, so that no query can reach another
//! site's rows. What all share (sites, jobs, bytes that nobody needs) stands in the schema `public`.

use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;

use apalis_postgres::PostgresStorage;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::naming;
use brisk_margin_core::site::SiteSettings;
use chrono::{DateTime, Utc};
use sea_orm::sqlx::postgres::PgConnectOptions;
use sea_orm::{
    ConnectOptions, ConnectionTrait, Database, DatabaseConnection, DatabaseTransaction, DbErr,
    FromQueryResult, RuntimeErr, Statement, TransactionTrait, Value, sqlx,
};
use sea_orm_migration::MigratorTrait;
use tokio::sync::Mutex;
use uuid::Uuid;

use crate::jobs::NewJob;
use crate::layouts::read;
use crate::migrations::{InstallationMigrator, SiteMigrator};
use crate::transactions::{REST_AT_MOST, begin_lasting};
use crate::{Blobs, Store, StoreError};

/// Connections of a site at most, and those for what all share.
const CONNECTIONS: u32 = 12;
/// A connection that nobody needs is given up after this time: many sites may sleep.
const IDLE: Duration = Duration::from_secs(60);
/// The number of the lock on bringing tables up to date.
const MIGRATING: i64 = 0x6d69_6772_6174;
/// What nobody may call a site, since other addresses begin so.
const RESERVED: [&str; 4] = ["api", "assets", "d", "sites"];

/// An installation. Clones share its connections.
#[derive(Clone)]
pub struct Installation {
    pub(crate) db: DatabaseConnection,
    pub(crate) blobs: Blobs,
    address: Arc<str>,
    open: Arc<Mutex<HashMap<Uuid, Store>>>,
}

/// A site of an installation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Site {
    /// Its id.
    pub id: Uuid,
    /// What its addresses begin with.
    pub slug: String,
    /// Where its tables are.
    pub schema: String,
    /// When it was added.
    pub created_at: DateTime<Utc>,
    /// When it was removed; it can be restored for a while.
    pub removed_at: Option<DateTime<Utc>>,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    slug: String,
    schema: String,
    created_at: DateTime<Utc>,
    removed_at: Option<DateTime<Utc>>,
}

impl From<Row> for Site {
    fn from(row: Row) -> Self {
        let Row { id, slug, schema, created_at, removed_at } = row;
        Self { id, slug, schema, created_at, removed_at }
    }
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

#[derive(FromQueryResult)]
struct Named {
    name: String,
}

impl Installation {
    /// Connects to PostgreSQL at `address` and brings all tables up to date. An installation of
    /// before there were several sites has one afterwards.
    ///
    /// # Errors
    /// [`StoreError::Newer`] where the tables were made by a later version of the program, and
    /// [`BlobError::OfAnother`](crate::BlobError::OfAnother) where `blobs` are not those of this
    /// database.
    pub async fn open(address: &str, blobs: Blobs) -> Result<Self, StoreError> {
        let db = connect(address, None).await?;
        let open = Arc::default();
        let installation = Self { db, blobs, address: address.into(), open };
        installation.bring_up_to_date().await?;
        Ok(installation)
    }

    /// Of several processes, one does it and the others wait. Each step is a transaction: one that
    /// was broken off is begun again.
    async fn bring_up_to_date(&self) -> Result<(), StoreError> {
        let turn = begin_lasting(&self.db).await?;
        turn.execute_unprepared(&format!("SELECT pg_advisory_xact_lock({MIGRATING})")).await?;
        PostgresStorage::setup(self.pool()).await.map_err(|error| {
            StoreError::Database(DbErr::Custom(format!("the queue's tables: {error}")))
        })?;
        InstallationMigrator::up(&self.db, None).await.map_err(newer)?;
        self.blobs.belongs_to(self.id().await?).await?;
        self.adopt().await?;
        for site in self.sites().await? {
            let db = connect(&self.address, Some(&site.schema)).await?;
            SiteMigrator::up(&db, None).await.map_err(newer)?;
            db.close().await?;
        }
        Ok(turn.commit().await?)
    }

    /// The number that tells this installation's blobs from those of others.
    async fn id(&self) -> Result<Uuid, StoreError> {
        let row = Id::find_by_statement(self.statement("SELECT id FROM installation", []));
        let row = row.one(&self.db).await?;
        row.map(|row| row.id).ok_or_else(|| StoreError::Corrupt("it has no number".to_owned()))
    }

    /// Makes the tables of before there were several sites those of the first one.
    async fn adopt(&self) -> Result<(), StoreError> {
        let of_before = "SELECT tablename::text AS name FROM pg_tables WHERE schemaname = 'public'
            AND tablename NOT IN ('sites', 'jobs', 'unused_bytes', 'installation',
             'installation_migrations')";
        let tables = Named::find_by_statement(self.statement(of_before, [])).all(&self.db).await?;
        if !tables.iter().any(|table| table.name == "pictures") {
            return Ok(());
        }
        // Those of extensions stay, and so do ours.
        let functions = "SELECT p.oid::regprocedure::text AS name FROM pg_proc p
            WHERE pronamespace = 'public'::regnamespace
            AND proname NOT IN ('push_job', 'deliver_job', 'is_worker_alive', 'is_in_hand',
                'living_processes', 'tell_changed',
                'tell_jobs', 'tell_sites')
            AND NOT EXISTS (SELECT FROM pg_depend WHERE objid = p.oid AND deptype = 'e')";
        let functions = Named::find_by_statement(self.statement(functions, []));
        let functions = functions.all(&self.db).await?;
        let transaction = self.db.begin().await?;
        let settings = Settings::find_by_statement(self.statement("SELECT settings FROM site", []));
        let name = settings.one(&transaction).await?.and_then(|row| row.name());
        let site = self.named(&name.unwrap_or_else(|| "Site".to_owned())).await?;
        // The step that knows of it notes its address.
        self.insert(&transaction, &site, None).await?;
        transaction.execute_unprepared(&format!("CREATE SCHEMA \"{}\"", site.schema)).await?;
        for table in &tables {
            let Site { schema, .. } = &site;
            let sql = format!("ALTER TABLE public.\"{}\" SET SCHEMA \"{schema}\"", table.name);
            transaction.execute_unprepared(&sql).await?;
        }
        for function in &functions {
            let Site { schema, .. } = &site;
            let sql = format!("ALTER FUNCTION {} SET SCHEMA \"{schema}\"", function.name);
            transaction.execute_unprepared(&sql).await?;
        }
        Ok(transaction.commit().await?)
    }

    /// The connections, for the queue.
    pub fn pool(&self) -> &sqlx::PgPool {
        self.db.get_postgres_connection_pool()
    }

    /// The blob store.
    pub const fn blobs(&self) -> &Blobs {
        &self.blobs
    }

    pub(crate) const fn db(&self) -> &DatabaseConnection {
        &self.db
    }

    pub(crate) fn statement(
        &self,
        sql: &str,
        values: impl IntoIterator<Item = Value>,
    ) -> Statement {
        Statement::from_sql_and_values(self.db.get_database_backend(), sql, values)
    }

    /// Checks that database and blob store answer.
    ///
    /// # Errors
    /// Where one of them does not.
    pub async fn ping(&self) -> Result<(), StoreError> {
        self.db.ping().await?;
        Ok(self.blobs.ping().await?)
    }

    /// Every site, removed ones among them, in the order in which they were added.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn sites(&self) -> Result<Vec<Site>, StoreError> {
        self.sites_where("true", []).await
    }

    /// The site whose addresses begin with `slug`, removed or not.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn site(&self, slug: &str) -> Result<Option<Site>, StoreError> {
        Ok(self.sites_where("slug = $1", [slug.into()]).await?.pop())
    }

    /// The site whose tables are in `schema`, removed or not.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn site_in(&self, schema: &str) -> Result<Option<Site>, StoreError> {
        Ok(self.sites_where("schema = $1", [schema.into()]).await?.pop())
    }

    async fn sites_where(
        &self,
        condition: &str,
        values: impl IntoIterator<Item = Value>,
    ) -> Result<Vec<Site>, StoreError> {
        let sql = format!(
            "SELECT id, slug, schema, created_at, removed_at FROM sites WHERE {condition}
             ORDER BY created_at, id"
        );
        let rows = Row::find_by_statement(self.statement(&sql, values)).all(&self.db).await?;
        Ok(rows.into_iter().map(Site::from).collect())
    }

    /// Adds a site called `name`. Its addresses begin with that name, or with it and a number.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn add_site(&self, name: &str) -> Result<Site, StoreError> {
        let name = name.trim().to_owned();
        self.add_site_with(SiteSettings { name, ..SiteSettings::default() }).await
    }

    /// Adds a site with these settings.
    ///
    /// # Errors
    /// [`StoreError::SameAddress`] where another site has its address; nothing is added then.
    pub async fn add_site_with(&self, settings: SiteSettings) -> Result<Site, StoreError> {
        let turn = begin_lasting(&self.db).await?;
        turn.execute_unprepared(&format!("SELECT pg_advisory_xact_lock({MIGRATING})")).await?;
        let site = self.named(&settings.name).await?;
        let address = settings.address.clone();
        // The row comes last: what is broken off before leaves tables that nobody looks at.
        self.db.execute_unprepared(&format!("CREATE SCHEMA \"{}\"", site.schema)).await?;
        let db = connect(&self.address, Some(&site.schema)).await?;
        SiteMigrator::up(&db, None).await?;
        let store = Store::of_site(db, self.blobs.clone(), &site.schema);
        store.change_site(|of_site| *of_site = settings).await?;
        if let Err(error) = self.insert(&turn, &site, address).await {
            drop(store);
            self.db.execute_unprepared(&format!("DROP SCHEMA \"{}\" CASCADE", site.schema)).await?;
            return Err(error);
        }
        turn.commit().await?;
        self.open.lock().await.insert(site.id, store);
        Ok(site)
    }

    /// A new site called `name`, with a slug that none has.
    async fn named(&self, name: &str) -> Result<Site, StoreError> {
        let taken: Vec<String> = self.sites().await?.into_iter().map(|site| site.slug).collect();
        let is_free =
            |slug: &str| !taken.iter().any(|one| one == slug) && !RESERVED.contains(&slug);
        let stem = naming::slug(name);
        let mut slugs = std::iter::once(stem.clone()).chain((2..).map(|n| format!("{stem}-{n}")));
        let slug = slugs.find(|slug| is_free(slug)).expect("numbers do not end");
        let id = Uuid::now_v7();
        let schema = format!("site_{}", id.simple());
        Ok(Site { id, slug, schema, created_at: Utc::now(), removed_at: None })
    }

    async fn insert(
        &self,
        turn: &DatabaseTransaction,
        site: &Site,
        address: Option<String>,
    ) -> Result<(), StoreError> {
        let Site { id, slug, schema, created_at, .. } = site.clone();
        let sql = "INSERT INTO sites (id, slug, schema, created_at, address)
            VALUES ($1, $2, $3, $4, $5)";
        let values = [id.into(), slug.into(), schema.into(), created_at.into(), address.into()];
        turn.execute_raw(self.statement(sql, values)).await.map_err(StoreError::of_site)?;
        Ok(())
    }

    /// The rows of `site`, and the blobs.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn store(&self, site: &Site) -> Result<Store, StoreError> {
        let mut open = self.open.lock().await;
        if let Some(store) = open.get(&site.id) {
            return Ok(store.clone());
        }
        let db = connect(&self.address, Some(&site.schema)).await?;
        let store = Store::of_site(db, self.blobs.clone(), &site.schema);
        open.insert(site.id, store.clone());
        Ok(store)
    }

    /// Copies size presets, edit presets and the site's own output rule. What `to` has under the same
    /// name stays as it is.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn copy_presets(&self, from: &Site, to: &Site) -> Result<(), StoreError> {
        let (from, to) = (&from.schema, &to.schema);
        let transaction = self.db.begin().await?;
        for sql in [
            format!(
                "INSERT INTO \"{to}\".size_sets (id, name, sizes)
                 SELECT gen_random_uuid(), name, sizes FROM \"{from}\".size_sets
                 ON CONFLICT DO NOTHING"
            ),
            format!(
                "INSERT INTO \"{to}\".edit_presets (id, name, edits)
                 SELECT gen_random_uuid(), name, edits FROM \"{from}\".edit_presets
                 ON CONFLICT DO NOTHING"
            ),
            format!(
                "INSERT INTO \"{to}\".output_rules (rule)
                 SELECT rule FROM \"{from}\".output_rules
                 WHERE slot_id IS NULL AND picture_id IS NULL ON CONFLICT DO NOTHING"
            ),
        ] {
            transaction.execute_unprepared(&sql).await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Removes `site`: nothing is done with it any more, and it can be restored until
    /// [`Self::forget_sites`].
    ///
    /// # Errors
    /// Those of the database.
    pub async fn remove_site(&self, site: &Site) -> Result<(), StoreError> {
        let sql = "WITH removed AS (
                UPDATE sites SET removed_at = now() WHERE id = $1 AND removed_at IS NULL
            )
            UPDATE jobs SET cancel_asked = true,
                ended_at = CASE WHEN state = 'running' THEN NULL ELSE now() END,
                state = CASE WHEN state = 'running' THEN state ELSE 'cancelled' END
            WHERE site = $2 AND state IN ('waiting', 'running')";
        let values = [site.id.into(), site.schema.clone().into()];
        self.db.execute_raw(self.statement(sql, values)).await?;
        Ok(())
    }

    /// Restores `site`; what is to be done with its pictures goes on.
    ///
    /// # Errors
    /// [`StoreError::SameAddress`] where another site has its address by now.
    pub async fn restore_site(&self, site: &Site) -> Result<(), StoreError> {
        let sql = "UPDATE sites SET removed_at = NULL WHERE id = $1";
        let restore = self.statement(sql, [site.id.into()]);
        self.db.execute_raw(restore).await.map_err(StoreError::of_site)?;
        self.store(site).await?.push_all_jobs().await?;
        // What became stale before was told to nobody.
        let status = NewJob::new(JobKind::Status, "", serde_json::json!({}));
        self.push_job(&site.schema, &status).await
    }

    /// Forgets sites that were removed before `then`, with all their rows; their bytes count as
    /// unused from now on. Returns how many.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn forget_sites(&self, then: DateTime<Utc>) -> Result<usize, StoreError> {
        let over = |site: &Site| site.removed_at.is_some_and(|at| at < then);
        let sites: Vec<Site> = self.sites().await?.into_iter().filter(over).collect();
        for site in &sites {
            let schema = &site.schema;
            let transaction = self.db.begin().await?;
            for sql in [
                format!(
                    "INSERT INTO unused_bytes (hash, since)
                     SELECT hash, now() FROM \"{schema}\".pictures
                     UNION SELECT hash, now() FROM \"{schema}\".variants
                     UNION SELECT s.hash, now() FROM \"{schema}\".places o,
                         jsonb_array_elements_text(o.served) AS s (hash)
                     ON CONFLICT DO NOTHING"
                ),
                format!("DROP SCHEMA \"{schema}\" CASCADE"),
                format!("DELETE FROM jobs WHERE site = '{schema}'"),
                format!("DELETE FROM sites WHERE id = '{}'", site.id),
            ] {
                transaction.execute_unprepared(&sql).await?;
            }
            transaction.commit().await?;
            self.open.lock().await.remove(&site.id);
        }
        Ok(sites.len())
    }
}

#[derive(FromQueryResult)]
struct Settings {
    settings: serde_json::Value,
}

impl Settings {
    fn name(self) -> Option<String> {
        let settings: SiteSettings = read(self.settings).ok()?;
        Some(settings.name).filter(|name| !name.trim().is_empty())
    }
}

/// The port of the database at `address`, also where that does not name it.
///
/// # Errors
/// Where it is no such address.
pub fn database_port(address: &str) -> Result<u16, StoreError> {
    let options: Result<PgConnectOptions, sqlx::Error> = address.parse();
    let unusable = |error: sqlx::Error| DbErr::Conn(RuntimeErr::SqlxError(error.into()));
    Ok(options.map_err(unusable)?.get_port())
}

/// Whether the database at `address` has no table yet.
///
/// # Errors
/// Where it does not answer.
pub async fn is_empty(address: &str) -> Result<bool, StoreError> {
    let db = connect(address, None).await?;
    let sql = "SELECT schemaname || '.' || tablename AS name FROM pg_tables
        WHERE schemaname NOT IN ('pg_catalog', 'information_schema') LIMIT 1";
    let table = Named::find_by_statement(Statement::from_string(db.get_database_backend(), sql));
    let is_empty = table.one(&db).await?.is_none();
    db.close().await?;
    Ok(is_empty)
}

/// Connections to the database at `address`, which look for tables in `schema` first.
async fn connect(address: &str, schema: Option<&str>) -> Result<DatabaseConnection, StoreError> {
    let mut options = ConnectOptions::new(address);
    options
        .max_connections(CONNECTIONS)
        .idle_timeout(IDLE)
        .acquire_timeout(Duration::from_secs(10))
        .sqlx_logging(false);
    let path = schema.map_or_else(|| "public".to_owned(), |schema| format!("{schema},public"));
    // Lists are short and asked for often: a plan made for its own values, not compiled.
    options.map_sqlx_postgres_opts(move |options| {
        options.options([
            ("jit", "off"),
            ("plan_cache_mode", "force_custom_plan"),
            ("idle_in_transaction_session_timeout", REST_AT_MOST),
            ("search_path", path.as_str()),
        ])
    });
    Ok(Database::connect(options).await?)
}

fn newer(error: DbErr) -> StoreError {
    match error {
        DbErr::Custom(text) if text.contains("missing") => StoreError::Newer,
        other => other.into(),
    }
}

//! The tables, step by step: those of the installation, and those of a site, which every site has in a
//! schema of its own. A step that was released is never changed, and none goes back: an older program
//! says that the data folder is newer than itself.

use sea_orm_migration::async_trait::async_trait;
use sea_orm_migration::prelude::*;
use sea_orm_migration::sea_query::IntoIden;

/// Brings what all sites share up to date.
pub struct InstallationMigrator;

/// Brings the tables of a site up to date, over a connection that looks for them in its schema.
pub struct SiteMigrator;

#[async_trait]
impl MigratorTrait for InstallationMigrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        boxed(INSTALLATION)
    }

    fn migration_table_name() -> DynIden {
        "installation_migrations".into_iden()
    }
}

#[async_trait]
impl MigratorTrait for SiteMigrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        boxed(SITE)
    }
}

fn boxed(steps: &[Step]) -> Vec<Box<dyn MigrationTrait>> {
    steps.iter().map(|&step| Box::new(step) as Box<dyn MigrationTrait>).collect()
}

macro_rules! steps {
    ($folder:literal: $($name:literal),* $(,)?) => {
        [$(Step { name: $name, sql: include_str!(concat!($folder, "/", $name, ".sql")) }),*]
    };
}

const INSTALLATION: &[Step] = &steps!["installation": "i0001_sites_and_jobs", "i0002_addresses_and_mark", "i0003_signs_of_life"];

const SITE: &[Step] = &steps![
    "site":
    "m0001_pictures_and_variants",
    "m0002_layouts",
    "m0003_site_and_size_sets",
    "m0004_library",
    "m0005_bench",
    "m0006_encode",
    "m0007_generations",
    "m0008_standard_names",
    "m0009_summaries_and_search",
    "m0010_jobs_and_changes",
    "m0011_address",
    "m0012_fixed_pictures",
    "m0013_names",
    "m0014_runs",
    "m0015_publications",
    "m0016_public_pictures",
    "m0017_page_loads",
    "m0018_publishing_details",
    "m0019_run_rules",
    "m0020_films",
    "m0021_overruns",
    "m0022_icons",
    "m0023_tenths_of_quality",
];

/// A step: a file of SQL beside this one.
#[derive(Clone, Copy)]
struct Step {
    name: &'static str,
    sql: &'static str,
}

impl MigrationName for Step {
    fn name(&self) -> &str {
        self.name
    }
}

#[async_trait]
impl MigrationTrait for Step {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(self.sql).await?;
        Ok(())
    }
}

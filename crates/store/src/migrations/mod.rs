//! The tables, step by step; a step that was released is never changed, and none goes back: an
//! older program says that the data folder is newer than itself.

use sea_orm_migration::async_trait::async_trait;
use sea_orm_migration::prelude::*;

pub struct Migrator;

#[async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        STEPS.iter().map(|&step| Box::new(step) as Box<dyn MigrationTrait>).collect()
    }
}

macro_rules! steps {
    ($($name:literal),* $(,)?) => {
        [$(Step { name: $name, sql: include_str!(concat!($name, ".sql")) }),*]
    };
}

const STEPS: &[Step] = &steps![
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

//! The tables, step by step; a step that was released is never changed.

use sea_orm_migration::async_trait::async_trait;
use sea_orm_migration::prelude::*;

pub struct Migrator;

#[async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![Box::new(PicturesAndVariants), Box::new(Layouts)]
    }
}

struct PicturesAndVariants;

impl MigrationName for PicturesAndVariants {
    fn name(&self) -> &str {
        "m0001_pictures_and_variants"
    }
}

#[async_trait]
impl MigrationTrait for PicturesAndVariants {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared(
                r#"
                CREATE TABLE pictures (
                    id uuid PRIMARY KEY,
                    name text NOT NULL,
                    hash text NOT NULL UNIQUE,
                    format text NOT NULL,
                    width integer NOT NULL CHECK (width > 0),
                    height integer NOT NULL CHECK (height > 0),
                    bytes bigint NOT NULL CHECK (bytes > 0),
                    has_alpha boolean NOT NULL,
                    has_location boolean NOT NULL,
                    profile text,
                    focal_x double precision NOT NULL CHECK (focal_x BETWEEN 0 AND 1),
                    focal_y double precision NOT NULL CHECK (focal_y BETWEEN 0 AND 1),
                    created_at timestamptz NOT NULL
                );
                CREATE INDEX pictures_name ON pictures (lower(name), id);
                CREATE INDEX pictures_bytes ON pictures (bytes, id);
                CREATE TABLE variants (
                    id uuid PRIMARY KEY,
                    picture_id uuid NOT NULL REFERENCES pictures (id),
                    recipe text NOT NULL,
                    file_name text NOT NULL,
                    "order" jsonb NOT NULL,
                    format text NOT NULL,
                    quality smallint,
                    width integer NOT NULL CHECK (width > 0),
                    height integer NOT NULL CHECK (height > 0),
                    bytes bigint NOT NULL CHECK (bytes > 0),
                    budget bigint NOT NULL CHECK (budget > 0),
                    hash text NOT NULL,
                    created_at timestamptz NOT NULL,
                    UNIQUE (picture_id, recipe)
                );
                "#,
            )
            .await?;
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared("DROP TABLE variants; DROP TABLE pictures")
            .await?;
        Ok(())
    }
}

struct Layouts;

impl MigrationName for Layouts {
    fn name(&self) -> &str {
        "m0002_layouts"
    }
}

#[async_trait]
impl MigrationTrait for Layouts {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared(
                r#"
                CREATE TABLE pages (
                    id uuid PRIMARY KEY,
                    address text NOT NULL UNIQUE,
                    title text NOT NULL,
                    heights jsonb NOT NULL,
                    breakpoints jsonb NOT NULL,
                    measured_at timestamptz NOT NULL
                );
                CREATE TABLE slots (
                    id uuid PRIMARY KEY,
                    name text NOT NULL,
                    kind text NOT NULL,
                    selector text,
                    fit text NOT NULL,
                    boxes jsonb NOT NULL,
                    rendered jsonb NOT NULL,
                    densities jsonb NOT NULL,
                    budget bigint CHECK (budget > 0),
                    created_at timestamptz NOT NULL
                );
                CREATE TABLE occurrences (
                    id uuid PRIMARY KEY,
                    slot_id uuid NOT NULL REFERENCES slots (id) ON DELETE CASCADE,
                    page_id uuid NOT NULL REFERENCES pages (id) ON DELETE CASCADE,
                    selector text NOT NULL,
                    doubtful boolean NOT NULL,
                    details jsonb NOT NULL,
                    picture_id uuid REFERENCES pictures (id) ON DELETE SET NULL,
                    UNIQUE (page_id, selector)
                );
                CREATE INDEX occurrences_slot ON occurrences (slot_id);
                "#,
            )
            .await?;
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared("DROP TABLE occurrences; DROP TABLE slots; DROP TABLE pages")
            .await?;
        Ok(())
    }
}

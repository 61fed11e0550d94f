//! Films of publications: how a page comes before and after, as pictures at the same moments.

use brisk_margin_core::job::JobKind;
use brisk_margin_core::load::Connection;
use brisk_margin_core::load::film::FilmStrip;
use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use crate::jobs::NewJob;
use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// Which page is filmed, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct FilmWish {
    /// The publication whose change it is about.
    pub publication: Uuid,
    /// The page, by its path.
    pub page: String,
    /// The layout width, in CSS px.
    pub width: u32,
    /// What the browser throttles itself to.
    pub connection: Connection,
}

/// A film.
#[derive(Debug, Clone, PartialEq)]
pub struct FilmRow {
    /// Its id.
    pub id: Uuid,
    /// What of.
    pub wish: FilmWish,
    /// How it ended; nothing while it is made. A reason where there is none.
    pub ended: Option<Result<FilmStrip, String>>,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    publication_id: Uuid,
    page: String,
    width: i32,
    connection: String,
    strip: Option<serde_json::Value>,
    reason: Option<String>,
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

impl Row {
    fn film(self) -> Result<FilmRow, StoreError> {
        let connection = Connection::try_from(self.connection.clone());
        let wish = FilmWish {
            publication: self.publication_id,
            page: self.page,
            width: self.width.unsigned_abs(),
            connection: connection.map_err(|_| StoreError::Corrupt(self.connection))?,
        };
        let strip = self.strip.map(read).transpose()?;
        let ended = strip.map(Ok).or_else(|| self.reason.map(Err));
        Ok(FilmRow { id: self.id, wish, ended })
    }
}

const COLUMNS: &str = "id, publication_id, page, width, connection, strip, reason";

impl Store {
    /// Has a film made, once more where there is one; returns its id.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn ask_for_film(&self, wish: &FilmWish) -> Result<Uuid, StoreError> {
        let transaction = self.db.begin().await?;
        let row = self.statement(
            "INSERT INTO films (id, publication_id, page, width, connection)
             VALUES ($1, $2, $3, $4, $5)
             ON CONFLICT (publication_id, page, width, connection)
             DO UPDATE SET strip = NULL, reason = NULL, created_at = now() RETURNING id",
            [
                Uuid::now_v7().into(),
                wish.publication.into(),
                wish.page.clone().into(),
                (wish.width as i32).into(),
                String::from(wish.connection).into(),
            ],
        );
        let found = Id::find_by_statement(row).one(&transaction).await?;
        let id = found.ok_or_else(|| StoreError::Corrupt("films".to_owned()))?.id;
        let job = NewJob::new(JobKind::Film, id.to_string(), serde_json::json!({ "film": id }));
        self.check_room_for_jobs(&transaction).await?;
        transaction.execute_raw(self.push_statement(&job.awaited())).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// The film `id`.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn film(&self, id: Uuid) -> Result<Option<FilmRow>, StoreError> {
        let sql = format!("SELECT {COLUMNS} FROM films WHERE id = $1");
        let row = Row::find_by_statement(self.statement(&sql, [id.into()])).one(&self.db).await?;
        row.map(Row::film).transpose()
    }

    /// The films of a page of publication `id`, the latest first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn films(&self, id: Uuid, page: &str) -> Result<Vec<FilmRow>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS} FROM films WHERE publication_id = $1 AND page = $2
             ORDER BY created_at DESC, id"
        );
        let rows = Row::find_by_statement(self.statement(&sql, [id.into(), page.into()]));
        rows.all(&self.db).await?.into_iter().map(Row::film).collect()
    }

    /// Notes how the film `id` ended.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn end_film(
        &self,
        id: Uuid,
        ended: &Result<FilmStrip, String>,
    ) -> Result<(), StoreError> {
        let (strip, reason) = match ended {
            Ok(strip) => (Some(json(strip)), None),
            Err(reason) => (None, Some(reason.clone())),
        };
        let statement = self.statement(
            "UPDATE films SET strip = $2, reason = $3 WHERE id = $1",
            [id.into(), strip.into(), reason.into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }
}

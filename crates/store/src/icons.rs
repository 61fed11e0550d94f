//! Icons of a site: what is decided for them, the files that were made, and what those that are served came to.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::check::IconReport;
use brisk_margin_core::icon::design::IconDesign;
use brisk_margin_core::icon::target::{IconTarget, MadeIcon};
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, FromQueryResult};

use crate::layouts::{json, read};
use crate::{BlobHash, Store, StoreError};

/// What is kept of a site's icons.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct SiteIcons {
    /// What is decided.
    pub design: IconDesign,
    /// How often that was saved; 0 before somebody said something.
    pub version: u32,
    /// The files that were made; none before.
    pub files: Vec<StoredIcon>,
    /// By which design they were made, and when.
    pub made: Option<(IconDesign, DateTime<Utc>)>,
    /// What the icons of the site came to when they were checked last, and when.
    pub checked: Option<(IconReport, DateTime<Utc>)>,
}

/// An icon file that is kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StoredIcon {
    /// Which one it is, and what it is called.
    pub made: MadeIcon,
    /// Its media type.
    pub media_type: String,
    /// Its pixels; of an ICO the largest ones inside.
    pub size: Size,
    /// What it weighs.
    pub bytes: Bytes,
    /// The hash of its bytes.
    pub hash: BlobHash,
}

#[derive(FromQueryResult)]
struct DesignRow {
    design: serde_json::Value,
    version: i32,
    made_by: Option<serde_json::Value>,
    made_at: Option<DateTime<Utc>>,
    report: Option<serde_json::Value>,
    checked_at: Option<DateTime<Utc>>,
}

#[derive(FromQueryResult)]
struct FileRow {
    target: String,
    file_name: String,
    media_type: String,
    width: i32,
    height: i32,
    bytes: i64,
    hash: String,
}

impl FileRow {
    fn icon(self) -> Result<StoredIcon, StoreError> {
        let target: IconTarget = read(self.target.into())?;
        Ok(StoredIcon {
            made: MadeIcon { target, file_name: self.file_name },
            media_type: self.media_type,
            size: Size::new(self.width.unsigned_abs(), self.height.unsigned_abs()),
            bytes: Bytes(self.bytes.unsigned_abs()),
            hash: BlobHash::stored(&self.hash),
        })
    }
}

impl Store {
    /// What is kept of the site's icons; files in the order of their targets.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn icons(&self) -> Result<SiteIcons, StoreError> {
        let design =
            "SELECT design, version, made_by, made_at, report, checked_at FROM icon_design";
        let row = DesignRow::find_by_statement(self.statement(design, [])).one(&self.db).await?;
        let Some(row) = row else { return Ok(SiteIcons::default()) };
        let files =
            "SELECT target, file_name, media_type, width, height, bytes, hash FROM icon_files";
        let files = FileRow::find_by_statement(self.statement(files, [])).all(&self.db).await?;
        let files: Result<Vec<StoredIcon>, StoreError> =
            files.into_iter().map(FileRow::icon).collect();
        let mut files = files?;
        files.sort_by_key(|file| file.made.target);
        Ok(SiteIcons {
            design: read(row.design)?,
            version: row.version.unsigned_abs(),
            files,
            made: row.made_by.map(read).transpose()?.zip(row.made_at),
            checked: row.report.map(read).transpose()?.zip(row.checked_at),
        })
    }

    /// Saves what is decided, where nobody saved since `version`.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where somebody did, and those of the database.
    pub async fn save_icon_design(
        &self,
        design: &IconDesign,
        version: u32,
    ) -> Result<(), StoreError> {
        let sql = "INSERT INTO icon_design (design, version)
             SELECT $1, 1 WHERE $2 = 0 OR EXISTS (SELECT FROM icon_design)
             ON CONFLICT (id) DO UPDATE SET design = excluded.design,
                 version = icon_design.version + 1
             WHERE icon_design.version = $2";
        let values = [json(design).into(), (version as i32).into()];
        let done = self.db.execute_raw(self.statement(sql, values)).await?;
        match done.rows_affected() {
            0 => Err(StoreError::SavedMeanwhile),
            _ => Ok(()),
        }
    }

    /// Keeps `files`, each with its bytes, as those that `design` made, in place of those before.
    ///
    /// # Errors
    /// Those of the database and the blob store.
    pub async fn keep_icon_files(
        &self,
        design: &IconDesign,
        files: Vec<(StoredIcon, Vec<u8>)>,
    ) -> Result<(), StoreError> {
        let files: Vec<(StoredIcon, bytes::Bytes)> =
            files.into_iter().map(|(file, bytes)| (file, bytes.into())).collect();
        // Written and synced before the transaction, and once more where a sweep came between.
        for (_, bytes) in &files {
            self.blobs().put(bytes.clone()).await?;
        }
        let transaction = self.holding_bytes().await?;
        transaction.execute_raw(self.statement("DELETE FROM icon_files", [])).await?;
        for (file, bytes) in files {
            self.blobs.put_again(&file.hash, bytes).await?;
            let target = json(&file.made.target).as_str().unwrap_or_default().to_owned();
            let insert = self.statement(
                "INSERT INTO icon_files (target, file_name, media_type, width, height, bytes, hash)
                 VALUES ($1, $2, $3, $4, $5, $6, $7)",
                [
                    target.into(),
                    file.made.file_name.into(),
                    file.media_type.into(),
                    (file.size.width as i32).into(),
                    (file.size.height as i32).into(),
                    (file.bytes.get() as i64).into(),
                    file.hash.as_str().into(),
                ],
            );
            transaction.execute_raw(insert).await?;
        }
        let note = "UPDATE icon_design SET made_by = $1, made_at = now()";
        transaction.execute_raw(self.statement(note, [json(design).into()])).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// Keeps what the site's icons came to when they were checked.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn keep_icon_report(&self, report: &IconReport) -> Result<(), StoreError> {
        let sql = "INSERT INTO icon_design (design, report, checked_at, version)
                 VALUES ($1, $2, now(), 0)
             ON CONFLICT (id) DO UPDATE SET report = excluded.report, checked_at = now()";
        let values = [json(&IconDesign::default()).into(), json(report).into()];
        self.db.execute_raw(self.statement(sql, values)).await?;
        Ok(())
    }
}

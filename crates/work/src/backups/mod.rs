//! Backups: an installation in a folder, as it was at one moment, and back from there.
//!
//! A backup folder holds blobs as a blob store does, shared by all backups in it, and for each backup the database
//! ([`dump`]) and a note of both, which is written last: what has no note was broken off and is none. Files that can
//! be made again from others (previews) are left out.

mod dump;
pub mod verifying;

use std::fs::{self, File, Permissions};
use std::io;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

use brisk_margin_store::blobs::{Copied, Copying, copy};
use brisk_margin_store::{BlobAddress, BlobError, Blobs, Installation, StoreError};
use chrono::{DateTime, SubsecRound, Utc};
use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::intake::hash_of;
pub use dump::DumpError;

/// The version of a backup's note.
const LAYOUT: u32 = 1;
const NOTE: &str = "backup-";
const BLOBS: &str = "blobs";

/// A backup in a folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Backup {
    layout: u32,
    /// When it was begun: it is what the installation was then.
    pub made_at: DateTime<Utc>,
    /// The file with the database, in the same folder.
    pub database: String,
    /// The SHA-256 of that file.
    pub database_hash: String,
}

/// Why there is no backup, or no way back from one.
#[derive(Debug, Error)]
pub enum BackupError {
    /// PostgreSQL's programs failed.
    #[error(transparent)]
    Dump(#[from] DumpError),
    /// Rows or blobs could not be read or written.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The blob store failed.
    #[error(transparent)]
    Blob(#[from] BlobError),
    /// The folder could not be read or written.
    #[error("the backup folder cannot be used: {0}")]
    Folder(#[from] io::Error),
    /// No backup is in the folder.
    #[error(
        "{0} holds no whole backup; see that it is the folder that `brisk-margin backup` was given"
    )]
    None(PathBuf),
    /// A later version made it.
    #[error("this backup was made by a newer version of Brisk Margin; restore it with that one")]
    Newer,
    /// The file with the database is not what was written.
    #[error("{0} is damaged; restore an older backup, or take the folder from another copy")]
    Damaged(String),
    /// Files could not be copied.
    #[error("{0} files could not be copied; what is wrong with each is said above")]
    Files(u64),
    /// The database has tables.
    #[error("this database is in use already; a backup is restored into an empty one only")]
    InUse,
}

/// Writes a backup of `installation`, whose database is at `address`, into `folder`; `tell` hears of each file. Other
/// processes go on meanwhile.
///
/// # Errors
/// [`BackupError`]; older backups in the folder stay whole.
pub async fn backup(
    installation: &Installation,
    address: &str,
    folder: &Path,
    mut tell: impl FnMut(Copied),
) -> Result<Backup, BackupError> {
    fs::create_dir_all(folder)?;
    // It holds everything that the installation does.
    fs::set_permissions(folder, Permissions::from_mode(0o700))?;
    let to = Blobs::open(&BlobAddress::Folder(folder.join(BLOBS)))?;
    // Bytes come before rows: what the rows of this moment speak of is there, and stays while it is copied.
    let _kept = installation.keep_bytes().await?;
    let made_at = Utc::now().trunc_subsecs(0);
    let name = format!("database-{}.dump", made_at.format("%Y-%m-%dT%H-%M-%SZ"));
    let part = tempfile::NamedTempFile::new_in(folder)?;
    dump::write(address, part.path()).await?;
    let database_hash = hash_of(part.path()).await?.as_str().to_owned();
    part.as_file().sync_all()?;
    let mut failed = 0;
    copy(installation.blobs(), &to, Copying::WithoutDerived, |copied| {
        failed += u64::from(matches!(copied, Copied::Not { .. }));
        tell(copied);
    })
    .await?;
    part.persist(folder.join(&name)).map_err(|error| error.error)?;
    let backup = Backup { layout: LAYOUT, made_at, database: name, database_hash };
    note(folder, &backup)?;
    match failed {
        0 => Ok(backup),
        failed => Err(BackupError::Files(failed)),
    }
}

/// Restores the newest backup in `folder` into the empty database at `address` and into `blobs`; `tell` hears of each
/// file. One that was broken off goes on where it was.
///
/// # Errors
/// [`BackupError`]; the database stays empty then, or is whole.
pub async fn restore(
    folder: &Path,
    address: &str,
    blobs: &Blobs,
    mut tell: impl FnMut(Copied),
) -> Result<Backup, BackupError> {
    let backup = newest(folder)?;
    let database = folder.join(&backup.database);
    if hash_of(&database).await?.as_str() != backup.database_hash {
        return Err(BackupError::Damaged(backup.database));
    }
    if !brisk_margin_store::is_empty(address).await? {
        return Err(BackupError::InUse);
    }
    let from = Blobs::open(&BlobAddress::Folder(folder.join(BLOBS)))?;
    let mut failed = 0;
    copy(&from, blobs, Copying::All, |copied| {
        failed += u64::from(matches!(copied, Copied::Not { .. }));
        tell(copied);
    })
    .await?;
    if failed > 0 {
        return Err(BackupError::Files(failed));
    }
    // Last, so that a database that is not empty is whole.
    dump::read(address, &database).await?;
    Ok(backup)
}

/// The newest whole backup in `folder`.
fn newest(folder: &Path) -> Result<Backup, BackupError> {
    let mut found: Option<Backup> = None;
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        if !name.starts_with(NOTE) {
            continue;
        }
        let Ok(backup) = serde_json::from_slice::<Backup>(&fs::read(&path)?) else { continue };
        if found.as_ref().is_none_or(|found| found.made_at < backup.made_at) {
            found = Some(backup);
        }
    }
    match found {
        None => Err(BackupError::None(folder.to_owned())),
        Some(Backup { layout, .. }) if layout > LAYOUT => Err(BackupError::Newer),
        Some(backup) => Ok(backup),
    }
}

fn note(folder: &Path, backup: &Backup) -> io::Result<()> {
    let mut part = tempfile::NamedTempFile::new_in(folder)?;
    serde_json::to_writer_pretty(&mut part, backup)?;
    part.as_file().sync_all()?;
    let name = format!("{NOTE}{}.json", backup.made_at.format("%Y-%m-%dT%H-%M-%SZ"));
    part.persist(folder.join(name))?;
    File::open(folder)?.sync_all()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_whole_backups_count_and_the_newest_of_them() {
        let folder = tempfile::tempdir().unwrap();
        let of = |text: &str| Backup {
            layout: LAYOUT,
            made_at: text.parse().unwrap(),
            database: format!("{text}.dump"),
            database_hash: String::new(),
        };
        assert!(matches!(newest(folder.path()), Err(BackupError::None(_))));
        let newer = of("2026-03-02T10:00:00Z");
        for backup in [&newer, &of("2026-03-01T10:00:00Z")] {
            note(folder.path(), backup).unwrap();
        }
        fs::write(folder.path().join("backup-2026-04-01T10-00-00Z.json"), "{ \"layout\":").unwrap();
        assert_eq!(newest(folder.path()).unwrap(), newer);
        note(folder.path(), &Backup { layout: LAYOUT + 1, ..of("2026-05-01T10:00:00Z") }).unwrap();
        assert!(matches!(newest(folder.path()), Err(BackupError::Newer)));
    }
}

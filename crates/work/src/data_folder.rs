//! The data folder: what it must be before anything is kept in it.

use std::collections::HashSet;
use std::fs::{self, File, Permissions, TryLockError};
use std::io;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use thiserror::Error;
use uuid::Uuid;

/// The version of the folder's layout.
const LAYOUT: u32 = 1;
const MARKER: &str = "brisk-margin.json";
const SPOOL: &str = "spool";
const UPLOADS: &str = "uploads";
const LOCK: &str = "lock";

/// A folder that carries our marker and can be written. Clones share one spool.
#[derive(Debug, Clone)]
pub struct DataFolder {
    path: PathBuf,
    spool: Arc<Spool>,
}

/// The part of the spool that is this process's own, for as long as the lock is held.
#[derive(Debug)]
struct Spool {
    path: PathBuf,
    _lock: File,
}

#[derive(Serialize, Deserialize)]
struct Marker {
    layout: u32,
}

impl DataFolder {
    /// Opens the data folder at `path`; one that is missing or empty is made and marked.
    ///
    /// # Errors
    /// [`FolderError`] where it holds something else, is of another layout, or cannot be written.
    pub fn open(path: &Path) -> Result<Self, FolderError> {
        let unusable = |source| FolderError::Unusable { path: path.to_owned(), source };
        fs::create_dir_all(path).map_err(unusable)?;
        match read_marker(path)? {
            Some(Marker { layout: LAYOUT }) => {}
            Some(Marker { layout }) => {
                return Err(FolderError::OtherVersion { path: path.to_owned(), layout });
            }
            None if is_empty(path).map_err(unusable)? => write_marker(path).map_err(unusable)?,
            None => return Err(FolderError::Foreign(path.to_owned())),
        }
        let spool = Spool::new(&path.join(SPOOL)).map_err(unusable)?;
        let folder = Self { path: path.to_owned(), spool: Arc::new(spool) };
        // Whoever else uses the machine has no business with pictures that are not on a site yet.
        for inside in [folder.blobs(), path.join(SPOOL)] {
            fs::create_dir_all(&inside).map_err(unusable)?;
            fs::set_permissions(&inside, Permissions::from_mode(0o700)).map_err(unusable)?;
        }
        // Written through and taken away again: asking for permissions would not show a full or
        // read-only disk.
        tempfile::NamedTempFile::new_in(path).map_err(unusable)?;
        fs::create_dir_all(folder.uploads()).map_err(unusable)?;
        Ok(folder)
    }

    /// Moves an old data folder at `path` aside, under its name and a number, and opens a new
    /// one in its place. Says where the old one is.
    ///
    /// # Errors
    /// [`FolderError::Foreign`] for a folder that does not carry our marker.
    pub fn fresh(path: &Path) -> Result<(Self, Option<PathBuf>), FolderError> {
        let unusable = |source| FolderError::Unusable { path: path.to_owned(), source };
        let exists = path.try_exists().map_err(unusable)?;
        if !exists || is_empty(path).map_err(unusable)? {
            return Ok((Self::open(path)?, None));
        }
        if read_marker(path)?.is_none() {
            return Err(FolderError::Foreign(path.to_owned()));
        }
        let aside = (1..)
            .map(|n| PathBuf::from(format!("{}.old-{n}", path.display())))
            .find(|candidate| !candidate.exists())
            .expect("numbers do not end");
        fs::rename(path, &aside).map_err(unusable)?;
        Ok((Self::open(path)?, Some(aside)))
    }

    /// Where blobs are kept.
    pub fn blobs(&self) -> PathBuf {
        self.path.join("blobs")
    }

    /// Where uploads to this process wait until they are accepted.
    pub fn spool(&self) -> PathBuf {
        self.spool.path.clone()
    }

    /// Where uploads lie that may be resumed, at any process.
    pub fn uploads(&self) -> PathBuf {
        self.path.join(SPOOL).join(UPLOADS)
    }

    /// Takes away what stopped processes left of uploads that they never accepted and that cannot
    /// be resumed. What belongs to a process that runs is left alone.
    pub fn clear_spool(&self) -> io::Result<()> {
        let spool = self.path.join(SPOOL);
        let _turn = turn_in(&spool)?;
        for entry in fs::read_dir(&spool)? {
            let path = entry?.path();
            if path == spool.join(LOCK)
                || path == self.uploads()
                || path == self.spool.path
                || is_in_use(&path)
            {
                continue;
            }
            if path.is_dir() { fs::remove_dir_all(path)? } else { fs::remove_file(path)? }
        }
        Ok(())
    }
}

impl DataFolder {
    /// Takes away the files of uploads that are not `known`.
    pub fn clear_uploads(&self, known: &HashSet<Uuid>) -> io::Result<()> {
        for entry in fs::read_dir(self.uploads())? {
            let entry = entry?;
            let id = entry.file_name().to_string_lossy().parse::<Uuid>();
            if !id.is_ok_and(|id| known.contains(&id)) {
                fs::remove_file(entry.path())?;
            }
        }
        Ok(())
    }
}

impl Spool {
    /// A new one in `folder`.
    fn new(folder: &Path) -> io::Result<Self> {
        fs::create_dir_all(folder)?;
        // Before it is locked, it could be taken for one that a stopped process left.
        let _turn = turn_in(folder)?;
        let path = folder.join(Uuid::new_v4().to_string());
        fs::create_dir_all(&path)?;
        let lock = File::create(path.join(LOCK))?;
        lock.lock()?;
        Ok(Self { path, _lock: lock })
    }
}

impl Drop for Spool {
    fn drop(&mut self) {
        // What stays is cleared away by the next process.
        let _ = fs::remove_dir_all(&self.path);
    }
}

/// While this lives, nobody else begins a part of the spool in `folder` or clears it.
fn turn_in(folder: &Path) -> io::Result<File> {
    let turn = File::create(folder.join(LOCK))?;
    turn.lock()?;
    Ok(turn)
}

/// Whether a part of the spool belongs to a process that runs.
fn is_in_use(path: &Path) -> bool {
    let lock = File::open(path.join(LOCK));
    lock.is_ok_and(|lock| matches!(lock.try_lock(), Err(TryLockError::WouldBlock)))
}

fn read_marker(path: &Path) -> Result<Option<Marker>, FolderError> {
    match fs::read(path.join(MARKER)) {
        Ok(text) => serde_json::from_slice(&text)
            .map(Some)
            .map_err(|_| FolderError::OtherVersion { path: path.to_owned(), layout: 0 }),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(source) => Err(FolderError::Unusable { path: path.to_owned(), source }),
    }
}

fn write_marker(path: &Path) -> io::Result<()> {
    let file = tempfile::NamedTempFile::new_in(path)?;
    serde_json::to_writer(&file, &Marker { layout: LAYOUT })?;
    file.as_file().sync_all()?;
    file.persist(path.join(MARKER))?;
    Ok(())
}

fn is_empty(path: &Path) -> io::Result<bool> {
    Ok(fs::read_dir(path)?.next().is_none())
}

/// Why a folder cannot hold our data.
#[derive(Debug, Error)]
pub enum FolderError {
    /// It cannot be read or written.
    #[error(
        "the data folder {} cannot be used: {source}; give one that can be written with --data",
        .path.display()
    )]
    Unusable {
        /// The folder.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// It belongs to another version of the program.
    #[error(
        "the data folder {} belongs to another version of Brisk Margin (layout {layout}, this one \
         has layout {LAYOUT}); use that version, another --data, or --fresh to move it aside",
        .path.display()
    )]
    OtherVersion {
        /// The folder.
        path: PathBuf,
        /// The layout that its marker names.
        layout: u32,
    },
    /// It holds something that is not ours.
    #[error(
        "the folder {} is not empty and is no data folder of Brisk Margin, so it is left alone; \
         give another one with --data",
        .0.display()
    )]
    Foreign(PathBuf),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_of_somebody_else_is_never_touched() {
        let home = tempfile::tempdir().unwrap();
        fs::write(home.path().join("thesis.txt"), "years of work").unwrap();
        assert!(matches!(DataFolder::open(home.path()), Err(FolderError::Foreign(_))));
        assert!(matches!(DataFolder::fresh(home.path()), Err(FolderError::Foreign(_))));
        assert_eq!(fs::read_dir(home.path()).unwrap().count(), 1);
    }

    #[test]
    fn fresh_moves_the_old_folder_aside_with_all_it_holds() {
        let home = tempfile::tempdir().unwrap();
        let path = home.path().join("data");
        DataFolder::open(&path).unwrap();
        fs::write(path.join("kept"), "1").unwrap();
        let (_, aside) = DataFolder::fresh(&path).unwrap();
        assert_eq!(fs::read(aside.unwrap().join("kept")).unwrap(), b"1");
        assert!(!path.join("kept").exists());
    }

    #[test]
    fn another_version_is_named() {
        let home = tempfile::tempdir().unwrap();
        fs::write(home.path().join(MARKER), r#"{"layout":9}"#).unwrap();
        let text = DataFolder::open(home.path()).unwrap_err().to_string();
        assert!(text.contains("layout 9") && text.contains("--fresh"), "{text}");
    }

    #[test]
    fn what_a_stopped_process_left_goes_and_what_a_running_one_has_stays() {
        let home = tempfile::tempdir().unwrap();
        let running = DataFolder::open(home.path()).unwrap();
        fs::write(running.spool().join("half"), "...").unwrap();
        let stopped = home.path().join(SPOOL).join("0198-stopped");
        fs::create_dir(&stopped).unwrap();
        fs::write(stopped.join(LOCK), "").unwrap();
        fs::write(stopped.join("half"), "...").unwrap();
        fs::write(home.path().join(SPOOL).join("of-an-older-version"), "...").unwrap();
        DataFolder::open(home.path()).unwrap().clear_spool().unwrap();
        assert!(running.spool().join("half").exists());
        assert!(!stopped.exists());
        assert!(!home.path().join(SPOOL).join("of-an-older-version").exists());

        let own = running.spool();
        drop(running);
        assert!(!own.exists(), "nothing is left of a process that ended well");
    }

    #[test]
    fn uploads_that_can_go_on_stay_and_others_go() {
        let home = tempfile::tempdir().unwrap();
        let folder = DataFolder::open(home.path()).unwrap();
        let (known, unknown) = (Uuid::new_v4(), Uuid::new_v4());
        for id in [known, unknown] {
            fs::write(folder.uploads().join(id.to_string()), "...").unwrap();
        }
        folder.clear_spool().unwrap();
        folder.clear_uploads(&[known].into()).unwrap();
        assert!(folder.uploads().join(known.to_string()).exists());
        assert!(!folder.uploads().join(unknown.to_string()).exists());
    }
}

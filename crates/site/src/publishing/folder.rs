//! The folder that a site is served from.

use std::fs::{self, File, Permissions};
use std::io::{self, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::{Component, Path, PathBuf};
use std::time::{Duration, UNIX_EPOCH};

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use thiserror::Error;

/// A site's folder. Paths in it are relative to it, with slashes; none leads out of it, and none goes
/// through a link.
#[derive(Debug, Clone)]
pub struct SiteFolder {
    root: PathBuf,
}

/// What is kept of a file beside its bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileNotes {
    /// Who may do what with it.
    pub mode: u32,
    /// When it was written: seconds and nanoseconds since 1970.
    pub modified: (u64, u32),
}

/// Why a file of a site cannot be read or written.
#[derive(Debug, Error)]
pub enum FolderError {
    /// A path that leads out of the folder.
    #[error("“{0}” leads out of the site's folder")]
    Outside(String),
    /// A link, which may lead anywhere.
    #[error("“{0}” is a link; nothing is written through it, publish to where it leads instead")]
    Link(String),
    /// The disk failed.
    #[error("“{path}”: {error}")]
    Disk {
        /// The file.
        path: String,
        /// Why.
        error: io::Error,
    },
}

/// The hash under which bytes are kept: SHA-256 in small hexadecimal digits.
pub fn hash_of(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}

impl SiteFolder {
    /// The folder `root`.
    ///
    /// # Errors
    /// Where it is none.
    pub fn open(root: &Path) -> io::Result<Self> {
        let root = root.canonicalize()?;
        match root.is_dir() {
            true => Ok(Self { root }),
            false => Err(io::ErrorKind::NotADirectory.into()),
        }
    }

    /// Where it is.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The file at `path`, which may not be there yet.
    ///
    /// # Errors
    /// [`FolderError::Outside`] and [`FolderError::Link`].
    pub fn file(&self, path: &str) -> Result<PathBuf, FolderError> {
        let mut file = self.root.clone();
        for part in Path::new(path).components() {
            let Component::Normal(name) = part else {
                return Err(FolderError::Outside(path.to_owned()));
            };
            file.push(name);
            if fs::symlink_metadata(&file).is_ok_and(|found| found.is_symlink()) {
                return Err(FolderError::Link(path.to_owned()));
            }
        }
        match file == self.root {
            true => Err(FolderError::Outside(path.to_owned())),
            false => Ok(file),
        }
    }

    /// What is at `path`; nothing where there is no file.
    ///
    /// # Errors
    /// [`FolderError`].
    pub fn read(&self, path: &str) -> Result<Option<Vec<u8>>, FolderError> {
        let file = self.file(path)?;
        match fs::read(file) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(error) if is_missing(&error) => Ok(None),
            Err(error) => Err(failed(path, error)),
        }
    }

    /// What is kept of the file at `path` beside its bytes; nothing where there is none.
    ///
    /// # Errors
    /// [`FolderError`].
    pub fn notes(&self, path: &str) -> Result<Option<FileNotes>, FolderError> {
        let found = match fs::metadata(self.file(path)?) {
            Ok(found) => found,
            Err(error) if is_missing(&error) => return Ok(None),
            Err(error) => return Err(failed(path, error)),
        };
        let modified = found.modified().map_err(|error| failed(path, error))?;
        let since = modified.duration_since(UNIX_EPOCH).unwrap_or_default();
        let modified = (since.as_secs(), since.subsec_nanos());
        Ok(Some(FileNotes { mode: found.permissions().mode() & 0o7777, modified }))
    }

    /// Writes `bytes` to `path`, durably: whoever reads it gets what was there or all of them. It gets
    /// `notes`, or what new files of a site have.
    ///
    /// # Errors
    /// [`FolderError`].
    pub fn write(
        &self,
        path: &str,
        bytes: &[u8],
        notes: Option<FileNotes>,
    ) -> Result<(), FolderError> {
        let file = self.file(path)?;
        let folder = file.parent().unwrap_or(&self.root);
        self.write_in(folder, &file, bytes, notes).map_err(|error| failed(path, error))
    }

    fn write_in(
        &self,
        folder: &Path,
        file: &Path,
        bytes: &[u8],
        notes: Option<FileNotes>,
    ) -> io::Result<()> {
        fs::create_dir_all(folder)?;
        let part = part_of(file);
        let mut whole = File::create(&part)?;
        whole.write_all(bytes)?;
        let mode = notes.map_or(0o644, |notes| notes.mode);
        whole.set_permissions(Permissions::from_mode(mode))?;
        if let Some(FileNotes { modified: (seconds, nanos), .. }) = notes {
            whole.set_modified(UNIX_EPOCH + Duration::new(seconds, nanos))?;
        }
        whole.sync_all()?;
        fs::rename(part, file)?;
        File::open(folder)?.sync_all()
    }

    /// Removes what an end in the middle of writing `path` left.
    ///
    /// # Errors
    /// [`FolderError`].
    pub fn tidy(&self, path: &str) -> Result<(), FolderError> {
        match fs::remove_file(part_of(&self.file(path)?)) {
            Err(error) if !is_missing(&error) => Err(failed(path, error)),
            _ => Ok(()),
        }
    }

    /// Removes the file at `path`, and the folders that are empty without it; nothing where it is not
    /// there.
    ///
    /// # Errors
    /// [`FolderError`].
    pub fn remove(&self, path: &str) -> Result<(), FolderError> {
        let file = self.file(path)?;
        match fs::remove_file(&file) {
            Err(error) if !is_missing(&error) => Err(failed(path, error)),
            _ => {
                let folders = file.ancestors().skip(1);
                let inside = folders.take_while(|folder| *folder != self.root);
                for folder in inside {
                    if fs::remove_dir(folder).is_err() {
                        break;
                    }
                }
                Ok(())
            }
        }
    }
}

/// What is not there, or below what is no folder.
fn is_missing(error: &io::Error) -> bool {
    matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory)
}

/// Where a file stands until it is whole: always the same place, so that it is found after an end in
/// the middle.
fn part_of(file: &Path) -> PathBuf {
    let name = file.file_name().unwrap_or_default();
    let name = hash_of(name.as_encoded_bytes());
    file.with_file_name(format!(".brisk-margin-{}", &name[..16]))
}

fn failed(path: &str, error: io::Error) -> FolderError {
    FolderError::Disk { path: path.to_owned(), error }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_path_leads_out_of_the_folder_or_through_a_link() {
        let (home, elsewhere) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let folder = SiteFolder::open(home.path()).unwrap();
        std::os::unix::fs::symlink(elsewhere.path(), home.path().join("out")).unwrap();
        for outside in ["../x", "/etc/passwd", "a/../../x", "", "."] {
            let refused = folder.write(outside, b"x", None);
            assert!(matches!(refused, Err(FolderError::Outside(_))), "{outside}");
        }
        let refused = folder.write("out/x.html", b"x", None).unwrap_err();
        assert!(matches!(refused, FolderError::Link(_)), "{refused}");
        assert_eq!(fs::read_dir(elsewhere.path()).unwrap().count(), 0);
    }

    #[test]
    fn a_file_gets_its_mode_and_time_back_and_an_emptied_folder_goes() {
        let home = tempfile::tempdir().unwrap();
        let folder = SiteFolder::open(home.path()).unwrap();
        let notes = FileNotes { mode: 0o600, modified: (1_000_000, 5_000) };
        folder.write("a/b/c.html", b"one", Some(notes)).unwrap();
        assert_eq!(folder.notes("a/b/c.html").unwrap(), Some(notes));
        assert_eq!(folder.read("a/b/c.html").unwrap().unwrap(), b"one");
        fs::write(home.path().join("a/kept"), "x").unwrap();
        folder.remove("a/b/c.html").unwrap();
        folder.remove("a/b/c.html").unwrap();
        assert!(!home.path().join("a/b").exists());
        assert!(home.path().join("a").exists());
        assert_eq!(folder.read("a/b/c.html").unwrap(), None);
    }
}

//! The record of the files that a command made in a folder, so that it overwrites no others.

use std::collections::{BTreeMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use brisk_margin_store::BlobHash;
use serde::{Deserialize, Serialize};
use tempfile::NamedTempFile;

/// What the record in a folder is called.
pub(super) const RECORD: &str = ".brisk-margin-made.json";

/// The files that a command made in a folder, each with the hash that it was written with.
#[derive(Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Record(pub(super) BTreeMap<String, String>);

impl Record {
    /// Reads what stands in the file, where there is one.
    pub(super) fn read(text: Option<&[u8]>) -> io::Result<Self> {
        text.map_or_else(|| Ok(Self::default()), |text| Ok(serde_json::from_slice(text)?))
    }

    /// Whether the command made `name`, and nobody changed it since: its hash is `now`.
    pub(super) fn has(&self, name: &str, now: &str) -> bool {
        self.0.get(name).is_some_and(|hash| hash == now)
    }

    /// What stands in the file.
    pub(super) fn text(&self) -> io::Result<Vec<u8>> {
        Ok(serde_json::to_vec_pretty(self)?)
    }
}

/// The files made in one folder: their names, and the hashes they were written with.
pub struct MadeFiles {
    folder: PathBuf,
    record: Record,
    claimed: HashSet<String>,
}

impl MadeFiles {
    /// Reads the record in `folder`, which is made where it is missing.
    pub fn open(folder: &Path) -> io::Result<Self> {
        fs::create_dir_all(folder)?;
        let text = match fs::read(folder.join(RECORD)) {
            Ok(text) => Some(text),
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            Err(error) => return Err(error),
        };
        let record = Record::read(text.as_deref())?;
        Ok(Self { folder: folder.to_owned(), record, claimed: HashSet::new() })
    }

    /// A name for a new file, close to `wanted` and given out once.
    pub fn claim(&mut self, wanted: &str) -> String {
        let (stem, extension) = wanted.rsplit_once('.').unwrap_or((wanted, ""));
        let name = (2..)
            .map(|n| format!("{stem}-{n}.{extension}"))
            .find(|name| !self.claimed.contains(name));
        let name = match self.claimed.contains(wanted) {
            true => name.expect("numbers do not end"),
            false => wanted.to_owned(),
        };
        self.claimed.insert(name.clone());
        name
    }

    /// Writes `data` as `name`: all of it or nothing.
    ///
    /// # Errors
    /// [`io::ErrorKind::AlreadyExists`] for a file that this command did not make, or that was
    /// changed since.
    pub fn write(&mut self, name: &str, data: &[u8]) -> io::Result<PathBuf> {
        let path = self.folder.join(name);
        let hash = BlobHash::of(data);
        match fs::read(&path) {
            Ok(there) if there == data => {}
            Ok(there) if self.record.has(name, BlobHash::of(&there).as_str()) => {
                self.replace(&path, name, data, &hash)?
            }
            Ok(_) => {
                let text = format!(
                    "{} is there already and was not made by this command; move it away or give \
                     another folder with --out",
                    path.display()
                );
                return Err(io::Error::new(io::ErrorKind::AlreadyExists, text));
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                self.replace(&path, name, data, &hash)?;
            }
            Err(error) => return Err(error),
        }
        Ok(path)
    }

    fn replace(&mut self, path: &Path, name: &str, data: &[u8], hash: &BlobHash) -> io::Result<()> {
        self.put(path, data)?;
        self.record.0.insert(name.to_owned(), hash.as_str().to_owned());
        self.put(&self.folder.join(RECORD), &self.record.text()?)
    }

    fn put(&self, path: &Path, data: &[u8]) -> io::Result<()> {
        let mut file = NamedTempFile::new_in(&self.folder)?;
        io::Write::write_all(&mut file, data)?;
        file.as_file().sync_all()?;
        // Temporary files are private; what is made is meant to be served.
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            file.as_file().set_permissions(fs::Permissions::from_mode(0o644))?;
        }
        file.persist(path)?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn somebody_elses_file_is_never_overwritten() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("dome-10x10.webp"), "mine").unwrap();
        let mut made = MadeFiles::open(folder.path()).unwrap();
        let error = made.write("dome-10x10.webp", b"new").unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::AlreadyExists);
        assert_eq!(fs::read(folder.path().join("dome-10x10.webp")).unwrap(), b"mine");
    }

    #[test]
    fn an_own_file_is_replaced_also_by_a_later_command_unless_it_was_changed() {
        let folder = tempfile::tempdir().unwrap();
        MadeFiles::open(folder.path()).unwrap().write("a.jpg", b"one").unwrap();
        let mut later = MadeFiles::open(folder.path()).unwrap();
        let path = later.write("a.jpg", b"two").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"two");
        fs::write(&path, "retouched by hand").unwrap();
        assert!(later.write("a.jpg", b"three").is_err());
    }

    #[test]
    fn two_pictures_of_one_name_get_two_files() {
        let folder = tempfile::tempdir().unwrap();
        let mut made = MadeFiles::open(folder.path()).unwrap();
        let names: Vec<_> = (0..3).map(|_| made.claim("dome-10x10.jpg")).collect();
        assert_eq!(names, ["dome-10x10.jpg", "dome-10x10-2.jpg", "dome-10x10-3.jpg"]);
    }
}

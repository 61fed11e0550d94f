//! The journals of a site: which there are, and whose turn it is to write another.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

use super::journal::{PLAN, PublishError};

/// Keeps others from publishing to the same site while it lives.
#[derive(Debug)]
pub struct SiteTurn(#[expect(dead_code, reason = "it is held")] File);

impl SiteTurn {
    /// Takes the turn for the journals in `folder`, which is made where it is missing.
    ///
    /// # Errors
    /// [`PublishError::Busy`] where somebody else has it.
    pub fn take(folder: &Path) -> Result<Self, PublishError> {
        fs::create_dir_all(folder)?;
        let file = File::create(folder.join("lock"))?;
        match file.try_lock() {
            Ok(()) => Ok(Self(file)),
            Err(fs::TryLockError::WouldBlock) => Err(PublishError::Busy(folder.to_owned())),
            Err(fs::TryLockError::Error(error)) => Err(error.into()),
        }
    }
}

/// The journals in `folder`, the oldest first.
///
/// # Errors
/// Those of the disk.
pub fn journals(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(error),
    };
    let mut found = Vec::new();
    for entry in entries {
        let home = entry?.path();
        if home.join(PLAN).exists() {
            found.push(home);
        }
    }
    found.sort();
    Ok(found)
}

/// Where the next journal in `folder` goes.
///
/// # Errors
/// Those of the disk.
pub fn next_journal(folder: &Path) -> io::Result<PathBuf> {
    let last = journals(folder)?.pop();
    let number = |home: &PathBuf| home.file_name()?.to_str()?.parse::<u32>().ok();
    let next = last.as_ref().and_then(number).unwrap_or(0) + 1;
    Ok(folder.join(format!("{next:06}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_at_once_do_not_write_into_each_other() {
        let home = tempfile::tempdir().unwrap();
        let first = SiteTurn::take(home.path()).unwrap();
        let second = SiteTurn::take(home.path()).unwrap_err();
        assert!(matches!(second, PublishError::Busy(_)), "{second}");
        drop(first);
        SiteTurn::take(home.path()).unwrap();
    }

    #[test]
    fn journals_follow_each_other_and_what_is_none_does_not_count() {
        let home = tempfile::tempdir().unwrap();
        assert!(journals(&home.path().join("nowhere")).unwrap().is_empty());
        assert_eq!(next_journal(home.path()).unwrap(), home.path().join("000001"));
        for name in ["000002", "000010", "000011"] {
            fs::create_dir(home.path().join(name)).unwrap();
        }
        for name in ["000010", "000002"] {
            fs::write(home.path().join(name).join(PLAN), "{}").unwrap();
        }
        let found = journals(home.path()).unwrap();
        assert_eq!(found, [home.path().join("000002"), home.path().join("000010")]);
        // One whose plan was never written down is begun again.
        assert_eq!(next_journal(home.path()).unwrap(), home.path().join("000011"));
    }
}

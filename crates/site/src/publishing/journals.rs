//! The journals of a site: which there are, and where the next one goes.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use super::journal::PLAN;

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

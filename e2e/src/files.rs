//! Files of a folder, to tell whether all are as they were.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// A file: its bytes, its mode, and when it was written.
pub type SeenFile = (Vec<u8>, u32, (i64, i64));

/// Every file in `folder` and below it.
///
/// # Panics
/// Where one cannot be read.
pub fn seen(folder: &Path) -> BTreeMap<PathBuf, SeenFile> {
    let mut all = BTreeMap::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            all.extend(seen(&path));
        } else {
            let found = fs::metadata(&path).unwrap();
            let bytes = fs::read(&path).unwrap();
            all.insert(path, (bytes, found.mode(), (found.mtime(), found.mtime_nsec())));
        }
    }
    all
}

//! What lies in a folder.

use std::path::Path;
use std::{fs, io};

/// The pages in `folder`, by their paths below it with forward slashes, index pages first.
pub fn pages(folder: &Path) -> io::Result<Vec<String>> {
    let mut pages = files_below(folder)?;
    pages.retain(|path| path.ends_with(".html") || path.ends_with(".htm"));
    pages.sort_by_key(|page| {
        (!page.ends_with("index.html"), page.matches('/').count(), page.clone())
    });
    Ok(pages)
}

/// The paths of the files in `folder` and below that end in `ending`.
///
/// # Errors
/// Those of the disk.
pub fn files_ending(folder: &Path, ending: &str) -> io::Result<Vec<String>> {
    let mut files = files_below(folder)?;
    files.retain(|path| path.to_ascii_lowercase().ends_with(ending));
    Ok(files)
}

/// Every file in `folder` and below, by its path there; links to folders are not followed.
///
/// # Errors
/// Those of the disk.
pub fn files_below(folder: &Path) -> io::Result<Vec<String>> {
    let mut files = Vec::new();
    let mut waiting = vec![folder.to_owned()];
    while let Some(next) = waiting.pop() {
        for entry in fs::read_dir(next)? {
            let entry = entry?;
            let (path, kind) = (entry.path(), entry.file_type()?);
            if kind.is_dir() {
                waiting.push(path);
            } else if kind.is_symlink() && path.is_dir() {
                // It may lead anywhere, also back here.
            } else if let Ok(below) = path.strip_prefix(folder) {
                files.push(below.to_string_lossy().into_owned());
            }
        }
    }
    files.sort();
    Ok(files)
}

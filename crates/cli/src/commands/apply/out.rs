//! The folder that a lighter copy of a site is written to.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use brisk_margin_archive as archive;
use brisk_margin_core::publication::StepKind;
use brisk_margin_site::publishing::folder::{SiteFolder, hash_of};
use brisk_margin_site::publishing::site_change::NewFile;

use super::super::made::{RECORD, Record};
use crate::home::Failure;

/// Refuses a folder that is the site, lies in it or around it.
pub(super) fn check(site: &SiteFolder, out: &Path) -> Result<(), Failure> {
    fs::create_dir_all(out)?;
    let out = out.canonicalize()?;
    let inside = |a: &Path, b: &Path| a.starts_with(b);
    if inside(&out, site.root()) || inside(site.root(), &out) {
        return Err(format!(
            "{} and the site lie in one another; give another folder with --out",
            out.display()
        )
        .into());
    }
    Ok(())
}

/// Writes the site with `files` in it to `out`: only what differs from what is there. A file that this
/// command did not write stays, and nothing is written then.
pub(super) fn write(site: &SiteFolder, out: &Path, files: &[NewFile]) -> Result<(), Failure> {
    let out = SiteFolder::open(out)?;
    let mut record = Record::read(out.read(RECORD)?.as_deref())?;
    let new: BTreeMap<&str, &NewFile> =
        files.iter().map(|file| (file.path.as_str(), file)).collect();
    let own = archive::files_below(site.root())?;
    let mut all: Vec<(StepKind, &str)> =
        files.iter().map(|file| (file.kind, file.path.as_str())).collect();
    let is_served = |path: &str| path != RECORD && !path.starts_with(".git/");
    let others = own.iter().filter(|path| !new.contains_key(path.as_str()) && is_served(path));
    all.extend(others.map(|path| (StepKind::File, path.as_str())));
    // Pages last, as everywhere.
    all.sort_unstable();
    let bytes = |path: &str| -> Result<Vec<u8>, Failure> {
        match new.get(path) {
            Some(file) => Ok(file.bytes.clone()),
            None => Ok(fs::read(site.root().join(path))?),
        }
    };
    let mut due = Vec::new();
    for &(_, path) in &all {
        let hash = hash_of(&bytes(path)?);
        match out.read(path)?.map(|there| hash_of(&there)) {
            Some(there) if there == hash => {}
            Some(there) if !record.has(path, &there) => {
                return Err(format!(
                    "{path} is in {} and was not written by this command; move it away or give \
                     another folder with --out",
                    out.root().display()
                )
                .into());
            }
            _ => due.push(path),
        }
        record.0.insert(path.to_owned(), hash);
    }
    let gone: Vec<String> =
        record.0.keys().filter(|path| !all.iter().any(|(_, p)| p == path)).cloned().collect();
    for path in due {
        out.write(path, &bytes(path)?, None)?;
    }
    for path in gone {
        let known = record.0.remove(&path);
        if out.read(&path)?.map(|there| hash_of(&there)) == known {
            out.remove(&path)?;
        }
    }
    let text = record.text()?;
    if out.read(RECORD)?.as_ref() != Some(&text) {
        out.write(RECORD, &text, None)?;
    }
    Ok(())
}

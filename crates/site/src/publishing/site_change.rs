//! Changes of a site: which files are written, in which order, and how each goes back. The bytes
//! themselves are kept by whoever makes the change, each under its hash.

use std::collections::{BTreeMap, HashSet};
use std::io;

use brisk_margin_core::publication::{Publication, Step, StepKind, StepState};
use serde::{Deserialize, Serialize};

use super::error::PublishError;
use super::folder::{FileNotes, SiteFolder, hash_of};
use brisk_margin_archive as archive;

/// A file that is to be written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewFile {
    /// Its path from the root of the site.
    pub path: String,
    /// What it is.
    pub kind: StepKind,
    /// The hash of what it was when the change was worked out; nothing where it was not there.
    pub seen: Option<String>,
    /// What it shall be.
    pub bytes: Vec<u8>,
}

/// A change of a site's folder that can go back to the byte.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SiteChange {
    publication: Publication,
    /// What each file that is replaced had beside its bytes.
    notes: BTreeMap<String, FileNotes>,
}

/// Keeps bytes under their hash, durably.
pub type Keep<'a> = &'a dyn Fn(&str, &[u8]) -> io::Result<()>;

/// The bytes that were kept under a hash.
pub type Kept<'a> = &'a dyn Fn(&str) -> io::Result<Vec<u8>>;

impl SiteChange {
    /// The change that writes `files` to `site`; what they shall be, and what is there now, is kept. Nothing
    /// of the site is touched.
    ///
    /// # Errors
    /// [`PublishError::Changed`] where a file is not as it was seen, and those of the disk.
    pub fn new(
        site: &SiteFolder,
        files: Vec<NewFile>,
        keep: Keep<'_>,
    ) -> Result<Self, PublishError> {
        let (mut steps, mut notes, mut changed) = (Vec::new(), BTreeMap::new(), Vec::new());
        for NewFile { path, kind, seen, bytes } in files {
            let there = site.read(&path)?;
            let before = there.as_deref().map(hash_of);
            let after = hash_of(&bytes);
            if before != seen && before.as_ref() != Some(&after) {
                changed.push(path);
                continue;
            }
            keep(&after, &bytes)?;
            if let (Some(hash), Some(there)) = (&before, &there) {
                keep(hash, there)?;
                notes.extend(site.notes(&path)?.map(|found| (path.clone(), found)));
            }
            steps.push(Step { path, kind, before, after });
        }
        match changed.is_empty() {
            true => Ok(Self { publication: Publication::new(steps), notes }),
            false => Err(PublishError::Changed(changed)),
        }
    }

    /// What it writes.
    pub const fn publication(&self) -> &Publication {
        &self.publication
    }

    /// Writes what is not written yet: files, then style sheets, then pages. May be called again after
    /// an end in the middle.
    ///
    /// # Errors
    /// [`PublishError::Changed`] where somebody wrote one of its files since, before anything is
    /// written, and those of the disk, after which it can go on or be taken back.
    pub fn publish(&self, site: &SiteFolder, kept: Kept<'_>) -> Result<(), PublishError> {
        self.publish_some(site, kept, usize::MAX)
    }

    /// [`publish`](Self::publish), but for what names the files: nobody sees them yet.
    ///
    /// # Errors
    /// Those of that.
    pub fn publish_files(&self, site: &SiteFolder, kept: Kept<'_>) -> Result<(), PublishError> {
        let files = self.publication.steps().iter().filter(|step| step.kind == StepKind::File);
        self.publish_some(site, kept, files.count())
    }

    /// [`publish`](Self::publish), ended after so many files.
    pub(super) fn publish_some(
        &self,
        site: &SiteFolder,
        kept: Kept<'_>,
        most: usize,
    ) -> Result<(), PublishError> {
        let changed = self.at(site, StepState::Changed)?;
        if !changed.is_empty() {
            return Err(match self.is_begun(site)? {
                true => PublishError::ChangedInBetween(changed),
                false => PublishError::Changed(changed),
            });
        }
        for step in self.publication.steps().iter().take(most) {
            site.tidy(&step.path)?;
            if state(site, step)? == StepState::Before {
                // Who may do what with a page stays; when it was written does not.
                let notes = self.notes.get(&step.path).copied();
                let notes = notes.map(|notes| FileNotes { modified: now(), ..notes });
                site.write(&step.path, &kept(&step.after)?, notes)?;
            }
        }
        Ok(())
    }

    /// Takes it back: what was replaced is as it was, with its mode and time, and what was added is
    /// gone. What somebody wrote since is left alone and told, and so is each added file that a page or style sheet
    /// of the site still names, theirs or another change's; `forced`, all of it goes.
    ///
    /// # Errors
    /// Those of the disk; it can be taken back again then.
    pub fn take_back(
        &self,
        site: &SiteFolder,
        forced: bool,
        kept: Kept<'_>,
    ) -> Result<Vec<String>, PublishError> {
        self.take_back_some(site, forced, kept, usize::MAX)
    }

    /// [`take_back`](Self::take_back), ended after so many files.
    pub(super) fn take_back_some(
        &self,
        site: &SiteFolder,
        forced: bool,
        kept: Kept<'_>,
        most: usize,
    ) -> Result<Vec<String>, PublishError> {
        let mut left = Vec::new();
        // Read once the pages are as they were: they go first.
        let mut named: Option<HashSet<Vec<u8>>> = None;
        for step in self.publication.back().take(most) {
            site.tidy(&step.path)?;
            let is_added = step.kind == StepKind::File && step.before.is_none();
            if is_added && !forced && named.is_none() {
                named = Some(names_in_texts(site)?);
            }
            let is_named =
                || named.as_ref().is_some_and(|named| named.contains(name_of(&step.path)));
            match (state(site, step)?, &step.before) {
                (StepState::Changed, _) if !forced => left.push(step.path.clone()),
                (StepState::After, None) if is_added && is_named() => left.push(step.path.clone()),
                (StepState::Before, Some(_)) => {}
                // Its folder may have been made without it.
                (_, None) => site.remove(&step.path)?,
                (_, Some(before)) => {
                    let notes = self.notes.get(&step.path).copied();
                    site.write(&step.path, &kept(before)?, notes)?;
                }
            }
        }
        Ok(left)
    }

    /// Whether some of it is written.
    ///
    /// # Errors
    /// Those of the disk.
    pub fn is_begun(&self, site: &SiteFolder) -> Result<bool, PublishError> {
        Ok(!self.at(site, StepState::After)?.is_empty())
    }

    /// Those of its files that are as `sought` says.
    ///
    /// # Errors
    /// Those of the disk.
    pub fn at(&self, site: &SiteFolder, sought: StepState) -> Result<Vec<String>, PublishError> {
        let mut found = Vec::new();
        for step in self.publication.steps() {
            if state(site, step)? == sought {
                found.push(step.path.clone());
            }
        }
        Ok(found)
    }
}

/// The last part of a path.
fn name_of(path: &str) -> &[u8] {
    path.rsplit('/').next().unwrap_or(path).as_bytes()
}

/// All that may be the name of a file in the pages and style sheets of a site: whatever stands there between
/// signs that names of made files have not.
fn names_in_texts(site: &SiteFolder) -> Result<HashSet<Vec<u8>>, PublishError> {
    let in_name = |byte: &u8| byte.is_ascii_alphanumeric() || b"-_.%".contains(byte);
    let mut names = HashSet::new();
    for path in archive::files_below(site.root())? {
        let small = path.to_ascii_lowercase();
        if ![".html", ".htm", ".css"].iter().any(|ending| small.ends_with(ending)) {
            continue;
        }
        let text = site.read(&path)?.unwrap_or_default();
        let words = text.split(|byte| !in_name(byte)).filter(|word| word.contains(&b'.'));
        names.extend(words.map(<[u8]>::to_vec));
    }
    Ok(names)
}

fn state(site: &SiteFolder, step: &Step) -> Result<StepState, PublishError> {
    let now = site.read(&step.path)?;
    Ok(step.state(now.as_deref().map(hash_of).as_deref()))
}

fn now() -> (u64, u32) {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    now.map_or((0, 0), |now| (now.as_secs(), now.subsec_nanos()))
}

//! Packages: the files of pictures with all that goes with them, as a zip archive for sites that are published
//! elsewhere.

use std::collections::BTreeSet;
use std::fs::File;
use std::io;
use std::path::Path;

use brisk_margin_archive::Packing;
use brisk_margin_core::naming;
use brisk_margin_core::publication::package::{FILES, Manifest, PackedFile, PackedSet};
use brisk_margin_core::slot::Slot;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{BlobError, StoreError};
use bytes::Bytes;
use thiserror::Error;
use tokio::sync::mpsc;
use uuid::Uuid;

use crate::making::Maker;
use crate::making::sets::{ResponsiveSet, SetError};

/// The version of a package's list.
const VERSION: u32 = 1;
/// Files that wait to be written at most.
const WAITING: usize = 4;

/// Why there is no package.
#[derive(Debug, Error)]
pub enum PackageError {
    /// No set of these pictures has all its files.
    #[error("none of these pictures has all files for a slot yet; make them by a run first")]
    Nothing,
    /// The disk.
    #[error("the package cannot be written: {0}")]
    Disk(#[from] io::Error),
    /// Bytes.
    #[error(transparent)]
    Blob(#[from] BlobError),
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// Writes a package of what was made of the pictures `ids` for the slots that show them, in `folder`: every set
/// that has all its files. A few files are in memory at a time. The archive has no name, and goes with the value.
///
/// # Errors
/// [`PackageError`].
pub async fn package(maker: &Maker, folder: &Path, ids: &[Uuid]) -> Result<File, PackageError> {
    let store = &maker.store;
    let (parts, mut heard) = mpsc::channel::<(String, Bytes)>(WAITING);
    let mut packing = Packing::into(tempfile::tempfile_in(folder)?);
    let writing = tokio::task::spawn_blocking(move || {
        while let Some((path, bytes)) = heard.blocking_recv() {
            packing.add(&path, &bytes)?;
        }
        packing.finish()
    });
    let mut packer = Packer {
        maker,
        parts,
        manifest: Manifest { version: VERSION, site: store.site().await?.name, sets: Vec::new() },
        packed: BTreeSet::new(),
    };
    let mut uses = store.uses_of(ids).await?;
    for &id in ids {
        let Some(picture) = store.picture(id).await?.filter(|found| found.removed_at.is_none())
        else {
            continue;
        };
        let mut slots: Vec<_> = uses.remove(&id).unwrap_or_default();
        slots.sort_by_key(|used| used.slot.id);
        slots.dedup_by_key(|used| used.slot.id);
        for used in slots {
            packer.add(&picture, used.slot).await?;
        }
    }
    packer.finish().await?;
    Ok(writing.await.map_err(io::Error::other)??)
}

struct Packer<'a> {
    maker: &'a Maker,
    /// To whoever writes them.
    parts: mpsc::Sender<(String, Bytes)>,
    manifest: Manifest,
    /// The paths of files that are in it.
    packed: BTreeSet<String>,
}

impl Packer<'_> {
    /// Adds the files of a picture for a slot, where all are made.
    async fn add(&mut self, picture: &Picture, slot: Slot) -> Result<(), PackageError> {
        let set = ResponsiveSet::plan(self.maker, picture, &picture.adjustments, slot).await;
        let set = match set {
            Ok(set) => set,
            Err(SetError::Store(error)) => return Err(error.into()),
            // It cannot be shown there at all.
            Err(_) => return Ok(()),
        };
        let Some(text) = set.page_text() else { return Ok(()) };
        if set.files.iter().any(|file| file.made.is_none()) {
            return Ok(());
        }
        let formats = set.offered();
        let mut files: Vec<PackedFile> = Vec::new();
        for file in set.files.iter().filter(|file| formats.contains(&file.format)) {
            let Some(made) = &file.made else { continue };
            let variant = &made.variant;
            let path = format!("{FILES}/{}", variant.file_name);
            // Two layout widths may have the same file.
            if files.iter().any(|known| known.path == path) {
                continue;
            }
            if self.packed.insert(path.clone()) {
                let bytes = self.maker.store.blobs().get(&variant.hash).await?;
                self.put(&path, bytes).await?;
            }
            files.push(PackedFile {
                path,
                format: file.format.name().to_owned(),
                width: variant.size.width,
                height: variant.size.height,
                bytes: variant.bytes,
            });
        }
        let markup = self.markup_path(picture, &set);
        self.put(&markup, text.into()).await?;
        let description = &picture.description;
        self.manifest.sets.push(PackedSet {
            picture: picture.name.clone(),
            slot: set.slot.name.clone(),
            alt: set.markup().alt,
            caption: description.caption.clone(),
            credit: set.credit.as_ref().map(|credit| credit.line()),
            markup,
            files,
        });
        Ok(())
    }

    /// Where the markup of a set goes: named after its picture and its slot, and numbered where that is not
    /// enough.
    fn markup_path(&mut self, picture: &Picture, set: &ResponsiveSet) -> String {
        let stem = picture.name.rsplit_once('.').map_or(&*picture.name, |(stem, _)| stem);
        let stem = format!("{}-{}", naming::slug(stem), naming::slug(&set.slot.name));
        let mut paths = (1..).map(|n| match n {
            1 => format!("markup/{stem}.html"),
            n => format!("markup/{stem}-{n}.html"),
        });
        let free = paths.find(|path| self.packed.insert(path.clone()));
        free.expect("numbers do not end")
    }

    async fn put(&self, path: &str, bytes: Bytes) -> Result<(), PackageError> {
        let sent = self.parts.send((path.to_owned(), bytes)).await;
        Ok(sent.map_err(|_| io::Error::other("the disk refused what came before"))?)
    }

    /// Adds what tells of all sets.
    async fn finish(self) -> Result<(), PackageError> {
        if self.manifest.sets.is_empty() {
            return Err(PackageError::Nothing);
        }
        let list = serde_json::to_vec_pretty(&self.manifest).map_err(io::Error::other)?;
        self.put("manifest.json", list.into()).await?;
        self.put("contact-sheet.html", self.manifest.contact_sheet().into()).await?;
        let credits = self.manifest.credits();
        if !credits.is_empty() {
            self.put("credits.txt", credits.into()).await?;
        }
        Ok(())
    }
}

//! Keeping: the bytes that a publication speaks of, stored before anything is written.

use std::collections::{BTreeMap, HashMap};
use std::sync::Mutex;

use brisk_margin_core::publication::report::{BothWays, FileChange, PageShots};
use brisk_margin_core::units::Bytes;
use brisk_margin_site::page::Shot;
use brisk_margin_site::publishing::folder::SiteFolder;
use brisk_margin_site::publishing::site_change::{NewFile, SiteChange};
use brisk_margin_store::{BlobHash, Store, StoreError};
use uuid::Uuid;

use super::PublicationError;

/// Keeps bytes that a publication speaks of.
pub(super) struct Keeping<'a> {
    pub(super) store: &'a Store,
    pub(super) publication: Uuid,
}

impl Keeping<'_> {
    /// Keeps all of `all`, each with the picture that it was made of where there is one. A row speaks of
    /// them first, so that nobody clears them away meanwhile.
    pub(super) async fn put(&self, all: Vec<(Vec<u8>, Option<Uuid>)>) -> Result<(), StoreError> {
        let hashes = all.iter().map(|(bytes, picture)| (BlobHash::of(bytes), *picture));
        self.store.note_publication_bytes(self.publication, &hashes.collect()).await?;
        for (bytes, _) in all {
            self.store.blobs().put(bytes.into()).await?;
        }
        Ok(())
    }

    /// What a page looks like before and after.
    pub(super) async fn shots(
        &self,
        shots: Vec<(Shot, Shot)>,
    ) -> Result<Vec<PageShots>, PublicationError> {
        let hash = |shot: &Shot| BlobHash::of(&shot.picture).as_str().to_owned();
        let told = shots.iter().map(|(before, after)| PageShots {
            width: before.width,
            before: hash(before),
            after: hash(after),
            shift: BothWays { before: before.shift, after: after.shift },
            largest: before
                .largest
                .zip(after.largest)
                .map(|(before, after)| BothWays { before, after }),
        });
        let told = Vec::from_iter(told);
        let pictures = shots.into_iter().flat_map(|(one, other)| [one.picture, other.picture]);
        self.put(pictures.map(|picture| (picture, None)).collect()).await?;
        Ok(told)
    }

    /// The change that writes `files`, and what it does to each, in order. All bytes of it are kept, and those of
    /// what is there.
    pub(super) async fn change(
        &self,
        folder: &SiteFolder,
        files: Vec<NewFile>,
        pictures: &BTreeMap<String, Uuid>,
    ) -> Result<(SiteChange, Vec<FileChange>), PublicationError> {
        let folder = folder.clone();
        let blocking = tokio::task::spawn_blocking(move || {
            let kept = Mutex::new(HashMap::new());
            let change = SiteChange::new(&folder, files, &|hash, bytes| {
                let mut kept = kept.lock().expect("no panic holds the lock");
                kept.insert(hash.to_owned(), bytes.to_vec());
                Ok(())
            })?;
            let kept = kept.into_inner().expect("no panic holds the lock");
            Ok::<_, PublicationError>((change, kept))
        });
        let (change, mut kept) = blocking.await??;
        let weight = |hash: &String| kept.get(hash).map_or(Bytes(0), |bytes| Bytes::of(bytes));
        let told = change.publication().steps().iter().map(|step| FileChange {
            path: step.path.clone(),
            kind: step.kind,
            before: step.before.as_ref().map(weight),
            after: weight(&step.after),
        });
        let told = Vec::from_iter(told);
        let mut all = Vec::new();
        for step in change.publication().steps() {
            let picture = pictures.get(&step.path).copied();
            all.extend(kept.remove(&step.after).map(|bytes| (bytes, picture)));
            let before = step.before.as_ref().and_then(|hash| kept.remove(hash));
            all.extend(before.map(|bytes| (bytes, None)));
        }
        self.put(all).await?;
        Ok((change, told))
    }
}

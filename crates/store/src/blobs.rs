//! Blobs: bytes kept under the hash of their content, durable before they are answered.

use std::path::Path;
use std::sync::Arc;

use brisk_margin_core::units::Bytes as Weight;
use bytes::Bytes;
use object_store::local::LocalFileSystem;
use object_store::path::Path as Key;
use object_store::{ObjectStore, ObjectStoreExt, PutPayload};
use sha2::{Digest, Sha256};
use thiserror::Error;

/// The SHA-256 of some bytes, in lower-case hexadecimal.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct BlobHash(String);

/// Takes bytes as they come and ends in their hash.
#[derive(Default)]
pub struct BlobHasher(Sha256);

impl BlobHasher {
    /// Takes the next bytes.
    pub fn update(&mut self, data: &[u8]) {
        self.0.update(data);
    }

    /// The hash of all of them.
    pub fn finish(self) -> BlobHash {
        BlobHash(self.0.finalize().iter().map(|byte| format!("{byte:02x}")).collect())
    }
}

impl BlobHash {
    /// The hash of `data`.
    pub fn of(data: &[u8]) -> Self {
        let mut hasher = BlobHasher::default();
        hasher.update(data);
        hasher.finish()
    }

    /// The hash that `text` spells; `None` where it spells none.
    pub fn parse(text: &str) -> Option<Self> {
        let digits = text.bytes().all(|b| matches!(b, b'0'..=b'9' | b'a'..=b'f'));
        (text.len() == 64 && digits).then(|| Self(text.to_owned()))
    }

    /// A hash that was stored before.
    pub(crate) fn stored(text: &str) -> Self {
        Self(text.to_owned())
    }

    /// Its hexadecimal digits.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    fn key(&self) -> Key {
        Key::from(format!("{}/{}", &self.0[..2], self.0))
    }
}

/// The blob store.
#[derive(Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
}

impl Blobs {
    /// A store on local disk; files and folders are synced before a write is answered.
    pub fn open(folder: &Path) -> Result<Self, BlobError> {
        std::fs::create_dir_all(folder)
            .map_err(|source| BlobError::Folder { folder: folder.display().to_string(), source })?;
        let store = LocalFileSystem::new_with_prefix(folder)?.with_fsync(true);
        Ok(Self { store: Arc::new(store) })
    }

    /// Keeps `data` and returns its hash. Bytes that are there already are not written again.
    pub async fn put(&self, data: Bytes) -> Result<BlobHash, BlobError> {
        let hashed = data.clone();
        let hash = tokio::task::spawn_blocking(move || BlobHash::of(&hashed)).await;
        let hash = hash.expect("hashing does not panic");
        if !self.holds(&hash, data.len() as u64).await? {
            self.store.put(&hash.key(), PutPayload::from_bytes(data)).await?;
        }
        Ok(hash)
    }

    /// Sees to it that `data`, whose hash is `hash`, is still there.
    pub(crate) async fn put_again(&self, hash: &BlobHash, data: Bytes) -> Result<(), BlobError> {
        if !self.holds(hash, data.len() as u64).await? {
            self.store.put(&hash.key(), PutPayload::from_bytes(data)).await?;
        }
        Ok(())
    }

    /// The bytes under `hash`.
    pub async fn get(&self, hash: &BlobHash) -> Result<Bytes, BlobError> {
        Ok(self.store.get(&hash.key()).await?.bytes().await?)
    }

    /// Deletes the bytes under `hash`; fine where there are none.
    pub(crate) async fn delete(&self, hash: &BlobHash) -> Result<(), BlobError> {
        match self.store.delete(&hash.key()).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(error) => Err(error.into()),
        }
    }

    /// What was made of `source` as `kind` and kept, where it is still there.
    pub async fn derived(&self, source: &BlobHash, kind: &str) -> Result<Option<Bytes>, BlobError> {
        match self.store.get(&derived_key(source, kind)).await {
            Ok(found) => Ok(Some(found.bytes().await?)),
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// Keeps `data`, made of `source` as `kind`: it may be lost, since it can be made again.
    pub async fn put_derived(
        &self,
        source: &BlobHash,
        kind: &str,
        data: Bytes,
    ) -> Result<(), BlobError> {
        self.store.put(&derived_key(source, kind), PutPayload::from_bytes(data)).await?;
        Ok(())
    }

    async fn holds(&self, hash: &BlobHash, length: u64) -> Result<bool, BlobError> {
        Ok(self.length(hash).await?.is_some_and(|found| found.get() == length))
    }

    /// How many bytes are kept under `hash`; `None` where none are.
    pub async fn length(&self, hash: &BlobHash) -> Result<Option<Weight>, BlobError> {
        match self.store.head(&hash.key()).await {
            Ok(found) => Ok(Some(Weight(found.size))),
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    pub(crate) async fn ping(&self) -> Result<(), BlobError> {
        self.store.list_with_delimiter(None).await?;
        Ok(())
    }
}

/// Kinds are any text, so their hash stands in the key.
fn derived_key(source: &BlobHash, kind: &str) -> Key {
    Key::from(format!("derived/{}/{}", source.0, BlobHash::of(kind.as_bytes()).0))
}

/// What the blob store could not do.
#[derive(Debug, Error)]
pub enum BlobError {
    /// The folder cannot be used.
    #[error("the folder {folder} cannot be used: {source}")]
    Folder {
        /// Its path.
        folder: String,
        /// What the system said.
        source: std::io::Error,
    },
    /// A read or write failed.
    #[error("the blob store failed: {0}")]
    Store(#[from] object_store::Error),
}

impl BlobError {
    /// Whether the bytes are not there: no other time will find them.
    pub const fn is_missing(&self) -> bool {
        matches!(self, Self::Store(object_store::Error::NotFound { .. }))
    }

    /// Whether the store is at fault and not what was asked: later it may go well.
    pub const fn is_transient(&self) -> bool {
        !self.is_missing()
    }

    /// Whether the disk is full: it works again when there is room.
    pub fn is_out_of_room(&self) -> bool {
        let mut cause: Option<&dyn std::error::Error> = Some(self);
        while let Some(error) = cause {
            if let Some(io) = error.downcast_ref::<std::io::Error>() {
                return matches!(
                    io.kind(),
                    std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded
                );
            }
            cause = error.source();
        }
        false
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn bytes_come_back_unchanged_and_are_kept_once() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::open(folder.path()).unwrap();
        let first = blobs.put(Bytes::from_static(b"dome")).await.unwrap();
        let again = blobs.put(Bytes::from_static(b"dome")).await.unwrap();
        assert_eq!(first, again);
        assert_eq!(&blobs.get(&first).await.unwrap()[..], b"dome");
        let files = std::fs::read_dir(folder.path().join(&first.as_str()[..2])).unwrap();
        assert_eq!(files.count(), 1);
    }

    #[tokio::test]
    async fn a_half_written_file_is_replaced() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::open(folder.path()).unwrap();
        let hash = BlobHash::of(b"dome");
        let shard = folder.path().join(&hash.as_str()[..2]);
        std::fs::create_dir_all(&shard).unwrap();
        std::fs::write(shard.join(hash.as_str()), b"do").unwrap();
        blobs.put(Bytes::from_static(b"dome")).await.unwrap();
        assert_eq!(&blobs.get(&hash).await.unwrap()[..], b"dome");
    }
}

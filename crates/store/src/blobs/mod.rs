//! Blobs: bytes kept under the hash of their content, durable before they are answered.
//!
//! The store holds originals and variants under their hashes, what was made of them under
//! `derived/` and `passing/`, and a mark that says whose it is.

mod address;
mod copying;
mod error;
mod hash;
mod reading;

use std::path::PathBuf;
use std::sync::Arc;

use brisk_margin_core::units::Bytes as Weight;
use bytes::Bytes;
use chrono::{DateTime, Utc};
use futures::{StreamExt, TryStreamExt};
use object_store::path::Path as Key;
use object_store::{ObjectMeta, ObjectStore, ObjectStoreExt, PutPayload};
use uuid::Uuid;

pub use address::{BlobAddress, NoBlobAddress};
pub use copying::{Copied, Copying, copy};
pub use error::BlobError;
pub use hash::{BlobHash, BlobHasher};

/// Says whose store it is.
const MARK: &str = "installation";
/// What was made of bytes and is kept with them lies below.
const DERIVED: &str = "derived";
/// What is kept for a while lies below.
const PASSING: &str = "passing";
/// Of the disk so much is kept free at most, or this part of it where that is less.
const KEPT: Weight = Weight(200_000_000);
const KEPT_SHARE: u64 = 50;
/// How many are deleted at once.
const AT_ONCE: usize = 16;

/// The blob store.
#[derive(Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
    /// Where it is on this machine.
    folder: Option<Arc<PathBuf>>,
}

/// For how long what was made of other bytes is kept. It can be made again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keep {
    /// As long as the bytes that it was made of: it is asked for again and again.
    WithSource,
    /// For a while: it belongs to something that was tried, and that may never be asked for again.
    ForAWhile,
}

impl Keep {
    const ALL: [Self; 2] = [Self::WithSource, Self::ForAWhile];

    /// Below which everything is that was made of `source`.
    fn folder(self, source: &BlobHash) -> Key {
        let source = source.as_str();
        Key::from(match self {
            Self::WithSource => format!("{DERIVED}/{source}"),
            Self::ForAWhile => format!("{PASSING}/{}/{source}", &source[..2]),
        })
    }

    /// Kinds are any text, so their hash stands in the key.
    fn key(self, source: &BlobHash, kind: &str) -> Key {
        self.folder(source).join(BlobHash::of(kind.as_bytes()).as_str())
    }
}

impl Blobs {
    /// The store at `address`; that of a bucket is reached as the environment says. On local disk,
    /// files and folders are synced before a write is answered.
    ///
    /// # Errors
    /// Where the folder cannot be made, or the settings of a bucket are missing or wrong.
    pub fn open(address: &BlobAddress) -> Result<Self, BlobError> {
        Self::open_with(address, std::env::vars())
    }

    /// The same with `settings` in place of the environment.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub fn open_with(
        address: &BlobAddress,
        settings: impl IntoIterator<Item = (String, String)>,
    ) -> Result<Self, BlobError> {
        let folder = match address {
            BlobAddress::Folder(path) => Some(Arc::new(path.clone())),
            BlobAddress::Bucket { .. } => None,
        };
        Ok(Self { store: address.open(settings)?, folder })
    }

    /// How much more the store holds; nothing where it is a bucket, or where the system does not say.
    pub async fn free(&self) -> Option<Weight> {
        let (free, kept) = self.room().await?;
        Some(Weight(free.get().saturating_sub(kept.get())))
    }

    /// Whether the store takes more: some of its disk is kept free for the database, which may lie there, too.
    ///
    /// # Errors
    /// [`BlobError::NoRoom`].
    pub async fn has_room(&self) -> Result<(), BlobError> {
        match self.room().await {
            Some((free, kept)) if free < kept => Err(BlobError::NoRoom { free, kept }),
            _ => Ok(()),
        }
    }

    /// What is free on its disk, and what of that is kept free.
    async fn room(&self) -> Option<(Weight, Weight)> {
        let folder = Arc::clone(self.folder.as_ref()?);
        let asked = tokio::task::spawn_blocking(move || rustix::fs::statvfs(&*folder));
        let disk = asked.await.ok()?.ok()?;
        let bytes = |blocks: u64| blocks.saturating_mul(disk.f_frsize);
        let kept = (bytes(disk.f_blocks) / KEPT_SHARE).min(KEPT.get());
        Some((Weight(bytes(disk.f_bavail)), Weight(kept)))
    }

    /// Marks the store as that of `installation`, whose sweep deletes what its own rows do not
    /// speak of.
    ///
    /// # Errors
    /// [`BlobError::OfAnother`] where it has the mark of another one.
    pub(crate) async fn belongs_to(&self, installation: Uuid) -> Result<(), BlobError> {
        let own = installation.to_string();
        match self.mark().await? {
            Some(of) if of == own => Ok(()),
            Some(of) => Err(BlobError::OfAnother { of }),
            None => self.put_mark(own).await,
        }
    }

    async fn mark(&self) -> Result<Option<String>, BlobError> {
        match self.store.get(&Key::from(MARK)).await {
            Ok(found) => Ok(Some(String::from_utf8_lossy(&found.bytes().await?).into_owned())),
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    async fn put_mark(&self, mark: String) -> Result<(), BlobError> {
        self.store.put(&Key::from(MARK), mark.into_bytes().into()).await?;
        Ok(())
    }

    /// Keeps `data` and returns its hash. Bytes that are there already and are sound are not
    /// written again.
    ///
    /// # Errors
    /// Those of the store.
    pub async fn put(&self, data: Bytes) -> Result<BlobHash, BlobError> {
        let hashed = data.clone();
        let hash = tokio::task::spawn_blocking(move || BlobHash::of(&hashed)).await;
        let hash = hash.expect("hashing does not panic");
        match self.get(&hash).await {
            Ok(_) => {}
            Err(error) if error.is_lost() => self.write(&hash, data).await?,
            Err(error) => return Err(error),
        }
        Ok(hash)
    }

    /// Sees to it that `data`, whose hash is `hash`, is still there.
    pub(crate) async fn put_again(&self, hash: &BlobHash, data: Bytes) -> Result<(), BlobError> {
        if self.length(hash).await?.is_none() {
            self.write(hash, data).await?;
        }
        Ok(())
    }

    async fn write(&self, hash: &BlobHash, data: Bytes) -> Result<(), BlobError> {
        self.has_room().await?;
        self.store.put(&hash.key(), PutPayload::from_bytes(data)).await?;
        Ok(())
    }

    /// Puts the bytes under `hash` in the place of what is there, as they are in `from`.
    ///
    /// # Errors
    /// Those of both stores; nothing is written unless `from` has the bytes whole.
    pub async fn restore(&self, hash: &BlobHash, from: &Self) -> Result<(), BlobError> {
        let data = from.get(hash).await?;
        self.write(hash, data).await
    }

    /// The bytes under `hash`. Large ones are mapped from a file, so that they take no memory that
    /// the system cannot take back.
    ///
    /// # Errors
    /// [`BlobError::Missing`] and [`BlobError::Damaged`], beside those of the store.
    pub async fn get(&self, hash: &BlobHash) -> Result<Bytes, BlobError> {
        match self.store.get(&hash.key()).await {
            Ok(found) => reading::read(found, hash).await,
            Err(object_store::Error::NotFound { .. }) => Err(BlobError::Missing(hash.clone())),
            Err(error) => Err(error.into()),
        }
    }

    /// Deletes the bytes under `hash`, and what was made of them; fine where there are none.
    pub(crate) async fn delete(&self, hash: &BlobHash) -> Result<(), BlobError> {
        for keep in Keep::ALL {
            self.delete_those(&keep.folder(hash), |_| true).await?;
        }
        match self.store.delete(&hash.key()).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(error) => Err(error.into()),
        }
    }

    /// Deletes what was to be kept for a while and was made before `then`, of bytes whose hashes
    /// begin with `part`, two digits; returns how many.
    ///
    /// # Errors
    /// Those of the store.
    pub async fn delete_passing(&self, part: u8, then: DateTime<Utc>) -> Result<usize, BlobError> {
        let passing = Key::from(format!("{PASSING}/{part:02x}"));
        self.delete_those(&passing, move |made| made.last_modified < then).await
    }

    async fn delete_those(
        &self,
        below: &Key,
        goes: impl Fn(&ObjectMeta) -> bool + Send + Sync,
    ) -> Result<usize, BlobError> {
        let found = self.store.list(Some(below));
        let goes = &goes;
        let found = found.try_filter(|made| std::future::ready(goes(made)));
        let deleted = found.map(|made| async {
            match self.store.delete(&made?.location).await {
                Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(1),
                Err(error) => Err(error),
            }
        });
        let deleted = deleted.buffer_unordered(AT_ONCE);
        Ok(deleted.try_fold(0, |sum, one| std::future::ready(Ok(sum + one))).await?)
    }

    /// The hashes that begin with `part`, two digits, of bytes that were stored before `then`.
    pub(crate) async fn stored_before(
        &self,
        part: u8,
        then: DateTime<Utc>,
    ) -> Result<Vec<BlobHash>, BlobError> {
        let found = self.store.list(Some(&Key::from(format!("{part:02x}"))));
        let old = found.try_filter_map(|stored| {
            let hash = BlobHash::of_key(&stored.location);
            std::future::ready(Ok(hash.filter(|_| stored.last_modified < then)))
        });
        Ok(old.try_collect().await?)
    }

    /// What was made of `source` as `kind` and kept, where it is still there.
    ///
    /// # Errors
    /// Those of the store.
    pub async fn derived(
        &self,
        source: &BlobHash,
        kind: &str,
        keep: Keep,
    ) -> Result<Option<Bytes>, BlobError> {
        match self.store.get(&keep.key(source, kind)).await {
            Ok(found) => Ok(Some(found.bytes().await?)),
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// Keeps `data`, made of `source` as `kind`: it may be lost, since it can be made again.
    ///
    /// # Errors
    /// Those of the store.
    pub async fn put_derived(
        &self,
        source: &BlobHash,
        kind: &str,
        keep: Keep,
        data: Bytes,
    ) -> Result<(), BlobError> {
        self.has_room().await?;
        self.store.put(&keep.key(source, kind), PutPayload::from_bytes(data)).await?;
        Ok(())
    }

    /// How many bytes are kept under `hash`; `None` where none are.
    ///
    /// # Errors
    /// Those of the store.
    pub async fn length(&self, hash: &BlobHash) -> Result<Option<Weight>, BlobError> {
        match self.store.head(&hash.key()).await {
            Ok(found) => Ok(Some(Weight(found.size))),
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// Whether the store can be reached and has its mark.
    pub(crate) async fn ping(&self) -> Result<(), BlobError> {
        self.store.head(&Key::from(MARK)).await?;
        Ok(())
    }
}

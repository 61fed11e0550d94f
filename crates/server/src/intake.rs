//! Intake: the way of a file into the library.
//!
//! Bytes are spooled to disk, read through to the last row, stored under their hash, and only
//! then given a row. Whatever stops the way in between leaves nothing in view.

use std::io;
use std::path::Path;
use std::sync::Arc;

use brisk_margin_core::naming;
use brisk_margin_core::picture::{Facts, Picture, PictureError};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Arrival;
use brisk_margin_store::{BlobHash, BlobHasher, StoreError};
use futures::{Stream, StreamExt};
use memmap2::Mmap;
use tempfile::{NamedTempFile, TempPath};
use thiserror::Error;
use tokio::io::AsyncWriteExt;

use crate::app::{App, Change};
use crate::workshop::WorkFailed;

/// The largest file that is taken: 200 MB.
pub const MAX_FILE: Bytes = Bytes::mb(200);

/// What is read and thrown away of a file that is too large, so that whoever sends it still
/// hears why.
const DRAIN: Bytes = Bytes::mb(1_000);

/// A file that was received whole but is not accepted yet; gone when dropped.
pub struct Spooled {
    path: TempPath,
    hash: BlobHash,
    bytes: Bytes,
}

impl Spooled {
    /// Receives `chunks` into a file in `folder`.
    ///
    /// # Errors
    /// [`IntakeError::TooLarge`] above [`MAX_FILE`], [`IntakeError::BrokenOff`] where the sender
    /// stopped, [`IntakeError::Disk`] where the file cannot be written.
    pub async fn receive<E: std::fmt::Display>(
        folder: &Path,
        chunks: impl Stream<Item = Result<bytes::Bytes, E>>,
    ) -> Result<Self, IntakeError> {
        let mut chunks = std::pin::pin!(chunks);
        let (file, path) = NamedTempFile::new_in(folder)?.into_parts();
        let mut file = tokio::fs::File::from_std(file);
        let mut hasher = BlobHasher::default();
        let mut bytes = 0;
        while let Some(chunk) = chunks.next().await {
            let chunk = chunk.map_err(|error| IntakeError::BrokenOff(error.to_string()))?;
            bytes += chunk.len() as u64;
            if bytes > MAX_FILE.get() {
                drain(chunks, Bytes(bytes)).await;
                return Err(IntakeError::TooLarge);
            }
            hasher.update(&chunk);
            file.write_all(&chunk).await?;
        }
        file.flush().await?;
        Ok(Self { path, hash: hasher.finish(), bytes: Bytes(bytes) })
    }
}

async fn drain<E>(mut chunks: impl Stream<Item = Result<bytes::Bytes, E>> + Unpin, seen: Bytes) {
    let mut seen = seen.get();
    while let Some(Ok(chunk)) = chunks.next().await {
        seen += chunk.len() as u64;
        if seen > DRAIN.get() {
            return;
        }
    }
}

/// Accepts a spooled file called `name` into the library of `app`.
///
/// # Errors
/// [`IntakeError::Picture`] where the file is no picture that can be kept; nothing is kept then.
pub async fn accept(app: &App, spooled: Spooled, name: &str) -> Result<Arrival, IntakeError> {
    if let Some(found) = app.store.picture_by_hash(&spooled.hash).await? {
        return Ok(Arrival::There(found));
    }
    if spooled.bytes == Bytes(0) {
        return Err(PictureError::Empty.into());
    }
    let map = Arc::new(map(&spooled.path)?);
    let facts = read_facts(app, Arc::clone(&map)).await?;
    verify(app, Arc::clone(&map), &facts).await?;
    let hash = app.store.blobs().put(bytes::Bytes::from_owner(Shared(map))).await?;
    let arrival = app.store.add_picture(&naming::tidy(name), &hash, spooled.bytes, &facts).await?;
    if matches!(arrival, Arrival::New(_)) {
        app.tell(Change::Pictures);
    }
    Ok(arrival)
}

fn map(path: &Path) -> io::Result<Mmap> {
    let file = std::fs::File::open(path)?;
    // SAFETY: the spool file is written once, by this process, before it is mapped, and is only
    // unlinked afterwards, which leaves the mapping whole.
    unsafe { Mmap::map(&file) }
}

/// A map that several owners read.
struct Shared(Arc<Mmap>);

impl AsRef<[u8]> for Shared {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

async fn read_facts(app: &App, map: Arc<Mmap>) -> Result<Facts, IntakeError> {
    let room = app.workshop.admit(Bytes::of(&map)).await;
    let read = move || Picture::open(&map).map(|picture| picture.facts().clone());
    Ok(app.workshop.run(room, read).await??)
}

async fn verify(app: &App, map: Arc<Mmap>, facts: &Facts) -> Result<(), IntakeError> {
    let room = app.workshop.admit(facts.memory(Bytes::of(&map))).await;
    let verify = move || Ok::<_, PictureError>(Picture::open(&map)?.verify()?);
    Ok(app.workshop.run(room, verify).await??)
}

/// Why a file was not taken.
#[derive(Debug, Error)]
pub enum IntakeError {
    /// More than [`MAX_FILE`].
    #[error(
        "the file is larger than {MAX_FILE}, the most that is taken; scale it down or save it with less quality first"
    )]
    TooLarge,
    /// The sender stopped before the end.
    #[error("the transfer broke off ({0}); nothing was kept, send the file again")]
    BrokenOff(String),
    /// The spool cannot be written.
    #[error(
        "the file could not be written to disk ({0}); nothing was kept, send it again when there is room"
    )]
    Disk(#[from] io::Error),
    /// It is no picture that can be kept.
    #[error(transparent)]
    Picture(#[from] PictureError),
    /// The codec broke down.
    #[error(transparent)]
    Work(#[from] WorkFailed),
    /// Database or blob store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The blob store failed.
    #[error(transparent)]
    Blob(#[from] brisk_margin_store::BlobError),
}

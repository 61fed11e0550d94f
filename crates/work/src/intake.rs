//! Intake: the way of a file into the library.
//!
//! Bytes are spooled to disk, read through to the last row, stored under their hash, and only
//! then given a row. Whatever stops the way in between leaves nothing in view.

use std::io;
use std::path::Path;
use std::sync::Arc;

use brisk_margin_archive::{ArchiveError, ArchiveReader, Limits, Unpacking};
use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::naming;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::{Original, PictureError};
use brisk_margin_store::pictures::{Arrival, NewPicture, Origin};
use brisk_margin_store::{BlobHash, BlobHasher, Store, StoreError};
use futures::{Stream, StreamExt};
use memmap2::Mmap;
use tempfile::{NamedTempFile, TempPath};
use thiserror::Error;
use tokio::io::AsyncWriteExt;

use crate::data_folder::DataFolder;
use crate::work_pool::{WorkFailed, WorkPool};

/// The largest file that is taken: 200 MB.
pub const MAX_FILE: Bytes = Bytes::mb(200);

/// What is read and thrown away of a file that is too large, so that whoever sends it still
/// hears why.
const DRAIN: Bytes = Bytes::mb(1_000);

/// A file that was received whole but is not accepted yet; gone when dropped.
pub struct Spooled {
    path: TempPath,
    hash: BlobHash,
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
        Ok(Self { path, hash: hasher.finish() })
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

/// What is known of a file besides its bytes.
#[derive(Debug, Clone)]
pub struct IncomingFile {
    /// Its name, as it came.
    pub name: String,
    /// The folder of the library that it goes into; empty for none.
    pub folder: String,
    /// How it came.
    pub origin: Origin,
    /// What is done with it; nothing for the site's own rule.
    pub import_action: Option<ImportAction>,
}

impl IncomingFile {
    /// A file called `name` that somebody sent.
    pub fn upload(name: &str) -> Self {
        Self {
            name: name.to_owned(),
            folder: String::new(),
            origin: Origin::Upload,
            import_action: None,
        }
    }
}

/// Takes files into the library.
#[derive(Clone)]
pub struct Intake {
    store: Store,
    pool: WorkPool,
    folder: DataFolder,
}

impl Intake {
    /// Takes files into `store`, spooled in `folder`.
    pub const fn new(store: Store, pool: WorkPool, folder: DataFolder) -> Self {
        Self { store, pool, folder }
    }

    /// Where files are read.
    pub const fn pool(&self) -> &WorkPool {
        &self.pool
    }

    /// Rows and blobs.
    pub(crate) fn store(&self) -> &Store {
        &self.store
    }

    /// Where files are spooled.
    pub fn folder(&self) -> &DataFolder {
        &self.folder
    }

    /// Accepts a spooled file into the library.
    ///
    /// # Errors
    /// [`IntakeError::Picture`] where the file is no picture that can be kept; nothing is kept then.
    pub async fn accept(
        &self,
        spooled: Spooled,
        incoming: IncomingFile,
    ) -> Result<Arrival, IntakeError> {
        self.accept_file(&spooled.path, &spooled.hash, incoming).await
    }

    /// Accepts the file at `path`, whose bytes have `hash` and do not change meanwhile.
    ///
    /// # Errors
    /// As [`accept`].
    pub async fn accept_file(
        &self,
        path: &Path,
        hash: &BlobHash,
        incoming: IncomingFile,
    ) -> Result<Arrival, IntakeError> {
        if let Some(found) = self.store.picture_by_hash(hash).await? {
            let data = bytes::Bytes::from_owner(map(path)?);
            return Ok(self.store.arrive_again(found, data).await?);
        }
        match tokio::fs::metadata(path).await?.len() {
            0 => return Err(PictureError::Empty.into()),
            length if length > MAX_FILE.get() => return Err(IntakeError::TooLarge),
            _ => {}
        }
        let map = Arc::new(map(path)?);
        let (facts, told) = self.read_facts(Arc::clone(&map)).await?;
        self.verify(Arc::clone(&map), &facts).await?;
        let IncomingFile { name, folder, origin, import_action } = incoming;
        let import_action = match import_action {
            Some(chosen) => chosen,
            None => self.store.site().await?.import_action,
        };
        let new = NewPicture {
            name: &naming::tidy(&name),
            folder: &naming::tidy_folder(&folder),
            origin,
            facts: &facts,
            embedded: &told,
            import_action: &import_action,
        };
        Ok(self.store.add_picture(bytes::Bytes::from_owner(Shared(map)), new).await?)
    }

    /// Accepts a spooled file that may be an archive of pictures. Of an archive, each file is taken
    /// or refused on its own; what hides itself or is no file of anybody is passed over.
    ///
    /// # Errors
    /// [`IntakeError::Archive`] where it is an archive that cannot be unpacked: nothing is kept then.
    pub async fn accept_all(
        &self,
        path: &Path,
        incoming: IncomingFile,
    ) -> Result<Vec<IntakeOutcome>, IntakeError> {
        if !is_zip(path).await? {
            let name = incoming.name.clone();
            let hash = hash_of(path).await?;
            return Ok(vec![IntakeOutcome {
                name,
                arrival: self.accept_file(path, &hash, incoming).await,
            }]);
        }
        let folder = tempfile::tempdir_in(self.folder.spool())?;
        let (archive, target) = (path.to_owned(), folder.path().to_owned());
        let unpack = move |reader: &ArchiveReader| {
            Unpacking::within(&target, Limits::PICTURES)
                .zip(std::fs::File::open(archive)?, reader)?;
            files_below(&target).map_err(ArchiveError::Disk)
        };
        let files = self.pool.read_archive(unpack).await??;
        if files.is_empty() {
            return Err(IntakeError::EmptyArchive);
        }
        let mut outcomes = Vec::with_capacity(files.len());
        for below in files {
            let path = folder.path().join(&below);
            let inside = Path::new(&below);
            let parent = inside.parent().map(Path::to_string_lossy).unwrap_or_default();
            let name = inside.file_name().map(|name| name.to_string_lossy().into_owned());
            let one = IncomingFile {
                name: name.unwrap_or_default(),
                folder: format!("{}/{parent}", incoming.folder),
                ..incoming.clone()
            };
            let arrival = match hash_of(&path).await {
                Ok(hash) => self.accept_file(&path, &hash, one).await,
                Err(error) => Err(error.into()),
            };
            outcomes.push(IntakeOutcome { name: below, arrival });
            // The space is free for the next ones.
            let _ = tokio::fs::remove_file(&path).await;
        }
        Ok(outcomes)
    }

    async fn read_facts(
        &self,
        map: Arc<Mmap>,
    ) -> Result<(PictureFacts, EmbeddedMetadata), IntakeError> {
        let room = self.pool.admit(Bytes::of(&map)).await;
        let read = move |codecs: &Codecs| {
            let picture = Original::open(codecs, &map)?;
            Ok::<_, PictureError>((picture.facts().clone(), picture.told().clone()))
        };
        Ok(self.pool.run(room, read).await??)
    }

    async fn verify(&self, map: Arc<Mmap>, facts: &PictureFacts) -> Result<(), IntakeError> {
        let room = self.pool.admit(facts.memory(Bytes::of(&map))).await;
        let facts = facts.clone();
        let verify = move |codecs: &Codecs| codecs.verify(&facts, &map);
        Ok(self.pool.run(room, verify).await?.map_err(PictureError::from)?)
    }
}

/// One file of several, and what became of it.
#[derive(Debug)]
pub struct IntakeOutcome {
    /// Its name, as it came.
    pub name: String,
    /// What became of it.
    pub arrival: Result<Arrival, IntakeError>,
}

async fn is_zip(path: &Path) -> io::Result<bool> {
    use tokio::io::AsyncReadExt;
    let mut start = [0; 4];
    let read = tokio::fs::File::open(path).await?.read(&mut start).await?;
    Ok(start[..read] == *b"PK\x03\x04" || start[..read] == *b"PK\x05\x06")
}

/// The hash of the file at `path`, read off the runtime.
pub async fn hash_of(path: &Path) -> io::Result<BlobHash> {
    let path = path.to_owned();
    let hash = move || {
        let mut file = std::fs::File::open(path)?;
        let mut hasher = BlobHasher::default();
        let mut buffer = vec![0; 1 << 20];
        loop {
            match io::Read::read(&mut file, &mut buffer)? {
                0 => return Ok(hasher.finish()),
                read => hasher.update(&buffer[..read]),
            }
        }
    };
    tokio::task::spawn_blocking(hash).await.map_err(io::Error::other)?
}

/// All files below `folder` that do not hide, by their paths below it: no links, and nothing that
/// only looks like a file, such as a pipe.
pub fn files_below(folder: &Path) -> io::Result<Vec<String>> {
    let mut files = Vec::new();
    let mut waiting = vec![folder.to_owned()];
    while let Some(next) = waiting.pop() {
        for entry in std::fs::read_dir(next)? {
            let entry = entry?;
            let name = entry.file_name();
            let hides = name.to_string_lossy().starts_with(['.', '~']) || name == "__MACOSX";
            let kind = entry.file_type()?;
            if hides {
                continue;
            }
            if kind.is_dir() {
                waiting.push(entry.path());
            } else if kind.is_file()
                && let Ok(below) = entry.path().strip_prefix(folder)
            {
                files.push(below.to_string_lossy().into_owned());
            }
        }
    }
    files.sort();
    Ok(files)
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
    /// It is an archive that cannot be unpacked.
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    /// It is an archive without files.
    #[error("there is no file in the archive; pack the pictures again")]
    EmptyArchive,
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

impl IntakeError {
    /// Whether the same file may be taken later: the machine is at fault and not the file.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Disk(_) => true,
            Self::Picture(error) => error.is_transient(),
            Self::Store(error) => error.is_transient(),
            Self::Blob(error) => error.is_transient(),
            _ => false,
        }
    }
}

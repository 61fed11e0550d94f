//! Sites that have no host of their own: their files are served while they are measured.

use std::io::Write;
use std::path::{Path, PathBuf};

use brisk_margin_archive::{self as archive, ArchiveError, ArchiveReader, Unpacking};
use brisk_margin_site::host::{self, Faults, LocalHost};
use brisk_margin_store::{BlobHash, Blobs};
use serde::{Deserialize, Serialize};
use tempfile::TempDir;

use crate::jobs::JobFailure;

/// Where the files of a site lie.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(tag = "from", rename_all = "lowercase")]
pub(super) enum SiteFiles {
    /// They came as an archive, which is in the blob store; sweeping looks for `hash`.
    Archive { name: String, hash: String },
    /// In the site's own folder.
    Folder { path: PathBuf },
}

impl SiteFiles {
    /// What the addresses of its pages begin with where they are shown.
    pub(super) fn shown_as(&self) -> String {
        match self {
            Self::Archive { name, .. } => format!("files:{name}"),
            Self::Folder { .. } => "folder:".to_owned(),
        }
    }

    /// Serves them for as long as the value lives.
    pub(super) async fn serve(&self, blobs: &Blobs) -> Result<ServedFiles, JobFailure> {
        let (unpacked, folder) = match self {
            Self::Archive { hash, .. } => {
                let hash = BlobHash::parse(hash);
                let hash = hash.ok_or_else(|| JobFailure::last("the site's files have no hash"))?;
                let packed = blobs.get(&hash).await?;
                let unpacked = off_the_runtime(move || unpack(&packed)).await?;
                let folder = unpacked.path().to_owned();
                (Some(unpacked), folder)
            }
            Self::Folder { path } => (None, path.clone()),
        };
        let host = LocalHost::start(host::router(&folder, Faults::default())).await;
        let host = host.map_err(ArchiveError::Disk)?;
        Ok(ServedFiles {
            pages: pages_in(folder).await?,
            _unpacked: unpacked,
            host,
            shown_as: self.shown_as(),
        })
    }
}

/// The files of a site, served.
pub(super) struct ServedFiles {
    /// Its pages by their paths, index pages first: also those that no other page links to.
    pages: Vec<String>,
    _unpacked: Option<TempDir>,
    host: LocalHost,
    shown_as: String,
}

impl ServedFiles {
    /// Where an address that is shown is served.
    pub(super) fn at(&self, address: &str) -> String {
        address.replacen(&self.shown_as, &self.host.origin, 1)
    }

    /// How an address is shown.
    pub(super) fn shown(&self, address: &str) -> String {
        address.replacen(&self.host.origin, &self.shown_as, 1)
    }

    /// Where each of its pages is served.
    pub(super) fn pages(&self) -> impl Iterator<Item = String> {
        self.pages.iter().map(|page| format!("{}/{page}", self.host.origin))
    }
}

/// Packs the site in `folder`; returns its first page and the archive.
pub(super) async fn pack(folder: TempDir) -> Result<(String, bytes::Bytes), ArchiveError> {
    let first = first_page(folder.path().to_owned()).await?;
    let packed = off_the_runtime(move || {
        let packed = tempfile::tempfile()?;
        archive::pack(folder.path(), &packed)?;
        // SAFETY: the file has no name, so that nobody else can change it.
        let map = unsafe { memmap2::Mmap::map(&packed) }?;
        Ok(bytes::Bytes::from_owner(map))
    });
    Ok((first, packed.await?))
}

/// The first page in `folder`.
///
/// # Errors
/// [`ArchiveError::NoPages`] where there is none.
pub(super) async fn first_page(folder: PathBuf) -> Result<String, ArchiveError> {
    pages_in(folder).await?.into_iter().next().ok_or(ArchiveError::NoPages)
}

async fn pages_in(folder: PathBuf) -> Result<Vec<String>, ArchiveError> {
    off_the_runtime(move || Ok(archive::pages(Path::new(&folder))?)).await
}

fn unpack(packed: &[u8]) -> Result<TempDir, ArchiveError> {
    let folder = tempfile::tempdir()?;
    let mut spooled = tempfile::tempfile()?;
    spooled.write_all(packed)?;
    Unpacking::into(folder.path()).zip(spooled, &ArchiveReader::in_process())?;
    Ok(folder)
}

async fn off_the_runtime<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ArchiveError> + Send + 'static,
) -> Result<T, ArchiveError> {
    tokio::task::spawn_blocking(work).await.map_err(std::io::Error::other)?
}

//! Publications: what was made for the library's pictures goes to the site's own folder, and back.
//!
//! What one would change is worked out and held against the site in a browser first, as
//! [`publishing`](crate::publishing) does; only then can it be written. Bytes are kept before anything is
//! written: an end at any moment leaves a publication that goes on, or back.
//!
//! - `library`: which files the places of the site are to offer.
//! - `looks`: whether places are seen as they were.
//! - [`preparing`]: what that would change; [`differences`]: line by line.
//! - `icons`: the same of a site's icons; `keeping`: bytes are stored before that.
//! - [`filming`]: how a page comes before and after.

pub mod differences;
pub(crate) mod filming;
mod icons;
mod keeping;
mod library;
mod looks;
pub mod preparing;

use std::io;
use std::sync::Arc;

use brisk_margin_archive as archive;
use brisk_margin_core::format::Format;
use brisk_margin_core::publication::StepKind;
use brisk_margin_core::publication::host::{HostNote, LeftFormat, host_notes, left_formats};
use brisk_margin_core::publication::state::{PublicationAct, PublicationState, PublicationWish};
use brisk_margin_core::units::Bytes;
use brisk_margin_site::publishing::error::PublishError;
use brisk_margin_site::publishing::folder::SiteFolder;
use brisk_margin_site::publishing::host_check::asked;
use brisk_margin_site::publishing::site_change::{Kept, SiteChange};
use brisk_margin_site::publishing::turn::SiteTurn;
use brisk_margin_store::publications::{Publication, PublicationEnding};
use brisk_margin_store::{BlobHash, Blobs, Store, StoreError};
use serde::Deserialize;
use thiserror::Error;
use tokio::runtime::Handle;
use url::Url;
use uuid::Uuid;

use crate::jobs::{JobFailure, JobInHand};
use crate::publishing::path_at;
use crate::sites::SiteServices;

/// So many bytes of new picture files at most: what is prepared is in memory as a whole.
const MOST_BYTES: Bytes = Bytes(1 << 30);

/// A drawing of fewer bytes fits into a packet as it is.
const WORTH_COMPRESSING: u64 = 1_400;

/// Which publication a job is about.
#[derive(Debug, Deserialize)]
struct Args {
    publication: Uuid,
}

/// Why something is not done with a publication.
#[derive(Debug, Error)]
pub enum PublicationError {
    /// The site has no folder that could be written to.
    #[error("{0}")]
    Folder(String),
    /// It was not worked out.
    #[error(transparent)]
    Site(#[from] crate::publishing::SiteError),
    /// It cannot be written or taken back.
    #[error(transparent)]
    Publish(#[from] PublishError),
    /// Icons that are not there.
    #[error("no icon files were made yet; make them first")]
    NoIcons,
    /// Too much at once.
    #[error("the files weigh more than 1 GB together; publish fewer pages at once")]
    TooMuch,
    /// What was written down is not understood.
    #[error("the publication cannot be read: {0}")]
    Unreadable(String),
    /// The database or the blob store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A worker of the machine broke down.
    #[error("it broke down: {0}")]
    Broken(#[from] tokio::task::JoinError),
}

/// Does what the publication of a job stands at, and notes how that ended: a reason is told there, and
/// the job has ended.
///
/// # Errors
/// Those of the database, and where the job is not to be gone on with.
pub(crate) async fn run(site: &SiteServices, job: &JobInHand) -> Result<(), JobFailure> {
    let Args { publication } = job.args()?;
    let Some(publication) = site.store.publication(publication).await? else { return Ok(()) };
    // Another attempt did it, or it was cancelled.
    let act = publication.state.act(!publication.left_alone.is_empty());
    let Some(act) = act else { return Ok(()) };
    let done = match act {
        PublicationAct::Prepare => preparing::prepare(site, &publication, job).await?,
        PublicationAct::Publish => write(site, &publication).await,
        PublicationAct::TakeBack => take_back(site, &publication, false).await,
        PublicationAct::TakeAllBack => take_back(site, &publication, true).await,
    };
    let ending = match done {
        Ok(ending) => ending,
        Err(PublicationError::Store(error)) if error.is_transient() => return Err(error.into()),
        Err(error) => ended_by(site, &publication, act, &error).await,
    };
    site.store.end_publication(publication.id, &ending).await?;
    if matches!(ending, PublicationEnding::Published(_) | PublicationEnding::TakenBack(_)) {
        // What pages load now, and with it what is left to gain.
        site.measuring.again().await?;
    }
    Ok(())
}

/// Where a publication stands after an error.
async fn ended_by(
    site: &SiteServices,
    publication: &Publication,
    act: PublicationAct,
    error: &PublicationError,
) -> PublicationEnding {
    let state = match (act, error) {
        (PublicationAct::Prepare, _) => PublicationState::Failed,
        (PublicationAct::Publish, PublicationError::Publish(PublishError::Changed(_))) => {
            PublicationState::Outdated
        }
        // Where nothing of it is there, it can be published as before.
        (PublicationAct::Publish, _) if !is_begun(site, publication).await => {
            PublicationState::Ready
        }
        _ => PublicationState::Interrupted,
    };
    PublicationEnding::At(state, error.to_string())
}

/// Whether a part of it may be on the site: so it is where that cannot be told.
async fn is_begun(site: &SiteServices, publication: &Publication) -> bool {
    let Ok(writing) = Writing::of(site, publication).await else { return true };
    writing.by(|change, folder, _| change.is_begun(folder)).await.unwrap_or(true)
}

/// Writes the files, asks the site's host whether it serves them, and only then writes what names them.
async fn write(
    site: &SiteServices,
    publication: &Publication,
) -> Result<PublicationEnding, PublicationError> {
    let writing = Writing::of(site, publication).await?.in_turn()?;
    writing.by(|change, folder, kept| change.publish_files(folder, kept)).await?;
    let (left, notes) = asked_of_host(site, &publication.wish, &writing).await?;
    if left.is_empty() {
        writing.by(|change, folder, kept| change.publish(folder, kept)).await?;
        return Ok(PublicationEnding::Published(notes));
    }
    writing.by(|change, folder, kept| change.take_back(folder, false, kept)).await?;
    let told = left.iter().map(|left| {
        let name = left.format.name().to_uppercase();
        format!("{name}: {}", left.why)
    });
    let told = Vec::from_iter(told).join("; ");
    Ok(PublicationEnding::Without(left, format!("{told}. Prepared again, it does without")))
}

async fn take_back(
    site: &SiteServices,
    publication: &Publication,
    forced: bool,
) -> Result<PublicationEnding, PublicationError> {
    let writing = Writing::of(site, publication).await?.in_turn()?;
    let left = writing.by(move |change, folder, kept| change.take_back(folder, forced, kept));
    Ok(PublicationEnding::TakenBack(left.await?))
}

/// A change that is written to the site, or taken back.
#[derive(Clone)]
struct Writing {
    folder: SiteFolder,
    change: SiteChange,
    blobs: Blobs,
    /// Goes with the last part that is done: one that blocks outlives whoever waits for it.
    turn: Option<Arc<SiteTurn>>,
}

impl Writing {
    async fn of(site: &SiteServices, publication: &Publication) -> Result<Self, PublicationError> {
        let (folder, change) = (folder(site).await?, change(publication)?);
        Ok(Self { folder, change, blobs: site.store.blobs().clone(), turn: None })
    }

    /// The same, while nobody else writes to the site.
    fn in_turn(self) -> Result<Self, PublishError> {
        let turn = Some(Arc::new(SiteTurn::take(&self.folder)?));
        Ok(Self { turn, ..self })
    }

    /// Does a part of it, where it may block.
    async fn by<T: Send + 'static>(
        &self,
        part: impl FnOnce(&SiteChange, &SiteFolder, Kept<'_>) -> Result<T, PublishError>
        + Send
        + 'static,
    ) -> Result<T, PublicationError> {
        let (own, kept) = (self.clone(), kept(&self.blobs));
        let done = tokio::task::spawn_blocking(move || {
            let done = part(&own.change, &own.folder, &kept);
            drop(own.turn);
            done
        });
        Ok(done.await??)
    }
}

/// The formats that the site's host does not serve as it should, by one new file of each, and what it could
/// do better with them and with the site's drawings.
async fn asked_of_host(
    site: &SiteServices,
    wish: &PublicationWish,
    writing: &Writing,
) -> Result<(Vec<LeftFormat>, Vec<HostNote>), PublicationError> {
    let address = site.store.site().await?.address;
    let Some(address) = address.and_then(|address| Url::parse(&address).ok()) else {
        return Ok((Vec::new(), Vec::new()));
    };
    let publication = writing.change.publication();
    let mut answers = Vec::new();
    for format in Format::ALL.into_iter().filter(|format| wish.offers(*format)) {
        let ending = format!(".{}", format.extension());
        let mut files = publication.steps().iter().filter(|step| step.kind == StepKind::File);
        let Some(file) = files.find(|step| step.path.ends_with(&ending)) else { continue };
        answers.extend(asked(&address, &file.path).await.map(|answer| (format, answer)));
    }
    let drawing = match writing.by(|_, folder, _| Ok(drawing_of(folder))).await? {
        Some(path) => asked(&address, &path).await,
        None => None,
    };
    // Icons are there in one format each: a host that sends one wrongly is told of where they are checked.
    let left = if wish.icons { Vec::new() } else { left_formats(&answers) };
    Ok((left, host_notes(&answers, drawing.as_ref())))
}

/// The path of a drawing of the site that is worth compressing; nothing where it has none.
fn drawing_of(folder: &SiteFolder) -> Option<String> {
    let drawings = archive::files_ending(folder.root(), ".svg").ok()?;
    let is_worth = |path: &String| {
        let size = std::fs::metadata(folder.root().join(path)).map_or(0, |data| data.len());
        size >= WORTH_COMPRESSING
    };
    drawings.into_iter().find(is_worth)
}

/// The folder of the site.
///
/// # Errors
/// [`PublicationError::Folder`] where it has none, or that cannot be read here.
pub async fn folder(site: &SiteServices) -> Result<SiteFolder, PublicationError> {
    let told = site.store.site().await?.folder;
    let path = told.ok_or_else(|| {
        PublicationError::Folder(
            "the site has no folder on this machine; name it in the settings of the site"
                .to_owned(),
        )
    })?;
    let opened = {
        let path = path.clone();
        tokio::task::spawn_blocking(move || SiteFolder::open(path.as_ref())).await?
    };
    opened.map_err(|error| {
        PublicationError::Folder(format!("the site's folder {path} cannot be opened: {error}"))
    })
}

/// The latest publication that changes a page, which is measured at `address`, with the page's path in it.
///
/// # Errors
/// Those of the database.
pub async fn latest_of(store: &Store, address: &str) -> Result<Option<(Uuid, String)>, StoreError> {
    let Some(path) = path_at(address) else { return Ok(None) };
    let found = store.latest_publication_of(&path).await?;
    Ok(found.map(|id| (id, path)))
}

/// What a publication writes.
///
/// # Errors
/// [`PublicationError::Unreadable`] where it was not prepared by this version or an earlier one.
pub fn change(publication: &Publication) -> Result<SiteChange, PublicationError> {
    let text = publication.change.clone().unwrap_or_default();
    serde_json::from_value(text).map_err(|error| PublicationError::Unreadable(error.to_string()))
}

/// Bytes of `blobs` for whoever blocks.
fn kept(blobs: &Blobs) -> impl Fn(&str) -> io::Result<Vec<u8>> + use<> {
    let (blobs, handle) = (blobs.clone(), Handle::current());
    move |hash| {
        let hash = BlobHash::parse(hash).ok_or(io::ErrorKind::InvalidData)?;
        let found = handle.block_on(blobs.get(&hash));
        found.map(|bytes| bytes.to_vec()).map_err(io::Error::other)
    }
}

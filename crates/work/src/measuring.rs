//! Measuring, as a job: one page or a whole site, with progress and cancel.
//!
//! Each page is kept as soon as it is done, and noted with the job, so that an end of the process
//! loses only the pages under way; what was measured before stays when a page cannot be measured
//! now.

use std::collections::BTreeSet;
use std::io::Write;
use std::path::{Path, PathBuf};

use brisk_margin_core::job::{JobKind, JobState};
use brisk_margin_core::place::ServedFile;
use brisk_margin_core::site::SiteSettings;
use brisk_margin_core::source_format::{self, Content};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original;
use brisk_margin_site::archive::{self, ArchiveError, Unpacking};
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::fetched::Files as PageFiles;
use brisk_margin_site::file_reader::{FileFacts, FileReader};
use brisk_margin_site::gate::Authority;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_site::measure::{Crawl, Measurer, PageDone};
use brisk_margin_site::measured::{FoundPlace, MeasuredPage};
use brisk_margin_site::plan::Plan;
use brisk_margin_store::jobs::{Job, NewJob};
use brisk_margin_store::layouts::{Changes, NewPage, NewPlace};
use brisk_margin_store::{BlobHash, Store, StoreError};
use serde::{Deserialize, Serialize};
use tempfile::TempDir;
use thiserror::Error;
use tokio::net::TcpListener;
use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use url::Url;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::jobs::{JobFailure, JobInHand};
use crate::work_pool::WorkPool;

/// What addresses of pages in the site's own folder begin with.
const OF_FOLDER: &str = "folder:";

/// Measures pages, as jobs. Clones measure into the same store.
#[derive(Clone)]
pub struct Measuring {
    store: Store,
    pool: WorkPool,
    own_ports: BTreeSet<u16>,
}

/// What to measure, as a job has it.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct MeasureArgs {
    /// The address of a page, or of the first page of a site that came as files.
    address: String,
    /// Whether pages that it links to are measured, too.
    whole_site: bool,
    /// The site's files, where it came as such.
    files: Option<SiteArchive>,
    /// The site's own folder, where that is measured.
    #[serde(default)]
    folder: Option<PathBuf>,
    /// Ports of the server that no page may reach, besides those that the worker knows of.
    own_ports: BTreeSet<u16>,
}

/// A site that came as files: an archive in the blob store.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct SiteArchive {
    name: String,
    hash: String,
}

/// What was measured so far: enough to go on after an end in the middle, and to tell of it.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
struct Measured {
    crawl: Crawl,
    new: usize,
    changed: usize,
    gone: usize,
    problems: Vec<String>,
    refused: Vec<Refused>,
}

/// How far measuring is.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Report {
    /// The job.
    pub job: Uuid,
    /// The address it started from.
    pub address: String,
    /// Whether it still goes on, or waits for its turn.
    pub running: bool,
    /// Whether somebody stopped it.
    pub cancelled: bool,
    /// Pages that are done.
    pub done: usize,
    /// Pages that are known of.
    pub known: usize,
    /// Places that are new.
    pub new: usize,
    /// Places whose boxes or files changed.
    pub changed: usize,
    /// Places that are gone.
    pub gone: usize,
    /// Pages that could not be measured, and why.
    pub problems: Vec<String>,
    /// Hosts and ports that pages asked for and that were not entered, each with an address.
    pub refused: Vec<Refused>,
}

/// A host that was not reached.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Refused {
    /// Host and port.
    pub host: String,
    /// One of the addresses that were asked for.
    pub example: String,
}

/// What to measure.
#[derive(Debug, Clone)]
pub struct Wish {
    /// The address of a page.
    pub address: String,
    /// Whether pages that it links to are measured, too.
    pub whole_site: bool,
}

impl Report {
    /// What the job tells of itself; nothing where its row is not understood.
    fn of(job: Job) -> Option<Self> {
        let args: MeasureArgs = serde_json::from_value(job.args).ok()?;
        let told = job.checkpoint.and_then(|told| serde_json::from_value(told).ok());
        let Measured { crawl, new, changed, gone, mut problems, refused } =
            told.unwrap_or_default();
        let is_last = !matches!(job.state, JobState::Done | JobState::Cancelled);
        problems.extend(job.reason.filter(|_| is_last));
        Some(Self {
            job: job.id,
            address: args.address,
            running: matches!(job.state, JobState::Waiting | JobState::Running),
            cancelled: job.state == JobState::Cancelled,
            done: crawl.done.len(),
            known: crawl.known.len().max(1),
            new,
            changed,
            gone,
            problems,
            refused,
        })
    }
}

impl Measuring {
    /// Keeps what is measured in `store`; files that pages serve are read in `pool`. No page may
    /// reach `own_ports` of this machine: the application's own and its database's.
    pub fn new(store: Store, pool: WorkPool, own_ports: BTreeSet<u16>) -> Self {
        Self { store, pool, own_ports }
    }

    /// How far the latest is, or how it ended; `None` before the first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn report(&self) -> Result<Option<Report>, StoreError> {
        Ok(self.store.latest_job(JobKind::Measure).await?.and_then(Report::of))
    }

    /// Cancels the latest. What was measured stays.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn cancel(&self) -> Result<(), StoreError> {
        if let Some(job) = self.store.latest_job(JobKind::Measure).await? {
            self.store.cancel_job(job.id).await?;
        }
        Ok(())
    }

    /// Adds a job that measures what is wished for; where the same one waits or runs already, that
    /// one stands for it.
    ///
    /// # Errors
    /// [`StartError::Address`] where an address is none.
    pub async fn start(&self, wish: Wish, site: &SiteSettings) -> Result<(), StartError> {
        self.plan(&wish.address, site)?;
        let Wish { address, whole_site } = wish;
        let (files, folder) = (None, None);
        let own_ports = self.own_ports.clone();
        self.push(MeasureArgs { address, whole_site, files, folder, own_ports }).await
    }

    /// Adds a job that measures the pages in the site's own folder, as a web host would serve them.
    /// They are kept under `folder:/…`.
    ///
    /// # Errors
    /// [`ArchiveError::NoPages`] where there is none.
    pub async fn start_folder(&self, folder: PathBuf) -> Result<(), StartError> {
        let first = pages_in(folder.clone()).await?.into_iter().next();
        let first = first.ok_or(ArchiveError::NoPages)?;
        self.push(MeasureArgs {
            address: format!("{OF_FOLDER}/{first}"),
            whole_site: true,
            files: None,
            folder: Some(folder),
            own_ports: self.own_ports.clone(),
        })
        .await
    }

    /// Adds a job that measures the site whose files lie in `folder`, called `name`. Its pages are
    /// kept under `files:name/…`.
    ///
    /// # Errors
    /// [`ArchiveError::NoPages`] where there is none.
    pub async fn start_files(&self, folder: TempDir, name: &str) -> Result<(), StartError> {
        let pack = move || -> Result<(String, bytes::Bytes), ArchiveError> {
            let first = archive::pages(folder.path())?.into_iter().next();
            let first = first.ok_or(ArchiveError::NoPages)?;
            let packed = tempfile::tempfile_in(folder.path())?;
            archive::pack(folder.path(), &packed)?;
            // SAFETY: the file has no name, so that nobody else can change it.
            let map = unsafe { memmap2::Mmap::map(&packed) }?;
            Ok((first, bytes::Bytes::from_owner(map)))
        };
        let packed = tokio::task::spawn_blocking(pack).await.map_err(std::io::Error::other);
        let (first, packed) = packed.map_err(ArchiveError::Disk)??;
        // Until a job speaks of them.
        let _held = self.store.hold_bytes().await?;
        let hash = self.store.blobs().put(packed).await.map_err(StoreError::Blob)?;
        let files = SiteArchive { name: name.to_owned(), hash: hash.as_str().to_owned() };
        self.push(MeasureArgs {
            address: format!("{}/{first}", files.shown_as()),
            whole_site: true,
            files: Some(files),
            folder: None,
            own_ports: self.own_ports.clone(),
        })
        .await
    }

    async fn push(&self, args: MeasureArgs) -> Result<(), StartError> {
        let key = args.address.clone();
        if self.store.open_job(JobKind::Measure, &key).await?.is_none() {
            let args = serde_json::to_value(args).expect("plain values");
            self.store.push_job(&NewJob::new(JobKind::Measure, key, args).awaited()).await?;
        }
        Ok(())
    }

    /// What may be reached, and at which widths.
    fn plan(&self, address: &str, site: &SiteSettings) -> Result<Plan, MeasureError> {
        let mut plan = Plan::for_page(address, file_reader(self.pool.codecs().clone()))?;
        plan.widths.clone_from(&site.widths);
        for host in &site.allowed_hosts {
            let url = Url::parse(host).map_err(|_| MeasureError::Address(host.clone()))?;
            let authority =
                Authority::of(&url).ok_or_else(|| MeasureError::Address(host.clone()))?;
            plan.rules.allowed.insert(authority);
        }
        plan.rules.own_ports.clone_from(&self.own_ports);
        Ok(plan)
    }

    /// Measures what a job says, from where an earlier attempt had come to.
    ///
    /// # Errors
    /// Why the first page could not be measured; another page's trouble is told with the job.
    pub(crate) async fn run(&self, job: &JobInHand) -> Result<(), JobFailure> {
        let args: MeasureArgs = job.args()?;
        let site = self.store.site().await?;
        let served = match (&args.files, &args.folder) {
            (Some(files), _) => Some(self.unpack(files).await?),
            (None, Some(folder)) => Some(ServedFiles::of_folder(folder).await?),
            (None, None) => None,
        };
        let at =
            |address: &str| served.as_ref().map_or_else(|| address.to_owned(), |s| s.at(address));
        let mut plan = self.plan(&at(&args.address), &site)?;
        plan.rules.own_ports.extend(&args.own_ports);
        if !args.whole_site {
            plan.pages = 1;
        }
        let mut measured: Measured = job.checkpoint().unwrap_or_default();
        let mut crawl = measured.crawl.clone().with(at);
        if let (Some(folder), true) = (&args.folder, crawl.known.is_empty()) {
            // Pages that no other page links to are found, too.
            let pages = pages_in(folder.clone()).await?;
            crawl.known = pages.iter().map(|page| at(&format!("{OF_FOLDER}/{page}"))).collect();
            crawl.known.truncate(plan.pages);
        }
        let measurer = Measurer::start(plan).await?;
        // Two wait at most, so that few pages are in memory.
        let (pages, mut done) = mpsc::channel::<PageDone>(2);
        let start = at(&args.address);
        let crawling =
            async { measurer.site(&start, crawl, pages).await.map_err(JobFailure::from) };
        let keeping = async {
            while let Some(PageDone { crawl, outcome }) = done.recv().await {
                let shown = |address: &str| {
                    served.as_ref().map_or_else(|| address.to_owned(), |s| s.shown(address))
                };
                measured.crawl = crawl.with(shown);
                match outcome {
                    Ok(mut page) => {
                        page.address = shown(&page.address);
                        self.keep(page, &mut measured).await?;
                    }
                    Err(error) => measured.problems.push(error.to_string()),
                }
                measured.refused = refused(&measurer);
                let (done, known) = (measured.crawl.done.len(), measured.crawl.known.len());
                job.keep(done, known, &measured).await?;
            }
            Ok(())
        };
        tokio::try_join!(crawling, keeping)?;
        Ok(())
    }

    /// Unpacks a site that came as files and serves it, for as long as the value lives.
    async fn unpack(&self, files: &SiteArchive) -> Result<ServedFiles, JobFailure> {
        let hash = BlobHash::parse(&files.hash);
        let hash = hash.ok_or_else(|| JobFailure::last("the site's files have no hash"))?;
        let packed = self.store.blobs().get(&hash).await?;
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.map_err(ArchiveError::Disk)?;
        let origin = listener.local_addr().map_err(ArchiveError::Disk)?;
        let origin = format!("http://{origin}");
        let folder = {
            let origin = origin.clone();
            let unpack = move || unpack_site(&packed, &origin);
            let unpacked = tokio::task::spawn_blocking(unpack).await;
            unpacked.map_err(std::io::Error::other).map_err(ArchiveError::Disk)??
        };
        let server = tokio::spawn(host::serve(listener, folder.path(), Faults::default()));
        Ok(ServedFiles { _folder: Some(folder), server, origin, shown_as: files.shown_as() })
    }

    /// Keeps a page; one that cannot be kept is told, and stops no other.
    async fn keep(&self, page: MeasuredPage, measured: &mut Measured) -> Result<(), StoreError> {
        let address = page.address.clone();
        if page.left > 0 {
            let text =
                format!("{address} shows {} pictures more than the 1,000 that are kept", page.left);
            measured.problems.push(text);
        }
        match self.keep_page(page).await {
            Ok(Changes { new, changed, gone }) => {
                measured.new += new;
                measured.changed += changed;
                measured.gone += gone;
            }
            Err(error) if error.is_transient() => return Err(error),
            Err(error) => measured
                .problems
                .push(format!("{address} was measured but could not be kept: {error}")),
        }
        Ok(())
    }

    async fn keep_page(
        &self,
        page: MeasuredPage,
    ) -> Result<Changes, brisk_margin_store::StoreError> {
        let _held = self.store.hold_bytes().await?;
        let mut places = Vec::new();
        for place in page.places {
            places.push(self.new_place(place, &page.files).await?);
        }
        let new = NewPage {
            address: page.address,
            title: page.title,
            heights: page.heights,
            breakpoints: page.breakpoints,
            places,
        };
        self.store.keep_page(new).await
    }

    async fn new_place(
        &self,
        place: FoundPlace,
        files: &PageFiles,
    ) -> Result<NewPlace, StoreError> {
        let mut details = place.details;
        for file in details.files.values_mut().flat_map(|by_density| by_density.values_mut()) {
            file.hash = self.keep_file(file, files).await?;
        }
        Ok(NewPlace { selector: place.selector, loose: place.loose, kind: place.kind, details })
    }

    /// Keeps a copy of a file that can be shown, so that the layout shows what the page does.
    async fn keep_file(
        &self,
        file: &ServedFile,
        files: &PageFiles,
    ) -> Result<Option<String>, StoreError> {
        const SHOWN: [&str; 6] = ["jpeg", "png", "webp", "avif", "gif", "svg"];
        let is_shown = file.format.as_deref().is_some_and(|format| SHOWN.contains(&format));
        let body = files.get(&file.url).and_then(|fetched| fetched.body.clone());
        match body.filter(|_| is_shown) {
            Some(body) => Ok(Some(self.store.blobs().put(body).await?.as_str().to_owned())),
            None => Ok(None),
        }
    }
}

/// Unpacks a site into a folder of its own, and writes a map of its pages where there is none:
/// pages that no other page links to are found through it.
fn unpack_site(packed: &[u8], origin: &str) -> Result<TempDir, ArchiveError> {
    let folder = tempfile::tempdir()?;
    let mut spooled = tempfile::tempfile()?;
    spooled.write_all(packed)?;
    Unpacking::into(folder.path()).zip(spooled)?;
    let map = folder.path().join("sitemap.xml");
    if !map.exists() {
        std::fs::write(map, sitemap(origin, &archive::pages(folder.path())?))?;
    }
    Ok(folder)
}

/// The pages in a folder, index pages first.
async fn pages_in(folder: PathBuf) -> Result<Vec<String>, ArchiveError> {
    let pages = tokio::task::spawn_blocking(move || archive::pages(&folder)).await;
    Ok(pages.map_err(std::io::Error::other)??)
}

fn refused(measurer: &Measurer) -> Vec<Refused> {
    let refused = measurer.refused().into_iter();
    refused.map(|(host, example)| Refused { host: host.to_string(), example }).collect()
}

fn sitemap(origin: &str, pages: &[String]) -> String {
    let location = |page: &String| {
        let path = page.replace('&', "&amp;").replace('<', "&lt;");
        format!("<url><loc>{origin}/{path}</loc></url>")
    };
    let locations: String = pages.iter().map(location).collect();
    format!("<urlset xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">{locations}</urlset>")
}

impl SiteArchive {
    /// What its addresses begin with where they are shown.
    fn shown_as(&self) -> String {
        format!("files:{}", self.name)
    }
}

/// A site that came as files, served while it is measured.
struct ServedFiles {
    _folder: Option<TempDir>,
    server: JoinHandle<std::io::Result<()>>,
    origin: String,
    shown_as: String,
}

impl ServedFiles {
    /// Serves the site's own folder.
    async fn of_folder(folder: &Path) -> Result<Self, ArchiveError> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let origin = format!("http://{}", listener.local_addr()?);
        let server = tokio::spawn(host::serve(listener, folder, Faults::default()));
        Ok(Self { _folder: None, server, origin, shown_as: OF_FOLDER.to_owned() })
    }

    fn at(&self, address: &str) -> String {
        address.replacen(&self.shown_as, &self.origin, 1)
    }

    fn shown(&self, address: &str) -> String {
        address.replacen(&self.origin, &self.shown_as, 1)
    }
}

impl Drop for ServedFiles {
    fn drop(&mut self) {
        self.server.abort();
    }
}

/// Why nothing is measured.
#[derive(Debug, Error)]
pub enum StartError {
    /// An address is none.
    #[error(transparent)]
    Address(#[from] MeasureError),
    /// The files are no site.
    #[error(transparent)]
    Files(#[from] ArchiveError),
    /// The database or the blob store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// Reads what files that pages serve are, with `codecs`.
pub fn file_reader(codecs: Codecs) -> FileReader {
    FileReader::new(move |body| facts_of(&codecs, body))
}

/// What a file that a page serves is by its content; nothing is decoded.
fn facts_of(codecs: &Codecs, body: &[u8]) -> FileFacts {
    let format = match source_format::sniff(body) {
        Content::Readable(format) => Some(format),
        Content::Known(_) | Content::Unknown => None,
    };
    FileFacts { size: original::shown_size(codecs, body), format }
}

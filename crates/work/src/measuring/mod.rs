//! Measuring, as a job: one page or a whole site, with progress and cancel.
//!
//! Each page is kept as soon as it is done, and noted with the job, so that an end of the process
//! loses only the pages under way; what was measured before stays when a page cannot be measured
//! now.

mod site_files;

use std::collections::{BTreeSet, HashMap};
use std::path::PathBuf;

use brisk_margin_archive::ArchiveError;
use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::icon::check::IconReport;
use brisk_margin_core::job::{JobKind, JobState};
use brisk_margin_core::place::ServedFile;
use brisk_margin_core::shown_by::FixedPicture;
use brisk_margin_core::site::SiteSettings;
use brisk_margin_core::source_format::{self, Content};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::crawl::{Crawl, PageDone};
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::fetched::Files as PageFiles;
use brisk_margin_site::file_reader::{FileFacts, FileReader};
use brisk_margin_site::gate::Authority;
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::measured::{FoundPlace, MeasuredPage};
use brisk_margin_site::plan::Plan;
use brisk_margin_store::jobs::{Job, NewJob};
use brisk_margin_store::layouts::{Changes, NewPage, NewPlace};
use brisk_margin_store::{Store, StoreError};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use tempfile::TempDir;
use thiserror::Error;
use tokio::sync::mpsc;
use url::Url;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::icons::checking::check_icons;
use crate::jobs::{JobFailure, JobInHand};
use crate::margins::overruns;
use crate::work_pool::WorkPool;
use site_files::SiteFiles;

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
    /// The site's files, where no host serves them.
    files: Option<SiteFiles>,
    /// Ports of the server that no page may reach, besides those that the worker knows of.
    own_ports: BTreeSet<u16>,
}

/// What was measured so far: enough to go on after an end in the middle, and to tell of it.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
struct Measured {
    crawl: Crawl,
    new: usize,
    changed: usize,
    gone: usize,
    #[serde(default)]
    heavier: usize,
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
    /// When it began; pages that were measured since are its own.
    pub started_at: Option<DateTime<Utc>>,
    /// How long it still takes at the pace so far, while it runs.
    pub seconds_left: Option<f64>,
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
    /// Pages that weigh more than before.
    pub heavier: usize,
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

impl MeasureArgs {
    /// Two jobs with the same one would find the same.
    fn key(&self) -> String {
        let Self { address, whole_site, files, .. } = self;
        CacheKey::versioned(1, &(address, whole_site, files)).into()
    }
}

impl Report {
    /// What the job tells of itself; nothing where its row is not understood.
    fn of(job: Job) -> Option<Self> {
        let seconds_left = job.time_left().map(|left| left.as_secs_f64());
        let args: MeasureArgs = serde_json::from_value(job.args).ok()?;
        let told = job.checkpoint.and_then(|told| serde_json::from_value(told).ok());
        let Measured { crawl, new, changed, gone, heavier, mut problems, refused } =
            told.unwrap_or_default();
        // What failed before it ended well is no trouble any more.
        let has_ended_well = matches!(job.state, JobState::Done | JobState::Cancelled);
        problems.extend(job.reason.filter(|_| !has_ended_well));
        let (done, known) = (crawl.done.len(), crawl.known.len().max(1));
        Some(Self {
            job: job.id,
            address: args.address,
            running: matches!(job.state, JobState::Waiting | JobState::Running),
            started_at: job.started_at,
            seconds_left,
            cancelled: job.state == JobState::Cancelled,
            done,
            known,
            new,
            changed,
            gone,
            heavier,
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
        Ok(self.push(wish, None).await?)
    }

    /// Adds a job that measures the pages in the site's own folder, as a web host would serve them.
    /// They are kept under `folder:/…`.
    ///
    /// # Errors
    /// [`ArchiveError::NoPages`] where there is none.
    pub async fn start_folder(&self, folder: PathBuf) -> Result<(), StartError> {
        let first = site_files::first_page(folder.clone()).await?;
        self.push_files(SiteFiles::Folder { path: folder }, &first).await
    }

    /// Adds a job that measures the site whose files lie in `folder`, called `name`. Its pages are
    /// kept under `files:name/…`.
    ///
    /// # Errors
    /// [`ArchiveError::NoPages`] where there is none.
    pub async fn start_files(&self, folder: TempDir, name: &str) -> Result<(), StartError> {
        let (first, packed) = site_files::pack(folder).await?;
        // Until a job speaks of them.
        let _held = self.store.hold_bytes().await?;
        let hash = self.store.blobs().put(packed).await.map_err(StoreError::Blob)?;
        let (name, hash) = (name.to_owned(), hash.as_str().to_owned());
        self.push_files(SiteFiles::Archive { name, hash }, &first).await
    }

    async fn push_files(&self, files: SiteFiles, first: &str) -> Result<(), StartError> {
        let wish = Wish { address: format!("{}/{first}", files.shown_as()), whole_site: true };
        Ok(self.push(wish, Some(files)).await?)
    }

    /// Adds a job that measures what the latest one did, where there was one: something changed there.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn again(&self) -> Result<(), StoreError> {
        let latest = self.store.latest_job(JobKind::Measure).await?;
        let args = latest.and_then(|job| serde_json::from_value::<MeasureArgs>(job.args).ok());
        let Some(MeasureArgs { address, whole_site, files, .. }) = args else { return Ok(()) };
        self.push(Wish { address, whole_site }, files).await
    }

    async fn push(&self, wish: Wish, files: Option<SiteFiles>) -> Result<(), StoreError> {
        let Wish { address, whole_site } = wish;
        let args = MeasureArgs { address, whole_site, files, own_ports: self.own_ports.clone() };
        let key = args.key();
        if self.store.open_job(JobKind::Measure, &key).await?.is_none() {
            let args = serde_json::to_value(args).expect("plain values");
            self.store.push_job(&NewJob::new(JobKind::Measure, key, args).awaited()).await?;
        }
        Ok(())
    }

    /// What may be reached, and at which widths.
    fn plan(&self, address: &str, site: &SiteSettings) -> Result<Plan, MeasureError> {
        let mut plan = Plan::for_page(address, file_reader(self.pool.codecs().clone()))?;
        self.follow(&mut plan, site)?;
        Ok(plan)
    }

    /// Has a plan measure at the layout widths of the site and reach what its pages may.
    ///
    /// # Errors
    /// [`MeasureError::Address`] where a host is none.
    pub(crate) fn follow(&self, plan: &mut Plan, site: &SiteSettings) -> Result<(), MeasureError> {
        plan.widths.clone_from(&site.widths);
        for host in &site.allowed_hosts {
            let url = Url::parse(host).map_err(|_| MeasureError::Address(host.clone()))?;
            let authority =
                Authority::of(&url).ok_or_else(|| MeasureError::Address(host.clone()))?;
            plan.rules.allowed.insert(authority);
        }
        plan.rules.own_ports.clone_from(&self.own_ports);
        Ok(())
    }

    /// Fetches and judges the icons that the pages at `addresses` name, as far as measuring may reach.
    ///
    /// # Errors
    /// [`MeasureError`] where one is no address, or there is no way out.
    pub async fn check_icons(&self, addresses: &[String]) -> Result<IconReport, MeasureError> {
        let site = self.store.site().await.map_err(std::io::Error::other)?;
        let first = addresses.first().map_or("", String::as_str);
        let mut rules = self.plan(first, &site)?.rules;
        let mut pages = Vec::new();
        for address in addresses {
            rules.allowed.extend(self.plan(address, &site)?.rules.allowed);
            pages.extend(Url::parse(address).ok());
        }
        Ok(check_icons(&pages, rules, &self.pool).await?)
    }

    /// Measures what a job says, from where an earlier attempt had come to.
    ///
    /// # Errors
    /// Why the first page could not be measured; another page's trouble is told with the job.
    pub(crate) async fn run(&self, job: &JobInHand) -> Result<(), JobFailure> {
        let args: MeasureArgs = job.args()?;
        let site = self.store.site().await?;
        let served = match &args.files {
            Some(files) => Some(files.serve(self.store.blobs()).await?),
            None => None,
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
        if let (Some(served), true) = (&served, crawl.known.is_empty()) {
            crawl.known = served.pages().take(plan.pages).collect();
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
                        self.keep(page, &shown, &mut measured).await?;
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
        // What tells a page apart is known once all are.
        self.store.name_layouts().await?;
        overruns::note(&self.store).await?;
        Ok(())
    }

    /// Keeps a page; one that cannot be kept is told, and stops no other.
    async fn keep(
        &self,
        page: MeasuredPage,
        shown: &impl Fn(&str) -> String,
        measured: &mut Measured,
    ) -> Result<(), StoreError> {
        let address = page.address.clone();
        if page.left > 0 {
            let text = format!(
                "{address} shows {} pictures more than are kept: 1,000 that can be found by short selectors",
                page.left
            );
            measured.problems.push(text);
        }
        match self.keep_page(page, shown).await {
            Ok(Changes { new, changed, gone, is_heavier }) => {
                measured.new += new;
                measured.changed += changed;
                measured.gone += gone;
                measured.heavier += usize::from(is_heavier);
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
        shown: &impl Fn(&str) -> String,
    ) -> Result<Changes, StoreError> {
        let _held = self.store.hold_bytes().await?;
        // A file is served at many widths and densities, and kept once.
        let mut kept = HashMap::new();
        let mut places = Vec::new();
        for FoundPlace { selector, loose, kind, mut details, .. } in page.places {
            for file in details.files.values_mut().flat_map(|at| at.values_mut()) {
                file.hash = self.keep_file(file, &page.files, &mut kept).await?;
                file.url = shown(&file.url);
            }
            places.push(NewPlace { selector, loose, kind, details });
        }
        let requests = page.requests.into_iter();
        let new = NewPage {
            requests: requests.map(|(width, listed)| (width, listed.named(shown))).collect(),
            address: page.address,
            title: page.title,
            heights: page.heights,
            breakpoints: page.breakpoints,
            places,
            fixed: page
                .fixed
                .into_iter()
                .map(|fixed| FixedPicture { url: shown(&fixed.url), ..fixed })
                .collect(),
        };
        self.store.keep_page(new).await
    }

    /// Keeps a copy of a file that can be shown, so that the layout shows what the page does; those
    /// that were `kept` before are told by their addresses.
    async fn keep_file(
        &self,
        file: &ServedFile,
        files: &PageFiles,
        kept: &mut HashMap<String, String>,
    ) -> Result<Option<String>, StoreError> {
        const SHOWN: [&str; 6] = ["jpeg", "png", "webp", "avif", "gif", "svg"];
        let is_shown = file.format.as_deref().is_some_and(|format| SHOWN.contains(&format));
        if !is_shown {
            return Ok(None);
        }
        if let Some(hash) = kept.get(&file.url) {
            return Ok(Some(hash.clone()));
        }
        let Some(body) = files.get(&file.url).and_then(|fetched| fetched.body.clone()) else {
            return Ok(None);
        };
        let hash = self.store.blobs().put(body).await?.as_str().to_owned();
        kept.insert(file.url.clone(), hash.clone());
        Ok(Some(hash))
    }
}

fn refused(measurer: &Measurer) -> Vec<Refused> {
    let refused = measurer.refused().into_iter();
    refused.map(|(host, example)| Refused { host: host.to_string(), example }).collect()
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
    FileFacts { size: codecs.shown_size(body), format }
}

//! Measuring in the background: one page or a whole site at a time, with progress and cancel.
//!
//! Each page is kept as soon as it is done, so that a cancel or an end of the process loses only
//! the page under way; what was measured before stays when a page cannot be measured now.

use std::collections::BTreeSet;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

use brisk_margin_core::place::ServedFile;
use brisk_margin_core::site::SiteSettings;
use brisk_margin_core::source_format::{self, Content};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original;
use brisk_margin_site::archive::{self, ArchiveError};
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::fetched::Files as PageFiles;
use brisk_margin_site::file_reader::{FileFacts, FileReader};
use brisk_margin_site::gate::Authority;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_site::measure::{Go, Measurer, Progress};
use brisk_margin_site::measured::{FoundPlace, MeasuredPage};
use brisk_margin_site::plan::Plan;
use brisk_margin_store::layouts::{Changes, NewPage, NewPlace};
use brisk_margin_store::{Store, StoreError};
use serde::Serialize;
use tempfile::TempDir;
use tokio::net::TcpListener;
use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use url::Url;
use utoipa::ToSchema;

use crate::events::{Event, Events};
use crate::work_pool::WorkPool;

/// Measures pages in the background. Clones share what is under way.
#[derive(Clone)]
pub struct Measuring {
    store: Store,
    pool: WorkPool,
    events: Events,
    own_ports: BTreeSet<u16>,
    report: Arc<Mutex<Option<Report>>>,
    cancel: Arc<AtomicBool>,
}

/// How far measuring is.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Report {
    /// The address it started from.
    pub address: String,
    /// Whether it still goes on.
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
#[derive(Debug, Clone, Serialize, ToSchema)]
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

impl Measuring {
    /// Keeps what is measured in `store`; files that pages serve are read in `pool`. No page may
    /// reach `own_ports` of this machine: the application's own and its database's.
    pub fn new(store: Store, pool: WorkPool, events: Events, own_ports: BTreeSet<u16>) -> Self {
        let (report, cancel) = Default::default();
        Self { store, pool, events, own_ports, report, cancel }
    }

    /// How far it is, or how it ended; `None` before the first.
    pub fn report(&self) -> Option<Report> {
        self.lock().clone()
    }

    /// Stops after the page under way.
    pub fn cancel(&self) {
        self.cancel.store(true, Ordering::Relaxed);
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Option<Report>> {
        self.report.lock().expect("no panic holds the lock")
    }

    fn update(&self, change: impl FnOnce(&mut Report)) {
        if let Some(report) = self.lock().as_mut() {
            change(report);
        }
    }

    /// Takes the place of what was measured last, unless that still goes on.
    fn begin(&self, address: &str) -> bool {
        let mut report = self.lock();
        if report.as_ref().is_some_and(|report| report.running) {
            return false;
        }
        self.cancel.store(false, Ordering::Relaxed);
        *report = Some(Report {
            address: address.to_owned(),
            running: true,
            cancelled: false,
            done: 0,
            known: 1,
            new: 0,
            changed: 0,
            gone: 0,
            problems: Vec::new(),
            refused: Vec::new(),
        });
        true
    }

    /// Starts measuring in the background; `Ok(false)` where something is being measured already.
    ///
    /// # Errors
    /// [`MeasureError::Address`] where an address is none.
    pub fn start(&self, wish: Wish, site: &SiteSettings) -> Result<bool, MeasureError> {
        let mut plan = Plan::for_page(&wish.address, self.reader())?;
        plan.widths.clone_from(&site.widths);
        for host in &site.allowed_hosts {
            let url = Url::parse(host).map_err(|_| MeasureError::Address(host.clone()))?;
            let authority =
                Authority::of(&url).ok_or_else(|| MeasureError::Address(host.clone()))?;
            plan.rules.allowed.insert(authority);
        }
        plan.rules.own_ports.clone_from(&self.own_ports);
        if !self.begin(&wish.address) {
            return Ok(false);
        }
        self.spawn(wish, plan, None);
        Ok(true)
    }

    /// Starts measuring the site whose files lie in `folder`, called `name`; `Ok(false)` where
    /// something is being measured already. Its pages are kept under `files:name/…`.
    ///
    /// # Errors
    /// [`ArchiveError::NoPages`] where there is none.
    pub async fn start_files(&self, folder: TempDir, name: &str) -> Result<bool, ArchiveError> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let origin = format!("http://{}", listener.local_addr()?);
        let (folder, first) = {
            let origin = origin.clone();
            let prepare = move || prepare_files(folder, &origin);
            tokio::task::spawn_blocking(prepare).await.map_err(std::io::Error::other)??
        };
        let wish = Wish { address: format!("{origin}/{first}"), whole_site: true };
        let mut plan =
            Plan::for_page(&wish.address, self.reader()).map_err(std::io::Error::other)?;
        plan.widths = self.store.site().await.map_err(std::io::Error::other)?.widths;
        plan.rules.own_ports.clone_from(&self.own_ports);
        let shown_as = format!("files:{name}");
        if !self.begin(&format!("{shown_as}/{first}")) {
            return Ok(false);
        }
        let server = tokio::spawn(host::serve(listener, folder.path(), Faults::default()));
        self.spawn(wish, plan, Some(Files { _folder: folder, server, origin, shown_as }));
        Ok(true)
    }

    fn reader(&self) -> FileReader {
        file_reader(self.pool.codecs().clone())
    }

    fn spawn(&self, wish: Wish, plan: Plan, files: Option<Files>) {
        let own = self.clone();
        tokio::spawn(async move {
            if let Err(error) = own.run(&wish, plan, files.as_ref()).await {
                own.update(|report| report.problems.push(error.to_string()));
            }
            own.update(|report| report.running = false);
            own.events.tell(Event::Measuring);
        });
    }

    async fn run(
        &self,
        wish: &Wish,
        mut plan: Plan,
        files: Option<&Files>,
    ) -> Result<(), MeasureError> {
        if !wish.whole_site {
            plan.pages = 1;
        }
        let measurer = Measurer::start(plan).await?;
        let (pages, mut done) = mpsc::unbounded_channel();
        let keeper = {
            let own = self.clone();
            tokio::spawn(async move {
                while let Some(page) = done.recv().await {
                    own.keep(page).await;
                }
            })
        };
        let heard = |progress: Progress<'_>| {
            let stop = self.cancel.load(Ordering::Relaxed);
            self.update(|report| {
                report.done = progress.done;
                report.known = progress.known;
                report.cancelled = stop && progress.done < progress.known;
                if let Err(error) = &progress.outcome {
                    report.problems.push(error.to_string());
                }
            });
            if let Ok(mut page) = progress.outcome {
                if let Some(files) = files {
                    page.address = page.address.replacen(&files.origin, &files.shown_as, 1);
                }
                // The keeper ends only after this sender is gone.
                let _ = pages.send(page);
            }
            self.events.tell(Event::Measuring);
            if stop { Go::Stop } else { Go::On }
        };
        let measured = measurer.site(&wish.address, heard).await;
        drop(pages);
        if keeper.await.is_err() {
            self.update(|report| report.problems.push("keeping a page failed".to_owned()));
        }
        let refused = measurer.refused();
        self.update(|report| {
            report.refused = refused
                .into_iter()
                .map(|(host, example)| Refused { host: host.to_string(), example })
                .collect();
            // The first page's reason was told as a problem already.
            report.problems.dedup();
        });
        measured
    }

    async fn keep(&self, page: MeasuredPage) {
        let address = page.address.clone();
        match self.keep_page(page).await {
            Ok(Changes { new, changed, gone }) => self.update(|report| {
                report.new += new;
                report.changed += changed;
                report.gone += gone;
            }),
            Err(error) => self.update(|report| {
                report
                    .problems
                    .push(format!("{address} was measured but could not be kept: {error}"));
            }),
        }
        self.events.tell(Event::Layouts);
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
        let left = page.left;
        if left > 0 {
            let text =
                format!("{} shows {left} pictures more than the 1,000 that are kept", page.address);
            self.update(|report| report.problems.push(text));
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

/// Finds the site's first page, and writes a map of all of them where there is none: pages that
/// no other page links to are found through it.
fn prepare_files(folder: TempDir, origin: &str) -> Result<(TempDir, String), ArchiveError> {
    let pages = archive::pages(folder.path())?;
    let first = pages.first().ok_or(ArchiveError::NoPages)?.clone();
    let map = folder.path().join("sitemap.xml");
    if !map.exists() {
        std::fs::write(map, sitemap(origin, &pages))?;
    }
    Ok((folder, first))
}

fn sitemap(origin: &str, pages: &[String]) -> String {
    let location = |page: &String| {
        let path = page.replace('&', "&amp;").replace('<', "&lt;");
        format!("<url><loc>{origin}/{path}</loc></url>")
    };
    let locations: String = pages.iter().map(location).collect();
    format!("<urlset xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">{locations}</urlset>")
}

/// A site that came as files, served while it is measured.
struct Files {
    _folder: TempDir,
    server: JoinHandle<std::io::Result<()>>,
    origin: String,
    shown_as: String,
}

impl Drop for Files {
    fn drop(&mut self) {
        self.server.abort();
    }
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

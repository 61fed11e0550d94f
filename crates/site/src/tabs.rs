//! The tabs of the browser: so many as the machine can use, each taken by one page at a time.

use std::collections::BTreeSet;
use std::ops::Deref;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

use tokio::sync::{Semaphore, SemaphorePermit};

use crate::chromium::Chromium;
use crate::devtools::DevtoolsError;
use crate::error::{MeasureError, PageError};
use crate::file_reader::FileReader;
use crate::gate::{Authority, Gate};
use crate::page::{Asked, Tab};
use crate::page_budget::PageBudget;
use crate::page_watch::PageWatch;

/// What a tab with a large page takes, in bytes.
const MEMORY: u64 = 500 << 20;
/// More would only wait for each other: the browser paints each on all cores.
const MOST: usize = 4;

/// Tabs, of which some are free.
pub(crate) struct Tabs {
    gate: Gate,
    /// Another one takes its place once it is gone.
    browser: tokio::sync::Mutex<Chromium>,
    reader: FileReader,
    /// Nothing in the place of one that its page spoiled.
    free: Mutex<Vec<Option<Tab>>>,
    turns: Semaphore,
    count: usize,
    asked: Asked,
}

/// A tab in use; free again when it is dropped.
pub(crate) struct TabInUse<'a> {
    tabs: &'a Tabs,
    tab: Option<Tab>,
    /// Whether what is done in it came to a good end: if not, nobody knows what goes on in it.
    is_sound: AtomicBool,
    _turn: SemaphorePermit<'a>,
}

impl Tabs {
    /// Opens as many as there are cores, and as memory allows, in a browser behind `gate`.
    pub(crate) async fn open(gate: Gate, reader: &FileReader) -> Result<Self, MeasureError> {
        let browser = Chromium::start(&gate).await?;
        let count = count();
        let mut tabs = Vec::new();
        let asked = Asked::default();
        for _ in 0..count {
            tabs.push(Some(browser.tab(reader.clone(), asked.clone()).await?));
        }
        let (reader, turns) = (reader.clone(), Semaphore::new(count));
        let (browser, free) = (browser.into(), tabs.into());
        Ok(Self { gate, browser, reader, free, turns, count, asked })
    }

    /// How many there are.
    pub(crate) const fn count(&self) -> usize {
        self.count
    }

    /// The way out of their browser.
    pub(crate) const fn gate(&self) -> &Gate {
        &self.gate
    }

    /// The hosts that pages asked for something.
    pub(crate) fn asked(&self) -> BTreeSet<Authority> {
        self.asked.lock().expect("no panic holds the lock").clone()
    }

    /// One that is free, after those who asked before.
    ///
    /// # Errors
    /// Where the browser opens none any more.
    pub(crate) async fn free(&self) -> Result<TabInUse<'_>, MeasureError> {
        let turn = self.turns.acquire().await.expect("it is never closed");
        let free = self.free.lock().expect("no panic holds the lock").pop();
        let mut used = TabInUse {
            tabs: self,
            tab: free.expect("as many are free as there are turns"),
            is_sound: AtomicBool::new(true),
            _turn: turn,
        };
        // An idle one does not notice that its browser is gone.
        if used.tab.as_ref().is_none_or(|tab| tab.session().is_gone()) {
            used.tab = Some(self.another().await?);
        }
        Ok(used)
    }

    async fn another(&self) -> Result<Tab, MeasureError> {
        let mut browser = self.browser.lock().await;
        match browser.tab(self.reader.clone(), self.asked.clone()).await {
            Err(DevtoolsError::Gone) => {
                *browser = Chromium::start(&self.gate).await?;
                Ok(browser.tab(self.reader.clone(), self.asked.clone()).await?)
            }
            opened => Ok(opened?),
        }
    }
}

impl TabInUse<'_> {
    /// Does `work` on the page at `address`, unless it costs more than `budget`. The tab is not used
    /// again where the work fails or is broken off.
    ///
    /// # Errors
    /// Those of the work, and [`PageError::TooMuch`], [`PageError::Hangs`] and
    /// [`PageError::BrokeDown`].
    pub(crate) async fn within<T>(
        &self,
        budget: PageBudget,
        address: &str,
        work: impl Future<Output = Result<T, PageError>>,
    ) -> Result<T, PageError> {
        self.is_sound.store(false, Ordering::Relaxed);
        let watch = PageWatch::new(self.session());
        let done = tokio::select! {
            done = work => done,
            broken = watch.broken(address, budget) => Err(broken),
        };
        // What is missing then may have been taken for what the page does not have.
        let done = match done {
            Ok(_) if self.session().is_gone() => Err(DevtoolsError::Gone.into()),
            done => done,
        };
        self.is_sound.store(done.is_ok(), Ordering::Relaxed);
        done.map_err(|error| match error {
            PageError::Browser(DevtoolsError::Silent(_)) => {
                PageError::Hangs { address: address.to_owned() }
            }
            PageError::Browser(DevtoolsError::Refused { message, .. }) => {
                PageError::Unreadable { address: address.to_owned(), reason: message }
            }
            PageError::Unreadable { reason, .. } => {
                PageError::Unreadable { address: address.to_owned(), reason }
            }
            error => error,
        })
    }
}

impl Deref for TabInUse<'_> {
    type Target = Tab;

    fn deref(&self) -> &Tab {
        self.tab.as_ref().expect("there until it is dropped")
    }
}

impl Drop for TabInUse<'_> {
    fn drop(&mut self) {
        let is_sound = self.is_sound.load(Ordering::Relaxed);
        if !is_sound && let Some(tab) = self.tab.take() {
            tab.close();
        }
        // Before the turn is given back, which is a field.
        self.tabs.free.lock().expect("no panic holds the lock").push(self.tab.take());
    }
}

fn count() -> usize {
    let cores = std::thread::available_parallelism().map_or(2, usize::from);
    let by_memory = available_memory().map_or(usize::MAX, |bytes| (bytes / MEMORY) as usize);
    cores.clamp(2, MOST).min(by_memory).max(1)
}

/// The memory that the system can give, in bytes (Linux, `/proc/meminfo`).
fn available_memory() -> Option<u64> {
    let text = std::fs::read_to_string("/proc/meminfo").ok()?;
    let line = text.lines().find_map(|line| line.strip_prefix("MemAvailable:"))?;
    line.trim().strip_suffix(" kB")?.parse::<u64>().ok().map(|kb| kb * 1024)
}

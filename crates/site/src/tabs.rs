//! The tabs of the browser: so many as the machine can use, each taken by one page at a time.

use std::ops::Deref;
use std::sync::Mutex;

use tokio::sync::{Semaphore, SemaphorePermit};

use crate::chromium::Chromium;
use crate::error::MeasureError;
use crate::file_reader::FileReader;
use crate::page::Tab;

/// What a tab with a large page takes, in bytes.
const MEMORY: u64 = 500 << 20;
/// More would only wait for each other: the browser paints each on all cores.
const MOST: usize = 4;

/// Tabs, of which some are free.
pub(crate) struct Tabs {
    tabs: Vec<Tab>,
    free: Mutex<Vec<usize>>,
    turns: Semaphore,
}

/// A tab in use; free again when it is dropped.
pub(crate) struct TabInUse<'a> {
    tabs: &'a Tabs,
    at: usize,
    _turn: SemaphorePermit<'a>,
}

impl Tabs {
    /// Opens as many as there are cores, and as memory allows.
    pub(crate) async fn open(
        browser: &Chromium,
        reader: &FileReader,
    ) -> Result<Self, MeasureError> {
        let mut tabs = Vec::new();
        for _ in 0..count() {
            tabs.push(browser.page(reader.clone()).await?);
        }
        let turns = Semaphore::new(tabs.len());
        Ok(Self { free: Mutex::new((0..tabs.len()).collect()), tabs, turns })
    }

    /// All of them.
    pub(crate) fn all(&self) -> &[Tab] {
        &self.tabs
    }

    /// One that is free, after those who asked before.
    pub(crate) async fn free(&self) -> TabInUse<'_> {
        let turn = self.turns.acquire().await.expect("it is never closed");
        let mut free = self.free.lock().expect("no panic holds the lock");
        let at = free.pop().expect("as many are free as there are turns");
        TabInUse { tabs: self, at, _turn: turn }
    }
}

impl Deref for TabInUse<'_> {
    type Target = Tab;

    fn deref(&self) -> &Tab {
        &self.tabs.tabs[self.at]
    }
}

impl Drop for TabInUse<'_> {
    fn drop(&mut self) {
        // Before the turn is given back, which is a field.
        self.tabs.free.lock().expect("no panic holds the lock").push(self.at);
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

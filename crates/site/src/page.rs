//! One page in the browser: opened at a layout width and density, scrolled to its end, read.

use std::collections::BTreeSet;
use std::sync::Mutex;
use std::time::Duration;

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::units::Density;
use serde::Deserialize;
use serde_json::{Value, json};
use tokio::time::timeout;

use crate::devtools::{DevtoolsError, Session};
use crate::error::PageError;
use crate::fetched::Files;
use crate::file_reader::FileReader;
use crate::gate::Authority;
use crate::page_scripts;
use crate::pseudo_boxes;
use crate::reading::{Found, Known, Moved, PageRect, Probe, Reading};
use crate::traffic::{MAX_BODY, Traffic};

/// How long the map of a site may take.
const MAP: Duration = Duration::from_secs(10);

/// A tab of the browser.
pub struct Tab {
    session: Session,
    reader: FileReader,
    /// Whom its pages asked, since the browser asks on its own account too.
    asked: Mutex<BTreeSet<Authority>>,
}

impl Tab {
    pub(crate) async fn prepare(
        session: Session,
        reader: FileReader,
    ) -> Result<Self, DevtoolsError> {
        let page = Self { session, reader, asked: Mutex::default() };
        let buffers = json!({"maxTotalBufferSize": 400 << 20, "maxResourceBufferSize": MAX_BODY});
        page.call("Network.enable", buffers).await?;
        page.call("Network.setCacheDisabled", json!({"cacheDisabled": true})).await?;
        page.call("Page.enable", json!({})).await?;
        let watch = json!({"source": page_scripts::WATCH});
        page.call("Page.addScriptToEvaluateOnNewDocument", watch).await?;
        Ok(page)
    }

    /// The hosts that pages asked for something.
    pub fn asked(&self) -> BTreeSet<Authority> {
        self.asked.lock().expect("no panic holds the lock").clone()
    }

    async fn call(&self, method: &'static str, params: Value) -> Result<Value, DevtoolsError> {
        self.session.call(method, params).await
    }

    fn traffic(&self) -> Traffic<'_> {
        Traffic::new(&self.session, &self.reader, &self.asked)
    }

    async fn evaluate(&self, script: &str) -> Result<Value, DevtoolsError> {
        let params = json!({"expression": script, "returnByValue": true, "awaitPromise": true});
        let mut answer = self.call("Runtime.evaluate", params).await?;
        Ok(answer["result"]["value"].take())
    }

    /// Gives the page a viewport; what is open is laid out anew.
    pub async fn resize(&self, viewport: LayoutWidth, density: Density) -> Result<(), PageError> {
        let metrics = json!({
            "width": viewport.width, "height": viewport.height,
            "deviceScaleFactor": density.get(), "mobile": false,
        });
        self.call("Emulation.setDeviceMetricsOverride", metrics).await?;
        Ok(())
    }

    /// Opens `address`, lets lazy pictures load, and reads what is there. Bodies of files that
    /// `known` has already are not fetched again.
    ///
    /// # Errors
    /// [`PageError::NeverLoads`] where it takes longer than `patience`.
    pub async fn open(
        &self,
        address: &str,
        known: &Files,
        patience: Duration,
    ) -> Result<(Reading, Files), PageError> {
        let mut traffic = self.traffic();
        let opened = self.call("Page.navigate", json!({"url": address})).await?;
        if let Some(reason) = opened["errorText"].as_str() {
            // An error without a page of its own is no answer to the browser, but has a status.
            traffic.settle().await;
            traffic.check_document(address)?;
            return Err(PageError::NoAnswer {
                address: address.to_owned(),
                reason: reason.trim_start_matches("net::").to_owned(),
            });
        }
        let loaded = timeout(patience, traffic.until_loaded()).await;
        if loaded.is_err() {
            return Err(PageError::NeverLoads { address: address.to_owned(), patience });
        }
        traffic.check_document(address)?;
        traffic.settle().await;
        // Before scrolling, which ends the watch for the largest paint.
        self.evaluate(PAINTED).await?;
        self.evaluate(SCROLL).await?;
        traffic.settle().await;
        let reading = self.read().await?;
        Ok((reading, traffic.files(known).await))
    }

    /// The addresses that the sitemap at `address` lists (sitemaps.org, version 0.9).
    pub async fn locations(&self, address: &str) -> Result<Vec<String>, PageError> {
        let mut traffic = self.traffic();
        let opened = self.call("Page.navigate", json!({"url": address})).await?;
        if opened["errorText"].is_string() || timeout(MAP, traffic.until_loaded()).await.is_err() {
            return Ok(Vec::new());
        }
        traffic.check_document(address)?;
        let script = "[...document.querySelectorAll('loc')].map((e) => e.textContent.trim())";
        Ok(serde_json::from_value(self.evaluate(script).await?).unwrap_or_default())
    }

    /// Where `known` places are after the viewport was changed, in the same order; nothing for one
    /// that is not there any more.
    pub async fn boxes(&self, known: &[Known]) -> Result<Vec<Option<PageRect>>, PageError> {
        self.evaluate(LAID_OUT).await?;
        let script = page_scripts::moved(&json!(known));
        let moved: Vec<Option<Moved>> = read_as(self.evaluate(&script).await?)?;
        let mut boxes: Vec<Option<PageRect>> =
            moved.iter().map(|moved| moved.as_ref().map(|moved| moved.rect)).collect();
        let probed = |(at, moved): (usize, Option<Moved>)| Some((at, moved?.probe?));
        let probed: Vec<(usize, Probe)> =
            moved.into_iter().enumerate().filter_map(probed).collect();
        let asked = probed.iter().map(|(at, probe)| (probe.clone(), known[*at].edge));
        let told = pseudo_boxes::boxes(&self.session, asked).await;
        for ((at, _), told) in probed.into_iter().zip(told) {
            boxes[at] = told;
        }
        Ok(boxes)
    }

    /// Reads the page as it is laid out now.
    pub async fn read(&self) -> Result<Reading, PageError> {
        let mut reading: Reading = read_as(self.evaluate(page_scripts::READ).await?)?;
        let probed: Vec<&mut Found> =
            reading.found.iter_mut().filter(|found| found.probe.is_some()).collect();
        let asked = probed.iter().filter_map(|found| Some((found.probe.clone()?, found.edge)));
        let told = pseudo_boxes::boxes(&self.session, asked).await;
        for (found, told) in probed.into_iter().zip(told) {
            found.rect = told.unwrap_or_default();
        }
        Ok(reading)
    }
}

fn read_as<T: for<'a> Deserialize<'a>>(value: Value) -> Result<T, PageError> {
    serde_json::from_value(value).map_err(|error| PageError::Unreadable {
        address: "the page".to_owned(),
        reason: error.to_string(),
    })
}

/// Waits until what is in view was decoded and painted, and the browser has told of no larger
/// paint for a moment; but not for ever.
const PAINTED: &str = "(async () => {
    const pause = (ms) => new Promise((done) => setTimeout(done, ms));
    const frame = () => Promise.race([new Promise(requestAnimationFrame), pause(200)]);
    const inView = (img) => {
        const box = img.getBoundingClientRect();
        return box.top < innerHeight && box.bottom > 0 && box.width > 0;
    };
    const decoded = [...document.images].filter(inView).map((img) => img.decode().catch(() => {}));
    await Promise.race([Promise.all(decoded), pause(1500)]);
    // The browser tells of a paint some frames later, the more so while another tab is busy.
    for (let told = 0, quiet = 0, n = 0; quiet < 3 && n < 25; n++) {
        await frame();
        await pause(60);
        quiet = told > 0 && told === globalThis.__paints ? quiet + 1 : 0;
        told = globalThis.__paints;
    }
    globalThis.__lcp = globalThis.__largest;
})()";

/// Waits until pictures that the new layout chooses have come, since their shape decides on boxes.
const LAID_OUT: &str = "(async () => {
    if (!document.querySelector('picture > source')) return;
    const pause = (ms) => new Promise((done) => setTimeout(done, ms));
    // The browser chooses a moment after the layout changed.
    await pause(20);
    for (let n = 0; n < 100 && ![...document.images].every((img) => img.complete); n++) await pause(20);
})()";

/// Asks for lazy pictures, goes down the page a screen at a time for those that a script loads,
/// and back to its top. Timers and not frames set the pace, since a frame waits for pictures to be
/// decoded, which nobody looks at.
const SCROLL: &str = "(async () => {
    for (const img of document.images) {
        if (img.loading === 'lazy') img.dataset.wasLazy = '1';
        img.loading = 'eager';
    }
    // A headless browser does not load icons by itself.
    const icons = document.querySelectorAll('link[rel~=icon], link[rel=apple-touch-icon]');
    const own = [...icons].map((link) => Object.assign(new Image(), { src: link.href }));
    const pause = () => new Promise((done) => setTimeout(done, 25));
    for (let y = 0, n = 0; y < document.documentElement.scrollHeight && n < 100; y += innerHeight, n++) {
        scrollTo({ top: y, behavior: 'instant' });
        await pause();
    }
    scrollTo({ top: 0, behavior: 'instant' });
    const ended = (img) => img.complete || new Promise((done) => {
        img.addEventListener('load', done);
        img.addEventListener('error', done);
    });
    const late = new Promise((done) => setTimeout(done, 8000));
    await Promise.race([Promise.all([...document.images, ...own].map(ended)), late]);
})()";

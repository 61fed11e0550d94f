//! One page in the browser: opened at a layout width and density, scrolled to its end, read.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::{Connection, PageRequests};
use brisk_margin_core::units::Density;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use crate::devtools::{DevtoolsError, Session};
use crate::elements::ElementBox;
use crate::error::PageError;
use crate::fetched::{Files, KnownFiles};
use crate::file_reader::FileReader;
use crate::gate::Authority;
use crate::page_budget::{Excess, PageBudget};
use crate::page_scripts;
use crate::pseudo_boxes;
use crate::reading::{Found, Known, Moved, PageRect, Probe, Reading};
use crate::traffic::{MAX_BODY, Traffic};

/// How long the map of a site may take.
const MAP: Duration = Duration::from_secs(10);

/// How long an empty page may take: it is at once there.
const BLANK: Duration = Duration::from_secs(2);

/// How much of a page a picture of it shows, in CSS px from its top.
pub const TALLEST_SHOT: f64 = 8_000.0;
/// How faithful such a picture is, by Chromium's measure.
const SHOT_QUALITY: u32 = 85;

/// What a page looks like at a layout width, and how it came.
#[derive(Debug, Clone, PartialEq)]
pub struct Shot {
    /// The layout width, in CSS px.
    pub width: u32,
    /// A picture of it, as a WebP file.
    pub picture: Vec<u8>,
    /// How far things on it jumped while it came (Layout Instability, the sum of all shifts).
    pub shift: f64,
    /// After how many milliseconds the largest that is seen first was painted (Largest Contentful Paint); nothing where
    /// the browser tells none.
    pub largest: Option<f64>,
}

/// How a page came, in milliseconds from its start.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Came {
    /// When something was painted first; nothing where the browser tells none.
    pub first_paint: Option<f64>,
    /// When the largest that is seen first was painted.
    pub largest: Option<f64>,
    /// How far things on it jumped while it came (Layout Instability, the sum of all shifts).
    pub shift: f64,
    /// When each file was there, the page first.
    pub files: Vec<CameFile>,
}

/// A file of a page that came.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CameFile {
    /// Its address.
    pub address: String,
    /// When its last byte was there.
    pub end: f64,
}

impl Came {
    /// When the last file was there.
    pub fn last_file(&self) -> f64 {
        self.files.iter().map(|file| file.end).fold(0.0, f64::max)
    }
}

/// How a page is opened.
#[derive(Clone, Copy)]
pub struct Opening<'a> {
    /// Files that came before, whose bodies are not fetched again.
    pub known: &'a KnownFiles,
    /// What it may cost.
    pub budget: PageBudget,
    /// Whether the largest paint is waited for.
    pub watches_paint: bool,
    /// The selector of its element, where that is known.
    pub largest: Option<&'a str>,
    /// Whether it is told what the page transfers.
    pub tells_requests: Told,
}

/// When it is told what a page transfers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Told {
    /// Always.
    Always,
    /// Where the page is opened at no other density, since that cannot matter.
    WhereLast,
    /// Never.
    Never,
}

/// Whom pages asked for something, since the browser asks on its own account too.
pub(crate) type Asked = Arc<Mutex<BTreeSet<Authority>>>;

/// A tab of the browser.
pub struct Tab {
    session: Session,
    /// The browser's name for it.
    target: String,
    reader: FileReader,
    asked: Asked,
    /// The script that hides pages, while it is there.
    hiding: tokio::sync::Mutex<Option<Value>>,
}

impl Tab {
    pub(crate) async fn prepare(
        session: Session,
        target: String,
        reader: FileReader,
        asked: Asked,
    ) -> Result<Self, DevtoolsError> {
        let page = Self { session, target, reader, asked, hiding: Default::default() };
        // It tells where a page breaks down.
        page.call("Inspector.enable", json!({})).await?;
        let buffers = json!({"maxTotalBufferSize": 400 << 20, "maxResourceBufferSize": MAX_BODY});
        page.call("Network.enable", buffers).await?;
        // A page is measured as its first visitor gets it: what a worker of its own keeps is not there yet.
        page.call("Network.setBypassServiceWorker", json!({"bypass": true})).await?;
        page.call("Page.enable", json!({})).await?;
        let watch = json!({"source": page_scripts::WATCH});
        page.call("Page.addScriptToEvaluateOnNewDocument", watch).await?;
        Ok(page)
    }

    /// Closes it, whatever goes on in it.
    pub(crate) fn close(self) {
        self.session.close(self.target);
    }

    pub(crate) fn session(&self) -> &Session {
        &self.session
    }

    pub(crate) async fn call(
        &self,
        method: &'static str,
        params: Value,
    ) -> Result<Value, DevtoolsError> {
        self.session.call(method, params).await
    }

    fn traffic(&self) -> Traffic<'_> {
        Traffic::new(&self.session, &self.reader, &self.asked)
    }

    pub(crate) async fn evaluate(&self, script: &str) -> Result<Value, DevtoolsError> {
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

    /// Opens `address`, lets lazy pictures load, and reads what is there.
    ///
    /// # Errors
    /// [`PageError::NeverLoads`] where it takes longer than it may.
    pub async fn open(
        &self,
        address: &str,
        opening: Opening<'_>,
    ) -> Result<(Reading, Files, Option<PageRequests>), PageError> {
        let patience = opening.budget.load;
        self.forget().await?;
        self.hide(!opening.watches_paint).await?;
        let mut traffic = self.traffic();
        let opened = self.call("Page.navigate", json!({"url": address})).await?;
        traffic.opened(&opened);
        if let Some(reason) = opened["errorText"].as_str() {
            // An error without a page of its own is no answer to the browser, but has a status.
            traffic.settle(true).await;
            traffic.check_document(address)?;
            let address = address.to_owned();
            return Err(match reason.trim_start_matches("net::") {
                "ERR_TOO_MANY_REDIRECTS" => PageError::Redirects { address },
                "ERR_ABORTED" => {
                    PageError::NoPage { address, media_type: "a file to be saved".to_owned() }
                }
                reason => PageError::NoAnswer { address, reason: reason.to_owned() },
            });
        }
        traffic.until_loaded(address, patience).await?;
        traffic.check_document(address)?;
        let scripted = self.evaluate(page_scripts::SCRIPTED).await? != false;
        traffic.settle(scripted).await;
        if opening.watches_paint {
            // Before scrolling, which ends the watch for the largest paint.
            self.evaluate(page_scripts::PAINTED).await?;
            self.evaluate(page_scripts::HIDE).await?;
        }
        traffic.scrolls();
        self.evaluate(&page_scripts::load_lazy(scripted)).await?;
        traffic.settle(scripted).await;
        let most = opening.budget.elements;
        if self.evaluate(page_scripts::COUNT).await?.as_u64().is_some_and(|count| count > most) {
            let excess = Excess::Elements(most);
            return Err(PageError::TooMuch { address: address.to_owned(), excess });
        }
        let reading = self.read().await?;
        let files = traffic.files(opening.known).await;
        let largest = reading.largest(opening.largest);
        let is_told = match opening.tells_requests {
            Told::Always => true,
            Told::WhereLast => !reading.depends_on_density,
            Told::Never => false,
        };
        let requests = match is_told {
            true => Some(traffic.listed(&files, largest).await),
            false => None,
        };
        Ok((reading, files, requests))
    }

    /// Leaves the page, and what it had in memory: of a `srcset` the browser takes a larger file
    /// that it still has there, instead of the one that fits.
    pub(crate) async fn forget(&self) -> Result<(), DevtoolsError> {
        let mut traffic = self.traffic();
        self.call("Page.navigate", json!({"url": "about:blank"})).await?;
        let _ = traffic.until_loaded("about:blank", BLANK).await;
        self.call("HeapProfiler.collectGarbage", json!({})).await?;
        Ok(())
    }

    /// Has pages that are opened from now on painted or not.
    pub(crate) async fn hide(&self, hides: bool) -> Result<(), DevtoolsError> {
        let mut hiding = self.hiding.lock().await;
        match (hiding.take(), hides) {
            (Some(script), false) => {
                let params = json!({ "identifier": script });
                self.call("Page.removeScriptToEvaluateOnNewDocument", params).await?;
            }
            (None, true) => {
                let params = json!({ "source": page_scripts::HIDE });
                let added = self.call("Page.addScriptToEvaluateOnNewDocument", params).await?;
                *hiding = Some(added["identifier"].clone());
            }
            (before, _) => *hiding = before,
        }
        Ok(())
    }

    /// Opens `address` as a visitor would who does not scroll, and waits until it is loaded, and
    /// where `painted` until its largest paint: what the time of measuring is held against.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub async fn visit(
        &self,
        address: &str,
        patience: Duration,
        painted: bool,
    ) -> Result<(), PageError> {
        self.hide(false).await?;
        let mut traffic = self.traffic();
        self.call("Page.navigate", json!({"url": address})).await?;
        traffic.until_loaded(address, patience).await?;
        traffic.check_document(address)?;
        if painted {
            self.evaluate(page_scripts::PAINTED).await?;
        }
        Ok(())
    }

    /// Opens `address` as a visitor would who does not scroll, and tells how it came.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub async fn timed(&self, address: &str, patience: Duration) -> Result<Came, PageError> {
        let mut traffic = self.traffic();
        self.call("Page.navigate", json!({"url": address})).await?;
        traffic.until_loaded(address, patience).await?;
        traffic.check_document(address)?;
        traffic.settle(true).await;
        self.evaluate(page_scripts::PAINTED).await?;
        read_as(self.evaluate(page_scripts::CAME).await?)
    }

    /// Has the browser hold back what comes as on `connection`, without hand-shakes and slow start, and keep
    /// nothing from one load to the next; not any more where nothing is given.
    ///
    /// # Errors
    /// Those of the browser.
    pub async fn throttle(&self, connection: Option<Connection>) -> Result<(), PageError> {
        let per_second = |connection: Connection| connection.goodput() * 1_000.0;
        let conditions = json!({
            "offline": false,
            "latency": connection.map_or(0.0, |connection| connection.rtt().get()),
            "downloadThroughput": connection.map_or(-1.0, per_second),
            "uploadThroughput": -1,
        });
        let unkept = json!({"cacheDisabled": connection.is_some()});
        self.call("Network.setCacheDisabled", unkept).await?;
        self.call("Network.emulateNetworkConditions", conditions).await?;
        Ok(())
    }

    /// The addresses that the sitemap at `address` lists (sitemaps.org, version 0.9).
    pub async fn locations(&self, address: &str) -> Result<Vec<String>, PageError> {
        let mut traffic = self.traffic();
        let opened = self.call("Page.navigate", json!({"url": address})).await?;
        traffic.opened(&opened);
        if opened["errorText"].is_string() {
            return Ok(Vec::new());
        }
        traffic.until_loaded(address, MAP).await?;
        traffic.check_document(address)?;
        let script = "[...document.querySelectorAll('loc')].map((e) => e.textContent.trim())";
        Ok(serde_json::from_value(self.evaluate(script).await?).unwrap_or_default())
    }

    /// Where `known` places are after the viewport was changed, in the same order; nothing for one
    /// that is not there any more.
    pub async fn boxes(&self, known: &[Known]) -> Result<Vec<Option<PageRect>>, PageError> {
        self.evaluate(page_scripts::LAID_OUT).await?;
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

    /// Where all that the page has stands now.
    pub async fn elements(&self) -> Result<Vec<ElementBox>, PageError> {
        read_as(self.evaluate(page_scripts::ELEMENTS).await?)
    }

    /// What the page looks like, `width` CSS px across and from its top to its end or to
    /// [`TALLEST_SHOT`], as a WebP file.
    pub async fn shot(&self, width: u32) -> Result<Shot, PageError> {
        let told = self.evaluate(page_scripts::SHOW).await?;
        let height = told["height"].as_f64().unwrap_or(1.0).clamp(1.0, TALLEST_SHOT);
        let clip = json!({ "x": 0, "y": 0, "width": width, "height": height, "scale": 1 });
        let params = json!({
            "format": "webp", "quality": SHOT_QUALITY, "clip": clip, "captureBeyondViewport": true,
        });
        let taken = self.call("Page.captureScreenshot", params).await?;
        let text = taken["data"].as_str().unwrap_or_default();
        let picture = STANDARD.decode(text).map_err(|error| PageError::Unreadable {
            address: "the picture of the page".to_owned(),
            reason: error.to_string(),
        })?;
        let (shift, largest) = (told["shift"].as_f64().unwrap_or(0.0), told["largest"].as_f64());
        Ok(Shot { width, picture, shift, largest })
    }

    /// Reads the page as it is laid out now.
    pub async fn read(&self) -> Result<Reading, PageError> {
        let reading: Reading = read_as(self.evaluate(page_scripts::READ).await?)?;
        let mut reading = reading.bounded();
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

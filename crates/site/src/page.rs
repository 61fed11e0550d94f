//! One page in the browser: opened at a layout width and density, scrolled to its end, read.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::state::Painting;
use brisk_margin_core::units::Density;
use serde::Deserialize;
use serde_json::{Value, json};
use thiserror::Error;
use tokio::sync::broadcast;
use tokio::time::{Instant, timeout};
use url::Url;

use crate::devtools::{Devtools, DevtoolsError, Event};
use crate::gate::Authority;

/// How long a page may take to load.
const LOAD: Duration = Duration::from_secs(20);
/// How long pictures may go on loading after that.
const SETTLE: Duration = Duration::from_secs(8);
/// Without a request for so long, nothing more is coming.
const QUIET: Duration = Duration::from_millis(120);
/// A picture's body is looked at up to this size; larger ones still tell their bytes.
const MAX_BODY: u64 = 60 << 20;

/// A tab of the browser.
pub struct Page {
    devtools: Devtools,
    session: String,
    /// Whom its pages asked, since the browser asks on its own account too.
    asked: Mutex<BTreeSet<Authority>>,
}

/// What a page shows at one layout width.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Reading {
    /// The document's title.
    pub title: String,
    /// Where the page is, redirects followed.
    pub address: String,
    /// Every place that shows a picture.
    pub found: Vec<Found>,
    /// Places beyond the limit.
    pub left: usize,
    /// The icons that its head names.
    pub icons: Vec<Icon>,
    /// Whether a denser screen may make the page choose other files: it has a `srcset`, a
    /// `<source>`, a script, or a style that asks for the density.
    pub depends_on_density: bool,
    /// Viewport widths at which its style sheets change, in CSS px.
    pub breakpoints: Vec<u32>,
    /// Where it links to.
    pub links: Vec<String>,
    /// Its height in CSS px.
    pub height: f64,
    /// The selector of the element of its largest contentful paint.
    pub lcp: Option<String>,
}

/// A place that shows a picture.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Found {
    /// Finds this element alone.
    pub selector: String,
    /// The same without positions: elements alike share it.
    pub loose: String,
    /// How the picture is put there.
    pub element: Element,
    /// What the place is for.
    pub kind: Kind,
    /// Where it is on the page, in CSS px.
    #[serde(rename = "box")]
    pub rect: PageRect,
    /// The file that the browser chose.
    pub address: String,
    /// Whether it could be shown.
    pub loaded: bool,
    /// Its `srcset`.
    pub srcset: Option<String>,
    /// Its `sizes`.
    pub sizes: Option<String>,
    /// How the file is put into the box.
    pub painting: Painting,
    /// Which part stays where some is cut, as CSS says it.
    pub position: String,
    /// Its alternative text.
    pub alt: Option<String>,
    /// Whether width and height are written in the markup.
    pub has_dimensions: bool,
    /// Whether it loads only when scrolled to.
    pub lazy: bool,
}

/// How a picture is put into a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Element {
    /// An `<img>` on its own.
    Img,
    /// An `<img>` inside `<picture>`.
    Picture,
    /// A CSS background.
    Background,
}

/// What a place on a page is for.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize, serde::Serialize,
)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// In the page's header.
    Header,
    /// Between the text.
    Text,
    /// Behind other content.
    Background,
    /// In a card of a list.
    Card,
    /// Small, and leading to something larger.
    Thumbnail,
    /// An icon of the page.
    Icon,
}

/// A rectangle on a page, in CSS px.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
pub struct PageRect {
    /// From the left edge.
    pub x: f64,
    /// From the top edge.
    pub y: f64,
    /// Across.
    pub width: f64,
    /// Down.
    pub height: f64,
}

/// An icon that a page's head names.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Icon {
    /// Its file.
    pub address: String,
    /// Finds its element.
    pub selector: String,
    /// What it is for.
    pub rel: String,
    /// The sizes it says it has.
    pub sizes: String,
}

/// A file as it came over the wire.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fetched {
    /// The HTTP status.
    pub status: u16,
    /// The media type that the host sent.
    pub media_type: String,
    /// Bytes of the body.
    pub bytes: u64,
    /// Its first bytes or all of them, to be told by content.
    pub body: Option<Vec<u8>>,
}

/// Why a page could not be read.
#[derive(Debug, Clone, Error)]
pub enum PageError {
    /// Nobody answers there.
    #[error(
        "{address} does not answer ({reason}); see that the address is right and the host is running"
    )]
    NoAnswer {
        /// The page.
        address: String,
        /// The browser's word for it.
        reason: String,
    },
    /// The host answered with an error.
    #[error("{address} answers {status}; see that the page is there and open to everybody")]
    Status {
        /// The page.
        address: String,
        /// The HTTP status.
        status: u16,
    },
    /// It is not a page.
    #[error("{address} is {media_type} and no page; give the address of a page")]
    NoPage {
        /// What was asked for.
        address: String,
        /// What came.
        media_type: String,
    },
    /// It does not come to an end.
    #[error("{0} did not finish loading within 20 s; measure it again when the host is faster")]
    NeverLoads(String),
    /// The browser failed.
    #[error(transparent)]
    Browser(#[from] DevtoolsError),
    /// The page's own scripts got in the way.
    #[error("{address} could not be read ({reason})")]
    Unreadable {
        /// The page.
        address: String,
        /// The browser's words.
        reason: String,
    },
}

/// The files that came while a page was open, by their addresses.
pub type Files = HashMap<String, Fetched>;

impl Page {
    pub(crate) async fn prepare(
        devtools: Devtools,
        session: String,
    ) -> Result<Self, DevtoolsError> {
        let page = Self { devtools, session, asked: Mutex::default() };
        let buffers = json!({"maxTotalBufferSize": 400 << 20, "maxResourceBufferSize": MAX_BODY});
        page.call("Network.enable", buffers).await?;
        page.call("Network.setCacheDisabled", json!({"cacheDisabled": true})).await?;
        page.call("Page.enable", json!({})).await?;
        let watch = json!({"source": include_str!("watch.js")});
        page.call("Page.addScriptToEvaluateOnNewDocument", watch).await?;
        Ok(page)
    }

    /// The hosts that pages asked for something.
    pub fn asked(&self) -> BTreeSet<Authority> {
        self.asked.lock().expect("no panic holds the lock").clone()
    }

    async fn call(&self, method: &'static str, params: Value) -> Result<Value, DevtoolsError> {
        self.devtools.call(&self.session, method, params).await
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
    pub async fn open(&self, address: &str, known: &Files) -> Result<(Reading, Files), PageError> {
        let mut traffic = Traffic::new(self);
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
        let loaded = timeout(LOAD, traffic.until_loaded()).await;
        if loaded.is_err() {
            return Err(PageError::NeverLoads(address.to_owned()));
        }
        traffic.check_document(address)?;
        traffic.settle().await;
        // Before scrolling, which ends the watch for the largest paint.
        self.evaluate(PAINTED).await?;
        let lcp = self.read().await?.lcp;
        self.evaluate(SCROLL).await?;
        traffic.settle().await;
        let reading = Reading { lcp, ..self.read().await? };
        Ok((reading, traffic.files(known).await))
    }

    /// The addresses that the sitemap at `address` lists (sitemaps.org, version 0.9).
    pub async fn locations(&self, address: &str) -> Result<Vec<String>, PageError> {
        let mut traffic = Traffic::new(self);
        let opened = self.call("Page.navigate", json!({"url": address})).await?;
        if opened["errorText"].is_string() || timeout(LOAD, traffic.until_loaded()).await.is_err() {
            return Ok(Vec::new());
        }
        traffic.check_document(address)?;
        let script = "[...document.querySelectorAll('loc')].map((e) => e.textContent.trim())";
        Ok(serde_json::from_value(self.evaluate(script).await?).unwrap_or_default())
    }

    /// Reads the page as it is laid out now.
    pub async fn read(&self) -> Result<Reading, PageError> {
        let value = self.evaluate(include_str!("collect.js")).await?;
        serde_json::from_value(value).map_err(|error| PageError::Unreadable {
            address: "the page".to_owned(),
            reason: error.to_string(),
        })
    }
}

/// Waits until what is in view was painted, pictures decoded, but not for ever.
const PAINTED: &str = "new Promise((done) => {
    setTimeout(done, 1500);
    requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done, 0)));
})";

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

/// What goes over the wire while a page is open.
struct Traffic<'a> {
    page: &'a Page,
    events: broadcast::Receiver<Arc<Event>>,
    requests: HashMap<String, Exchange>,
    document: Option<String>,
    under_way: HashSet<String>,
}

#[derive(Default)]
struct Exchange {
    address: String,
    status: u16,
    media_type: String,
    head: u64,
    bytes: Option<u64>,
}

impl<'a> Traffic<'a> {
    fn new(page: &'a Page) -> Self {
        Self {
            page,
            events: page.devtools.events(),
            requests: HashMap::new(),
            document: None,
            under_way: HashSet::new(),
        }
    }

    async fn until_loaded(&mut self) {
        while let Some(event) = self.next().await {
            if event.method == "Page.loadEventFired" {
                return;
            }
        }
    }

    /// Waits until nothing is under way any more, within reason.
    async fn settle(&mut self) {
        let deadline = Instant::now() + SETTLE;
        while Instant::now() < deadline {
            if timeout(QUIET, self.next()).await.is_err() && self.under_way.is_empty() {
                return;
            }
        }
    }

    async fn next(&mut self) -> Option<Arc<Event>> {
        loop {
            match self.events.recv().await {
                Ok(event) if event.session == self.page.session => {
                    self.note(&event);
                    return Some(event);
                }
                // Events of other tabs; some lost ones only cost a file's bytes.
                Ok(_) | Err(broadcast::error::RecvError::Lagged(_)) => {}
                Err(broadcast::error::RecvError::Closed) => return None,
            }
        }
    }

    fn note(&mut self, event: &Event) {
        let params = &event.params;
        let id = params["requestId"].as_str().unwrap_or_default().to_owned();
        match event.method.as_str() {
            "Network.requestWillBeSent" => {
                let address = params["request"]["url"].as_str().unwrap_or_default();
                if address.starts_with("data:") {
                    return;
                }
                if let Some(authority) =
                    Url::parse(address).ok().and_then(|url| Authority::of(&url))
                {
                    self.page.asked.lock().expect("no panic holds the lock").insert(authority);
                }
                // The page's own; frames ask later.
                if params["type"] == "Document" && self.document.is_none() {
                    self.document = Some(id.clone());
                }
                // What changes the layout is waited for; sockets and beacons may never end.
                let counts = matches!(
                    params["type"].as_str(),
                    Some("Image" | "Stylesheet" | "Script" | "Font")
                );
                // A redirect keeps its number.
                if counts && !self.requests.contains_key(&id) {
                    self.under_way.insert(id.clone());
                }
                let exchange = Exchange { address: address.to_owned(), ..Exchange::default() };
                self.requests.insert(id, exchange);
            }
            "Network.responseReceived" => {
                if let Some(exchange) = self.requests.get_mut(&id) {
                    let response = &params["response"];
                    exchange.status = response["status"].as_u64().unwrap_or(0) as u16;
                    exchange.media_type =
                        response["mimeType"].as_str().unwrap_or_default().to_owned();
                    exchange.head = response["encodedDataLength"].as_f64().unwrap_or(0.0) as u64;
                }
            }
            "Network.loadingFinished" => {
                if let Some(exchange) = self.requests.get_mut(&id) {
                    let all = params["encodedDataLength"].as_f64().unwrap_or(0.0) as u64;
                    exchange.bytes = Some(all.saturating_sub(exchange.head));
                }
                self.under_way.remove(&id);
            }
            "Network.loadingFailed" => {
                self.under_way.remove(&id);
            }
            _ => {}
        }
    }

    fn check_document(&self, address: &str) -> Result<(), PageError> {
        let Some(document) = self.document.as_ref().and_then(|id| self.requests.get(id)) else {
            return Ok(());
        };
        let address = address.to_owned();
        match (document.status, document.media_type.as_str()) {
            (400.., _) => Err(PageError::Status { address, status: document.status }),
            (_, "text/html" | "application/xhtml+xml" | "text/xml" | "application/xml" | "") => {
                Ok(())
            }
            (_, media_type) => {
                Err(PageError::NoPage { address, media_type: media_type.to_owned() })
            }
        }
    }

    /// The pictures that came, with their bodies where they are not known.
    async fn files(&self, known: &Files) -> Files {
        let mut files = Files::new();
        for (id, exchange) in &self.requests {
            let Some(bytes) = exchange.bytes else { continue };
            // A request of the page before this one may have lost its body when that was left;
            // another for the same file may have it.
            let whole = |file: &Fetched| file.body.is_some() || !is_picture(exchange);
            let there = known.get(&exchange.address).or(files.get(&exchange.address));
            if there.is_some_and(whole) || files.get(&exchange.address).is_some_and(whole) {
                continue;
            }
            let body = match bytes {
                0..=MAX_BODY if is_picture(exchange) => self.body(id).await,
                _ => None,
            };
            let fetched = Fetched {
                status: exchange.status,
                media_type: exchange.media_type.clone(),
                // What a transfer encoding saved is the wire's, not the file's; but a body tells
                // its own length where the browser kept it whole.
                bytes: body.as_ref().map_or(bytes, |body| body.len() as u64),
                body,
            };
            files.insert(exchange.address.clone(), fetched);
        }
        files
    }

    async fn body(&self, id: &str) -> Option<Vec<u8>> {
        let params = json!({"requestId": id});
        let answer = self.page.call("Network.getResponseBody", params).await.ok()?;
        let text = answer["body"].as_str()?;
        match answer["base64Encoded"].as_bool() {
            Some(true) => STANDARD.decode(text).ok(),
            _ => Some(text.as_bytes().to_vec()),
        }
    }
}

fn is_picture(exchange: &Exchange) -> bool {
    let name = exchange.address.split(['?', '#']).next().unwrap_or_default().to_ascii_lowercase();
    exchange.media_type.starts_with("image/")
        || [".jpg", ".jpeg", ".png", ".webp", ".avif", ".gif", ".svg", ".ico", ".bmp"]
            .iter()
            .any(|extension| name.ends_with(extension))
}

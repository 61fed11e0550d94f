//! What goes over the wire while a page is open: when it is quiet, and the files that came.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::load::PageRequests;
use bytes::Bytes;
use futures::StreamExt;
use futures::stream::FuturesUnordered;
use serde_json::{Value, json};
use tokio::sync::broadcast;
use tokio::time::{Instant, timeout};
use url::Url;

use crate::devtools::{DevtoolsError, Event, Session};
use crate::error::PageError;
use crate::fetched::{Fetched, Files, KnownFiles};
use crate::file_reader::{FileFacts, FileReader};
use crate::gate::Authority;
use crate::page_requests::{self, Asked};
use crate::reading::LONGEST;

/// How long pictures may go on loading after that.
const SETTLE: Duration = Duration::from_secs(8);
/// Without a request for so long, nothing more is coming.
const QUIET: Duration = Duration::from_millis(120);
/// The same without scripts: time enough for what the browser told already.
const CALM: Duration = Duration::from_millis(10);
/// Bodies that are fetched and read at once.
const AT_ONCE: usize = 4;
/// A picture's body is looked at up to this size; larger ones still tell their bytes.
pub(crate) const MAX_BODY: u64 = 60 << 20;

/// What goes over the wire while a page is open.
pub(crate) struct Traffic<'a> {
    session: &'a Session,
    reader: &'a FileReader,
    asked: &'a Mutex<BTreeSet<Authority>>,
    events: broadcast::Receiver<Arc<Event>>,
    requests: HashMap<String, Exchange>,
    /// Whether the page was scrolled, so that what is asked for from now on is lazy.
    is_scrolled: bool,
    document: Option<String>,
    /// The browser's name for what was opened: what the page before it still asks for is not
    /// waited for, since the browser may never tell its end.
    loader: Option<String>,
    under_way: HashSet<String>,
}

#[derive(Default)]
struct Exchange {
    asked: Asked,
    address: String,
    status: u16,
    media_type: String,
    head: u64,
    bytes: Option<u64>,
}

impl<'a> Traffic<'a> {
    /// What goes over the wire in `session` from now on; whom it asks is noted in `asked`.
    pub(crate) fn new(
        session: &'a Session,
        reader: &'a FileReader,
        asked: &'a Mutex<BTreeSet<Authority>>,
    ) -> Self {
        Self {
            session,
            reader,
            asked,
            events: session.events(),
            requests: HashMap::new(),
            is_scrolled: false,
            document: None,
            loader: None,
            under_way: HashSet::new(),
        }
    }

    /// Notes what `Page.navigate` answered.
    pub(crate) fn opened(&mut self, answer: &Value) {
        self.loader = answer["loaderId"].as_str().map(str::to_owned);
    }

    /// Notes that the page is scrolled from now on.
    pub(crate) fn scrolls(&mut self) {
        self.is_scrolled = true;
    }

    /// Waits until the page at `address` is loaded.
    ///
    /// # Errors
    /// [`PageError::NeverLoads`] where it takes longer than `patience`.
    pub(crate) async fn until_loaded(
        &mut self,
        address: &str,
        patience: Duration,
    ) -> Result<(), PageError> {
        let loaded = async {
            while self.next().await?.method != "Page.loadEventFired" {}
            Ok(())
        };
        let never = |_| Err(PageError::NeverLoads { address: address.to_owned(), patience });
        timeout(patience, loaded).await.unwrap_or_else(never)
    }

    /// Waits until nothing is under way any more, within reason; longer where scripts may ask for
    /// more.
    pub(crate) async fn settle(&mut self, scripted: bool) {
        let deadline = Instant::now() + SETTLE;
        let quiet = if scripted { QUIET } else { CALM };
        while Instant::now() < deadline {
            match timeout(quiet, self.next()).await {
                Ok(Ok(_)) => {}
                // Whatever is called next tells that the browser is gone.
                Ok(Err(_)) => return,
                Err(_) if self.under_way.is_empty() => return,
                Err(_) => {}
            }
        }
    }

    async fn next(&mut self) -> Result<Arc<Event>, DevtoolsError> {
        loop {
            match self.events.recv().await {
                Ok(event) if self.session.owns(&event) => {
                    self.note(&event);
                    return Ok(event);
                }
                // Events of other tabs; some lost ones only cost a file's bytes.
                Ok(_) | Err(broadcast::error::RecvError::Lagged(_)) => {}
                Err(broadcast::error::RecvError::Closed) => return Err(DevtoolsError::Gone),
            }
        }
    }

    fn note(&mut self, event: &Event) {
        let params = &event.params;
        let id = params["requestId"].as_str().unwrap_or_default().to_owned();
        match event.method.as_str() {
            "Network.requestWillBeSent" => {
                let address = params["request"]["url"].as_str().unwrap_or_default();
                // A longer address is no file of a page's: most servers refuse it.
                if address.starts_with("data:") || address.len() > LONGEST {
                    return;
                }
                if let Some(authority) =
                    Url::parse(address).ok().and_then(|url| Authority::of(&url))
                {
                    self.asked.lock().expect("no panic holds the lock").insert(authority);
                }
                // The page's own; frames ask later.
                if params["type"] == "Document" && self.document.is_none() {
                    self.document = Some(id.clone());
                }
                // What changes the layout is waited for; sockets and beacons may never end.
                let is_waited_for = matches!(
                    params["type"].as_str(),
                    Some("Image" | "Stylesheet" | "Script" | "Font")
                );
                let is_own = match (&self.loader, params["loaderId"].as_str()) {
                    (Some(own), Some(loader)) => own == loader,
                    _ => true,
                };
                // A redirect keeps its number.
                if is_waited_for && is_own && !self.requests.contains_key(&id) {
                    self.under_way.insert(id.clone());
                }
                let order = self.requests.get(&id).map_or(self.requests.len(), |e| e.asked.order);
                let asked = Asked::of(order, address, params, self.is_scrolled);
                let address = address.to_owned();
                self.requests.insert(id, Exchange { asked, address, ..Exchange::default() });
            }
            "Network.responseReceived" => {
                if let Some(exchange) = self.requests.get_mut(&id) {
                    let response = &params["response"];
                    exchange.status = response["status"].as_u64().unwrap_or(0) as u16;
                    exchange.media_type =
                        response["mimeType"].as_str().unwrap_or_default().to_owned();
                    exchange.asked.protocol =
                        response["protocol"].as_str().unwrap_or_default().to_owned();
                    exchange.head = response["encodedDataLength"].as_f64().unwrap_or(0.0) as u64;
                }
            }
            "Network.loadingFinished" => {
                if let Some(exchange) = self.requests.get_mut(&id) {
                    let all = params["encodedDataLength"].as_f64().unwrap_or(0.0) as u64;
                    exchange.bytes = Some(all.saturating_sub(exchange.head));
                    exchange.asked.wire = all;
                }
                self.under_way.remove(&id);
            }
            "Network.loadingFailed" => {
                self.under_way.remove(&id);
            }
            _ => {}
        }
    }

    pub(crate) fn check_document(&self, address: &str) -> Result<(), PageError> {
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

    /// What the page transferred, of which `files` came; the picture of the largest paint is `largest`.
    pub(crate) async fn listed(&self, files: &Files, largest: Option<&str>) -> PageRequests {
        let html = match &self.document {
            Some(id) => self.body(id).await.unwrap_or_default(),
            None => Bytes::new(),
        };
        let counts = |exchange: &&Exchange| exchange.bytes.is_some() && !exchange.asked.is_icon;
        let asked =
            self.requests.values().filter(counts).map(|exchange| exchange.asked.clone()).collect();
        page_requests::listed(asked, files, &String::from_utf8_lossy(&html), largest)
    }

    /// The files that came; pictures with their bodies, of which those that are not `known` are
    /// fetched and read, several at once.
    pub(crate) async fn files(&self, known: &KnownFiles) -> Files {
        for Exchange { asked, .. } in self.requests.values() {
            known.note_wire(&asked.address, asked.wire).await;
        }
        let mut waiting = self.requests.iter().filter(|(_, exchange)| exchange.bytes.is_some());
        let mut under_way = FuturesUnordered::new();
        let mut files = Files::new();
        loop {
            while under_way.len() < AT_ONCE
                && let Some((id, exchange)) = waiting.next()
            {
                under_way.push(self.file(id, exchange, known));
            }
            let Some((address, file)) = under_way.next().await else { return files };
            // Another request for the same file may have lost its body.
            let is_better = |there: &Fetched| there.body.is_none() && file.body.is_some();
            if files.get(&address).is_none_or(is_better) {
                files.insert(address, file);
            }
        }
    }

    async fn file(&self, id: &str, exchange: &Exchange, known: &KnownFiles) -> (String, Fetched) {
        let address = exchange.address.clone();
        let before = known.get(&address).await;
        if let Some(file) = before.filter(|file| file.status == exchange.status) {
            return (address, file);
        }
        let bytes = exchange.bytes.unwrap_or_default();
        let body = match bytes {
            0..=MAX_BODY if is_picture(exchange) => self.body(id).await,
            _ => None,
        };
        let file = Fetched {
            status: exchange.status,
            media_type: exchange.media_type.clone(),
            // What a transfer encoding saved is the wire's, not the file's, and what the browser
            // had was not sent; but a body tells its own length where the browser kept it whole.
            bytes: body.as_ref().map_or(bytes, |body| body.len() as u64),
            facts: facts_of(self.reader, body.clone()).await,
            body,
        };
        // A request of the page before this one may have lost its body when that was left.
        if file.body.is_some() {
            known.keep(&address, file.clone()).await;
        }
        (address, file)
    }

    async fn body(&self, id: &str) -> Option<Bytes> {
        let params = json!({"requestId": id});
        let answer = self.session.call("Network.getResponseBody", params).await.ok()?;
        let text = answer["body"].as_str()?;
        match answer["base64Encoded"].as_bool() {
            Some(true) => STANDARD.decode(text).ok().map(Bytes::from),
            _ => Some(Bytes::copy_from_slice(text.as_bytes())),
        }
    }
}

/// Reads a file once, away from the runtime: it may be built to be slow to read.
async fn facts_of(reader: &FileReader, body: Option<Bytes>) -> FileFacts {
    let Some(body) = body else { return FileFacts::default() };
    let reader = reader.clone();
    tokio::task::spawn_blocking(move || reader.read(&body)).await.unwrap_or_default()
}

fn is_picture(exchange: &Exchange) -> bool {
    let name = exchange.address.split(['?', '#']).next().unwrap_or_default().to_ascii_lowercase();
    exchange.media_type.starts_with("image/")
        || [".jpg", ".jpeg", ".png", ".webp", ".avif", ".gif", ".svg", ".ico", ".bmp"]
            .iter()
            .any(|extension| name.ends_with(extension))
}

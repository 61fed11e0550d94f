//! HAR 1.2, the archive of requests that browsers and other tools write: read into what a page transfers, and written
//! from it.

use brisk_margin_core::load::{Loaded, PageRequests, Protocol, RequestKind};
use chrono::DateTime;
use serde::Deserialize;
use serde_json::{Value, json};
use thiserror::Error;

use crate::fetched::Files;
use crate::page_requests::{Asked, initiator, listed};

/// The largest archive that is read.
pub const MOST_BYTES: usize = 200 << 20;
/// The most requests of a page.
const MOST_REQUESTS: usize = 10_000;

/// A page of an archive.
#[derive(Debug, Clone, PartialEq)]
pub struct HarPage {
    /// Its title, or its address where it has none.
    pub title: String,
    /// What it transfers.
    pub requests: PageRequests,
}

/// Why an archive is not read.
#[derive(Debug, Error)]
pub enum HarError {
    /// No archive.
    #[error("this is no HAR file: {0}")]
    Unread(#[from] serde_json::Error),
    /// Another version.
    #[error("this is HAR {0}, and only versions 1.1 to 1.3 are read; export it anew as HAR 1.2")]
    Version(String),
    /// Nothing in it.
    #[error("the HAR file holds no request that was answered")]
    Empty,
    /// Too much in it.
    #[error("the HAR file is larger than 200 MB, or has a page of more than 10,000 requests")]
    TooLarge,
}

#[derive(Deserialize)]
struct Archive {
    log: Log,
}

#[derive(Deserialize)]
struct Log {
    #[serde(default)]
    version: Option<String>,
    #[serde(default)]
    pages: Vec<Page>,
    entries: Vec<Entry>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Page {
    #[serde(default)]
    id: String,
    #[serde(default)]
    title: String,
    #[serde(default)]
    started_date_time: String,
    #[serde(default)]
    page_timings: Option<PageTimings>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct PageTimings {
    on_load: Option<f64>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Entry {
    #[serde(default)]
    pageref: String,
    #[serde(default)]
    started_date_time: String,
    request: Option<Asking>,
    response: Option<Answer>,
    #[serde(rename = "_initiator")]
    initiator: Option<Value>,
    #[serde(rename = "_priority")]
    priority: Option<String>,
    #[serde(rename = "_resourceType")]
    kind: Option<String>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Asking {
    #[serde(default)]
    url: String,
    #[serde(default)]
    http_version: String,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Answer {
    #[serde(default)]
    status: i64,
    #[serde(default)]
    http_version: String,
    headers_size: Option<f64>,
    body_size: Option<f64>,
    content: Option<Content>,
    #[serde(rename = "_transferSize")]
    transfer: Option<f64>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Content {
    size: Option<f64>,
    #[serde(default)]
    mime_type: String,
}

/// Reads an archive: its pages in their order, each with what it transfers. Fields that a tool left out are taken from
/// what is there; where no picture is told to be the largest paint, the heaviest that is not lazy counts.
///
/// # Errors
/// [`HarError`].
pub fn read(archive: &[u8]) -> Result<Vec<HarPage>, HarError> {
    if archive.len() > MOST_BYTES {
        return Err(HarError::TooLarge);
    }
    // Some tools begin with a byte order mark.
    let archive = archive.strip_prefix(b"\xef\xbb\xbf").unwrap_or(archive);
    let Archive { log } = serde_json::from_slice(archive)?;
    if let Some(version) =
        log.version.filter(|version| !matches!(version.as_str(), "1.1" | "1.2" | "1.3" | ""))
    {
        return Err(HarError::Version(version));
    }
    let none = Page {
        id: String::new(),
        title: String::new(),
        started_date_time: String::new(),
        page_timings: None,
    };
    let known: Vec<Page> = if log.pages.is_empty() { vec![none] } else { log.pages };
    let first = known[0].id.clone();
    let mut pages = Vec::new();
    for page in &known {
        // What no page claims belongs to the first.
        let is_own = |entry: &&Entry| {
            let claimed = known.iter().any(|known| known.id == entry.pageref);
            entry.pageref == page.id || !claimed && page.id == first
        };
        let asked: Vec<Asked> = log
            .entries
            .iter()
            .filter(is_own)
            .enumerate()
            .filter_map(|(n, entry)| asked(n, entry, page))
            .collect();
        if asked.len() > MOST_REQUESTS {
            return Err(HarError::TooLarge);
        }
        let Some(address) = asked.first().map(|asked| asked.address.clone()) else { continue };
        let requests = listed(asked, &Files::new(), "", None).with_largest();
        let title = if page.title.is_empty() { address } else { page.title.clone() };
        pages.push(HarPage { title, requests });
    }
    if pages.is_empty() { Err(HarError::Empty) } else { Ok(pages) }
}

fn asked(order: usize, entry: &Entry, page: &Page) -> Option<Asked> {
    let address = entry.request.as_ref()?.url.clone();
    let answer = entry.response.as_ref().filter(|answer| answer.status > 0)?;
    if !address.starts_with("http") {
        return None;
    }
    let size =
        |size: Option<f64>| size.filter(|size| *size > 0.0).map(|size| size.min(1e12) as u64);
    let parts = size(answer.headers_size).unwrap_or(0) + size(answer.body_size).unwrap_or(0);
    let content = answer.content.as_ref();
    let wire = size(answer.transfer)
        .or(Some(parts).filter(|_| size(answer.body_size).is_some()))
        .or(content.and_then(|content| size(content.size)))
        .unwrap_or(parts);
    let media_type = content.map_or("", |content| content.mime_type.as_str());
    let kind = kind(order, entry.kind.as_deref(), media_type);
    let priority = entry.priority.clone().unwrap_or_else(|| usual_priority(kind).to_owned());
    let asking = entry.request.as_ref().map_or("", |asking| asking.http_version.as_str());
    let protocol = if answer.http_version.is_empty() { asking } else { &answer.http_version };
    let is_multiplexed = matches!(
        protocol.to_ascii_lowercase().as_str(),
        "h2" | "h3" | "http/2" | "http/2.0" | "http/3"
    );
    let protocol = if is_multiplexed { "h2" } else { "http/1.1" }.to_owned();
    let initiator = entry.initiator.as_ref().and_then(initiator);
    let (kind, lazy) = (kind.to_owned(), is_late(entry, page));
    let asked = Asked {
        order,
        address,
        kind,
        initiator,
        priority,
        lazy,
        protocol,
        wire,
        ..Asked::default()
    };
    Some(asked)
}

/// The browser's name for what a request is.
fn kind(order: usize, told: Option<&str>, media_type: &str) -> &'static str {
    let media_type = media_type.split(';').next().unwrap_or_default().trim();
    match told.map(str::to_ascii_lowercase).as_deref() {
        Some("document") => return "Document",
        Some("stylesheet") => return "Stylesheet",
        Some("script") => return "Script",
        Some("font") => return "Font",
        Some("image") => return "Image",
        _ => {}
    }
    match media_type {
        "text/html" | "application/xhtml+xml" if order == 0 => "Document",
        "text/css" => "Stylesheet",
        kind if kind.starts_with("image/") => "Image",
        kind if kind.contains("javascript") || kind.contains("ecmascript") => "Script",
        kind if kind.starts_with("font/") || kind.contains("font-woff") => "Font",
        _ if order == 0 => "Document",
        _ => "Other",
    }
}

/// What Chromium gives such a request where nothing raises it.
fn usual_priority(kind: &str) -> &'static str {
    match kind {
        "Document" | "Stylesheet" => "VeryHigh",
        "Font" => "High",
        _ => "Low",
    }
}

/// Whether a request was sent once the page had loaded.
fn is_late(entry: &Entry, page: &Page) -> bool {
    let loaded =
        page.page_timings.as_ref().and_then(|timings| timings.on_load).filter(|at| *at > 0.0);
    let at = |text: &str| DateTime::parse_from_rfc3339(text).ok();
    let began = at(&entry.started_date_time).zip(at(&page.started_date_time));
    let began = began.map(|(entry, page)| (entry - page).as_seconds_f64() * 1e3);
    matches!((loaded, began), (Some(loaded), Some(began)) if began > loaded)
}

/// The pages of two archives, those of one title together; where each has one page alone, those two.
pub fn paired(
    before: Vec<HarPage>,
    mut after: Vec<HarPage>,
) -> Vec<(String, Option<HarPage>, Option<HarPage>)> {
    let alone = before.len() == 1 && after.len() == 1;
    let mut pairs = Vec::new();
    for page in before {
        let same = after.iter().position(|other| alone || other.title == page.title);
        let other = same.map(|at| after.remove(at));
        pairs.push((page.title.clone(), Some(page), other));
    }
    pairs.extend(after.into_iter().map(|page| (page.title.clone(), None, Some(page))));
    pairs
}

/// Writes what `page` transfers, with the times that were worked out for it, as an archive. `started` is the time of its
/// start (ISO 8601, in UTC).
pub fn written(title: &str, started: &str, page: &PageRequests, came: &Loaded) -> Value {
    let entries = page.0.iter().zip(&came.timings).map(|(request, timing)| {
        let times = timing.map(|timing| {
            let [sent, first, end] = [timing.sent, timing.first_byte, timing.end].map(|ms| ms.get());
            let blocked = sent - timing.discovered.get();
            (end - timing.discovered.get(), json!({"blocked": blocked, "send": 0, "wait": first - sent, "receive": end - first}))
        });
        let (time, timings) =
            times.unwrap_or_else(|| (0.0, json!({"blocked": -1, "send": 0, "wait": 0, "receive": 0})));
        let version = match request.protocol {
            Protocol::Http2 => "HTTP/2",
            Protocol::Http1 | Protocol::Plain => "HTTP/1.1",
        };
        json!({
            "pageref": "page", "startedDateTime": started, "time": time,
            "request": {
                "method": "GET", "url": request.address, "httpVersion": version, "cookies": [], "headers": [],
                "queryString": [], "headersSize": -1, "bodySize": 0,
            },
            "response": {
                "status": 200, "statusText": "OK", "httpVersion": version, "cookies": [], "headers": [],
                "content": {"size": request.bytes, "mimeType": media_type(request.kind)}, "redirectURL": "",
                "headersSize": -1, "bodySize": request.bytes, "_transferSize": request.bytes,
            },
            "cache": {}, "timings": timings, "_discovered": timing.map(|timing| timing.discovered), "_lazy": request.lazy,
        })
    });
    let entries: Vec<Value> = entries.collect();
    json!({"log": {
        "version": "1.2", "creator": {"name": "Brisk Margin", "version": env!("CARGO_PKG_VERSION")},
        "pages": [{
            "startedDateTime": started, "id": "page", "title": title,
            "pageTimings": {"onContentLoad": -1, "onLoad": came.times.end, "_lcp": came.times.lcp},
        }],
        "entries": entries,
    }})
}

fn media_type(kind: RequestKind) -> &'static str {
    match kind {
        RequestKind::Document => "text/html",
        RequestKind::Style => "text/css",
        RequestKind::Script => "text/javascript",
        RequestKind::Font => "font/woff2",
        RequestKind::Picture => "image/*",
        RequestKind::Other => "application/octet-stream",
    }
}

#[cfg(test)]
mod tests {
    use brisk_margin_core::load::{Connection, Discovery, PageWeight, load};
    use brisk_margin_core::units::Bytes;

    use super::*;

    fn entry(url: &str, mime: &str, size: i64) -> Value {
        json!({
            "request": {"method": "GET", "url": url},
            "response": {"status": 200, "content": {"size": size, "mimeType": mime}, "headersSize": 200, "bodySize": size},
        })
    }

    fn archive(version: &str, pages: Value, entries: Vec<Value>) -> Vec<u8> {
        json!({"log": {"version": version, "pages": pages, "entries": entries}})
            .to_string()
            .into_bytes()
    }

    #[test]
    fn pages_of_two_archives_stand_together_by_their_titles() {
        let page =
            |title: &str| HarPage { title: title.to_owned(), requests: PageRequests(Vec::new()) };
        let told = |before: &[&str], after: &[&str]| -> Vec<(String, bool, bool)> {
            let of = |titles: &[&str]| titles.iter().map(|title| page(title)).collect();
            let pairs = paired(of(before), of(after)).into_iter();
            pairs.map(|(title, one, other)| (title, one.is_some(), other.is_some())).collect()
        };
        let (walks, visit) = ("Walks".to_owned(), "Visit".to_owned());
        assert_eq!(told(&["Walks"], &[]), [(walks.clone(), true, false)]);
        assert_eq!(told(&["Walks"], &["http://tarn.example/"]), [(walks.clone(), true, true)]);
        assert_eq!(
            told(&["Walks", "Visit"], &["Visit", "Shop"]),
            [(walks, true, false), (visit, true, true), ("Shop".to_owned(), false, true),]
        );
    }

    #[test]
    fn an_archive_without_the_fields_of_any_one_tool_is_read() {
        let mut sky = entry("https://tarn.example/sky.jpg", "image/jpeg", 80_000);
        sky["_initiator"] = json!({"type": "parser", "url": "https://tarn.example/site.css"});
        sky["response"]["_transferSize"] = json!(81_000);
        let entries = vec![
            entry("https://tarn.example/", "text/html; charset=utf-8", 9_000),
            entry("https://tarn.example/site.css", "text/css", 4_000),
            sky,
            entry("https://tarn.example/dome.jpg", "image/jpeg", 30_000),
            entry("data:image/gif;base64,R0", "image/gif", 12),
            json!({"request": {"url": "https://tarn.example/lost"}, "response": {"status": 0}}),
            json!({"time": -4}),
        ];
        let pages = read(&archive("1.2", json!([]), entries)).unwrap();
        let [HarPage { title, requests }] = &pages[..] else { panic!("{pages:?}") };
        assert_eq!(title, "https://tarn.example/");
        let bytes: Vec<u64> = requests.0.iter().map(|request| request.bytes.get()).collect();
        assert_eq!(bytes, [9_200, 4_200, 81_000, 30_200]);
        assert_eq!(requests.0[2].discovery, Discovery::Layout { by: 1 });
        assert!(requests.0[1].blocks && requests.0[2].lcp, "the heaviest picture counts");
    }

    #[test]
    fn each_page_has_its_own_and_what_came_after_the_load_is_lazy() {
        let at = |mut entry: Value, page: &str, time: &str| {
            entry["pageref"] = json!(page);
            entry["startedDateTime"] = json!(format!("2026-11-27T10:00:{time}Z"));
            entry
        };
        let page = |id: &str, load: Value| json!({"id": id, "title": id, "startedDateTime": "2026-11-27T10:00:00.000Z", "pageTimings": {"onLoad": load}});
        let entries = vec![
            at(entry("https://tarn.example/a", "text/html", 1_000), "a", "00.000"),
            at(entry("https://tarn.example/b", "text/html", 2_000), "b", "00.000"),
            at(entry("https://tarn.example/late.jpg", "image/jpeg", 500), "a", "03.500"),
            at(entry("https://tarn.example/soon.jpg", "image/jpeg", 700), "b", "03.500"),
        ];
        let pages = read(&archive(
            "1.2",
            json!([page("a", json!(1200.5)), page("b", json!(null))]),
            entries,
        ))
        .unwrap();
        let weights: Vec<_> = pages.iter().map(|page| PageWeight::of(&page.requests)).collect();
        assert_eq!((weights[0].total, weights[0].lazy), (Bytes(1_200), Bytes(700)));
        assert_eq!((weights[1].total, weights[1].lazy), (Bytes(3_100), Bytes(0)));
    }

    #[test]
    fn what_is_no_archive_says_why() {
        let said = |bytes: &[u8]| read(bytes).unwrap_err().to_string();
        assert!(said(b"<html>").contains("no HAR file"));
        assert!(said(b"{\"log\": {\"version\": \"1.2\"}}").contains("entries"));
        assert!(said(&archive("2.0", json!([]), vec![])).contains("HAR 2.0"));
        assert!(said(&archive("1.2", json!([]), vec![])).contains("no request"));
        let negative = entry("https://tarn.example/", "text/html", -1);
        let pages = read(&archive("1.2", json!([]), vec![negative])).unwrap();
        assert_eq!(pages[0].requests.0[0].bytes, Bytes(200), "what is not told weighs its head");
    }

    #[test]
    fn what_is_written_is_read_again_with_the_same_weight() {
        let entries = vec![
            entry("https://tarn.example/", "text/html", 9_000),
            entry("https://tarn.example/dome.jpg", "image/jpeg", 30_000),
        ];
        let page = read(&archive("1.2", json!([]), entries)).unwrap().remove(0);
        let came = load(&page.requests, Connection::USUAL);
        let written = written("Tarnlight", "2026-11-27T10:00:00.000Z", &page.requests, &came);
        let again = read(written.to_string().as_bytes()).unwrap().remove(0);
        assert_eq!(again.title, "Tarnlight");
        assert_eq!(PageWeight::of(&again.requests), PageWeight::of(&page.requests));
        assert_eq!(written["log"]["pages"][0]["pageTimings"]["_lcp"], json!(came.times.lcp));
    }
}

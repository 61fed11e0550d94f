//! What a page transfers, in the order in which the browser found it, with what made it ask.

use std::collections::HashMap;

use brisk_margin_core::load::{Discovery, PageRequests, Priority, Protocol, Request, RequestKind};
use brisk_margin_core::units::Bytes;
use serde_json::Value;

use crate::fetched::Files;

/// Bytes of an answer's head where the browser did not tell them.
const HEAD: u64 = 300;
/// No encoding of a transfer makes a body so many times smaller: the browser had what came as less.
const SMALLEST: u64 = 20;

/// What the browser told of a request when it sent it, and what came of it.
#[derive(Debug, Clone, Default)]
pub(crate) struct Asked {
    /// In which order it was sent.
    pub order: usize,
    pub address: String,
    /// The type that the browser gives it.
    pub kind: String,
    /// The address of what named it.
    pub initiator: Option<String>,
    pub priority: String,
    /// Whether the browser says that painting waits for it; nothing where it does not say.
    pub blocks: Option<bool>,
    /// Whether the page was scrolled before.
    pub lazy: bool,
    pub protocol: String,
    /// Bytes that came, head and body; 0 of what the browser had.
    pub wire: u64,
    /// Whether it is the site's icon, which a browser asks for once, whatever page comes first.
    pub is_icon: bool,
}

impl Asked {
    /// What `Network.requestWillBeSent` tells.
    pub(crate) fn of(order: usize, address: &str, params: &Value, lazy: bool) -> Self {
        let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
        let blocks = params["renderBlockingBehavior"].as_str();
        // Neither a page nor a script asks for it.
        let is_of_nobody = params["initiator"]["type"] == "other";
        Self {
            order,
            address: address.to_owned(),
            kind: text(&params["type"]),
            initiator: initiator(&params["initiator"]),
            priority: text(&params["request"]["initialPriority"]),
            blocks: blocks.map(|word| matches!(word, "Blocking" | "InBodyParserBlocking")),
            lazy,
            is_icon: is_of_nobody && matches!(params["type"].as_str(), Some("Other" | "Image")),
            ..Self::default()
        }
    }

    fn kind(&self, is_first: bool) -> RequestKind {
        match self.kind.as_str() {
            "Document" if is_first => RequestKind::Document,
            "Stylesheet" => RequestKind::Style,
            "Script" => RequestKind::Script,
            "Font" => RequestKind::Font,
            "Image" => RequestKind::Picture,
            _ => RequestKind::Other,
        }
    }

    fn priority(&self) -> Priority {
        match self.priority.as_str() {
            "VeryHigh" => Priority::Highest,
            "High" => Priority::High,
            "Medium" => Priority::Medium,
            "Low" => Priority::Low,
            _ => Priority::Lowest,
        }
    }

    fn protocol(&self) -> Protocol {
        match (self.protocol.as_str(), self.address.starts_with("https:")) {
            ("h2" | "h3", _) => Protocol::Http2,
            (_, true) => Protocol::Http1,
            (_, false) => Protocol::Plain,
        }
    }

    /// A style sheet that applies and a script that the parser waits for have these priorities in Chromium.
    fn blocks(&self, kind: RequestKind) -> bool {
        match kind {
            RequestKind::Style => self.blocks.unwrap_or(self.priority == "VeryHigh"),
            RequestKind::Script => self.blocks.unwrap_or(self.priority == "High"),
            _ => false,
        }
    }
}

/// The address of what named a request: a file, or of a script the one whose function asked.
pub(crate) fn initiator(told: &Value) -> Option<String> {
    let of_script = || {
        let frames = told["stack"]["callFrames"].as_array()?;
        frames.iter().find_map(|frame| frame["url"].as_str().filter(|url| !url.is_empty()))
    };
    told["url"].as_str().or_else(of_script).map(plain)
}

/// What a page transfers: what was `asked`, of which `files` came, the document being `html`. The picture of the
/// largest paint is `largest`.
pub(crate) fn listed(
    mut asked: Vec<Asked>,
    files: &Files,
    html: &str,
    largest: Option<&str>,
) -> PageRequests {
    asked.sort_by_key(|one| one.order);
    // Frames have documents, too; the page's own was the first.
    let own = asked.iter().position(|one| one.kind == "Document").unwrap_or(0);
    if own > 0 {
        asked[..=own].rotate_right(1);
    }
    let mut places: HashMap<String, usize> = HashMap::new();
    let mut requests: Vec<Request> = Vec::new();
    for one in &asked {
        // The same file twice is one transfer.
        if places.contains_key(&plain(&one.address)) {
            continue;
        }
        let kind = one.kind(requests.is_empty());
        let file = files.get(&one.address);
        let body = file.map_or(0, |file| file.bytes);
        let bytes = if one.wire < body / SMALLEST { body + HEAD } else { one.wire.max(1) };
        let pixels = file.and_then(|file| file.facts.size).map_or(0, |size| size.pixels());
        requests.push(Request {
            address: one.address.clone(),
            kind,
            bytes: Bytes(bytes),
            discovery: discovery(one, kind, &requests, &places, html),
            priority: one.priority(),
            protocol: one.protocol(),
            blocks: one.blocks(kind),
            lazy: one.lazy,
            lcp: kind == RequestKind::Picture && largest == Some(one.address.as_str()),
            pixels: if kind == RequestKind::Picture { pixels } else { 0 },
        });
        places.insert(plain(&one.address), requests.len() - 1);
    }
    PageRequests(requests)
}

/// What made the browser ask for `one`, of what it knew `before`.
fn discovery(
    one: &Asked,
    kind: RequestKind,
    before: &[Request],
    places: &HashMap<String, usize>,
    html: &str,
) -> Discovery {
    if before.is_empty() {
        return Discovery::Start;
    }
    let by = one.initiator.as_ref().and_then(|by| places.get(by).copied()).unwrap_or(0);
    match (before[by].kind, kind) {
        (RequestKind::Document, _) => Discovery::Within { by, share: share(&one.address, html) },
        (RequestKind::Style, RequestKind::Picture | RequestKind::Font) => Discovery::Layout { by },
        _ => Discovery::Within { by, share: 1.0 },
    }
}

/// How much of the document comes before it names `address`: all of it, where it does not.
fn share(address: &str, html: &str) -> f64 {
    let name = address.split(['?', '#']).next().unwrap_or_default();
    let name = name.rsplit('/').find(|part| !part.is_empty()).unwrap_or_default();
    match html.find(name) {
        Some(at) if !name.is_empty() => (at + name.len()) as f64 / html.len() as f64,
        _ => 1.0,
    }
}

/// An address without the part that only says where in it.
pub(crate) fn plain(address: &str) -> String {
    address.split('#').next().unwrap_or_default().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fetched::Fetched;

    fn asked(order: usize, address: &str, kind: &str, initiator: &str, wire: u64) -> Asked {
        let priority = match kind {
            "Document" | "Stylesheet" => "VeryHigh",
            "Script" => "Low",
            _ => "Medium",
        };
        Asked {
            order,
            address: format!("https://tarn.example/{address}"),
            kind: kind.to_owned(),
            initiator: Some(format!("https://tarn.example/{initiator}")),
            priority: priority.to_owned(),
            protocol: "h2".to_owned(),
            wire,
            ..Asked::default()
        }
    }

    #[test]
    fn each_request_says_what_named_it_and_where() {
        let html = "<link href=site.css><img src=media/dome.jpg>........";
        let mut listed_later = asked(4, "media/late.jpg", "Image", "", 900);
        listed_later.lazy = true;
        let all = vec![
            asked(0, "", "Document", "", 5_000),
            asked(2, "site.css", "Stylesheet", "", 800),
            asked(1, "media/dome.jpg", "Image", "", 0),
            asked(3, "media/sky.jpg", "Image", "site.css", 70_000),
            listed_later,
            asked(5, "media/dome.jpg", "Image", "", 40_000),
        ];
        let file = Fetched {
            status: 200,
            media_type: "image/jpeg".to_owned(),
            bytes: 40_000,
            body: None,
            facts: Default::default(),
        };
        let files = Files::from([("https://tarn.example/media/dome.jpg".to_owned(), file)]);
        let listed = listed(all, &files, html, Some("https://tarn.example/media/sky.jpg")).0;
        let names: Vec<_> = listed.iter().map(|r| r.address.rsplit('/').next().unwrap()).collect();
        assert_eq!(names, ["", "dome.jpg", "site.css", "sky.jpg", "late.jpg"], "each once");
        let at = |n: usize| listed[n].discovery;
        assert_eq!(at(0), Discovery::Start);
        let share = (html.find("dome.jpg").unwrap() + 8) as f64 / html.len() as f64;
        assert_eq!(at(1), Discovery::Within { by: 0, share });
        assert_eq!(at(3), Discovery::Layout { by: 2 }, "a background waits for its style sheet");
        assert_eq!(listed[1].bytes, Bytes(40_300), "what the browser had is counted as it came");
        assert!(listed[2].blocks && listed[3].lcp && listed[4].lazy);
        assert!(listed.iter().all(|request| request.protocol == Protocol::Http2));
    }
}

//! What a page may cost while it is measured, and the watch that ends it once it costs more.

use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use brisk_margin_core::units::Bytes;
use serde_json::json;
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;

use crate::devtools::{DevtoolsError, Event, Session};
use crate::error::PageError;

/// What a page may cost while it is measured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PageBudget {
    /// How long it may take to load, each time that it is opened.
    pub load: Duration,
    /// How long all of its measuring may take.
    pub whole: Duration,
    /// Files that it may ask for, each time that it is opened.
    pub requests: u64,
    /// Bytes of all that comes each time that it is opened, unpacked.
    pub bytes: Bytes,
    /// Bytes of its own text and that of its frames, unpacked.
    pub text: Bytes,
    /// Elements that it may have.
    pub elements: u64,
}

impl PageBudget {
    /// Far more than pages have that people can use.
    pub const USUAL: Self = Self {
        load: Duration::from_secs(20),
        whole: Duration::from_secs(300),
        requests: 5_000,
        bytes: Bytes(300_000_000),
        text: Bytes(20_000_000),
        elements: 100_000,
    };
}

/// Of what a page has more than it may.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Excess {
    /// Time for all of its measuring.
    Time(Duration),
    /// Files that it asks for.
    Requests(u64),
    /// Bytes of all that comes.
    Bytes(Bytes),
    /// Bytes of its own text.
    Text(Bytes),
    /// Elements.
    Elements(u64),
}

impl fmt::Display for Excess {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Time(most) => write!(to, "takes longer than {} s to measure", most.as_secs()),
            Self::Requests(most) => write!(to, "asks for more than {most} files"),
            Self::Bytes(most) => write!(to, "loads more than {most}"),
            Self::Text(most) => write!(to, "is itself longer than {most}"),
            Self::Elements(most) => write!(to, "has more than {most} elements"),
        }
    }
}

/// Looks on while a tab has a page open.
pub(crate) struct PageWatch<'a> {
    session: &'a Session,
    events: broadcast::Receiver<Arc<Event>>,
    requests: u64,
    bytes: u64,
    text: u64,
    documents: Vec<String>,
}

impl<'a> PageWatch<'a> {
    /// Looks on from now.
    pub(crate) fn new(session: &'a Session) -> Self {
        let events = session.events();
        Self { session, events, requests: 0, bytes: 0, text: 0, documents: Vec::new() }
    }

    /// Ends once the page at `address` costs more than `budget`, or broke down.
    pub(crate) async fn broken(mut self, address: &str, budget: PageBudget) -> PageError {
        loop {
            let event = match self.events.recv().await {
                Ok(event) if self.session.owns(&event) => event,
                // What is missed costs a page nothing.
                Ok(_) | Err(RecvError::Lagged(_)) => continue,
                Err(RecvError::Closed) => return DevtoolsError::Gone.into(),
            };
            match event.method.as_str() {
                "Inspector.targetCrashed" => {
                    return PageError::BrokeDown { address: address.to_owned() };
                }
                // The page waits for an answer, and whoever measures it for the page.
                "Page.javascriptDialogOpening" => {
                    let away = json!({"accept": false});
                    let _ = self.session.call("Page.handleJavaScriptDialog", away).await;
                }
                _ => {}
            }
            if let Some(excess) = self.excess(&event, budget) {
                return PageError::TooMuch { address: address.to_owned(), excess };
            }
        }
    }

    fn excess(&mut self, event: &Event, budget: PageBudget) -> Option<Excess> {
        let params = &event.params;
        let id = params["requestId"].as_str().unwrap_or_default();
        match event.method.as_str() {
            // What is written into the page is not asked for.
            "Network.requestWillBeSent"
                if params["request"]["url"]
                    .as_str()
                    .is_some_and(|url| url.starts_with("data:")) => {}
            "Network.requestWillBeSent" => {
                if params["type"] == "Document" {
                    self.documents.push(id.to_owned());
                }
                self.requests += 1;
            }
            "Network.dataReceived" => {
                let bytes = params["dataLength"].as_u64().unwrap_or(0);
                self.bytes += bytes;
                if self.documents.iter().any(|document| document == id) {
                    self.text += bytes;
                }
            }
            _ => {}
        }
        let PageBudget { requests, bytes, text, .. } = budget;
        (self.requests > requests)
            .then_some(Excess::Requests(requests))
            .or((self.text > text.get()).then_some(Excess::Text(text)))
            .or((self.bytes > bytes.get()).then_some(Excess::Bytes(bytes)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_that_costs_too_much_is_told_of_what() {
        let told = |excess: Excess| excess.to_string();
        let usual = PageBudget::USUAL;
        assert_eq!(told(Excess::Bytes(usual.bytes)), "loads more than 300 MB");
        assert_eq!(told(Excess::Time(usual.whole)), "takes longer than 300 s to measure");
    }
}

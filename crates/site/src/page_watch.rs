//! Looks on while a page is open, and ends it once it costs more than it may.

use std::collections::HashSet;
use std::sync::Arc;

use serde_json::json;
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;

use crate::devtools::{DevtoolsError, Event, Session};
use crate::error::PageError;
use crate::page_budget::{Excess, PageBudget};

/// Looks on while a tab has a page open.
pub(crate) struct PageWatch<'a> {
    session: &'a Session,
    events: broadcast::Receiver<Arc<Event>>,
    requests: u64,
    bytes: u64,
    text: u64,
    documents: HashSet<String>,
}

impl<'a> PageWatch<'a> {
    /// Looks on from now.
    pub(crate) fn new(session: &'a Session) -> Self {
        let events = session.events();
        Self { session, events, requests: 0, bytes: 0, text: 0, documents: HashSet::new() }
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
                    self.documents.insert(id.to_owned());
                }
                self.requests += 1;
            }
            "Network.dataReceived" => {
                let bytes = params["dataLength"].as_u64().unwrap_or(0);
                self.bytes += bytes;
                if self.documents.contains(id) {
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

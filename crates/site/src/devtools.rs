//! The browser's own protocol (Chrome DevTools Protocol) over its socket: calls and events.

use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use futures::{SinkExt, StreamExt};
use serde_json::{Value, json};
use thiserror::Error;
use tokio::net::TcpStream;
use tokio::sync::{broadcast, mpsc, oneshot};
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::protocol::WebSocketConfig;
use tokio_tungstenite::{MaybeTlsStream, WebSocketStream, connect_async_with_config};

type Socket = WebSocketStream<MaybeTlsStream<TcpStream>>;
type Pending = Arc<Mutex<HashMap<u64, oneshot::Sender<Value>>>>;

/// How long one call may take.
const PATIENCE: Duration = Duration::from_secs(30);

/// A connection to the browser. Clones share it.
#[derive(Clone)]
pub struct Devtools {
    calls: mpsc::UnboundedSender<String>,
    pending: Pending,
    events: broadcast::Sender<Arc<Event>>,
    next: Arc<AtomicU64>,
}

/// Something that happened in the browser.
#[derive(Debug)]
pub struct Event {
    /// In which session.
    pub session: String,
    /// Its name, as in `Page.loadEventFired`.
    pub method: String,
    /// What it tells.
    pub params: Value,
}

/// A call that failed.
#[derive(Debug, Clone, Error)]
pub enum DevtoolsError {
    /// The browser is gone.
    #[error("the browser ended unexpectedly")]
    Gone,
    /// The browser did not answer in time.
    #[error("the browser did not answer {0}")]
    Silent(&'static str),
    /// The browser refused.
    #[error("the browser refused {method}: {message}")]
    Refused {
        /// The call.
        method: &'static str,
        /// Its words.
        message: String,
    },
}

impl Devtools {
    /// Connects to the socket at `address`.
    pub async fn connect(address: &str) -> Result<Self, DevtoolsError> {
        // Bodies of pictures come through here, as text.
        let config = WebSocketConfig::default()
            .max_message_size(Some(512 << 20))
            .max_frame_size(Some(512 << 20));
        let connected = connect_async_with_config(address, Some(config), true).await;
        let (socket, _) = connected.map_err(|_| DevtoolsError::Gone)?;
        let (calls, outgoing) = mpsc::unbounded_channel();
        let pending = Pending::default();
        let (events, _) = broadcast::channel(8_192);
        tokio::spawn(run(socket, outgoing, Arc::clone(&pending), events.clone()));
        Ok(Self { calls, pending, events, next: Arc::default() })
    }

    /// Everything that happens from now on.
    pub fn events(&self) -> broadcast::Receiver<Arc<Event>> {
        self.events.subscribe()
    }

    /// Calls `method` in `session`; an empty session is the browser itself.
    pub async fn call(
        &self,
        session: &str,
        method: &'static str,
        params: Value,
    ) -> Result<Value, DevtoolsError> {
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let (sender, answer) = oneshot::channel();
        self.pending.lock().expect("no panic holds the lock").insert(id, sender);
        let mut message = json!({"id": id, "method": method, "params": params});
        if !session.is_empty() {
            message["sessionId"] = session.into();
        }
        self.calls.send(message.to_string()).map_err(|_| DevtoolsError::Gone)?;
        let answer = tokio::time::timeout(PATIENCE, answer).await;
        let mut answer =
            answer.map_err(|_| DevtoolsError::Silent(method))?.map_err(|_| DevtoolsError::Gone)?;
        match answer.get("error") {
            Some(error) => {
                let message = error["message"].as_str().unwrap_or("no reason given").to_owned();
                Err(DevtoolsError::Refused { method, message })
            }
            None => Ok(answer["result"].take()),
        }
    }
}

/// A tab's part of the connection.
pub struct Session {
    devtools: Devtools,
    id: String,
}

impl Session {
    /// The session `id` on a connection.
    pub fn new(devtools: Devtools, id: String) -> Self {
        Self { devtools, id }
    }

    /// Calls `method` in this session.
    pub async fn call(&self, method: &'static str, params: Value) -> Result<Value, DevtoolsError> {
        self.devtools.call(&self.id, method, params).await
    }

    /// Everything that happens in the browser from now on, also in other sessions.
    pub fn events(&self) -> broadcast::Receiver<Arc<Event>> {
        self.devtools.events()
    }

    /// Whether `event` happened in this session.
    pub fn owns(&self, event: &Event) -> bool {
        event.session == self.id
    }
}

async fn run(
    socket: Socket,
    mut outgoing: mpsc::UnboundedReceiver<String>,
    pending: Pending,
    events: broadcast::Sender<Arc<Event>>,
) {
    let (mut sink, mut stream) = socket.split();
    loop {
        tokio::select! {
            call = outgoing.recv() => match call {
                Some(text) => if sink.send(Message::text(text)).await.is_err() { break },
                None => break,
            },
            message = stream.next() => match message {
                Some(Ok(Message::Text(text))) => deliver(text.as_str(), &pending, &events),
                Some(Ok(_)) => {}
                _ => break,
            },
        }
    }
    // Whoever waits learns that nothing will come.
    pending.lock().expect("no panic holds the lock").clear();
}

fn deliver(text: &str, pending: &Pending, events: &broadcast::Sender<Arc<Event>>) {
    let Ok(mut message) = serde_json::from_str::<Value>(text) else { return };
    if let Some(id) = message["id"].as_u64() {
        let waiting = pending.lock().expect("no panic holds the lock").remove(&id);
        if let Some(waiting) = waiting {
            // A call whose time ran out is not waited for any more.
            let _ = waiting.send(message);
        }
    } else if let Some(method) = message["method"].as_str() {
        let event = Event {
            session: message["sessionId"].as_str().unwrap_or_default().to_owned(),
            method: method.to_owned(),
            params: message["params"].take(),
        };
        let _ = events.send(Arc::new(event));
    }
}

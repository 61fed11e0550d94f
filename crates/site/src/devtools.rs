//! The browser's own protocol (Chrome DevTools Protocol) over a pipe that nobody else can reach: calls
//! and events, each ended by a zero byte.

use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use serde_json::{Value, json};
use thiserror::Error;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::UnixStream;
use tokio::net::unix::OwnedReadHalf;
use tokio::sync::{broadcast, mpsc, oneshot};

type Pending = Arc<Mutex<HashMap<u64, oneshot::Sender<Value>>>>;

/// How long one call may take.
const PATIENCE: Duration = Duration::from_secs(30);
/// A longer message is passed over, and whoever waits for it waits in vain. Bodies of pictures come through here, as text.
const LONGEST: usize = 128 << 20;

/// A connection to the browser. Clones share it.
#[derive(Clone)]
pub struct Devtools {
    calls: mpsc::UnboundedSender<String>,
    pending: Pending,
    /// Weak, so that whoever listens learns of the browser's end.
    events: broadcast::WeakSender<Arc<Event>>,
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
    /// Speaks with the browser at the other end of `pipe`.
    pub fn over(pipe: UnixStream) -> Self {
        let (calls, outgoing) = mpsc::unbounded_channel();
        let pending = Pending::default();
        let (events, _) = broadcast::channel(8_192);
        let weak = events.downgrade();
        tokio::spawn(run(pipe, outgoing, Arc::clone(&pending), events));
        Self { calls, pending, events: weak, next: Arc::default() }
    }

    /// Everything that happens from now on, until the browser is gone.
    pub fn events(&self) -> broadcast::Receiver<Arc<Event>> {
        // Where it is gone, the sender of a new channel is, too.
        self.events.upgrade().unwrap_or_else(|| broadcast::channel(1).0).subscribe()
    }

    /// Whether the browser is gone.
    pub fn is_gone(&self) -> bool {
        self.calls.is_closed()
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

    /// Has the tab closed, and nobody waits for it.
    pub fn close(&self, target: String) {
        let devtools = self.devtools.clone();
        tokio::spawn(async move {
            let _ = devtools.call("", "Target.closeTarget", json!({"targetId": target})).await;
        });
    }

    /// Everything that happens in the browser from now on, also in other sessions.
    pub fn events(&self) -> broadcast::Receiver<Arc<Event>> {
        self.devtools.events()
    }

    /// Whether the browser is gone.
    pub fn is_gone(&self) -> bool {
        self.devtools.is_gone()
    }

    /// Whether `event` happened in this session.
    pub fn owns(&self, event: &Event) -> bool {
        event.session == self.id
    }
}

async fn run(
    pipe: UnixStream,
    mut outgoing: mpsc::UnboundedReceiver<String>,
    pending: Pending,
    events: broadcast::Sender<Arc<Event>>,
) {
    let (from, mut to) = pipe.into_split();
    let send = async {
        while let Some(text) = outgoing.recv().await {
            let message = [text.as_bytes(), b"\0"].concat();
            if to.write_all(&message).await.is_err() {
                return;
            }
        }
    };
    let receive = async {
        let mut from = BufReader::with_capacity(1 << 16, from);
        let mut message = Vec::new();
        while next_message(&mut from, &mut message).await.is_some() {
            deliver(&message, &pending, &events);
        }
    };
    // Whichever ends first: nobody calls any more, or the browser is gone.
    tokio::select! {
        () = send => {}
        () = receive => {}
    }
    // Nobody begins to wait any more, and whoever waits learns that nothing will come.
    drop(outgoing);
    pending.lock().expect("no panic holds the lock").clear();
}

/// Reads the next message into `message`; nothing of one that is too long, which only its own page is to blame for.
/// Nothing where none comes any more.
async fn next_message(from: &mut BufReader<OwnedReadHalf>, message: &mut Vec<u8>) -> Option<()> {
    message.clear();
    // What a large one took is not held for ever.
    message.shrink_to(1 << 20);
    loop {
        let buffer = from.fill_buf().await.ok()?;
        if buffer.is_empty() {
            return None;
        }
        let end = buffer.iter().position(|&byte| byte == 0);
        message.extend(&buffer[..end.unwrap_or(buffer.len())]);
        if message.len() > LONGEST {
            message.clear();
        }
        let read = end.map_or(buffer.len(), |end| end + 1);
        from.consume(read);
        if end.is_some() {
            return Some(());
        }
    }
}

fn deliver(text: &[u8], pending: &Pending, events: &broadcast::Sender<Arc<Event>>) {
    let Ok(mut message) = serde_json::from_slice::<Value>(text) else { return };
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

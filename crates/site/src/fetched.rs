//! Files as they came over the wire.

use std::collections::HashMap;
use std::sync::Arc;

use bytes::Bytes;

use crate::file_reader::FileFacts;

/// A file as it came over the wire.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fetched {
    /// The HTTP status.
    pub status: u16,
    /// The media type that the host sent.
    pub media_type: String,
    /// Bytes of the body.
    pub bytes: u64,
    /// Its bytes, of a picture that was not too large to be looked at.
    pub body: Option<Bytes>,
    /// What it is by its content.
    pub facts: FileFacts,
}

impl Fetched {
    /// Whether it is a picture by its content.
    pub fn is_picture(&self) -> bool {
        self.facts.format.is_some()
    }
}

/// The files that came while a page was open, by their addresses.
pub type Files = HashMap<String, Fetched>;

/// Files that came before, up to a number of bytes: the pages of a site share many.
#[derive(Clone)]
pub struct KnownFiles {
    files: moka::future::Cache<Arc<str>, Fetched>,
    /// What each address transferred when it came over the wire.
    wires: moka::future::Cache<Arc<str>, u64>,
}

impl KnownFiles {
    /// The most that their bodies take.
    const MOST: u64 = 200 << 20;
    /// The most addresses of which it is kept what they transfer.
    const ADDRESSES: u64 = 50_000;

    /// None yet.
    pub fn new() -> Self {
        let weight = |_: &Arc<str>, file: &Fetched| {
            u32::try_from(1_000 + file.body.as_ref().map_or(0, Bytes::len)).unwrap_or(u32::MAX)
        };
        let files = moka::future::Cache::builder().max_capacity(Self::MOST).weigher(weight);
        let wires = moka::future::Cache::new(Self::ADDRESSES);
        Self { files: files.build(), wires }
    }

    /// The file at `address`.
    pub async fn get(&self, address: &str) -> Option<Fetched> {
        self.files.get(address).await
    }

    /// Keeps the file at `address`.
    pub async fn keep(&self, address: &str, file: Fetched) {
        self.files.insert(address.into(), file).await;
    }

    /// Notes that `bytes` came of `address`. Where the browser only asked whether what it had still holds, they are fewer
    /// than before, and say nothing.
    pub(crate) async fn note_wire(&self, address: &str, bytes: u64) {
        if bytes > self.wire(address).await {
            self.wires.insert(address.into(), bytes).await;
        }
    }

    /// The bytes that `address` transfers to a browser that has nothing of it; 0 where it never came so.
    pub(crate) async fn wire(&self, address: &str) -> u64 {
        self.wires.get(address).await.unwrap_or_default()
    }
}

impl Default for KnownFiles {
    fn default() -> Self {
        Self::new()
    }
}

//! The hash that bytes are kept under.

use object_store::path::Path as Key;
use sha2::{Digest, Sha256};

/// The SHA-256 of some bytes, in lower-case hexadecimal.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct BlobHash(String);

/// Takes bytes as they come and ends in their hash.
#[derive(Default)]
pub struct BlobHasher(Sha256);

impl BlobHasher {
    /// Takes the next bytes.
    pub fn update(&mut self, data: &[u8]) {
        self.0.update(data);
    }

    /// The hash of all of them.
    pub fn finish(self) -> BlobHash {
        BlobHash(self.0.finalize().iter().map(|byte| format!("{byte:02x}")).collect())
    }
}

impl BlobHash {
    /// The hash of `data`.
    pub fn of(data: &[u8]) -> Self {
        let mut hasher = BlobHasher::default();
        hasher.update(data);
        hasher.finish()
    }

    /// The hash that `text` spells; `None` where it spells none.
    pub fn parse(text: &str) -> Option<Self> {
        let digits = text.bytes().all(|b| matches!(b, b'0'..=b'9' | b'a'..=b'f'));
        (text.len() == 64 && digits).then(|| Self(text.to_owned()))
    }

    /// A hash that was stored before.
    pub(crate) fn stored(text: &str) -> Self {
        Self(text.to_owned())
    }

    /// Its hexadecimal digits.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    pub(super) fn key(&self) -> Key {
        Key::from(format!("{}/{}", &self.0[..2], self.0))
    }

    /// The hash whose bytes are kept under `key`; `None` where other things are.
    pub(super) fn of_key(key: &Key) -> Option<Self> {
        let hash = Self::parse(key.filename()?)?;
        (hash.key() == *key).then_some(hash)
    }
}

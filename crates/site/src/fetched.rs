//! Files as they came over the wire.

use std::collections::HashMap;

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

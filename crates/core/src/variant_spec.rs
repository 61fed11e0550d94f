//! What decides a file besides its picture: its pixels and how they are encoded.

use serde::{Deserialize, Serialize};

use crate::cache_key::CacheKey;
use crate::credit::Credit;
use crate::encoding::Encoding;
use crate::render_spec::RenderSpec;

/// What was asked for: all that decides a variant's bytes besides its picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct VariantSpec {
    /// What decides its pixels.
    #[serde(flatten)]
    pub framing: RenderSpec,
    /// How they are encoded.
    #[serde(flatten)]
    pub encoding: Encoding,
    /// What the file says of who made it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub credit: Option<Credit>,
    /// Whether the file is the original's own, without its metadata: it was lean already.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_copy: bool,
}

impl VariantSpec {
    /// The key of this file among those of a picture; another one with each generation of its encoder
    /// and, where it has text, of setting text.
    pub fn cache_key(&self) -> CacheKey {
        let generation = self.encoding.generation();
        match self.framing.text_generation() {
            None => CacheKey::versioned(generation, self),
            Some(of_text) => CacheKey::versioned(generation, &(of_text, self)),
        }
    }
}

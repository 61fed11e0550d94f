//! Weights: what a page transfers, by what it is.

use serde::{Deserialize, Serialize};

use super::page::{PageRequests, RequestKind};
use crate::units::Bytes;

/// What a page transfers before anybody scrolls, by what it is, and what is lazy.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PageWeight {
    /// All of it, without what is lazy.
    pub total: Bytes,
    /// The page itself.
    pub document: Bytes,
    /// Style sheets.
    pub style: Bytes,
    /// Scripts.
    pub script: Bytes,
    /// Fonts.
    pub font: Bytes,
    /// Pictures.
    pub picture: Bytes,
    /// Anything else.
    pub other: Bytes,
    /// What comes only when somebody scrolls.
    pub lazy: Bytes,
    /// How many requests bring the total.
    pub requests: usize,
}

impl PageWeight {
    /// What `page` transfers.
    pub fn of(page: &PageRequests) -> Self {
        let mut weight = Self::default();
        for request in &page.0 {
            let part = match (request.lazy, request.kind) {
                (true, _) => &mut weight.lazy,
                (_, RequestKind::Document) => &mut weight.document,
                (_, RequestKind::Style) => &mut weight.style,
                (_, RequestKind::Script) => &mut weight.script,
                (_, RequestKind::Font) => &mut weight.font,
                (_, RequestKind::Picture) => &mut weight.picture,
                (_, RequestKind::Other) => &mut weight.other,
            };
            *part = *part + request.bytes;
            if !request.lazy {
                weight.total = weight.total + request.bytes;
                weight.requests += 1;
            }
        }
        weight
    }

    /// What is no picture.
    pub fn besides_pictures(&self) -> Bytes {
        Bytes(self.total.get() - self.picture.get())
    }
}

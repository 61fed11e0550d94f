//! Requests for the tests of this module.

use super::{Discovery, Priority, Protocol, Request, RequestKind};
use crate::units::Bytes;

/// A request that all of the document has to be there for, over HTTP/2.
pub(super) fn request(address: &str, kind: RequestKind, bytes: u64) -> Request {
    Request {
        address: address.to_owned(),
        kind,
        bytes: Bytes(bytes),
        discovery: Discovery::Within { by: 0, share: 1.0 },
        priority: Priority::Medium,
        protocol: Protocol::Http2,
        blocks: false,
        lazy: false,
        lcp: false,
        pixels: 0,
    }
}

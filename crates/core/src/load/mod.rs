//! Loading: how long a page takes to come over a connection, as a model of what a browser and its network do.
//!
//! - A name costs a round trip, TCP one, TLS 1.3 one (RFC 8446); a request and the first byte of its answer one, and
//!   the server's time.
//! - A connection begins with 10 segments of 1,460 bytes a round trip (RFC 6928) and doubles them each round that used
//!   them up; what it has stays for later requests. Nothing is lost. Connections that carry something share the link
//!   evenly.
//! - HTTP/2 sends over one connection a host, the most urgent first; HTTP/1.1 over up to six.
//! - The browser asks for what the document names once it read that far, for what a style sheet names once it
//!   can lay the page out. While something blocks, pictures of low priority are asked for as long as fewer than two are
//!   under way, others as long as fewer than three.
//! - Nothing is painted before all that blocks is there. A picture is painted once it was decoded.
//!
//! - Beginning, reading and painting take a browser a constant time each; scripts are not in it.
//!
//! Deterministic: the same page and connection give the same times.

pub mod connection;
pub mod film;
pub mod growth;
pub mod history;
mod link;
pub mod margin;
mod model;
mod overheads;
pub mod page;
pub mod report;
#[cfg(test)]
mod samples;
pub mod spread;
#[cfg(test)]
mod tests;
pub mod traffic;
pub mod weight;
mod weight_chart;

use serde::{Deserialize, Serialize};

pub use connection::{Connection, ConnectionError};
pub use model::{load, load_throttled};
pub use page::{Discovery, PageRequests, PictureFile, Priority, Protocol, Request, RequestKind};

use crate::units::Millis;
pub use weight::PageWeight;

/// When a request went through its stages, from the start of the page.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Timing {
    /// When the browser knew that it needs it.
    pub discovered: Millis,
    /// When it asked.
    pub sent: Millis,
    /// When the first byte came.
    pub first_byte: Millis,
    /// When the last byte came.
    pub end: Millis,
}

/// The times of a page on a connection, from its start.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LoadTimes {
    /// When all was there that the first paint needs.
    pub first_paint: Millis,
    /// When the largest paint was (LCP): of its picture, or else the first.
    pub lcp: Millis,
    /// When the last picture was painted that is not lazy; the first paint where there is none.
    pub last_picture: Millis,
    /// When the last byte came, or what came last was painted.
    pub end: Millis,
}

/// How a page came.
#[derive(Debug, Clone, PartialEq)]
pub struct Loaded {
    /// The times of each request, in the order of the page's; nothing for what is lazy.
    pub timings: Vec<Option<Timing>>,
    /// Those of the page.
    pub times: LoadTimes,
}

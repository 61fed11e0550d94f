//! Overheads: what a browser and a host spend besides the files of a page.

use super::page::Protocol;
use crate::units::Millis;

/// Milliseconds that a browser waits for a connection before it tries another one beside it.
const PATIENCE: f64 = 250.0;

/// What is spent besides files, in milliseconds, and what connections are like.
#[derive(Debug, Clone, Copy)]
pub(super) struct Overheads {
    /// From the start until the page is asked for.
    pub start: f64,
    /// From the page's first byte until what it names is asked for: a process for it begins, and reads.
    pub reading: f64,
    /// From the last file that a paint needs until it is seen: styles, layout, drawing.
    pub painting: f64,
    pub connecting: Connecting,
}

/// What connections are like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Connecting {
    /// As browsers have them: first messages take their part of first windows, and one more is opened than is needed.
    AsBrowsers,
    /// Hand-shakes and slow start alone.
    #[cfg(test)]
    Plain,
    /// There at once, at the link's full rate.
    AtOnce,
}

impl Overheads {
    /// None: the link alone.
    #[cfg(test)]
    pub const NONE: Self =
        Self { start: 0.0, reading: 0.0, painting: 0.0, connecting: Connecting::Plain };
    /// Those of a browser on two slow cores, about a phone, as they were measured (docs/performance.md).
    pub const USUAL: Self =
        Self { start: 25.0, reading: 75.0, painting: 60.0, connecting: Connecting::AsBrowsers };
    /// The same where a browser throttles itself: it holds back what comes, without hand-shakes or slow start.
    pub const THROTTLED: Self = Self { connecting: Connecting::AtOnce, ..Self::USUAL };

    /// Segments of a connection's first window that its own first messages take: with TLS a ticket, with HTTP/2 settings
    /// of both sides and the head of the first answer besides, each sent by itself.
    pub fn first_messages(self, protocol: Protocol) -> f64 {
        match protocol {
            _ if self.connecting != Connecting::AsBrowsers => 0.0,
            Protocol::Http2 => 4.0,
            Protocol::Http1 => 1.0,
            Protocol::Plain => 0.0,
        }
    }

    /// By how many milliseconds later than a page's first connection, which takes `opening`, each further one is opened that
    /// nothing asked for yet: one at once, and another one where the first is not there after a quarter of a second.
    pub fn spares(self, protocol: Protocol, opening: Millis) -> Vec<f64> {
        if self.connecting != Connecting::AsBrowsers || protocol.multiplexes() {
            return Vec::new();
        }
        let slow = (opening.get() > PATIENCE).then_some(PATIENCE);
        std::iter::once(0.0).chain(slow).collect()
    }
}

//! The model: requests discovered, sent, answered, until all is there.

use std::collections::HashMap;

use super::link::Link;
use super::page::{Discovery, PageRequests, Priority, Request, RequestKind};
use super::{Connection, Loaded, Timing};
use crate::units::Millis;

/// Pictures of low priority that are under way at once while something blocks, as Chromium has it.
const BEFORE_PAINT: usize = 2;
/// Milliseconds to decode a pixel, about what a phone takes for a JPEG: 100 megapixels in a second.
const DECODE: f64 = 1.0 / 100_000.0;
/// Times closer than this are one.
const SAME: f64 = 1e-9;

/// How `page` comes over `connection`.
///
/// ```
/// use brisk_margin_core::load::{Connection, PageRequests, load};
///
/// let nothing = load(&PageRequests::default(), Connection::USUAL);
/// assert_eq!(nothing.end.get(), 0.0);
/// ```
pub fn load(page: &PageRequests, connection: Connection) -> Loaded {
    load_over(page, connection.goodput(), connection.rtt().get(), connection.server().get())
}

/// How `page` comes at `rate` bytes in a millisecond, `rtt` milliseconds there and back, from servers that think for
/// `server` milliseconds.
pub(super) fn load_over(page: &PageRequests, rate: f64, rtt: f64, server: f64) -> Loaded {
    let mut browser = Browser::new(&page.0, rate, rtt, server);
    while let Some(wait) = browser.next() {
        browser.pass(wait);
    }
    browser.loaded()
}

/// Where a request stands.
#[derive(Clone, Copy, Default)]
struct Progress {
    discovered: Option<f64>,
    sent: Option<f64>,
    first_byte: Option<f64>,
    end: Option<f64>,
    received: f64,
}

/// A connection as the browser sees it.
struct Opened {
    /// Which one of the link's it is.
    number: usize,
    /// When its hand-shakes are over.
    ready: f64,
}

#[derive(Default)]
struct Host {
    /// When its name is known.
    named: Option<f64>,
    connections: Vec<Opened>,
}

struct Browser<'a> {
    requests: &'a [Request],
    /// What makes the browser ask for each.
    discoveries: Vec<Discovery>,
    /// Whether the page is laid out without it.
    blocks: Vec<bool>,
    progress: Vec<Progress>,
    /// The host of each request.
    host_of: Vec<usize>,
    hosts: Vec<Host>,
    link: Link,
    rtt: f64,
    server: f64,
    now: f64,
}

impl<'a> Browser<'a> {
    fn new(requests: &'a [Request], rate: f64, rtt: f64, server: f64) -> Self {
        let mut known: HashMap<&str, usize> = HashMap::new();
        let host = |request: &'a Request| {
            let next = known.len();
            *known.entry(request.origin()).or_insert(next)
        };
        let host_of: Vec<usize> = requests.iter().map(host).collect();
        let hosts = (0..known.len()).map(|_| Host::default()).collect();
        let discoveries: Vec<Discovery> =
            (0..requests.len()).map(|n| discovery(requests, n)).collect();
        let blocks = blocking(requests, &discoveries);
        Self {
            requests,
            discoveries,
            blocks,
            progress: vec![Progress::default(); requests.len()],
            host_of,
            hosts,
            link: Link::new(rate, rtt),
            rtt,
            server,
            now: 0.0,
        }
    }

    /// Does what is due now; tells how long nothing else happens, or that all is there.
    fn next(&mut self) -> Option<f64> {
        self.discover();
        // A connection without hand-shakes to wait for is there at once.
        while self.send() {}
        self.link.begin_rounds(self.now);
        let hosts = self.hosts.iter().flat_map(|host| &host.connections);
        let ready = hosts.map(|opened| opened.ready - self.now).filter(|&wait| wait > SAME);
        let found = (0..self.requests.len()).filter_map(|n| self.until_found(n));
        let times = self.link.until_change(self.now).into_iter().chain(ready).chain(found);
        times.min_by(f64::total_cmp)
    }

    fn pass(&mut self, wait: f64) {
        for (n, request) in self.progress.iter_mut().enumerate() {
            if request.sent.is_some()
                && request.first_byte.is_none()
                && self.link.pace(n, self.now) > 0.0
            {
                request.first_byte = Some(self.now);
            }
        }
        let came = self.link.pass(self.now, wait);
        self.now += wait;
        for part in came {
            let progress = &mut self.progress[part.request];
            progress.received += part.bytes;
            if part.is_last {
                progress.end = Some(self.now);
            }
        }
    }

    /// Bytes of request `by` before the one that it names is found.
    fn threshold(&self, by: usize, share: f64) -> f64 {
        let bytes = self.requests[by].bytes.get().max(1) as f64;
        (bytes * share.clamp(0.0, 1.0)).clamp(1.0, bytes)
    }

    /// Whether all is there that the page is laid out with.
    fn is_laid_out(&self) -> bool {
        self.progress
            .iter()
            .zip(&self.blocks)
            .all(|(progress, &blocks)| !blocks || progress.end.is_some())
    }

    fn discover(&mut self) {
        let is_laid_out = self.is_laid_out();
        for n in 0..self.requests.len() {
            if self.requests[n].lazy || self.progress[n].discovered.is_some() {
                continue;
            }
            let is_found = match self.discoveries[n] {
                Discovery::Start => true,
                Discovery::Within { by, share } => {
                    let by_now = &self.progress[by];
                    by_now.end.is_some() || by_now.received + 1e-6 >= self.threshold(by, share)
                }
                Discovery::Layout { by } => is_laid_out && self.progress[by].end.is_some(),
            };
            if is_found {
                self.progress[n].discovered = Some(self.now);
            }
        }
    }

    /// How long it takes until request `n` is found, by what comes now of the one that names it.
    fn until_found(&self, n: usize) -> Option<f64> {
        let unknown = self.progress[n].discovered.is_none() && !self.requests[n].lazy;
        let Discovery::Within { by, share } = self.discoveries[n] else { return None };
        let pace = unknown.then(|| self.link.pace(by, self.now)).filter(|&pace| pace > 0.0)?;
        let left = self.threshold(by, share) - self.progress[by].received;
        (left > 0.0).then(|| left / pace)
    }

    /// Sends what can be sent, the most urgent first, and opens connections for what has to wait; tells whether one of
    /// those is there already.
    fn send(&mut self) -> bool {
        let waits = |(_, progress): &(usize, &Progress)| {
            progress.discovered.is_some() && progress.sent.is_none()
        };
        let waiting = self.progress.iter().enumerate().filter(waits).map(|(n, _)| n);
        let mut waiting: Vec<usize> = waiting.collect();
        waiting.sort_by_key(|&n| (std::cmp::Reverse(self.requests[n].priority), n));
        let is_laid_out = self.is_laid_out();
        let mut low = self.low_under_way();
        let mut asking: HashMap<usize, usize> = HashMap::new();
        let mut is_there = false;
        for n in waiting {
            let is_low = is_low(&self.requests[n]);
            if is_low && !is_laid_out && low >= BEFORE_PAINT {
                continue;
            }
            low += usize::from(is_low);
            let host = self.host_of[n];
            let free = self.hosts[host].connections.iter().find(|opened| {
                opened.ready <= self.now + SAME && self.link.connections[opened.number].is_free()
            });
            match free.map(|opened| opened.number) {
                Some(number) => {
                    self.progress[n].sent = Some(self.now);
                    let from = self.now + self.rtt + self.server;
                    let Request { priority, bytes, .. } = self.requests[n];
                    self.link.answer(number, n, priority, from, bytes.get() as f64);
                }
                None => {
                    let asked = asking.entry(host).or_default();
                    *asked += 1;
                    is_there |= self.open_for(host, n, *asked);
                }
            }
        }
        is_there
    }

    fn low_under_way(&self) -> usize {
        let under_way = |progress: &Progress| progress.sent.is_some() && progress.end.is_none();
        let all = self.progress.iter().zip(self.requests);
        all.filter(|(progress, request)| under_way(progress) && is_low(request)).count()
    }

    /// Opens a connection to `host` for request `n`, the one of that number which waits for one, where none is on its way
    /// for it and the protocol has another one; tells whether it is there already.
    fn open_for(&mut self, host: usize, n: usize, number: usize) -> bool {
        let protocol = self.requests[n].protocol;
        let host_now = &mut self.hosts[host];
        let opening = host_now.connections.iter().filter(|opened| opened.ready > self.now + SAME);
        if opening.count() >= number || host_now.connections.len() >= protocol.connections() {
            return false;
        }
        let look_up = if self.requests[n].has_name() { self.rtt } else { 0.0 };
        let named = *host_now.named.get_or_insert(self.now + look_up);
        let ready = named.max(self.now) + protocol.hand_shakes() * self.rtt;
        host_now.connections.push(Opened { number: self.link.open(protocol), ready });
        ready <= self.now + SAME
    }

    fn loaded(self) -> Loaded {
        let ms = |ms: f64| Millis::new(ms).unwrap_or_default();
        let timing = |progress: &Progress| {
            let Progress { discovered, sent, first_byte, end, .. } = *progress;
            Some(Timing {
                discovered: ms(discovered?),
                sent: ms(sent?),
                first_byte: ms(first_byte?),
                end: ms(end?),
            })
        };
        let timings: Vec<Option<Timing>> = self.progress.iter().map(timing).collect();
        let ends = |which: &dyn Fn(usize, &Request) -> bool| {
            let those = timings.iter().zip(self.requests).enumerate();
            let those = those.filter(|(n, (_, request))| which(*n, request));
            let painted = those.filter_map(|(_, (timing, request))| {
                Some((*timing)?.end.get() + decoding(request))
            });
            painted.fold(0.0, f64::max)
        };
        let first_paint = ends(&|n, _| self.blocks[n]);
        let lcp = ends(&|_, request| request.lcp).max(first_paint);
        let last_picture =
            ends(&|_, request| request.kind == RequestKind::Picture).max(first_paint);
        let end = ends(&|_, _| true).max(first_paint);
        Loaded {
            timings,
            first_paint: ms(first_paint),
            lcp: ms(lcp),
            last_picture: ms(last_picture),
            end: ms(end),
        }
    }
}

/// What makes the browser ask for request `n`: what the list says, where that can be.
fn discovery(requests: &[Request], n: usize) -> Discovery {
    match requests[n].discovery {
        _ if n == 0 => Discovery::Start,
        Discovery::Within { by, .. } | Discovery::Layout { by } if by >= n || requests[by].lazy => {
            Discovery::Within { by: 0, share: 1.0 }
        }
        known => known,
    }
}

/// Which requests the layout waits for: the document, and what blocks and is not itself found by a layout.
fn blocking(requests: &[Request], discoveries: &[Discovery]) -> Vec<bool> {
    let mut late: Vec<bool> = Vec::with_capacity(requests.len());
    for discovery in discoveries {
        late.push(match discovery {
            Discovery::Start => false,
            Discovery::Within { by, .. } => late[*by],
            Discovery::Layout { .. } => true,
        });
    }
    let blocks = |(n, (request, late)): (usize, (&Request, bool))| {
        n == 0 || request.blocks && !request.lazy && !late
    };
    requests.iter().zip(late).enumerate().map(blocks).collect()
}

fn is_low(request: &Request) -> bool {
    request.kind == RequestKind::Picture && request.priority < Priority::Medium
}

fn decoding(request: &Request) -> f64 {
    match request.kind {
        RequestKind::Picture => request.pixels as f64 * DECODE,
        _ => 0.0,
    }
}

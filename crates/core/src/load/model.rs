//! The model: requests discovered, sent, answered, until all is there.

use std::collections::HashMap;

use super::link::Link;
use super::overheads::{Connecting, Overheads};
use super::page::{Discovery, PageRequests, Priority, Request, RequestKind};
use super::{Connection, LoadTimes, Loaded, Timing};
use crate::units::Millis;

/// How many pictures may be under way while something blocks for another one of low priority, or a more urgent one, to be
/// asked for, as Chromium has it.
const BEFORE_PAINT: [usize; 2] = [2, 3];
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
/// assert_eq!(nothing.times.end.get(), 0.0);
/// ```
pub fn load(page: &PageRequests, connection: Connection) -> Loaded {
    load_with(page, connection, Overheads::USUAL)
}

/// How `page` comes to a browser that throttles itself to `connection`: every answer's first byte comes a round later, all
/// share the rate, and there are no hand-shakes and no slow start. What such a browser tells can be held against it.
pub fn load_throttled(page: &PageRequests, connection: Connection) -> Loaded {
    load_with(page, connection, Overheads::THROTTLED)
}

fn load_with(page: &PageRequests, connection: Connection, overheads: Overheads) -> Loaded {
    let (rtt, server) = (connection.rtt().get(), connection.server().get());
    load_over(page, connection.goodput(), rtt, server, overheads)
}

/// How `page` comes at `rate` bytes in a millisecond, `rtt` milliseconds there and back, from servers that think for
/// `server` milliseconds.
pub(super) fn load_over(
    page: &PageRequests,
    rate: f64,
    rtt: f64,
    server: f64,
    overheads: Overheads,
) -> Loaded {
    let mut browser = Browser::new(&page.0, rate, rtt, server, overheads);
    while browser.step() {}
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

/// What a request names.
#[derive(Default)]
struct Names {
    /// Requests that are found behind so many of its bytes, the last ones first.
    within: Vec<(f64, usize)>,
    /// Requests that are found once it is there and the page is laid out.
    by_layout: Vec<usize>,
}

/// A browser that loads a page. A page may have thousands of requests: a step looks at those that something happens to.
struct Browser<'a> {
    requests: &'a [Request],
    /// What each names.
    names: Vec<Names>,
    /// Whether the page is laid out without it.
    blocks: Vec<bool>,
    progress: Vec<Progress>,
    /// What is found and not sent, the most urgent first.
    waiting: Vec<usize>,
    /// What waits for the layout alone.
    hidden: Vec<usize>,
    /// How many requests the layout still waits for.
    blocking: usize,
    /// How many pictures are under way.
    pictures: usize,
    /// The host of each request.
    host_of: Vec<usize>,
    hosts: Vec<Host>,
    link: Link,
    rtt: f64,
    server: f64,
    overheads: Overheads,
    now: f64,
}

impl<'a> Browser<'a> {
    fn new(
        requests: &'a [Request],
        rate: f64,
        rtt: f64,
        server: f64,
        overheads: Overheads,
    ) -> Self {
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
        let mut browser = Self {
            requests,
            names: names(requests, &discoveries),
            blocking: blocks.iter().filter(|&&blocks| blocks).count(),
            blocks,
            progress: vec![Progress::default(); requests.len()],
            waiting: Vec::new(),
            hidden: Vec::new(),
            pictures: 0,
            host_of,
            hosts,
            link: match overheads.connecting {
                Connecting::AtOnce => Link::at_full_rate(rate, rtt),
                _ => Link::new(rate, rtt),
            },
            rtt,
            server,
            overheads,
            now: if requests.is_empty() { 0.0 } else { overheads.start },
        };
        if !requests.is_empty() {
            browser.find(vec![0]);
        }
        browser
    }

    /// Does what is due now, and lets the time go by in which nothing else happens; false where all is there.
    fn step(&mut self) -> bool {
        // A connection without hand-shakes to wait for is there at once.
        while self.send() {}
        self.link.begin(self.now);
        let (coming, share) = self.link.coming();
        for &n in &coming {
            self.progress[n].first_byte.get_or_insert(self.now);
        }
        let hosts = self.hosts.iter().flat_map(|host| &host.connections);
        let ready = hosts.map(|opened| opened.ready - self.now).filter(|&wait| wait > SAME);
        let found = coming.iter().filter_map(|&n| self.until_it_names(n, share));
        let reads = self.reads_from().map(|at| at - self.now).filter(|&wait| wait > SAME);
        let times = self.link.until_change(self.now, share).into_iter();
        let times = times.chain(ready).chain(found).chain(reads);
        let Some(wait) = times.min_by(f64::total_cmp) else { return false };
        self.pass(wait, share);
        true
    }

    fn pass(&mut self, wait: f64, share: f64) {
        let came = self.link.pass(wait, share);
        self.now += wait;
        let mut found = Vec::new();
        for part in came {
            let n = part.request;
            self.progress[n].received += part.bytes;
            if part.is_last {
                self.progress[n].end = Some(self.now);
                self.blocking -= usize::from(self.blocks[n]);
                self.pictures -= usize::from(is_picture(&self.requests[n]));
                self.hidden.append(&mut self.names[n].by_layout);
            }
            if n > 0 {
                self.read(n, &mut found);
            }
        }
        if self.reads_from().is_some_and(|at| at <= self.now + SAME) {
            self.read(0, &mut found);
        }
        if self.blocking == 0 {
            found.append(&mut self.hidden);
        }
        self.find(found);
    }

    /// When what the page names is asked for at the earliest; nothing before it is known.
    fn reads_from(&self) -> Option<f64> {
        Some(self.progress.first()?.first_byte? + self.overheads.reading)
    }

    /// Adds what request `n` names in the bytes that came of it.
    fn read(&mut self, n: usize, found: &mut Vec<usize>) {
        let Progress { received, end, .. } = self.progress[n];
        // Whatever the sums of parts come to, all of it is there at its end.
        let received = if end.is_some() { f64::INFINITY } else { received };
        let is_found = |named: &mut (f64, usize)| named.0 <= received + 1e-6;
        let named = std::iter::from_fn(|| self.names[n].within.pop_if(is_found));
        found.extend(named.map(|(_, named)| named));
    }

    /// Notes that requests are known of from now on.
    fn find(&mut self, mut found: Vec<usize>) {
        found.sort_unstable();
        for n in found {
            self.progress[n].discovered = Some(self.now);
            let urgency = |&n: &usize| (std::cmp::Reverse(self.requests[n].priority), n);
            let at = self.waiting.partition_point(|other| urgency(other) < urgency(&n));
            self.waiting.insert(at, n);
        }
    }

    /// How long it takes until request `n`, of which bytes come now, names the next one.
    fn until_it_names(&self, n: usize, share: f64) -> Option<f64> {
        let is_read = n > 0 || self.reads_from()? <= self.now + SAME;
        let &(behind, _) = self.names[n].within.last().filter(|_| is_read)?;
        Some((behind - self.progress[n].received).max(0.0) / share)
    }

    /// Sends what can be sent, the most urgent first, and opens connections for what has to wait; tells whether one of
    /// those is there already.
    fn send(&mut self) -> bool {
        // How many wait for a connection of each host.
        let mut asking = vec![0; self.hosts.len()];
        let mut is_there = false;
        for n in std::mem::take(&mut self.waiting) {
            let host = self.host_of[n];
            let has_no_more = asking[host] >= self.requests[n].protocol.connections();
            if has_no_more || self.has_to_wait(n) {
                self.waiting.push(n);
                continue;
            }
            let free = self.hosts[host].connections.iter().find(|opened| {
                opened.ready <= self.now + SAME && self.link.connections[opened.number].is_free()
            });
            match free.map(|opened| opened.number) {
                Some(number) => {
                    self.pictures += usize::from(is_picture(&self.requests[n]));
                    self.progress[n].sent = Some(self.now);
                    let from = self.now + self.rtt + self.server;
                    let Request { priority, bytes, .. } = self.requests[n];
                    self.link.answer(number, n, priority, from, bytes.get() as f64);
                }
                None => {
                    self.waiting.push(n);
                    asking[host] += 1;
                    is_there |= self.open_for(host, n, asking[host]);
                }
            }
        }
        is_there
    }

    /// Whether request `n` waits for others, since something blocks.
    fn has_to_wait(&self, n: usize) -> bool {
        let request = &self.requests[n];
        let most = BEFORE_PAINT[usize::from(request.priority >= Priority::Medium)];
        is_picture(request) && self.blocking > 0 && self.pictures >= most
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
        let round = match self.overheads.connecting {
            Connecting::AtOnce => 0.0,
            _ => self.rtt,
        };
        let look_up = if self.requests[n].has_name() { round } else { 0.0 };
        let named = *host_now.named.get_or_insert(self.now + look_up);
        let ready = named.max(self.now) + protocol.hand_shakes() * round;
        let spares = match n {
            0 => self.overheads.spares(protocol, Millis::new(ready - self.now).unwrap_or_default()),
            _ => Vec::new(),
        };
        for later in std::iter::once(0.0).chain(spares) {
            let number = self.link.open(protocol, self.overheads.first_messages(protocol));
            host_now.connections.push(Opened { number, ready: ready + later });
        }
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
        let painting = if self.requests.is_empty() { 0.0 } else { self.overheads.painting };
        let first_paint = ends(&|n, _| self.blocks[n]) + painting;
        let lcp = (ends(&|_, request| request.lcp) + painting).max(first_paint);
        let last_picture = (ends(&|_, request| is_picture(request)) + painting).max(first_paint);
        let end = ends(&|_, _| true).max(last_picture);
        let times = LoadTimes {
            first_paint: ms(first_paint),
            lcp: ms(lcp),
            last_picture: ms(last_picture),
            end: ms(end),
        };
        Loaded { timings, times }
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

/// What each request names.
fn names(requests: &[Request], discoveries: &[Discovery]) -> Vec<Names> {
    let mut names: Vec<Names> = requests.iter().map(|_| Names::default()).collect();
    let known = discoveries.iter().enumerate().filter(|(n, _)| !requests[*n].lazy);
    for (n, &discovery) in known {
        match discovery {
            Discovery::Start => {}
            Discovery::Within { by, share } => {
                let bytes = requests[by].bytes.get().max(1) as f64;
                let behind = (bytes * share.clamp(0.0, 1.0)).clamp(1.0, bytes);
                names[by].within.push((behind, n));
            }
            Discovery::Layout { by } => names[by].by_layout.push(n),
        }
    }
    for one in &mut names {
        one.within.sort_by(|a, b| b.0.total_cmp(&a.0));
    }
    names
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

fn is_picture(request: &Request) -> bool {
    request.kind == RequestKind::Picture
}

fn decoding(request: &Request) -> f64 {
    match request.kind {
        RequestKind::Picture => request.pixels as f64 * DECODE,
        _ => 0.0,
    }
}

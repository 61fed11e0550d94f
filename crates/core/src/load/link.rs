//! The link: connections that share its rate, each in slow start.

use super::page::{Priority, Protocol};

/// Bytes of a segment, and segments that a server sends before it hears of the first (RFC 6928).
const FIRST_WINDOW: f64 = 10.0 * 1_460.0;
/// Less than this many bytes are none.
const NOTHING: f64 = 1e-6;

/// Connections that share a link.
pub(super) struct Link {
    /// Bytes in a millisecond.
    rate: f64,
    /// Milliseconds there and back.
    rtt: f64,
    pub(super) connections: Vec<Connected>,
}

/// A connection to a host.
pub(super) struct Connected {
    protocol: Protocol,
    answers: Vec<Answer>,
    /// Bytes that the server sends in a round without an acknowledgement.
    window: f64,
    /// What is left of them in this round, and when the round ends.
    budget: f64,
    round_ends: f64,
}

/// An answer on its way.
struct Answer {
    request: usize,
    priority: Priority,
    /// When its first byte may come.
    from: f64,
    left: f64,
}

/// Bytes that came.
pub(super) struct Came {
    pub(super) request: usize,
    pub(super) bytes: f64,
    pub(super) is_last: bool,
}

impl Link {
    pub(super) fn new(rate: f64, rtt: f64) -> Self {
        Self { rate, rtt, connections: Vec::new() }
    }

    /// Opens a connection; returns which one it is.
    pub(super) fn open(&mut self, protocol: Protocol) -> usize {
        self.connections.push(Connected {
            protocol,
            answers: Vec::new(),
            window: FIRST_WINDOW,
            budget: 0.0,
            round_ends: 0.0,
        });
        self.connections.len() - 1
    }

    /// Has `bytes` of an answer come over a connection, not before `from`.
    pub(super) fn answer(
        &mut self,
        on: usize,
        request: usize,
        priority: Priority,
        from: f64,
        bytes: f64,
    ) {
        let left = bytes.max(1.0);
        self.connections[on].answers.push(Answer { request, priority, from, left });
    }

    /// Begins rounds that are due at `now`.
    pub(super) fn begin_rounds(&mut self, now: f64) {
        for connection in &mut self.connections {
            if connection.coming(now).is_none() || now + NOTHING < connection.round_ends {
                continue;
            }
            // It grows by what was acknowledged, as long as at least half of it was used (RFC 7661; so does Linux).
            let used = connection.window - connection.budget;
            if connection.round_ends > 0.0 && 2.0 * used >= connection.window {
                connection.window += used;
            }
            connection.budget = connection.window;
            connection.round_ends = now + self.rtt;
        }
    }

    /// The time until something changes on the link by itself: an answer is complete or begins, a window is used up, a
    /// round ends; nothing where it never does.
    pub(super) fn until_change(&self, now: f64) -> Option<f64> {
        let share = self.share(now);
        let times = self.connections.iter().flat_map(|connection| {
            let begins = connection.answers.iter().map(|answer| answer.from - now);
            let begins = begins.filter(|&wait| wait > NOTHING);
            let next = connection.coming(now).map(|n| match connection.budget > NOTHING {
                true => connection.answers[n].left.min(connection.budget) / share,
                false => connection.round_ends - now,
            });
            begins.chain(next)
        });
        times.min_by(f64::total_cmp).map(|wait| wait.max(0.0))
    }

    /// The bytes in a millisecond that each connection gets which has something to carry.
    pub(super) fn share(&self, now: f64) -> f64 {
        let busy = self.connections.iter().filter(|connection| connection.carries(now)).count();
        self.rate / busy.max(1) as f64
    }

    /// Bytes in a millisecond that come of a request at `now`.
    pub(super) fn pace(&self, request: usize, now: f64) -> f64 {
        let carries = self.connections.iter().any(|connection| {
            let coming = connection.coming(now).filter(|_| connection.carries(now));
            coming.is_some_and(|n| connection.answers[n].request == request)
        });
        if carries { self.share(now) } else { 0.0 }
    }

    /// Lets `wait` milliseconds go by from `now`; tells what came.
    pub(super) fn pass(&mut self, now: f64, wait: f64) -> Vec<Came> {
        let share = self.share(now);
        let mut came = Vec::new();
        for connection in self.connections.iter_mut().filter(|connection| connection.carries(now)) {
            let Some(n) = connection.coming(now) else { continue };
            let answer = &mut connection.answers[n];
            let bytes = (share * wait).min(answer.left).min(connection.budget);
            answer.left -= bytes;
            connection.budget -= bytes;
            let is_last = answer.left <= NOTHING;
            let request = answer.request;
            came.push(Came { request, bytes, is_last });
            if is_last {
                connection.answers.remove(n);
            }
        }
        came
    }
}

impl Connected {
    /// The answer that comes now: the most urgent, and of those the one that was asked for first.
    fn coming(&self, now: f64) -> Option<usize> {
        let ready = self.answers.iter().enumerate().filter(|(_, a)| a.from <= now + NOTHING);
        let most = ready.min_by_key(|(n, answer)| (std::cmp::Reverse(answer.priority), *n));
        most.map(|(n, _)| n)
    }

    fn carries(&self, now: f64) -> bool {
        self.budget > NOTHING && self.coming(now).is_some()
    }

    /// Whether another request may be sent on it.
    pub(super) fn is_free(&self) -> bool {
        self.protocol.multiplexes() || self.answers.is_empty()
    }
}

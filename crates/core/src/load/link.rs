//! The link: connections that share its rate, each in slow start.

use std::collections::VecDeque;

use super::page::{Priority, Protocol};

/// Bytes of a segment, and segments that a server sends before it hears of the first (RFC 6928).
const FIRST_WINDOW: f64 = 10.0 * SEGMENT;
const SEGMENT: f64 = 1_460.0;
/// Less than this many bytes are none.
const NOTHING: f64 = 1e-6;

/// Connections that share a link.
pub(super) struct Link {
    /// Bytes in a millisecond.
    rate: f64,
    /// Milliseconds there and back.
    rtt: f64,
    /// Bytes that a server sends before it hears of the first.
    first_window: f64,
    pub(super) connections: Vec<Connected>,
}

/// A connection to a host.
pub(super) struct Connected {
    protocol: Protocol,
    /// Answers whose first byte is not due yet, those that are due first in front.
    asked: VecDeque<Answer>,
    /// Answers of which bytes come or wait, the next one last.
    answers: Vec<Answer>,
    /// Bytes that the server sends in a round without an acknowledgement.
    window: f64,
    /// What other messages take of the first round.
    taken: f64,
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
        Self { rate, rtt, first_window: FIRST_WINDOW, connections: Vec::new() }
    }

    /// One whose connections need no start.
    pub(super) fn at_full_rate(rate: f64, rtt: f64) -> Self {
        Self { first_window: f64::INFINITY, ..Self::new(rate, rtt) }
    }

    /// Opens a connection whose first window has so many segments of other messages; returns which one it is.
    pub(super) fn open(&mut self, protocol: Protocol, first_messages: f64) -> usize {
        self.connections.push(Connected {
            protocol,
            asked: VecDeque::new(),
            answers: Vec::new(),
            window: self.first_window,
            taken: first_messages * SEGMENT,
            budget: 0.0,
            round_ends: 0.0,
        });
        self.connections.len() - 1
    }

    /// Has `bytes` of an answer come over a connection, not before `from`, which is no earlier than those before it.
    pub(super) fn answer(
        &mut self,
        on: usize,
        request: usize,
        priority: Priority,
        from: f64,
        bytes: f64,
    ) {
        let left = bytes.max(1.0);
        self.connections[on].asked.push_back(Answer { request, priority, from, left });
    }

    /// Begins answers and rounds that are due at `now`.
    pub(super) fn begin(&mut self, now: f64) {
        for connection in &mut self.connections {
            connection.begin_answers(now);
            if connection.answers.is_empty() || now + NOTHING < connection.round_ends {
                continue;
            }
            // It grows by what was acknowledged, as long as at least half of it was used (RFC 7661; so does Linux).
            let used = connection.window - connection.budget;
            if connection.round_ends > 0.0
                && connection.window.is_finite()
                && 2.0 * used >= connection.window
            {
                connection.window += used;
            }
            connection.budget = connection.window - std::mem::take(&mut connection.taken);
            connection.round_ends = now + self.rtt;
        }
    }

    /// The requests whose answers come now, and the bytes in a millisecond that come of each.
    pub(super) fn coming(&self) -> (Vec<usize>, f64) {
        let busy = self.connections.iter().filter(|connection| connection.budget > NOTHING);
        let coming = busy.filter_map(|connection| Some(connection.answers.last()?.request));
        let coming = Vec::from_iter(coming);
        let share = self.rate / coming.len().max(1) as f64;
        (coming, share)
    }

    /// The time until something changes on the link by itself, where each that carries something gets `share` bytes in a
    /// millisecond: an answer is complete or begins, a window is used up, a round ends; nothing where it never does.
    pub(super) fn until_change(&self, now: f64, share: f64) -> Option<f64> {
        let times = self.connections.iter().flat_map(|connection| {
            let begins = connection.asked.front().map(|answer| answer.from - now);
            let next = connection.answers.last().map(|answer| match connection.budget > NOTHING {
                true => answer.left.min(connection.budget) / share,
                false => connection.round_ends - now,
            });
            begins.into_iter().chain(next)
        });
        times.min_by(f64::total_cmp).map(|wait| wait.max(0.0))
    }

    /// Lets `wait` milliseconds go by, in which each that carries something gets `share` bytes in one; tells what came.
    pub(super) fn pass(&mut self, wait: f64, share: f64) -> Vec<Came> {
        let mut came = Vec::new();
        for connection in self.connections.iter_mut().filter(|c| c.budget > NOTHING) {
            let Some(answer) = connection.answers.last_mut() else { continue };
            let bytes = (share * wait).min(answer.left).min(connection.budget);
            answer.left -= bytes;
            connection.budget -= bytes;
            let is_last = answer.left <= NOTHING;
            came.push(Came { request: answer.request, bytes, is_last });
            if is_last {
                connection.answers.pop();
            }
        }
        came
    }
}

impl Connected {
    /// Puts answers that are due where their urgency has them: behind all that are more urgent, or as urgent and asked
    /// for before.
    fn begin_answers(&mut self, now: f64) {
        while let Some(answer) = self.asked.pop_front_if(|answer| answer.from <= now + NOTHING) {
            let at = self.answers.partition_point(|other| other.priority < answer.priority);
            self.answers.insert(at, answer);
        }
    }

    /// Whether another request may be sent on it.
    pub(super) fn is_free(&self) -> bool {
        self.protocol.multiplexes() || self.answers.is_empty() && self.asked.is_empty()
    }
}

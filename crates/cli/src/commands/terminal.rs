//! What somebody at a terminal sees of long work: how far it is and how long it takes. In a pipe, and
//! where the terminal can do nothing, it is quiet.

use std::time::Duration;

use indicatif::{ProgressBar, ProgressStyle};

/// How often it is drawn while nothing changes, so that it is seen to live.
const TICK: Duration = Duration::from_millis(250);

/// How far a piece of long work is.
pub(super) struct Watched(ProgressBar);

impl Watched {
    /// Work on `total` pieces.
    pub(super) fn of(total: usize) -> Self {
        let style = ProgressStyle::with_template("{wide_msg} {pos} of {len}, {eta} left");
        Self::drawn(ProgressBar::new(total as u64), style.expect("a fixed template"))
    }

    /// Work on as many pieces as there are.
    pub(super) fn of_unknown() -> Self {
        let style = ProgressStyle::with_template("{spinner} {wide_msg} {elapsed}");
        Self::drawn(ProgressBar::new_spinner(), style.expect("a fixed template"))
    }

    fn drawn(bar: ProgressBar, style: ProgressStyle) -> Self {
        bar.set_style(style);
        bar.enable_steady_tick(TICK);
        Self(bar)
    }

    /// Says what is worked on now.
    pub(super) fn now(&self, about: impl Into<String>) {
        self.0.set_message(about.into());
    }

    /// One piece more is done.
    pub(super) fn one_more(&self) {
        self.0.inc(1);
    }

    /// So many pieces are done.
    pub(super) fn at(&self, done: u64) {
        self.0.set_position(done);
    }

    /// So many pieces of so many are done.
    pub(super) fn of_all(&self, done: u64, all: u64) {
        self.0.set_length(all);
        self.at(done);
    }

    /// Prints lines of an answer between two drawings.
    pub(super) fn print<T>(&self, lines: impl FnOnce() -> T) -> T {
        self.0.suspend(lines)
    }
}

impl Drop for Watched {
    fn drop(&mut self) {
        self.0.finish_and_clear();
    }
}

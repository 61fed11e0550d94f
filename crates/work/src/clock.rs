//! The clock of this machine.

use chrono::{Local, Timelike};

/// Minutes after midnight.
pub(crate) fn minutes_of_day() -> u32 {
    let now = Local::now();
    now.hour() * 60 + now.minute()
}

//! When a site's pictures get their files by themselves.

use serde::{Deserialize, Serialize};

const DAY: u32 = 24 * 60;

/// A run that starts by itself each day, over what is new or changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct RunSchedule {
    /// Whether it does.
    pub is_on: bool,
    /// When it begins, in minutes after midnight by the server's clock: 0 to 1,439.
    pub at: u32,
    /// For how many minutes of work at most: 1 to 1,440.
    pub minutes: u32,
    /// Whether it waits until nothing else is to be done.
    pub only_idle: bool,
}

impl Default for RunSchedule {
    /// Off, and else from two at night for an hour, while nothing else is to be done.
    fn default() -> Self {
        Self { is_on: false, at: 120, minutes: 60, only_idle: true }
    }
}

impl RunSchedule {
    /// Whether its values are within their ranges.
    pub fn is_possible(&self) -> bool {
        self.at < DAY && (1..=DAY).contains(&self.minutes)
    }

    /// Whether `now`, in minutes after midnight, lies in its time.
    pub fn is_time(&self, now: u32) -> bool {
        (now + DAY - self.at) % DAY < self.minutes
    }

    /// Minutes from `now`, in minutes after midnight, until it begins the next time: 1 to 1,440.
    pub fn until_next(&self, now: u32) -> u32 {
        minutes_until(self.at, now)
    }
}

/// Minutes from `now` until it is `at` the next time, both in minutes after midnight: 1 to 1,440.
pub(crate) fn minutes_until(at: u32, now: u32) -> u32 {
    (at + DAY - now - 1) % DAY + 1
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn its_time_goes_past_midnight() {
        let late = RunSchedule { at: 23 * 60 + 30, minutes: 60, ..RunSchedule::default() };
        assert!(late.is_time(23 * 60 + 30) && late.is_time(10) && late.is_time(29));
        assert!(!late.is_time(30) && !late.is_time(23 * 60 + 29));
        assert_eq!(late.until_next(23 * 60), 30);
        assert_eq!(late.until_next(23 * 60 + 30), DAY, "not twice in the same minute");
        assert!(!RunSchedule { at: DAY, ..late }.is_possible());
        assert!(!RunSchedule { minutes: 0, ..late }.is_possible());
    }

    proptest! {
        #[test]
        fn the_next_time_is_its_time(at in 0..DAY, minutes in 1..=DAY, now in 0..DAY) {
            let schedule = RunSchedule { at, minutes, ..RunSchedule::default() };
            let next = schedule.until_next(now);
            prop_assert!((1..=DAY).contains(&next));
            prop_assert_eq!((now + next) % DAY, at);
            prop_assert!(schedule.is_time(at));
        }
    }
}

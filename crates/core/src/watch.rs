//! When a site's pages are measured again by themselves, so that what became heavier is told.

use serde::{Deserialize, Serialize};

use crate::run::schedule::minutes_until;

/// A measuring that starts by itself every so many days.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Watch {
    /// Whether it does.
    pub is_on: bool,
    /// When it begins, in minutes after midnight by the server's clock: 0 to 1,439.
    pub at: u32,
    /// After how many days again: 1 to 31.
    pub days: u32,
}

impl Default for Watch {
    /// Off, and else each day at four in the morning, after what runs at night.
    fn default() -> Self {
        Self { is_on: false, at: 240, days: 1 }
    }
}

impl Watch {
    /// Whether its values are within their ranges.
    pub fn is_possible(&self) -> bool {
        self.at < 24 * 60 && (1..=31).contains(&self.days)
    }

    /// Minutes from `now`, in minutes after midnight, until it begins the first time.
    pub fn until_first(&self, now: u32) -> u32 {
        minutes_until(self.at, now)
    }

    /// Minutes from `now`, when it began, until it begins again: at its hour, however late that was.
    pub fn until_next(&self, now: u32) -> u32 {
        let whole_days = (self.days - 1) * 24 * 60;
        whole_days + minutes_until(self.at, now)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_comes_at_its_hour_after_its_days() {
        let watch = Watch { at: 240, days: 7, is_on: true };
        assert_eq!((watch.until_first(180), watch.until_first(300)), (60, 23 * 60));
        assert_eq!(watch.until_next(240), 7 * 24 * 60);
        assert_eq!(watch.until_next(250), 7 * 24 * 60 - 10, "ten minutes late");
        assert!(!Watch { days: 0, ..watch }.is_possible());
        assert!(!Watch { at: 24 * 60, ..watch }.is_possible());
    }
}

//! Traffic: what pages transfer in a month, and how long people wait for them.

use serde::Serialize;

use super::margin::PageMargins;
use crate::units::Bytes;

/// The most page views of a month.
pub const MOST_VIEWS: u64 = 10_000_000_000;

/// What a page, or several, transfer in a month.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Month {
    /// How often they are looked at.
    pub views: u64,
    /// What they transfer before anybody scrolls.
    pub today: Bytes,
    /// About what they could.
    pub possible: Bytes,
    /// About how many hours less people would wait for the largest paint.
    pub hours: f64,
}

impl Month {
    /// What a page with these margins transfers, looked at so often, up to [`MOST_VIEWS`]; everybody loads all of it.
    pub fn of(views: u64, margins: &PageMargins) -> Self {
        let PageMargins { today, possible, .. } = margins;
        let all = |bytes: Bytes| Bytes(bytes.get().saturating_mul(views));
        let sooner = today.times.lcp.get() - possible.times.lcp.get();
        Self {
            views,
            today: all(today.weight.total),
            possible: all(possible.weight.total),
            hours: sooner * views as f64 / 3_600_000.0,
        }
    }

    /// Bytes that could be saved.
    pub fn saved(&self) -> i64 {
        self.today.get() as i64 - self.possible.get() as i64
    }
}

impl std::iter::Sum for Month {
    fn sum<I: Iterator<Item = Self>>(months: I) -> Self {
        months.fold(Self::default(), |sum, month| Self {
            views: sum.views + month.views,
            today: sum.today + month.today,
            possible: sum.possible + month.possible,
            hours: sum.hours + month.hours,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::budget::Margin;
    use crate::load::margin::{PageFigures, TimeMargin, USUAL_TIME};
    use crate::load::{LoadTimes, PageWeight};
    use crate::units::Millis;

    fn figures(kb: u64, lcp: f64) -> PageFigures {
        let lcp = Millis::new(lcp).unwrap();
        PageFigures {
            weight: PageWeight { total: Bytes::kb(kb), ..PageWeight::default() },
            times: LoadTimes { lcp, ..LoadTimes::default() },
        }
    }

    #[test]
    fn a_month_is_so_many_loads() {
        let (today, possible) = (figures(2_000, 9_000.0), figures(150, 1_800.0));
        let margins = PageMargins {
            today,
            possible,
            bytes: Margin::new(Bytes::kb(400), Bytes::kb(2_000)),
            time: TimeMargin::new(USUAL_TIME, today.times.lcp),
        };
        let month = Month::of(1_000, &margins);
        assert_eq!((month.today, month.possible), (Bytes::mb(2_000), Bytes::mb(150)));
        assert_eq!(month.saved(), 1_850_000_000);
        // 7.2 seconds, a thousand times: two hours.
        assert!((month.hours - 2.0).abs() < 1e-9);
        let both: Month = [month, month].into_iter().sum();
        assert_eq!((both.views, both.today), (2_000, Bytes::mb(4_000)));
    }
}

//! Weights of a site over time, from the weights of its pages.

use std::collections::{HashMap, HashSet};

use chrono::{DateTime, TimeDelta, Utc};
use serde::Serialize;
use uuid::Uuid;

use crate::units::Bytes;

/// Changes of different pages that are no further apart than this are of one measuring.
const ONE_MEASURING: TimeDelta = TimeDelta::minutes(10);

/// A page that weighs something from a time on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WeightChange {
    /// The page.
    pub page: Uuid,
    /// What it transfers before anybody scrolls.
    pub total: Bytes,
    /// Of that, pictures.
    pub pictures: Bytes,
    /// From when on.
    pub at: DateTime<Utc>,
}

/// What all pages together weigh from a time on.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct WeightPoint {
    /// From when on.
    pub at: DateTime<Utc>,
    /// The pages that had been measured by then.
    pub pages: usize,
    /// What they transfer before anybody scrolls.
    pub total: Bytes,
    /// Of that, pictures.
    pub pictures: Bytes,
}

/// Something that was done to the site.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Mark {
    /// When.
    pub at: DateTime<Utc>,
    /// What.
    pub kind: MarkKind,
    /// The publication or the run.
    pub id: Uuid,
    /// The same in words, and what it was about: `Published: Gallery`.
    pub words: String,
}

impl Mark {
    /// Something of `kind` that is called `name`, where it has one.
    pub fn new(at: DateTime<Utc>, kind: MarkKind, id: Uuid, name: &str) -> Self {
        let words = match name {
            "" => kind.words().to_owned(),
            name => format!("{}: {name}", kind.words()),
        };
        Self { at, kind, id, words }
    }
}

/// What was done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum MarkKind {
    /// Files went to the site.
    Published,
    /// They were taken back.
    TakenBack,
    /// Files were made.
    Run,
}

impl MarkKind {
    const fn words(self) -> &'static str {
        match self {
            Self::Published => "Published",
            Self::TakenBack => "Taken back",
            Self::Run => "Run",
        }
    }
}

/// What all pages weighed after each measuring, from their `changes` in the order of time.
pub fn weights_over_time(changes: impl IntoIterator<Item = WeightChange>) -> Vec<WeightPoint> {
    let mut latest: HashMap<Uuid, (Bytes, Bytes)> = HashMap::new();
    let (mut total, mut pictures) = (0, 0);
    let mut points: Vec<WeightPoint> = Vec::new();
    let mut measured: HashSet<Uuid> = HashSet::new();
    for change in changes {
        let before = latest.insert(change.page, (change.total, change.pictures));
        let (old, old_pictures) = before.unwrap_or_default();
        total = total + change.total.get() - old.get();
        pictures = pictures + change.pictures.get() - old_pictures.get();
        let point = WeightPoint {
            at: change.at,
            pages: latest.len(),
            total: Bytes(total),
            pictures: Bytes(pictures),
        };
        match points.last_mut() {
            Some(last) if change.at - last.at <= ONE_MEASURING && measured.insert(change.page) => {
                *last = point;
            }
            _ => {
                points.push(point);
                measured = HashSet::from([change.page]);
            }
        }
    }
    points
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn change(page: u128, kb: u64, minute: i64) -> WeightChange {
        WeightChange {
            page: Uuid::from_u128(page),
            total: Bytes::kb(kb),
            pictures: Bytes::kb(kb / 2),
            at: DateTime::UNIX_EPOCH + TimeDelta::minutes(minute),
        }
    }

    #[test]
    fn pages_of_one_measuring_are_one_point() {
        let day = 24 * 60;
        let changes = [
            change(1, 400, 0),
            change(2, 100, 1),
            change(3, 50, 9),
            change(1, 80, day),
            change(4, 10, 3 * day),
            change(4, 20, 3 * day + 2),
        ];
        let points = weights_over_time(changes);
        let told: Vec<_> =
            points.iter().map(|point| (point.pages, point.total.get() / 1_000)).collect();
        assert_eq!(
            told,
            [(3, 550), (3, 230), (4, 240), (4, 250)],
            "a page twice was measured twice"
        );
        assert_eq!(points[1].pictures, Bytes::kb(40 + 50 + 25));
    }

    proptest! {
        #[test]
        fn the_last_point_is_what_the_pages_weigh(
            steps in prop::collection::vec((0u128..5, 0u64..900, 0i64..60), 1..40)
        ) {
            let mut minute = 0;
            let changes: Vec<_> = steps.iter().map(|&(page, kb, pause)| {
                minute += pause;
                change(page, kb, minute)
            }).collect();
            let latest: HashMap<Uuid, u64> =
                changes.iter().map(|change| (change.page, change.total.get())).collect();
            let points = weights_over_time(changes.clone());
            let last = points.last().unwrap();
            prop_assert_eq!(last.total.get(), latest.values().sum::<u64>());
            prop_assert_eq!((last.pages, last.at), (latest.len(), changes.last().unwrap().at));
            prop_assert!(points.windows(2).all(|two| two[0].at <= two[1].at));
        }
    }
}

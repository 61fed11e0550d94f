//! What all pages weighed over time, and what was done to the site meanwhile.

use brisk_margin_core::load::history::{Mark, MarkKind, WeightPoint, weights_over_time};
use brisk_margin_store::{Store, StoreError};
use chrono::{DateTime, Utc};
use serde::Serialize;
use utoipa::ToSchema;

/// Publications and runs that are looked through.
const MOST_DONE: u64 = 200;

/// What all pages weighed over time.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SiteHistory {
    /// The weights after each measuring, in the order of time.
    pub points: Vec<WeightPoint>,
    /// What was done in that time, in its order.
    pub marks: Vec<Mark>,
}

/// What all pages weighed at a layout width, and what was done since the first of it.
///
/// # Errors
/// Those of the database.
pub async fn of_site(store: &Store, width: u32) -> Result<SiteHistory, StoreError> {
    let (changes, publications, runs) = tokio::try_join!(
        store.weight_changes(width),
        store.publications(MOST_DONE),
        store.runs(MOST_DONE),
    )?;
    let points = weights_over_time(changes);
    let Some(first) = points.first().map(|point| point.at) else {
        return Ok(SiteHistory { points, marks: Vec::new() });
    };
    let mut marks = Vec::new();
    for one in publications {
        let mut mark = |at: Option<DateTime<Utc>>, kind| {
            marks.extend(at.map(|at| Mark::new(at, kind, one.id, &one.name)));
        };
        mark(one.published_at, MarkKind::Published);
        mark(one.taken_back_at, MarkKind::TakenBack);
    }
    for run in runs {
        let ended = run.ended_at.filter(|_| run.totals.done > 0);
        marks.extend(ended.map(|at| Mark::new(at, MarkKind::Run, run.id, &run.name)));
    }
    marks.retain(|mark| mark.at >= first);
    marks.sort_by_key(|mark| mark.at);
    Ok(SiteHistory { points, marks })
}

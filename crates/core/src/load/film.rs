//! Film strips: what is seen of a page at the same moments of two loads.

use serde::{Deserialize, Serialize};

use crate::units::Millis;

/// Moments of a strip at most.
const MOST_MOMENTS: f64 = 12.0;
/// How far moments lie apart, in milliseconds, until that many reach the end.
const STEPS: [u32; 9] = [50, 100, 200, 500, 1_000, 2_000, 5_000, 10_000, 20_000];

/// What is seen of two loads of a page at the same moments.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FilmStrip {
    /// In their order; the last is that of the end of the slower load, or behind it.
    pub moments: Vec<FilmMoment>,
    /// When things were there as the page was.
    pub before: FilmTimes,
    /// When they were as it would be.
    pub after: FilmTimes,
}

/// What is seen at a moment.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FilmMoment {
    /// From the start of the page.
    pub at: Millis,
    /// As it was, by the hash of the picture; nothing where nothing was painted yet.
    pub before: Option<String>,
    /// As it would be.
    pub after: Option<String>,
}

/// When things were there, in one load.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FilmTimes {
    /// When something was painted first; nothing where the browser tells none.
    pub first_paint: Option<Millis>,
    /// When the largest that is seen first was painted.
    pub largest: Option<Millis>,
    /// When the last file was there.
    pub last_file: Millis,
}

/// The moments that a strip shows which ends at `end`: at most twelve, evenly apart by a round time, the last at
/// that end or behind it.
///
/// ```
/// use brisk_margin_core::load::film::moments;
/// use brisk_margin_core::units::Millis;
///
/// let at: Vec<f64> = moments(Millis::whole(1_700)).iter().map(|at| at.get()).collect();
/// assert_eq!(at, [200.0, 400.0, 600.0, 800.0, 1_000.0, 1_200.0, 1_400.0, 1_600.0, 1_800.0]);
/// ```
pub fn moments(end: Millis) -> Vec<Millis> {
    let reaches = |step: u32| end.get() / f64::from(step) <= MOST_MOMENTS;
    let last = STEPS[STEPS.len() - 1];
    let round = STEPS.into_iter().find(|&step| reaches(step));
    // Very slow loads are cut into twelve parts of whole seconds.
    let least = (end.get() / MOST_MOMENTS / f64::from(last)).ceil() as u32;
    let step = round.unwrap_or(least.max(1) * last);
    let count = (end.get() / f64::from(step)).ceil().max(1.0) as u32;
    (1..=count).map(|n| Millis::whole(n * step)).collect()
}

/// The last of `frames`, in their order, that was painted by `at`.
pub fn seen_at<T>(frames: &[(Millis, T)], at: Millis) -> Option<&T> {
    frames.iter().take_while(|(painted, _)| *painted <= at).last().map(|(_, frame)| frame)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_was_painted_last_is_seen_until_something_else_is() {
        let frames = [(Millis::whole(300), "text"), (Millis::whole(900), "picture")];
        let seen = |at: u32| seen_at(&frames, Millis::whole(at)).copied();
        assert_eq!(
            [seen(299), seen(300), seen(899), seen(5_000)],
            [None, Some("text"), Some("text"), Some("picture")]
        );
    }

    proptest! {
        #[test]
        fn few_moments_evenly_apart_reach_the_end(end in 0u32..3_000_000) {
            let all = moments(Millis::whole(end));
            prop_assert!((1..=12).contains(&all.len()));
            let (step, last) = (all[0].get(), all[all.len() - 1].get());
            prop_assert!(last >= f64::from(end) && last - step < f64::from(end.max(1)));
            for (n, at) in all.iter().enumerate() {
                prop_assert!((at.get() - step * (n + 1) as f64).abs() < 1e-9);
            }
        }
    }
}

//! Legibility: how well a mark can be read when it is small, as a figure from 0 to 100.
//!
//! Three parts, each from 0 to 1; all in one is the geometric mean of the weakest of them and of the geometric mean of all:
//! what is weak is not made up for by what is strong.
//!
//! - **contrast** of figure and ground, against what meaningful graphics need (WCAG 2.2, 1.4.11: 3 to 1), on a scale of
//!   logarithms as the eye has it; twice that, 6 to 1, is all that counts.
//! - **detail**: the share of the master's local contrasts that is still there, times how well what is there goes along with
//!   the master (Pearson's correlation), so that made-up detail does not count.
//! - **stroke**: the width of the master's thin parts at this size; below a pixel they become grey, and one of
//!   [`WHOLE_STROKE`] px is seen on any grid.

use serde::{Deserialize, Serialize};

/// Contrast beyond which more does not help.
const FULL_CONTRAST: f64 = 6.0;
/// Pixels that a stroke takes to be seen wherever it falls on the grid.
pub const WHOLE_STROKE: f64 = 1.5;
/// From this figure on a mark is readable: set on masters that were drawn to be so, or not (docs/icons.md).
pub const READABLE: f64 = 60.0;
/// Below this one it is lost.
pub const LOST: f64 = 35.0;

/// How well a mark can be read at a size.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Legibility {
    /// Contrast of figure and ground, 1 to 21 (WCAG 2.2).
    pub contrast: f64,
    /// The share of the master's detail that is left, 0 to 1.
    pub detail: f64,
    /// The width of its thin parts in px.
    pub stroke: f64,
    /// All in one, 0 to 100.
    pub score: f64,
    /// The same in a word.
    pub verdict: Verdict,
}

/// Whether a mark can be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Verdict {
    /// It cannot.
    Lost,
    /// With effort.
    Borderline,
    /// It can.
    Readable,
}

impl Legibility {
    /// Where figure and ground have this contrast ratio, so much of the master's detail is left, and its thin parts are
    /// so many px wide.
    ///
    /// ```
    /// use brisk_margin_core::icon::legibility::{Legibility, Verdict};
    ///
    /// assert_eq!(Legibility::new(12.0, 0.9, 2.0).verdict, Verdict::Readable);
    /// assert_eq!(Legibility::new(1.2, 0.9, 2.0).verdict, Verdict::Lost);
    /// ```
    pub fn new(contrast: f64, detail: f64, stroke: f64) -> Self {
        let parts = [
            (contrast.max(1.0).ln() / FULL_CONTRAST.ln()).clamp(0.0, 1.0),
            detail.clamp(0.0, 1.0),
            (stroke / WHOLE_STROKE).clamp(0.0, 1.0),
        ];
        let weakest = parts.into_iter().fold(1.0, f64::min);
        let score = 100.0 * (weakest * parts.iter().product::<f64>().cbrt()).sqrt();
        let verdict = match score {
            _ if score >= READABLE => Verdict::Readable,
            _ if score >= LOST => Verdict::Borderline,
            _ => Verdict::Lost,
        };
        Self { contrast, detail, stroke, score, verdict }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn no_part_that_gets_better_makes_it_worse(
            contrast in 1.0..21.0, detail in 0.0..1.0, stroke in 0.0..4.0, more in 0.0..2.0,
        ) {
            let score = |c, d, s| Legibility::new(c, d, s).score;
            let before = score(contrast, detail, stroke);
            prop_assert!((0.0..=100.0).contains(&before));
            prop_assert!(score(contrast + more, detail, stroke) >= before);
            prop_assert!(score(contrast, detail + more, stroke) >= before);
            prop_assert!(score(contrast, detail, stroke + more) >= before);
        }
    }
}

//! What comes of a choice: files that were tried, and the one that was chosen.

use std::sync::OnceLock;

use brisk_margin_core::choice::ChoiceOutcome;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::grade::{Score, WorstSpot};
use brisk_margin_core::units::Bytes;

use super::ChoiceError;
use crate::metric::{Differences, MetricError, QualityMetric};
use crate::raster::Raster;

/// A file that was tried.
#[derive(Debug, Clone, PartialEq)]
pub struct Trial {
    /// The file.
    pub bytes: Vec<u8>,
    /// How it was made.
    pub encoding: Encoding,
    /// How faithful it is.
    pub score: Score,
    /// How it looks.
    pub raster: Raster,
    differences: OnceLock<Differences>,
    worst: OnceLock<WorstSpot>,
}

impl Trial {
    pub(super) const fn new(
        bytes: Vec<u8>,
        encoding: Encoding,
        score: Score,
        raster: Raster,
    ) -> Self {
        Self {
            bytes,
            encoding,
            score,
            raster,
            differences: OnceLock::new(),
            worst: OnceLock::new(),
        }
    }

    /// Where it differs from what `metric` holds, roughly, worked out once.
    ///
    /// # Errors
    /// Those of comparing.
    pub fn differences(&self, metric: &QualityMetric) -> Result<&Differences, MetricError> {
        if let Some(known) = self.differences.get() {
            return Ok(known);
        }
        let found = metric.rough_differences(&self.raster)?;
        Ok(self.differences.get_or_init(|| found))
    }

    /// The tile in which it differs most from what `metric` holds, worked out once.
    ///
    /// # Errors
    /// Those of comparing.
    pub fn worst_tile(&self, metric: &QualityMetric) -> Result<WorstSpot, MetricError> {
        if let Some(&known) = self.worst.get() {
            return Ok(known);
        }
        let found = metric.worst_tile_of(self.differences(metric)?, &self.raster)?;
        Ok(*self.worst.get_or_init(|| found))
    }
}

/// What a trial came to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    /// How it was made.
    pub encoding: Encoding,
    /// Its bytes; nothing where only its pixels were judged.
    pub bytes: Option<Bytes>,
    /// How faithful it is.
    pub score: Score,
}

/// The file that was chosen in a format.
#[derive(Debug, Clone, PartialEq)]
pub struct Chosen {
    /// The file.
    pub trial: Trial,
    /// Where it differs most.
    pub worst: WorstSpot,
    /// What counted of its score: less where its worst tile lies under the grade's floor, or where it is seen as worse
    /// than it may be.
    pub counted: Score,
    /// How it ended.
    pub outcome: ChoiceOutcome,
    /// Every file and palette that was tried on the way, in order.
    pub tried: Vec<Point>,
    /// How many drafts were made before them.
    pub drafts: u32,
    /// Why encoders from outside made nothing of it.
    pub failures: Vec<ChoiceError>,
}

impl Chosen {
    /// How many files or palettes were made, drafts included.
    pub fn encodes(&self) -> u32 {
        self.tried.len() as u32 + self.drafts
    }

    /// The lighter of both, or the one that is as it was asked to be; with the trials of both.
    pub(super) fn or_better(self, other: Self) -> Self {
        let lighter = other.trial.bytes.len() <= self.trial.bytes.len();
        let is_better = match (self.outcome, other.outcome) {
            (ChoiceOutcome::Met, ChoiceOutcome::Met) => lighter,
            (ChoiceOutcome::Met, _) => false,
            (_, ChoiceOutcome::Met) => true,
            _ => lighter,
        };
        let (mut kept, other) = if is_better { (other, self) } else { (self, other) };
        kept.tried.extend(other.tried);
        kept.drafts += other.drafts;
        kept
    }
}

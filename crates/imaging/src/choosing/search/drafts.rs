//! Drafts: files that are soon made, judged and thrown away, which tell at what quality and with how much colour a
//! search begins.

use brisk_margin_core::grade::Score;
use brisk_margin_core::units::Bytes;

use super::{ChoiceError, Search, bend, between};
use crate::chroma::Chroma;
use crate::codec::avif;

/// What a draft told.
#[derive(Debug, Clone, Copy)]
pub(in crate::choosing) struct Told {
    /// How faithful its file likely is.
    pub score: Score,
    /// What it weighs itself.
    pub bytes: Bytes,
}

impl Told {
    /// By how much more bytes it takes than `other` would at the same score, as a logarithm, where a point of score
    /// takes `by_score`.
    fn heavier_than(self, other: Self, by_score: f64) -> f64 {
        let weight = |told: Self| (told.bytes.get().max(1) as f64).ln();
        weight(self) - weight(other) - by_score * (self.score.0 - other.score.0)
    }
}

impl Search<'_> {
    /// Draws near `target` with drafts, in a format that has them: one, and another where that was far off. Then one
    /// more tells whether colours at full resolution take fewer bytes.
    pub(super) fn draft(&mut self, target: f64) -> Result<(), ChoiceError> {
        /// So near in score, bends hardly differ from there to the target.
        const NEAR: f64 = 5.0;
        let mut last = None;
        for _ in 0..2 {
            let Some(level) = self.next_level(target) else { break };
            if self.drafted.iter().any(|&(known, _)| known == level as f64) {
                break;
            }
            let Some(told) = self.choosing.draft(self.encoding(self.levels[level]))? else { break };
            self.drafts += 1;
            self.heed(level, told.score);
            last = Some((level, told));
            if (self.predicted(level) - target).abs() < NEAR {
                break;
            }
        }
        match last {
            Some((level, half)) => self.race_chroma(level, half),
            None => Ok(()),
        }
    }

    fn heed(&mut self, level: usize, score: Score) {
        self.drafted.push((level as f64, bend(score.0, self.prior.lack(self.levels[level]))));
        self.drafted.sort_by(|a, b| a.0.total_cmp(&b.0));
    }

    /// Goes on with colours at full resolution where a draft says that they take fewer bytes at the same score
    /// than those at half, of which one of `level` came to `half`.
    fn race_chroma(&mut self, level: usize, half: Told) -> Result<(), ChoiceError> {
        /// By so many levels a file of full resolution comes near the score of one of half.
        const LOWER: usize = 3;
        let raster = self.choosing.metric.raster();
        let lower = level.saturating_sub(LOWER);
        let quality = self.levels[lower];
        let Some(full) = self.encoding(quality).with_full_chroma() else { return Ok(()) };
        if !Chroma::is_open_for_avif(raster) {
            return Ok(());
        }
        if Chroma::for_avif(raster, self.levels[level]) == Chroma::Full {
            // So high up it was no half that was drafted: half does not come so far.
            self.full_chroma = true;
            return Ok(());
        }
        let Some(told) = self.choosing.draft(full)? else { return Ok(()) };
        self.colour_drafts += 1;
        let overrated = avif::draft_overrates_half(raster);
        if told.heavier_than(half, self.bytes_by_score(lower)) < overrated.ln() {
            // At full resolution the picture's own curve is bent the same way.
            let off =
                bend(told.score.0, self.prior.lack(quality)) - between(&self.drafted, lower as f64);
            self.drafted.iter_mut().for_each(|(_, bend)| *bend += off);
            self.full_chroma = true;
            self.heed(lower, told.score);
        }
        Ok(())
    }

    /// By how much more bytes one point of score takes in drafts around `level`, as a logarithm.
    fn bytes_by_score(&self, level: usize) -> f64 {
        const AROUND: usize = 3;
        /// Beside files, as the mean over pictures (docs/decisions/0035).
        const STEEPER: f64 = 1.25;
        let low = level.saturating_sub(AROUND);
        let high = (level + AROUND).min(self.levels.len() - 1);
        let weight = |level: usize| self.prior.weight(self.levels[level]).ln();
        let between = weight(high) - weight(low);
        STEEPER * between / (self.predicted(high) - self.predicted(low)).max(0.1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_count_at_the_same_score() {
        let told = |score, bytes| Told { score: Score(score), bytes: Bytes(bytes) };
        let ratio = |one: Told| one.heavier_than(told(70.0, 1_000), 0.05).exp();
        assert!((ratio(told(70.0, 1_100)) - 1.1).abs() < 1e-9);
        assert!(ratio(told(74.0, 1_100)) < 0.91, "four points are worth a fifth of the bytes");
        assert!(ratio(told(68.0, 950)) > 1.04, "it lacks two points");
    }
}

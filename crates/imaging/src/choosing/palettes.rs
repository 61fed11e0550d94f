//! PNGs: the fewest colours that are good enough.

use brisk_margin_core::dense::Standard;
use brisk_margin_core::encoding::{Encoding, PaletteSize};
use brisk_margin_core::format::Format;
use brisk_margin_core::units::Bytes;

use super::search::{Search, Source};
use super::{ChoiceError, Choosing, Chosen, Point};
use crate::palette::Reduced;

impl Choosing<'_> {
    /// The fewest colours that reach the grade, or all of them.
    pub(super) fn png(
        &self,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let mut tried = Vec::new();
        let mut search = Search::new(self, Source::Ours(Format::Png)).held_to(standard)?;
        let reduced = self.fewest_colours(&search, &mut tried)?;
        search.tried = tried;
        let trial = match reduced {
            Some(colours) => search.trial(Encoding::PngPalette(colours))?,
            None => search.trial(Encoding::Png)?,
        };
        let chosen = self.within(search, trial, cap)?;
        self.or_lossless(chosen, cap)
    }

    fn fewest_colours(
        &self,
        search: &Search<'_>,
        tried: &mut Vec<Point>,
    ) -> Result<Option<PaletteSize>, ChoiceError> {
        /// Steps between which bytes differ clearly. With fewer colours a spot can change its own,
        /// which the eye sees before the measure does.
        const STEPS: [u16; 8] = [16, 24, 32, 48, 64, 96, 128, 256];
        let Some(standard) = search.standard else { return Ok(None) };
        let (mut low, mut high) = (0, STEPS.len());
        while low < high {
            if (self.stop)() {
                return Err(ChoiceError::Cancelled);
            }
            let middle = low.midpoint(high);
            let Some(reduced) = Reduced::new(self.metric.raster(), STEPS[middle]) else {
                return Ok(None);
            };
            let raster = reduced.raster();
            let mut score = self.metric.score(&raster)?;
            if score >= standard.target() {
                let tile = self.metric.worst_tile(&raster)?.score;
                score = standard.counting(score, tile, search.seen(&raster)?);
            }
            let encoding = Encoding::PngPalette(PaletteSize::new(STEPS[middle])?);
            tried.push(Point { encoding, bytes: None, score });
            if score >= standard.target() { high = middle } else { low = middle + 1 }
        }
        Ok(STEPS.get(low).map(|&colours| PaletteSize::new(colours)).transpose()?)
    }
}

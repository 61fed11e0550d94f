//! Palettes: the fewest colours that are good enough.

use brisk_margin_core::dense::Standard;
use brisk_margin_core::encoding::{Dithering, Encoding, Palette, PaletteSize};
use brisk_margin_core::format::Format;
use brisk_margin_core::units::Bytes;

use super::search::{Search, Source};
use super::{ChoiceError, Choosing, Chosen, Point};
use crate::palette::{Reduced, drift};

/// Numbers of colours between which bytes differ. With fewer, a spot can change its own, which the eye sees before the
/// measure does.
const STEPS: [u16; 15] = [16, 20, 24, 28, 32, 40, 48, 56, 64, 80, 96, 128, 160, 192, 256];

impl Choosing<'_> {
    /// As PNG: the fewest colours that reach the grade, or all of them.
    pub(super) fn png(
        &self,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let mut search = Search::new(self, Source::Ours(Format::Png)).held_to(standard)?;
        let lightest = self.lightest_palette(&mut search)?;
        let encoding = lightest.map_or(Encoding::Png, |(palette, _)| Encoding::PngPalette(palette));
        let trial = search.trial(encoding)?;
        let chosen = self.within(search, trial, cap)?;
        self.or_lossless(chosen, cap)
    }

    /// The palette of the lightest file that reaches the grade, and what a draft of it weighs as WebP.
    pub(super) fn lightest_palette(
        &self,
        search: &mut Search<'_>,
    ) -> Result<Option<(Palette, Bytes)>, ChoiceError> {
        let all = STEPS.len();
        // A flat picture mostly needs the fewest, and another often cannot have few enough.
        let first = if self.is_flat() { 0 } else { all - 1 };
        let off = self.fewest_colours(search, Dithering::Off, (first, all))?;
        // With as many colours, a dithered file is heavier.
        let most = off.unwrap_or(all);
        let on = self.fewest_colours(search, Dithering::On, (most.saturating_sub(1), most))?;
        let mut lightest = None;
        for (found, dithering) in [(off, Dithering::Off), (on, Dithering::On)] {
            let Some(step) = found else { continue };
            let palette = Palette { colours: PaletteSize::new(STEPS[step])?, dithering };
            let weight = self.draft_weight(Encoding::WebpPalette(palette))?;
            if lightest.is_none_or(|(_, least)| weight < least) {
                lightest = Some((palette, weight));
            }
        }
        Ok(lightest)
    }

    /// The first of the [`STEPS`] below `most` that reaches the grade; `first` is tried before others.
    fn fewest_colours(
        &self,
        search: &mut Search<'_>,
        dithering: Dithering,
        (first, most): (usize, usize),
    ) -> Result<Option<usize>, ChoiceError> {
        let (mut low, mut high, mut next) = (0, most, first);
        while low < high {
            let palette = Palette { colours: PaletteSize::new(STEPS[next])?, dithering };
            match self.reaches(search, palette)? {
                true => high = next,
                false => low = next + 1,
            }
            next = low.midpoint(high);
        }
        Ok((high < most).then_some(high))
    }

    /// Whether the picture in the colours of `palette` reaches the grade, which whoever holds to no grade never asks.
    fn reaches(&self, search: &mut Search<'_>, palette: Palette) -> Result<bool, ChoiceError> {
        if (self.stop)() {
            return Err(ChoiceError::Cancelled);
        }
        /// Beyond, a small spot visibly has another colour, of which the measure hardly knows.
        const MOST_DRIFT: u8 = 20;
        let Some(standard) = search.standard else { return Ok(false) };
        let raster = Reduced::new(self.metric.raster(), palette).raster();
        if drift(self.metric.raster(), &raster) > MOST_DRIFT {
            return Ok(false);
        }
        let mut score = self.metric.score(&raster)?;
        if score >= standard.target() {
            let tile = self.metric.worst_tile(&raster)?.score;
            score = standard.counting(score, tile, search.seen(&raster)?);
        }
        let encoding = search.of_palette(palette).unwrap_or(Encoding::PngPalette(palette));
        search.tried.push(Point { encoding, bytes: None, score });
        Ok(score >= standard.target())
    }
}

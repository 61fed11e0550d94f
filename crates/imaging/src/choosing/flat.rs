//! Flat pictures: when their own pixels, or a few colours, are lighter than what photographs are made as.

use brisk_margin_core::choice::ChoiceOutcome;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::dense::Standard;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::units::Bytes;

use super::search::{Search, Source};
use super::{ChoiceError, Choosing, Chosen};

/// An encoder that looks longer saves less than half where a draft has this many bytes a pixel, and far more of flatter
/// ones (docs/decisions/0031).
const BUSY: f64 = 0.375;
const LONGER: f64 = 2.0;

impl Choosing<'_> {
    /// `few`, a PNG, or the same pixels where a flat picture is lighter so, or only good enough so.
    pub(super) fn or_lossless(
        &self,
        few: Chosen,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let encoding = few.trial.encoding;
        if !self.is_flat() || encoding.is_lossless() {
            return Ok(few);
        }
        let Some(same) = Encoding::lossless(encoding.format()) else { return Ok(few) };
        Ok(few.or_better(self.made_once(Source::Ours(same.format()), same, cap)?))
    }

    /// As WebP: the lightest of what photographs and what flat pictures are made as.
    pub(super) fn webp(
        &self,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let webp = Source::Ours(Format::Webp);
        if !self.is_flat() {
            return self.searched(webp, standard, cap);
        }
        let draft = self.draft_weight(Encoding::WebpLossless)?;
        if self.is_busy(draft) {
            let mut lossy = self.searched(webp, standard, cap)?;
            lossy.drafts += 1;
            let far_heavier = draft.get() as f64 > LONGER * lossy.trial.bytes.len() as f64;
            if lossy.outcome == ChoiceOutcome::Met && far_heavier {
                return Ok(lossy);
            }
            return Ok(lossy.or_better(self.flat(draft, standard, cap)?));
        }
        let mut flat = self.flat(draft, standard, cap)?;
        flat.drafts += 1;
        let beaten_by = (flat.outcome == ChoiceOutcome::Met).then(|| Bytes::of(&flat.trial.bytes));
        let search = Search::new(self, webp).beaten_by(beaten_by);
        Ok(flat.or_better(self.searched_by(search, standard, cap)?))
    }

    /// What a flat picture is made as: its own pixels, of which there is a `draft`, or a few colours.
    fn flat(
        &self,
        draft: Bytes,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let webp = Source::Ours(Format::Webp);
        let mut search = Search::new(self, webp).held_to(standard)?;
        match self.lightest_palette(&mut search)? {
            Some((palette, weight)) if weight < draft => {
                let trial = search.trial(Encoding::WebpPalette(palette))?;
                self.within(search, trial, cap)
            }
            _ => self.made_once(webp, Encoding::WebpLossless, cap),
        }
    }

    /// Whether other ways than those for photographs are worth a try. What is clear around a photograph takes many
    /// bytes of a lossy file.
    pub(super) fn is_flat(&self) -> bool {
        let flat = self.class != ContentClass::Photograph || self.metric.raster().is_transparent();
        flat && self.moving.is_none()
    }

    /// What a draft of `encoding` weighs, a WebP without loss or of few colours.
    pub(super) fn draft_weight(&self, encoding: Encoding) -> Result<Bytes, ChoiceError> {
        Ok(self.encoders.codecs.draft_weight(self.metric.raster(), encoding)?)
    }

    /// Whether the picture takes so many bytes without loss that a lossy file is likely lighter.
    fn is_busy(&self, draft: Bytes) -> bool {
        draft.get() as f64 > BUSY * self.metric.raster().size().pixels() as f64
    }
}

//! Files that hold exactly the pixels they were made from, and when they are worth making.

use brisk_margin_core::choice::ChoiceOutcome;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;
use brisk_margin_core::units::Bytes;

use super::search::{Search, Source};
use super::{ChoiceError, Choosing, Chosen, Trial};
use crate::raster::Raster;

impl Choosing<'_> {
    /// The lightest file in `format` that holds the same pixels.
    pub(super) fn lossless(
        &self,
        format: Format,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let ours = match Encoding::lossless(format) {
            Some(encoding) => Some(self.made_once(Source::Ours(format), encoding, cap)?),
            None if format == Format::Gif => Some(self.gif(cap)?),
            None => None,
        };
        let missing = ChoiceError::NotLossless(format);
        self.or_outside((format, missing), ours, |encoder| {
            let encoding = encoder.without_loss().ok_or(ChoiceError::NotLossless(format))?;
            self.made_once(Source::Outside(encoder), encoding, cap)
        })
    }

    fn made_once(
        &self,
        source: Source<'_>,
        encoding: Encoding,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let mut search = Search::new(self, source);
        let trial = search.trial(encoding)?;
        self.ended(search, trial, cap)
    }

    /// Whether a GIF has colours enough shows once it is made.
    fn gif(&self, cap: Option<Bytes>) -> Result<Chosen, ChoiceError> {
        let mut search = Search::new(self, Source::Ours(Format::Gif));
        let trial = search.trial(Encoding::Gif)?;
        let is_same = self.is_same(&trial)?;
        let mut chosen = self.ended(search, trial, cap)?;
        if !is_same && chosen.outcome == ChoiceOutcome::Met {
            chosen.outcome = ChoiceOutcome::Short { target: Score::SAME };
        }
        Ok(chosen)
    }

    /// Whether a file shows exactly the pixels that it was made from.
    pub(super) fn is_same(&self, trial: &Trial) -> Result<bool, ChoiceError> {
        match self.moving {
            Some(moving) => {
                moving.is_same(self.encoders.codecs, trial.encoding.format(), &trial.bytes)
            }
            None => Ok(same(self.metric.raster(), &trial.raster)),
        }
    }

    /// `lossy`, or the same pixels where a flat picture is lighter so, or only good enough so.
    pub(super) fn or_lossless(
        &self,
        mut lossy: Chosen,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let encoding = lossy.trial.encoding;
        let moves = self.moving.is_some();
        if moves || self.class == ContentClass::Photograph || encoding.is_lossless() {
            return Ok(lossy);
        }
        if let Some(draft) = self.lossless_draft(encoding.format())? {
            lossy.drafts += 1;
            if lossy.outcome == ChoiceOutcome::Met && self.is_far_heavier(draft, &lossy) {
                return Ok(lossy);
            }
        }
        let Some(same) = Encoding::lossless(encoding.format()) else { return Ok(lossy) };
        Ok(lossy.or_better(self.made_once(Source::Ours(same.format()), same, cap)?))
    }

    /// What a draft without loss in `format` weighs; nothing where it has none.
    fn lossless_draft(&self, format: Format) -> Result<Option<Bytes>, ChoiceError> {
        let Some(encoding) = Encoding::lossless(format) else { return Ok(None) };
        Ok(self.encoders.codecs.draft_weight(self.metric.raster(), encoding)?)
    }

    /// Whether the file without loss of which there is a `draft` is certainly heavier than `lossy`.
    fn is_far_heavier(&self, draft: Bytes, lossy: &Chosen) -> bool {
        /// An encoder that looks longer saves less than half where a draft has this many bytes a pixel, and far more
        /// of flatter ones (docs/decisions/0031).
        const LONGER: f64 = 2.0;
        const BUSY: f64 = 0.375;
        let least = LONGER * lossy.trial.bytes.len() as f64;
        let busy = BUSY * self.metric.raster().size().pixels() as f64;
        draft.get() as f64 > least.max(busy)
    }
}

/// Whether both look the same to the last bit; what is clear has no colour.
pub(super) fn same(a: &Raster, b: &Raster) -> bool {
    if a.channels() == b.channels() {
        let each = a.channels().count();
        let mut pixels = a.data().chunks_exact(each).zip(b.data().chunks_exact(each));
        return a.size() == b.size()
            && pixels.all(|(a, b)| a == b || each == 4 && a[3] == 0 && b[3] == 0);
    }
    let opaque = |raster: &Raster| raster.clone().without_idle_alpha();
    a.size() == b.size() && opaque(a) == opaque(b)
}

//! Files that hold exactly the pixels they were made from.

use brisk_margin_core::choice::ChoiceOutcome;
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

    pub(super) fn made_once(
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

//! Choosing an encoding: for each format the smallest file that is faithful enough.
//!
//! [`prior`] says how score falls with quality for a kind of picture, [`search`] finds the quality
//! from it in a few trials, and this module says which formats are tried and what a byte cap costs.

mod chosen;
mod error;
mod flat;
mod frames;
mod hints;
mod moving;
mod palettes;
pub mod prior;
mod search;
mod turns;
mod without_loss;

use brisk_margin_core::choice::{ChoiceOutcome, EncodeRequest, QualityTarget};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::dense::Standard;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_core::outside::OutsideEncoder;
use brisk_margin_core::units::Bytes;

use crate::codec::extras::Extras;
use crate::encode::EncodeError;
use crate::metric::QualityMetric;
use crate::outside::Encoders;
pub use chosen::{Chosen, Point, Trial};
pub use error::ChoiceError;
pub use frames::{JudgedFrame, judged_frames};
pub use hints::Hints;
pub use moving::{Moving, moving_source};
use search::{Search, Source, Told};
pub use turns::{Turn, in_turns, turns};
use without_loss::same;

/// Asked between trials whether to stop.
pub type Stop<'a> = &'a (dyn Fn() -> bool + Sync);

/// Never stops.
pub fn never() -> bool {
    false
}

/// A choice to be made: pixels, and what is known of them.
///
/// ```
/// use brisk_margin_core::choice::QualityTarget;
/// use brisk_margin_core::content::ContentClass;
/// use brisk_margin_core::format::Format;
/// use brisk_margin_core::geometry::Size;
/// use brisk_margin_core::grade::Grade;
/// use brisk_margin_imaging::choosing::{Choosing, Hints, never};
/// use brisk_margin_imaging::codec::extras::Extras;
/// use brisk_margin_imaging::codecs::Codecs;
/// use brisk_margin_imaging::metric::QualityMetric;
/// use brisk_margin_imaging::raster::{Channels, Raster};
///
/// let dusk = (0..64 * 64).flat_map(|n: u32| [n / 64 * 3, 40, 200 - n / 64 * 3].map(|c| c as u8));
/// let dusk = Raster::new(Size::new(64, 64), Channels::Rgb, dusk.collect());
/// let codecs = Codecs::in_process();
/// let choosing = Choosing {
///     encoders: (&codecs).into(),
///     metric: &QualityMetric::new(dusk)?,
///     moving: None,
///     class: ContentClass::Photograph,
///     hints: Hints::NONE,
///     extras: &Extras::default(),
///     stop: &never,
/// };
/// let chosen = choosing.choose(Format::Webp, QualityTarget::Grade(Grade::Good), None)?;
/// assert!(chosen.trial.score >= Grade::Good.target());
/// # Ok::<_, Box<dyn std::error::Error>>(())
/// ```
pub struct Choosing<'a> {
    /// Who makes and reads the files.
    pub encoders: Encoders<'a>,
    /// Holds the pixels that files are held against; of what moves, the first frame's.
    pub metric: &'a QualityMetric,
    /// All of it, where the picture moves.
    pub moving: Option<&'a Moving>,
    /// What kind of picture it is.
    pub class: ContentClass,
    /// What other files of it told.
    pub hints: Hints,
    /// What each file carries.
    pub extras: &'a Extras,
    /// Whether to stop.
    pub stop: Stop<'a>,
}

impl Choosing<'_> {
    /// The file that `request` asks for.
    ///
    /// # Errors
    /// [`ChoiceError`]; a grade or a cap that cannot be met is a [`ChoiceOutcome`] instead.
    pub fn answer(&self, request: EncodeRequest) -> Result<Chosen, ChoiceError> {
        match request {
            EncodeRequest::Best(format, target, cap) => self.choose(format, target, cap),
            EncodeRequest::Dense(format, grade, dense, cap) => {
                self.graded(format, Standard { grade, dense: Some(dense) }, cap)
            }
            EncodeRequest::Under(format, cap) => self.choose_under(format, cap),
            EncodeRequest::One(encoding) => self.choose_one(encoding),
        }
    }

    /// The smallest file in `format` that is as `want` says, below `cap` where there is one.
    ///
    /// # Errors
    /// [`ChoiceError`]; a grade or a cap that cannot be met is an [`ChoiceOutcome`] instead.
    pub fn choose(
        &self,
        format: Format,
        want: QualityTarget,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        match want {
            QualityTarget::Lossless => self.lossless(format, cap),
            QualityTarget::Quality(quality) => self.at(self.source(format)?.encoding(quality), cap),
            QualityTarget::Grade(grade) => self.graded(format, grade.into(), cap),
        }
    }

    /// The most faithful file in `format` of at most `cap` bytes, found from a middling quality.
    ///
    /// # Errors
    /// [`ChoiceError`]; a cap that cannot be met is an [`ChoiceOutcome`] instead.
    pub fn choose_under(&self, format: Format, cap: Bytes) -> Result<Chosen, ChoiceError> {
        let mut search = Search::new(self, self.source(format)?);
        let middling = search.trial(search.encoding(Quality::USUAL))?;
        let trial = search.under(cap, middling)?;
        self.ended(search, trial, Some(cap))
    }

    /// The smallest file in `format` of at least `score`, by the whole picture alone: for measuring
    /// against files that were made elsewhere.
    ///
    /// # Errors
    /// [`ChoiceError`].
    pub fn choose_score(&self, format: Format, score: Score) -> Result<Chosen, ChoiceError> {
        let mut search = Search::new(self, self.source(format)?);
        let trial = search.run(score)?;
        self.ended(search, trial, None)
    }

    /// The smallest file by `encoder` alone that is as faithful as `grade` says.
    ///
    /// # Errors
    /// [`ChoiceError`].
    pub fn choose_outside(
        &self,
        encoder: &OutsideEncoder,
        grade: Grade,
    ) -> Result<Chosen, ChoiceError> {
        self.searched(Source::Outside(encoder), grade.into(), None)
    }

    /// The file that `encoding` makes, whatever comes of it.
    ///
    /// # Errors
    /// [`ChoiceError`].
    pub fn choose_one(&self, encoding: Encoding) -> Result<Chosen, ChoiceError> {
        self.at(encoding, None)
    }

    /// The file that `encoding` makes, or below `cap` a lighter one.
    fn at(&self, encoding: Encoding, cap: Option<Bytes>) -> Result<Chosen, ChoiceError> {
        let source = match encoding {
            Encoding::Outside(how) => self
                .encoders
                .making(how.makes)
                .find(|encoder| encoder.key() == how.by)
                .map(Source::Outside)
                .ok_or(EncodeError::NotSetUp(how.makes))?,
            ours => Source::Ours(ours.format()),
        };
        let mut search = Search::new(self, source);
        let trial = search.trial(encoding)?;
        self.within(search, trial, cap)
    }

    fn graded(
        &self,
        format: Format,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let ours = match format {
            Format::Jpeg | Format::Avif => {
                Some(self.searched(Source::Ours(format), standard, cap)?)
            }
            Format::Webp => Some(self.webp(standard, cap)?),
            Format::Png => Some(self.png(standard, cap)?),
            Format::Gif => Some(self.at(Encoding::Gif, cap)?),
            Format::Jxl => None,
        };
        let missing = EncodeError::NotSetUp(format).into();
        self.or_outside((format, missing), ours, |encoder| {
            self.searched(Source::Outside(encoder), standard, cap)
        })
    }

    fn searched(
        &self,
        source: Source<'_>,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        self.searched_by(Search::new(self, source), standard, cap)
    }

    fn searched_by(
        &self,
        search: Search<'_>,
        standard: Standard,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let mut search = search.held_to(standard)?;
        let target = search.standard.unwrap_or(standard).target();
        let trial = search.run(target)?;
        if search.is_beaten(&trial) {
            return self.ended(search, trial, cap);
        }
        self.within(search, trial, cap)
    }

    /// Who makes `format` where one of them is to: we, where we can.
    fn source(&self, format: Format) -> Result<Source<'_>, ChoiceError> {
        if format.is_ours() {
            return Ok(Source::Ours(format));
        }
        let first = self.encoders.making(format).next().map(Source::Outside);
        Ok(first.ok_or(EncodeError::NotSetUp(format))?)
    }

    /// The best of `ours` and what each encoder from outside makes of a still picture by `make`; where nobody makes
    /// the format, it is said with what is `missing`.
    fn or_outside(
        &self,
        (format, missing): (Format, ChoiceError),
        ours: Option<Chosen>,
        make: impl Fn(&OutsideEncoder) -> Result<Chosen, ChoiceError>,
    ) -> Result<Chosen, ChoiceError> {
        let mut kept = ours;
        let mut failures = Vec::new();
        for encoder in self.encoders.making(format).filter(|_| self.moving.is_none()) {
            match make(encoder) {
                Ok(theirs) => {
                    kept = Some(match kept.take() {
                        Some(kept) => kept.or_better(theirs),
                        None => theirs,
                    });
                }
                Err(ChoiceError::Cancelled) => return Err(ChoiceError::Cancelled),
                Err(failure) => failures.push(failure),
            }
        }
        match kept {
            Some(kept) => Ok(Chosen { failures, ..kept }),
            None => Err(failures.pop().unwrap_or(missing)),
        }
    }

    /// `trial`, or under `cap` the best that is light enough.
    fn within(
        &self,
        mut search: Search<'_>,
        trial: Trial,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let trial = match cap {
            Some(cap) if Bytes::of(&trial.bytes) > cap => search.under(cap, trial)?,
            _ => trial,
        };
        self.ended(search, trial, cap)
    }

    fn ended(
        &self,
        search: Search<'_>,
        trial: Trial,
        cap: Option<Bytes>,
    ) -> Result<Chosen, ChoiceError> {
        let (seen, standard) = (search.seen(&trial.raster)?, search.standard);
        let (tried, drafts) = search.effort();
        if trial.encoding.is_lossless() && !self.is_same(&trial)? {
            return Err(ChoiceError::NotTheSame(trial.encoding.format()));
        }
        let worst = trial.worst_tile(self.metric)?;
        let heavier = |cap: Bytes| tried.iter().any(|point| point.bytes.is_some_and(|b| b > cap));
        let counted =
            standard.map_or(trial.score, |held| held.counting(trial.score, worst.score, seen));
        let missed = standard.map(Standard::target).filter(|target| counted < *target);
        let outcome = match (cap, missed) {
            (Some(cap), _) if Bytes::of(&trial.bytes) > cap => ChoiceOutcome::OverCap { cap },
            (Some(cap), Some(target)) if heavier(cap) => ChoiceOutcome::Capped { target },
            (_, Some(target)) => ChoiceOutcome::Short { target },
            (_, None) => ChoiceOutcome::Met,
        };
        Ok(Chosen { trial, worst, counted, outcome, tried, drafts, failures: Vec::new() })
    }

    /// What a draft of `encoding` tells; nothing where there are none.
    fn draft(&self, encoding: Encoding) -> Result<Option<Told>, ChoiceError> {
        if (self.stop)() {
            return Err(ChoiceError::Cancelled);
        }
        if self.moving.is_some() {
            return Ok(None);
        }
        let Some(draft) = self.encoders.codecs.draft(self.metric.raster(), encoding)? else {
            return Ok(None);
        };
        let lacking = 100.0 - self.metric.score(&draft.shown)?.0;
        let score = Score(100.0 - lacking / draft.lacks_more.exp());
        Ok(Some(Told { score, bytes: draft.bytes }))
    }

    /// One file, judged.
    fn try_one(&self, encoding: Encoding) -> Result<Trial, ChoiceError> {
        if (self.stop)() {
            return Err(ChoiceError::Cancelled);
        }
        if let Some(moving) = self.moving {
            let bytes = moving.encode(self.encoders.codecs, encoding, self.extras)?;
            let (raster, score) = moving.judged(self.encoders.codecs, encoding.format(), &bytes)?;
            return Ok(Trial::new(bytes, encoding, score, raster));
        }
        let bytes = self.encoders.encode(self.metric.raster(), encoding, self.extras)?;
        let raster = self.encoders.codecs.decode(encoding.format(), &bytes)?;
        if encoding.is_lossless() && same(self.metric.raster(), &raster) {
            return Ok(Trial::new(bytes, encoding, Score::SAME, raster));
        }
        let score = self.metric.score(&raster)?;
        Ok(Trial::new(bytes, encoding, score, raster))
    }
}

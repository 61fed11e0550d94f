//! What is known of a run before it starts, and how far off that was.
//!
//! Every set has an estimate by the pixels of its picture. Some sets, spread over all, are planned
//! exactly, and one file of each is really made as the run would make it: how those differ from
//! their estimates corrects all others.

use serde::{Deserialize, Serialize};

use super::limits::RunLimits;
use super::skip::SkipReason;
use crate::status::Estimate;
use crate::units::Bytes;

/// What must at least be saved, as a share of today's bytes, for a set to be worth a run.
const WORTH: f64 = 0.03;
/// A picture that lacks more pixels than so many times those that it has is not worth a run.
const MOST_SHORTFALL: f64 = 4.0;
/// An estimate in nine of ten cases lies within so many standard deviations.
const NINE_IN_TEN: f64 = 1.645;
/// The standard deviation of a file's logarithm about its estimate, where too few were measured to
/// know it: [`Estimate`]'s own range.
const USUAL_SPREAD: f64 = 0.136;
/// So many measured files tell a spread.
const ENOUGH: usize = 3;

/// What is known of a picture in a slot before a run.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CandidateSet {
    /// What pages transfer for it today.
    pub today: Bytes,
    /// What it could weigh, where that is known.
    pub possible: Option<Bytes>,
    /// Needed over available pixels on the most demanding screen.
    pub shortfall: f64,
    /// Whether all its files are known to be there.
    pub is_made: bool,
    /// Whether its files are wanted, however much they save: a place shows another picture today, or this one
    /// as it was, or they were made by an earlier rule.
    pub is_awaited: bool,
}

impl CandidateSet {
    /// Why a run would do nothing with it, where its estimate is off by `factor`; nothing where it
    /// would.
    pub fn skipped(&self, factor: f64) -> Option<SkipReason> {
        if self.is_made {
            Some(SkipReason::Unchanged)
        } else if self.shortfall > MOST_SHORTFALL {
            Some(SkipReason::TooSmall)
        } else {
            let saved = self.today.get() - self.expected(factor).get();
            let is_small = (saved as f64) <= self.today.get() as f64 * WORTH;
            (is_small && !self.is_awaited && self.possible.is_some())
                .then_some(SkipReason::AlreadySmall)
        }
    }

    /// What it will likely weigh, never more than today.
    pub fn expected(&self, factor: f64) -> Bytes {
        let corrected = |possible: Bytes| Bytes((possible.get() as f64 * factor).round() as u64);
        self.possible.map_or(self.today, corrected).min(self.today)
    }
}

/// What is known of a picture before a run.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Candidate {
    /// Whether it was removed.
    pub is_removed: bool,
    /// Whether it could not be read.
    pub is_broken: bool,
    /// Whether its own rule excludes it.
    pub is_excluded: bool,
    /// Whether the run's rule would change its own.
    pub changes_rule: bool,
    /// The slots that it would be made for.
    pub sets: Vec<CandidateSet>,
}

impl Candidate {
    /// Why a run would do nothing with it; nothing where it would make some of its sets.
    pub fn skipped(&self, factor: f64) -> Option<SkipReason> {
        if self.is_removed {
            Some(SkipReason::Removed)
        } else if self.is_broken {
            Some(SkipReason::Broken)
        } else if self.is_excluded {
            Some(SkipReason::Excluded)
        } else if self.sets.is_empty() {
            Some(SkipReason::NotUsed)
        } else {
            let reasons = self.sets.iter().map(|set| set.skipped(factor));
            reasons.collect::<Option<Vec<_>>>()?.into_iter().max()
        }
    }

    /// What it likely saves, in bytes: the larger, the sooner it has its turn.
    pub fn saving(&self, factor: f64) -> u64 {
        let worth = self.sets.iter().filter(|set| set.skipped(factor).is_none());
        worth.map(|set| set.today.get() - set.expected(factor).get()).sum()
    }
}

/// What a set comes to by a file of it that was really made, as the run would make it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MeasuredFile {
    /// What the set was estimated to weigh.
    pub possible: Bytes,
    /// What it comes to.
    pub bytes: Bytes,
    /// How long that took, in seconds of one core; nothing where it was there already.
    pub seconds: Option<f64>,
}

/// A set that was planned as a sample for the others.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct SampledSet {
    /// How many files it has.
    pub files: usize,
    /// How many of these are there already.
    pub made: usize,
    /// In how many formats.
    pub formats: usize,
    /// How many files it would have with one more density.
    pub denser: usize,
    /// What all its files weigh over what the heaviest one does that pages transfer.
    pub all_over_one: f64,
    /// The one of its files that was made; nothing where there was no time for it.
    pub measured: Option<MeasuredFile>,
}

/// What the sample tells of all sets.
#[derive(Debug, Clone, PartialEq)]
pub struct Sample(Vec<SampledSet>);

impl Sample {
    /// What `sets` tell.
    pub const fn new(sets: Vec<SampledSet>) -> Self {
        Self(sets)
    }

    fn measured(&self) -> impl Iterator<Item = MeasuredFile> {
        self.0.iter().filter_map(|set| set.measured)
    }

    /// By which estimates are off: bytes that were measured over those that were estimated.
    pub fn factor(&self) -> f64 {
        let bytes: u64 = self.measured().map(|file| file.bytes.get()).sum();
        let possible: u64 = self.measured().map(|file| file.possible.get()).sum();
        if possible == 0 { 1.0 } else { bytes as f64 / possible as f64 }
    }

    /// The factor by which the sum of all sets may lie above or below, in nine of ten cases: the
    /// standard error of the mean of the measured files' logarithms.
    fn spread(&self) -> f64 {
        let logs: Vec<f64> = self
            .measured()
            .filter(|file| file.bytes.get() > 0 && file.possible.get() > 0)
            .map(|file| (file.bytes.get() as f64 / file.possible.get() as f64).ln())
            .collect();
        let n = logs.len();
        if n < ENOUGH {
            return (NINE_IN_TEN * USUAL_SPREAD).exp();
        }
        let mean = logs.iter().sum::<f64>() / n as f64;
        let variance = logs.iter().map(|log| (log - mean).powi(2)).sum::<f64>() / (n - 1) as f64;
        (NINE_IN_TEN * (variance / n as f64).sqrt()).exp()
    }

    /// The mean of what each set says; nothing where none was planned.
    fn mean(&self, of: impl Fn(&SampledSet) -> f64) -> Option<f64> {
        let n = self.0.len();
        (n > 0).then(|| self.0.iter().map(of).sum::<f64>() / n as f64)
    }

    /// How long a file takes, in seconds of one core, by those that were made.
    pub fn pace(&self) -> Option<f64> {
        let seconds: Vec<f64> = self.measured().filter_map(|file| file.seconds).collect();
        (!seconds.is_empty()).then(|| seconds.iter().sum::<f64>() / seconds.len() as f64)
    }
}

/// What a run would do, told before it starts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Forecast {
    /// Pictures that files are made of.
    pub pictures: usize,
    /// Their slots: a set of files each.
    pub sets: usize,
    /// About how many files will be made.
    pub files: usize,
    /// How many sets were planned to know that; all of them where it is `sets`.
    pub sampled: usize,
    /// Of how many sets a file was really made to know the bytes.
    pub measured: usize,
    /// About how many files one more format would add.
    pub one_more_format: usize,
    /// About how many files one more density would add.
    pub one_more_density: usize,
    /// Pictures whose own rule becomes another one by that of the run.
    #[serde(default)]
    pub rules: usize,
    /// What pages that show the pictures transfer today.
    pub today: Bytes,
    /// What they would transfer instead.
    pub expected: Estimate,
    /// About what all files that are made weigh.
    pub disk: Bytes,
    /// About how many seconds of work it takes, of all workers together; nothing where nothing tells.
    pub seconds: Option<f64>,
    /// How many sets are made before a limit of time or bytes is reached; nothing where all are.
    pub within_limits: Option<usize>,
    /// What nothing is done with, and why.
    pub skipped: Vec<Skipped>,
}

/// How many pictures are skipped for a reason.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Skipped {
    /// Why.
    pub reason: SkipReason,
    /// How many.
    pub pictures: usize,
}

/// Why each of `candidates`, in the order of their turn, is skipped, where estimates are off by
/// `factor`; nothing for those that are not.
pub fn judged(
    candidates: &[Candidate],
    factor: f64,
    limits: &RunLimits,
) -> Vec<Option<SkipReason>> {
    let mut place = 0;
    let judge = |candidate: &Candidate| {
        let reason = candidate
            .skipped(factor)
            .or_else(|| limits.leaves_out(place, candidate.saving(factor)));
        place += usize::from(reason.is_none());
        reason
    };
    candidates.iter().map(judge).collect()
}

impl Forecast {
    /// Of `candidates`, which [`judged`] judged, with some of their sets as a sample, where a file
    /// takes `pace` seconds of all workers together.
    pub fn of(
        candidates: &[Candidate],
        judged: &[Option<SkipReason>],
        sample: &Sample,
        pace: Option<f64>,
        limits: &RunLimits,
    ) -> Self {
        let factor = sample.factor();
        let (mut pictures, mut sets, mut today, mut expected) = (0, 0, Bytes(0), Bytes(0));
        let mut rules = 0;
        let mut skipped: Vec<Skipped> = Vec::new();
        for (candidate, reason) in candidates.iter().zip(judged) {
            if let Some(reason) = *reason {
                match skipped.iter_mut().find(|one| one.reason == reason) {
                    Some(one) => one.pictures += 1,
                    None => skipped.push(Skipped { reason, pictures: 1 }),
                }
                continue;
            }
            pictures += 1;
            rules += usize::from(candidate.changes_rule);
            for set in candidate.sets.iter().filter(|set| set.skipped(factor).is_none()) {
                sets += 1;
                today.0 += set.today.0;
                expected.0 += set.expected(factor).0;
            }
        }
        skipped.sort_by_key(|one| std::cmp::Reverse(one.pictures));
        let of_all = |mean: Option<f64>| (mean.unwrap_or(0.0) * sets as f64).round() as usize;
        let files = of_all(sample.mean(|set| (set.files - set.made) as f64));
        let seconds = pace.map(|pace| pace * files as f64);
        let spread = sample.spread();
        let at = |factor: f64| Bytes((expected.get() as f64 * factor).round() as u64).min(today);
        let disk = expected.get() as f64 * sample.mean(|set| set.all_over_one).unwrap_or(1.0);
        let disk = Bytes(disk.round() as u64);
        Self {
            pictures,
            sets,
            files,
            sampled: sample.0.len(),
            measured: sample.measured().count(),
            one_more_format: of_all(
                sample.mean(|set| set.files as f64 / set.formats.max(1) as f64),
            ),
            one_more_density: of_all(sample.mean(|set| set.denser as f64 - set.files as f64)),
            rules,
            today,
            expected: Estimate { low: at(1.0 / spread), about: expected, high: at(spread) },
            disk,
            seconds,
            within_limits: limits.sets_within(sets, seconds, disk),
            skipped,
        }
    }
}

/// How far what was expected lies from what came out, as a share of that: 0.1 where 10 % too much
/// was expected. Nothing where nothing came out.
pub fn error_of(expected: Bytes, came_out: Bytes) -> Option<f64> {
    let (expected, came_out) = (expected.get() as f64, came_out.get() as f64);
    (came_out > 0.0).then(|| expected / came_out - 1.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SET: CandidateSet = CandidateSet {
        today: Bytes(100_000),
        possible: Some(Bytes(40_000)),
        shortfall: 1.0,
        is_made: false,
        is_awaited: false,
    };

    fn plain(sets: &[CandidateSet]) -> Candidate {
        Candidate { sets: sets.to_vec(), ..Candidate::default() }
    }

    fn forecast(candidates: &[Candidate], sample: &Sample, pace: Option<f64>) -> Forecast {
        let limits = RunLimits::default();
        let judged = judged(candidates, sample.factor(), &limits);
        Forecast::of(candidates, &judged, sample, pace, &limits)
    }

    #[test]
    fn what_is_not_worth_it_is_skipped_and_says_why() {
        assert_eq!(plain(&[SET]).skipped(1.0), None);
        assert_eq!(plain(&[SET, SET]).saving(1.0), 120_000);
        let small = CandidateSet { possible: Some(Bytes(97_500)), ..SET };
        let awaited = CandidateSet { is_awaited: true, ..small };
        assert_eq!(plain(&[awaited]).skipped(1.0), None, "its place shows something else");
        let made = CandidateSet { is_made: true, ..SET };
        let tiny = CandidateSet { shortfall: 4.1, ..SET };
        let of = |candidate: Candidate| candidate.skipped(1.0).unwrap();
        assert_eq!(of(plain(&[small])), SkipReason::AlreadySmall);
        assert_eq!(of(plain(&[made])), SkipReason::Unchanged);
        assert_eq!(of(plain(&[tiny])), SkipReason::TooSmall);
        assert_eq!(of(plain(&[])), SkipReason::NotUsed);
        assert_eq!(of(Candidate { is_excluded: true, ..plain(&[]) }), SkipReason::Excluded);
        assert_eq!(of(Candidate { is_broken: true, ..plain(&[SET]) }), SkipReason::Broken);
        assert_eq!(of(Candidate { is_removed: true, ..plain(&[SET]) }), SkipReason::Removed);
        // One set that is worth it is enough, and only that is made.
        let mixed = plain(&[small, SET, made]);
        assert_eq!(mixed.skipped(1.0), None);
        assert_eq!(mixed.saving(1.0), 60_000);
        // What is not estimated is tried.
        assert_eq!(plain(&[CandidateSet { possible: None, ..SET }]).skipped(1.0), None);
    }

    #[test]
    fn files_that_were_really_made_correct_all_others() {
        let measured = |possible, bytes| SampledSet {
            files: 8,
            formats: 2,
            denser: 10,
            all_over_one: 3.0,
            measured: Some(MeasuredFile {
                possible: Bytes(possible),
                bytes: Bytes(bytes),
                seconds: Some(0.5),
            }),
            ..SampledSet::default()
        };
        let sample = Sample::new(vec![measured(40_000, 20_000), measured(20_000, 10_000)]);
        assert!((sample.factor() - 0.5).abs() < 1e-9);
        assert_eq!(sample.pace(), Some(0.5));
        let forecast = forecast(&[plain(&[SET]), plain(&[SET])], &sample, sample.pace());
        assert_eq!((forecast.today, forecast.expected.about), (Bytes(200_000), Bytes(40_000)));
        assert_eq!((forecast.disk, forecast.measured), (Bytes(120_000), 2));
        assert_eq!((forecast.files, forecast.seconds), (16, Some(8.0)));
        assert_eq!((forecast.one_more_format, forecast.one_more_density), (8, 4));
        // Two tell no spread, three that agree tell that there is none.
        assert!(forecast.expected.low < Bytes(33_000));
        let agreeing = Sample::new(vec![measured(40_000, 20_000); 3]);
        assert!((agreeing.spread() - 1.0).abs() < 1e-9);
    }

    #[test]
    fn what_is_there_already_is_not_counted_as_files_to_make() {
        let set = SampledSet { files: 8, formats: 2, ..SampledSet::default() };
        let sample = Sample::new(vec![set, SampledSet { made: 4, ..set }]);
        let forecast = forecast(&[plain(&[SET, SET]), plain(&[])], &sample, Some(0.5));
        assert_eq!((forecast.pictures, forecast.sets, forecast.files), (1, 2, 12));
        assert_eq!(forecast.seconds, Some(6.0));
        assert_eq!(forecast.skipped, [Skipped { reason: SkipReason::NotUsed, pictures: 1 }]);
    }

    #[test]
    fn a_number_of_pictures_counts_those_that_are_made() {
        let limits = RunLimits { pictures: Some(1), ..RunLimits::default() };
        let candidates = [plain(&[]), plain(&[SET]), plain(&[SET])];
        let judged = judged(&candidates, 1.0, &limits);
        assert_eq!(judged, [Some(SkipReason::NotUsed), None, Some(SkipReason::BeyondCount)]);
    }

    #[test]
    fn an_error_is_a_share_of_what_came_out() {
        assert!((error_of(Bytes(110), Bytes(100)).unwrap() - 0.1).abs() < 1e-9);
        assert!((error_of(Bytes(50), Bytes(100)).unwrap() + 0.5).abs() < 1e-9);
        assert_eq!(error_of(Bytes(50), Bytes(0)), None);
    }

    proptest! {
        #[test]
        fn every_picture_is_counted_once_and_none_gets_heavier(
            sets in prop::collection::vec((0usize..4, 1u64..100_000, 1u64..100_000), 0..50),
            factor in 0.2f64..3.0,
        ) {
            let set = |today, possible| CandidateSet {
                today: Bytes(today),
                possible: Some(Bytes(possible)),
                ..SET
            };
            let candidates: Vec<_> =
                sets.iter().map(|&(n, today, possible)| plain(&vec![set(today, possible); n])).collect();
            let possible = Bytes(10_000);
            let bytes = Bytes((10_000.0 * factor).round() as u64);
            let measured = Some(MeasuredFile { possible, bytes, seconds: Some(1.0) });
            let sample = Sample::new(vec![SampledSet { files: 2, measured, ..SampledSet::default() }]);
            let forecast = forecast(&candidates, &sample, None);
            let skipped: usize = forecast.skipped.iter().map(|one| one.pictures).sum();
            prop_assert_eq!(forecast.pictures + skipped, sets.len());
            prop_assert!(forecast.expected.about <= forecast.today);
            prop_assert!(forecast.expected.low <= forecast.expected.about);
            prop_assert!(forecast.expected.about <= forecast.expected.high);
        }
    }
}

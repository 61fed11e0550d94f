//! Runs: the files of many pictures for their slots, made at once; what is known before, and what
//! became of each.

use serde::{Deserialize, Serialize};

use crate::status::Estimate;
use crate::units::Bytes;

/// What must at least be saved, as a share of today's bytes, for a picture to be worth a run.
const WORTH: f64 = 0.03;

/// Where a run stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum RunState {
    /// Its files are made, or wait for their turn.
    Running,
    /// Somebody paused it.
    Paused,
    /// Somebody cancelled it; what was made stays.
    Cancelled,
    /// Everything was tried.
    Done,
}

impl RunState {
    const ALL: [Self; 4] = [Self::Running, Self::Paused, Self::Cancelled, Self::Done];

    /// Its name in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Running => "running",
            Self::Paused => "paused",
            Self::Cancelled => "cancelled",
            Self::Done => "done",
        }
    }

    /// The state called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|state| state.name() == name)
    }
}

/// Where a picture of a run stands, for one of its slots.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum ItemState {
    /// It has its turn later.
    Waiting,
    /// Its files are made.
    Done,
    /// Nothing was to be done.
    Skipped,
    /// Its files could not be made.
    Failed,
    /// Its files were made, and taken back.
    TakenBack,
}

impl ItemState {
    const ALL: [Self; 5] =
        [Self::Waiting, Self::Done, Self::Skipped, Self::Failed, Self::TakenBack];

    /// Its name in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Waiting => "waiting",
            Self::Done => "done",
            Self::Skipped => "skipped",
            Self::Failed => "failed",
            Self::TakenBack => "taken-back",
        }
    }

    /// The state called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|state| state.name() == name)
    }
}

/// Why nothing is done with a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum SkipReason {
    /// It was removed from the library.
    Removed,
    /// It could not be read.
    Broken,
    /// A rule excludes it.
    Excluded,
    /// No slot shows it, so that there is no size to make it in.
    NotUsed,
    /// It would not get 3 % lighter.
    AlreadySmall,
    /// All its files are there, made of the same picture by the same rules.
    Unchanged,
    /// The run was cancelled before its turn.
    Cancelled,
}

impl SkipReason {
    const ALL: [Self; 7] = [
        Self::Removed,
        Self::Broken,
        Self::Excluded,
        Self::NotUsed,
        Self::AlreadySmall,
        Self::Unchanged,
        Self::Cancelled,
    ];

    /// Its name in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Removed => "removed",
            Self::Broken => "broken",
            Self::Excluded => "excluded",
            Self::NotUsed => "not-used",
            Self::AlreadySmall => "already-small",
            Self::Unchanged => "unchanged",
            Self::Cancelled => "cancelled",
        }
    }

    /// The reason called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|reason| reason.name() == name)
    }

    /// The same in words, of one picture or of many.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Removed => "removed from the library",
            Self::Broken => "cannot be read",
            Self::Excluded => "excluded by a rule",
            Self::NotUsed => "used in no slot",
            Self::AlreadySmall => "already small",
            Self::Unchanged => "all files are there already",
            Self::Cancelled => "cancelled before it began",
        }
    }
}

/// What is known of a picture before a run.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Candidate {
    /// Whether it was removed.
    pub is_removed: bool,
    /// Whether it could not be read.
    pub is_broken: bool,
    /// Whether its own rule excludes it.
    pub is_excluded: bool,
    /// How many slots show it.
    pub slots: usize,
    /// What pages that show it transfer today.
    pub today: Bytes,
    /// What it could weigh, where that is known.
    pub possible: Option<Estimate>,
}

impl Candidate {
    /// Why a run would do nothing with it; nothing where it would.
    pub fn skipped(&self) -> Option<SkipReason> {
        if self.is_removed {
            Some(SkipReason::Removed)
        } else if self.is_broken {
            Some(SkipReason::Broken)
        } else if self.is_excluded {
            Some(SkipReason::Excluded)
        } else if self.slots == 0 {
            Some(SkipReason::NotUsed)
        } else {
            let worth = self.today.get() as f64 * WORTH;
            let is_small = |possible: Estimate| {
                self.today.get().saturating_sub(possible.about.get()) as f64 <= worth
            };
            self.possible.is_some_and(is_small).then_some(SkipReason::AlreadySmall)
        }
    }

    /// What it likely saves, in bytes: the larger, the sooner it has its turn.
    pub fn saving(&self) -> u64 {
        let after = self.possible.map_or(self.today, |possible| possible.about);
        self.today.get().saturating_sub(after.get())
    }
}

/// A set that was planned as a sample for the others.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SampledSet {
    /// How many files it has.
    pub files: usize,
    /// How many of these are there already.
    pub made: usize,
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
    /// What pages that show the pictures transfer today.
    pub today: Bytes,
    /// What they would transfer instead.
    pub expected: Estimate,
    /// About how long it takes at the pace of this installation, in seconds; nothing before it has
    /// one.
    pub seconds: Option<f64>,
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

impl Forecast {
    /// Of `candidates`, with some of their sets planned, where a file takes `pace` seconds.
    pub fn of(candidates: &[Candidate], sample: &[SampledSet], pace: Option<f64>) -> Self {
        let (mut pictures, mut sets, mut today) = (0, 0, Bytes(0));
        let mut expected = Estimate { low: Bytes(0), about: Bytes(0), high: Bytes(0) };
        let mut skipped: Vec<Skipped> = Vec::new();
        for candidate in candidates {
            if let Some(reason) = candidate.skipped() {
                match skipped.iter_mut().find(|one| one.reason == reason) {
                    Some(one) => one.pictures += 1,
                    None => skipped.push(Skipped { reason, pictures: 1 }),
                }
                continue;
            }
            let same =
                Estimate { low: candidate.today, about: candidate.today, high: candidate.today };
            let own = candidate.possible.unwrap_or(same);
            pictures += 1;
            sets += candidate.slots;
            today.0 += candidate.today.0;
            expected.low.0 += own.low.0;
            expected.about.0 += own.about.0;
            expected.high.0 += own.high.0;
        }
        skipped.sort_by_key(|one| std::cmp::Reverse(one.pictures));
        let missing: usize = sample.iter().map(|set| set.files - set.made).sum();
        let files = match sample.len() {
            0 => 0,
            n => (missing as f64 / n as f64 * sets as f64).round() as usize,
        };
        let seconds = pace.map(|pace| pace * files as f64);
        Self { pictures, sets, files, sampled: sample.len(), today, expected, seconds, skipped }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const PLAIN: Candidate = Candidate {
        is_removed: false,
        is_broken: false,
        is_excluded: false,
        slots: 2,
        today: Bytes(100_000),
        possible: Some(Estimate { low: Bytes(30_000), about: Bytes(40_000), high: Bytes(50_000) }),
    };

    #[test]
    fn what_is_not_worth_it_is_skipped_and_says_why() {
        assert_eq!(PLAIN.skipped(), None);
        assert_eq!(PLAIN.saving(), 60_000);
        let small = Estimate { about: Bytes(97_500), ..PLAIN.possible.unwrap() };
        let of = |candidate: Candidate| candidate.skipped().unwrap();
        assert_eq!(of(Candidate { possible: Some(small), ..PLAIN }), SkipReason::AlreadySmall);
        assert_eq!(of(Candidate { slots: 0, ..PLAIN }), SkipReason::NotUsed);
        assert_eq!(of(Candidate { is_excluded: true, slots: 0, ..PLAIN }), SkipReason::Excluded);
        assert_eq!(of(Candidate { is_broken: true, ..PLAIN }), SkipReason::Broken);
        assert_eq!(of(Candidate { is_removed: true, ..PLAIN }), SkipReason::Removed);
        // What is not estimated is tried.
        assert_eq!(Candidate { possible: None, ..PLAIN }.skipped(), None);
    }

    #[test]
    fn files_and_time_come_from_the_sample() {
        let unused = Candidate { slots: 0, ..PLAIN };
        let sample = [SampledSet { files: 8, made: 0 }, SampledSet { files: 8, made: 4 }];
        let forecast = Forecast::of(&[PLAIN, unused, PLAIN, unused], &sample, Some(0.5));
        assert_eq!((forecast.pictures, forecast.sets, forecast.files), (2, 4, 24));
        assert_eq!(forecast.seconds, Some(12.0));
        assert_eq!((forecast.today, forecast.expected.about), (Bytes(200_000), Bytes(80_000)));
        assert_eq!(forecast.skipped, [Skipped { reason: SkipReason::NotUsed, pictures: 2 }]);
    }

    #[test]
    fn names_are_read_back() {
        for reason in SkipReason::ALL {
            assert_eq!(SkipReason::named(reason.name()), Some(reason));
        }
        for state in ItemState::ALL {
            assert_eq!(ItemState::named(state.name()), Some(state));
        }
        for state in RunState::ALL {
            assert_eq!(RunState::named(state.name()), Some(state));
        }
    }

    proptest! {
        #[test]
        fn every_picture_is_counted_once(slots in prop::collection::vec(0usize..4, 0..50)) {
            let candidates: Vec<_> =
                slots.iter().map(|&slots| Candidate { slots, ..PLAIN }).collect();
            let forecast = Forecast::of(&candidates, &[], None);
            let skipped: usize = forecast.skipped.iter().map(|one| one.pictures).sum();
            prop_assert_eq!(forecast.pictures + skipped, slots.len());
            prop_assert_eq!(forecast.sets, slots.iter().sum::<usize>());
        }
    }
}

//! Jobs: long work in the background, by kind, and what becomes of one that fails.

use std::time::Duration;

use serde::{Deserialize, Serialize};

/// A kind of long work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum JobKind {
    /// What the pixels of a picture say by themselves.
    Analyse,
    /// What an intake rule makes of a picture once it was analysed.
    Import,
    /// Pictures, pages and slots whose status is not true any more.
    Status,
    /// The pages of a site, opened and measured.
    Measure,
    /// All files of a picture for a slot.
    Set,
    /// The files of many pictures for their slots.
    Run,
    /// A publication: what it would change, its way to the site, and back.
    Publish,
    /// How a page comes before and after a publication, as pictures.
    Film,
    /// Whether a run is to start by itself.
    Schedule,
    /// That pages are measured again, since it is time.
    Watch,
    /// What was removed for good, and what nothing speaks of any more.
    Sweep,
}

impl JobKind {
    /// Every kind.
    pub const ALL: [Self; 11] = [
        Self::Analyse,
        Self::Import,
        Self::Status,
        Self::Measure,
        Self::Set,
        Self::Run,
        Self::Publish,
        Self::Film,
        Self::Schedule,
        Self::Watch,
        Self::Sweep,
    ];

    /// Its name in the database and in addresses.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Analyse => "analyse",
            Self::Import => "import",
            Self::Status => "status",
            Self::Measure => "measure",
            Self::Set => "set",
            Self::Run => "run",
            Self::Publish => "publish",
            Self::Film => "film",
            Self::Schedule => "schedule",
            Self::Watch => "watch",
            Self::Sweep => "sweep",
        }
    }

    /// The kind called `name`; nothing where this version knows none.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.name() == name)
    }

    /// What is done, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Analyse => "Analysing pictures",
            Self::Import => "Making the files of uploads",
            Self::Status => "Working out what could be saved",
            Self::Measure => "Measuring pages",
            Self::Set => "Making the files of a slot",
            Self::Run => "Making the files of many pictures",
            Self::Publish => "Preparing or publishing changes of the site",
            Self::Film => "Filming how pages come",
            Self::Schedule => "Looking for what is new or changed",
            Self::Watch => "Having pages measured again",
            Self::Sweep => "Clearing away what nothing needs",
        }
    }

    /// Whether it is upkeep: nobody asked for it, and nobody misses it once it is done.
    pub const fn is_upkeep(self) -> bool {
        matches!(self, Self::Status | Self::Schedule | Self::Watch | Self::Sweep)
    }

    /// How long one may take before it counts as hanging and is tried again.
    pub const fn time_limit(self) -> Duration {
        match self {
            Self::Analyse => Duration::from_secs(5 * 60),
            Self::Import | Self::Set | Self::Film => Duration::from_secs(60 * 60),
            Self::Status | Self::Schedule | Self::Watch | Self::Sweep => {
                Duration::from_secs(20 * 60)
            }
            Self::Measure | Self::Run | Self::Publish => Duration::from_secs(4 * 60 * 60),
        }
    }

    /// After how long it is due again by itself.
    pub const fn comes_back_after(self) -> Option<Duration> {
        match self {
            Self::Sweep => Some(Duration::from_secs(60 * 60)),
            _ => None,
        }
    }
}

/// Where a job stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum JobState {
    /// It is to be done, now or after a pause.
    Waiting,
    /// A worker is at it.
    Running,
    /// It is done.
    Done,
    /// It was set aside, until somebody has it tried again.
    Failed,
    /// Somebody cancelled it; what was done stays.
    Cancelled,
}

impl JobState {
    const ALL: [Self; 5] =
        [Self::Waiting, Self::Running, Self::Done, Self::Failed, Self::Cancelled];

    /// Whether a job that stands there waits or runs.
    pub const fn is_open(self) -> bool {
        matches!(self, Self::Waiting | Self::Running)
    }

    /// Its name in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Waiting => "waiting",
            Self::Running => "running",
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Cancelled => "cancelled",
        }
    }

    /// The state called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|state| state.name() == name)
    }
}

/// Who is served first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Priority {
    /// Nobody waits for it.
    Background,
    /// Somebody looks at the screen until it is done.
    Awaited,
}

impl Priority {
    /// As the queue sorts it: the higher, the sooner.
    pub const fn level(self) -> i32 {
        match self {
            Self::Background => 0,
            Self::Awaited => 10,
        }
    }
}

/// Jobs of one site that may wait for somebody: whoever asks for more is told to wait.
pub const MOST_AWAITED: u32 = 500;

/// Attempts after which a job is set aside.
pub const MOST_ATTEMPTS: u32 = 10;

const FIRST_PAUSE: Duration = Duration::from_secs(5);
const LONGEST_PAUSE: Duration = Duration::from_secs(5 * 60);

/// What becomes of a job that failed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AfterFailure {
    /// It is tried again after a pause.
    Again(Duration),
    /// It is set aside with its reason.
    SetAside,
}

impl AfterFailure {
    /// What becomes of a job whose `attempts`th attempt failed: it is tried again where the
    /// machine was at fault, after 5 s and twice as long each time, at most 5 minutes.
    ///
    /// ```
    /// use std::time::Duration;
    /// use brisk_margin_core::job::AfterFailure;
    ///
    /// assert_eq!(AfterFailure::of(2, true), AfterFailure::Again(Duration::from_secs(10)));
    /// assert_eq!(AfterFailure::of(2, false), AfterFailure::SetAside);
    /// ```
    pub fn of(attempts: u32, is_transient: bool) -> Self {
        if !is_transient || attempts >= MOST_ATTEMPTS {
            return Self::SetAside;
        }
        let times = 1 << attempts.saturating_sub(1).min(16);
        Self::Again((FIRST_PAUSE * times).min(LONGEST_PAUSE))
    }
}

/// How long work still takes at the pace so far, which `done` of `total` took `elapsed`; nothing
/// where there is no pace yet.
pub fn time_left(elapsed: Duration, done: u64, total: u64) -> Option<Duration> {
    let left = total.checked_sub(done)?;
    (done > 0).then(|| elapsed.mul_f64(left as f64 / done as f64))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn time_left_is_that_of_the_pace_so_far() {
        let left = time_left(Duration::from_secs(10), 2, 5);
        assert_eq!(left, Some(Duration::from_secs(15)));
        assert_eq!(time_left(Duration::from_secs(10), 5, 5), Some(Duration::ZERO));
        assert_eq!(time_left(Duration::from_secs(10), 0, 5), None, "no pace yet");
        assert_eq!(time_left(Duration::from_secs(10), 6, 5), None, "more than there was");
    }

    #[test]
    fn names_are_read_back_and_unknown_ones_are_none() {
        for kind in JobKind::ALL {
            assert_eq!(JobKind::named(kind.name()), Some(kind));
        }
        for state in JobState::ALL {
            assert_eq!(JobState::named(state.name()), Some(state));
        }
        assert_eq!(JobKind::named("holograph"), None);
    }

    #[test]
    fn pauses_grow_to_five_minutes_and_end() {
        let mut before = Duration::ZERO;
        for attempts in 1..MOST_ATTEMPTS {
            let AfterFailure::Again(pause) = AfterFailure::of(attempts, true) else {
                panic!("set aside after {attempts}");
            };
            assert!(pause >= before && pause <= LONGEST_PAUSE, "{pause:?}");
            before = pause;
        }
        assert_eq!(before, LONGEST_PAUSE);
        assert_eq!(AfterFailure::of(MOST_ATTEMPTS, true), AfterFailure::SetAside);
    }
}

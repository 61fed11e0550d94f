//! What a run leaves for later.

use serde::{Deserialize, Serialize};

use super::skip::SkipReason;
use crate::units::Bytes;

/// What a run leaves for later; nothing where no limit is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default, deny_unknown_fields)]
pub struct RunLimits {
    /// Most pictures; those that save most come first.
    pub pictures: Option<u32>,
    /// Most minutes of work, by all workers together.
    pub minutes: Option<u32>,
    /// Most bytes of files that it makes.
    pub bytes: Option<Bytes>,
    /// Pictures that would save less are left out.
    pub least_saving: Option<Bytes>,
}

/// What a run did so far, as far as limits count it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct RunEffort {
    /// Seconds of work, by all workers together.
    pub seconds: f64,
    /// Bytes of the files that it made.
    pub bytes: Bytes,
}

impl RunLimits {
    /// Whether `effort` reaches one of the limits, so that nothing more is begun.
    pub fn is_reached(&self, effort: RunEffort) -> bool {
        self.minutes.is_some_and(|minutes| effort.seconds >= f64::from(minutes) * 60.0)
            || self.bytes.is_some_and(|most| effort.bytes >= most)
    }

    /// Why the picture that would be number `place`, counted from 0, and save `saving` is left out.
    pub(super) fn leaves_out(&self, place: usize, saving: u64) -> Option<SkipReason> {
        if self.least_saving.is_some_and(|least| saving < least.get()) {
            Some(SkipReason::SavesLittle)
        } else {
            let is_beyond = self.pictures.is_some_and(|most| place >= most as usize);
            is_beyond.then_some(SkipReason::BeyondCount)
        }
    }

    /// How many of `sets` are made before a limit is reached, where all take `seconds` and have
    /// `bytes`; nothing where all are.
    pub(super) fn sets_within(
        &self,
        sets: usize,
        seconds: Option<f64>,
        bytes: Bytes,
    ) -> Option<usize> {
        let time = self.minutes.zip(seconds).map(|(most, all)| f64::from(most) * 60.0 / all);
        let room = self.bytes.map(|most| most.get() as f64 / bytes.get() as f64);
        let share = [time, room].into_iter().flatten().filter(|s| *s < 1.0).reduce(f64::min)?;
        Some((sets as f64 * share).ceil() as usize)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_limit_that_is_reached_ends_a_run() {
        let limits =
            RunLimits { minutes: Some(2), bytes: Some(Bytes(1_000)), ..RunLimits::default() };
        let after = |seconds, bytes| limits.is_reached(RunEffort { seconds, bytes: Bytes(bytes) });
        assert!(!after(119.0, 999));
        assert!(after(120.0, 0));
        assert!(after(0.0, 1_000));
        let endless = RunEffort { seconds: 1e9, bytes: Bytes(u64::MAX) };
        assert!(!RunLimits::default().is_reached(endless));
    }

    #[test]
    fn pictures_beyond_a_number_or_with_little_to_save_are_left_out() {
        let limits =
            RunLimits { pictures: Some(2), least_saving: Some(Bytes(500)), ..RunLimits::default() };
        assert_eq!(limits.leaves_out(1, 500), None);
        assert_eq!(limits.leaves_out(1, 499), Some(SkipReason::SavesLittle));
        assert_eq!(limits.leaves_out(2, 500), Some(SkipReason::BeyondCount));
    }

    #[test]
    fn the_tighter_limit_says_how_far_it_comes() {
        let limits =
            RunLimits { minutes: Some(1), bytes: Some(Bytes(250)), ..RunLimits::default() };
        assert_eq!(limits.sets_within(100, Some(120.0), Bytes(1_000)), Some(25));
        assert_eq!(limits.sets_within(100, Some(240.0), Bytes(100)), Some(25));
        assert_eq!(limits.sets_within(100, Some(30.0), Bytes(100)), None);
        assert_eq!(limits.sets_within(100, None, Bytes(100)), None);
    }
}

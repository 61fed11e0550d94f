//! Runs: the files of many pictures for their slots, made at once.
//!
//! - [`skip`]: why nothing is done with a picture.
//! - [`limits`]: what a run leaves for later.
//! - [`schedule`]: when one starts by itself.
//! - [`forecast`]: what is known before it starts, and how far off that was.
//! - [`rule`]: how its files are made, where that was chosen for it.

pub mod forecast;
pub mod limits;
pub mod rule;
pub mod schedule;
pub mod skip;

use serde::{Deserialize, Serialize};

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

/// In which order the results of a run are listed; those that failed come first.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum ResultOrder {
    /// The lowest scores first: what the eye should check.
    #[default]
    Score,
    /// The largest savings first: what it was worth.
    Saving,
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

/// Who had a run started.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum StartedBy {
    /// Somebody, on the screen.
    Hand,
    /// Somebody, on the command line.
    Command,
    /// The site's schedule.
    Schedule,
    /// What the site does with pictures that arrive.
    Intake,
}

impl StartedBy {
    const ALL: [Self; 4] = [Self::Hand, Self::Command, Self::Schedule, Self::Intake];

    /// Its name in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Hand => "hand",
            Self::Command => "command",
            Self::Schedule => "schedule",
            Self::Intake => "intake",
        }
    }

    /// The one called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|by| by.name() == name)
    }

    /// The same in words, after “started”.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Hand => "by hand",
            Self::Command => "by a command",
            Self::Schedule => "by the schedule",
            Self::Intake => "since pictures arrived",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_database_calls_them_is_understood() {
        for state in ItemState::ALL {
            assert_eq!(ItemState::named(state.name()), Some(state));
        }
        for state in RunState::ALL {
            assert_eq!(RunState::named(state.name()), Some(state));
        }
        for by in StartedBy::ALL {
            assert_eq!(StartedBy::named(by.name()), Some(by));
        }
    }
}

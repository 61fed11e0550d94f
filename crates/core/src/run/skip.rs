//! Why a run does nothing with a picture.

use serde::{Deserialize, Serialize};

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
    /// Its slot asks for more than four times the pixels that it has.
    TooSmall,
    /// It would save less than the run was asked for.
    SavesLittle,
    /// The run was to take fewer pictures.
    BeyondCount,
    /// The run's limit of time or bytes was reached before its turn.
    LimitReached,
    /// The run was cancelled before its turn.
    Cancelled,
}

impl SkipReason {
    const ALL: [Self; 11] = [
        Self::Removed,
        Self::Broken,
        Self::Excluded,
        Self::NotUsed,
        Self::AlreadySmall,
        Self::Unchanged,
        Self::TooSmall,
        Self::SavesLittle,
        Self::BeyondCount,
        Self::LimitReached,
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
            Self::TooSmall => "too-small",
            Self::SavesLittle => "saves-little",
            Self::BeyondCount => "beyond-count",
            Self::LimitReached => "limit-reached",
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
            Self::TooSmall => "far too small for its slot; replace it with a larger original",
            Self::SavesLittle => "would save less than asked",
            Self::BeyondCount => "beyond the number of pictures",
            Self::LimitReached => "the limit of time or bytes was reached",
            Self::Cancelled => "cancelled before it began",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_database_calls_them_is_understood() {
        for reason in SkipReason::ALL {
            assert_eq!(SkipReason::named(reason.name()), Some(reason));
        }
    }
}

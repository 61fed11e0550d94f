//! Grades: how faithful a lossy file must be, on the scale of SSIMULACRA2.

use serde::{Deserialize, Serialize};

use crate::geometry::Rect;

/// How faithful a file is to the pixels it was made from: SSIMULACRA2, 100 for no difference;
/// from 90 on nobody sees one, below 30 everybody does.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(transparent)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Score(pub f64);

impl Score {
    /// No difference at all.
    pub const SAME: Self = Self(100.0);

    /// In a word.
    pub fn word(self) -> &'static str {
        match self.0 {
            score if score >= 90.0 => "as the original",
            score if score >= Grade::Fine.target().0 => "fine",
            score if score >= Grade::Good.target().0 => "good",
            score if score >= Grade::Lean.target().0 => "lean",
            score if score >= 30.0 => "visibly worse",
            _ => "spoilt",
        }
    }
}

/// How faithful a lossy file must be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Grade {
    /// Nothing to be seen but on a second look at true size.
    Fine,
    /// Hardly a difference unless both lie side by side.
    Good,
    /// Clean in passing; for what is small, far down or in the background.
    Lean,
}

impl Grade {
    /// Every grade, the most faithful first.
    pub const ALL: [Self; 3] = [Self::Fine, Self::Good, Self::Lean];
    /// Where a search is done: so far above the target at most.
    pub const BAND: f64 = 1.5;

    /// How far above the target a search is done once it has made so many files: each after the first may lie half a
    /// point further, since the later, the less a few bytes are worth another file.
    pub fn band(files: usize) -> f64 {
        Self::BAND + 0.5 * files.saturating_sub(1) as f64
    }

    /// The score that a file must have.
    pub const fn target(self) -> Score {
        Score(match self {
            Self::Fine => 85.0,
            Self::Good => 70.0,
            Self::Lean => 55.0,
        })
    }

    /// The score that its worst tile must have: 20 less than all of it.
    pub const fn floor(self) -> Score {
        Score(self.target().0 - 20.0)
    }

    /// What a file counts for whose worst tile scores `tile`: its score, or less where that tile lies
    /// under the floor.
    pub fn counting(self, score: Score, tile: Score) -> Score {
        Score(score.0.min(tile.0 + self.target().0 - self.floor().0))
    }

    /// Its name in the API and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Fine => "fine",
            Self::Good => "good",
            Self::Lean => "lean",
        }
    }

    /// The grade called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|grade| grade.name() == name)
    }
}

/// A place in a picture, and how faithful the file is there.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct WorstSpot {
    /// Where, in pixels of the file.
    pub place: Rect,
    /// The score of that part alone.
    pub score: Score,
}

//! Dense screens: how much less a file may keep of its own pixels where each is too small to be looked at.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::grade::{Grade, Score};
use crate::units::Density;

/// How many points of its score a file may lack that is shown at two device pixels for each CSS pixel, as long as it has
/// its grade at the size in which it is seen. Nothing is the usual one.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u8))]
pub struct Allowance(u8);

impl Allowance {
    /// More would spoil what somebody sees who leans forward.
    pub const MOST: u8 = 20;

    /// So many points, up to [`Self::MOST`].
    ///
    /// # Errors
    /// [`AllowanceError`] for more.
    pub const fn new(points: u8) -> Result<Self, AllowanceError> {
        match points {
            0..=Self::MOST => Ok(Self(points)),
            _ => Err(AllowanceError(points)),
        }
    }

    /// How a file is judged that has `density` pixels for each CSS pixel; nothing where it is judged as any other.
    pub fn at(self, density: Density) -> Option<DenseView> {
        let points = f64::from(self.0) * (density.get() - 1.0).min(1.0);
        (points > 0.0).then_some(DenseView { density, points })
    }
}

impl TryFrom<u8> for Allowance {
    type Error = AllowanceError;

    fn try_from(points: u8) -> Result<Self, AllowanceError> {
        Self::new(points)
    }
}

impl From<Allowance> for u8 {
    fn from(allowance: Allowance) -> Self {
        allowance.0
    }
}

/// An allowance of too much.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
#[error("a file for dense screens may lack 0 to 20 points, not {0}")]
pub struct AllowanceError(pub u8);

/// How a file is judged that has more pixels than the place in the layout has CSS pixels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct DenseView {
    /// Pixels of the file for each CSS pixel, above 1.
    pub density: Density,
    /// The points that it may lack at its own pixels.
    pub points: f64,
}

/// What a file is held to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Standard {
    /// How good it must be.
    pub grade: Grade,
    /// How it is judged on dense screens; nothing where it is judged by its own pixels alone.
    pub dense: Option<DenseView>,
}

impl From<Grade> for Standard {
    fn from(grade: Grade) -> Self {
        Self { grade, dense: None }
    }
}

impl Standard {
    /// The score that must count of a file at its own pixels.
    pub fn target(self) -> Score {
        Score(self.grade.target().0 - self.points())
    }

    /// What counts of a file that scores `own` at its own pixels, `tile` in its worst tile, and `seen` where both are
    /// scaled to CSS pixels: its own score, or less where it keeps the others less well.
    pub fn counting(self, own: Score, tile: Score, seen: Option<Score>) -> Score {
        let points = self.points();
        let by_pixels = self.grade.counting(Score(own.0 + points), Score(tile.0 + points)).0;
        let seen = seen.filter(|_| self.dense.is_some()).map_or(f64::INFINITY, |seen| seen.0);
        Score(by_pixels.min(seen) - points)
    }

    fn points(self) -> f64 {
        self.dense.map_or(0.0, |dense| dense.points)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_for_dense_screens_may_lack_its_points_and_must_be_good_as_it_is_seen() {
        let two = Density::new(2.0).unwrap();
        let dense = Allowance::new(10).unwrap().at(two);
        let standard = Standard { grade: Grade::Good, dense };
        let counting =
            |own, tile, seen| standard.counting(Score(own), Score(tile), Some(Score(seen))).0;
        assert_eq!(standard.target(), Score(60.0), "ten points less are allowed");
        assert_eq!(counting(61.0, 55.0, 74.0), 61.0);
        assert_eq!(counting(68.0, 66.0, 69.0), 59.0, "but not as it is seen");
        assert_eq!(
            counting(64.0, 35.0, 80.0),
            55.0,
            "and its worst tile lacks no more than they do"
        );
        let plain = Standard::from(Grade::Good);
        assert_eq!(plain.target(), Grade::Good.target());
        assert_eq!(plain.counting(Score(72.0), Score(60.0), None), Score(72.0));
        assert_eq!(plain.counting(Score(72.0), Score(40.0), None), Score(60.0));
    }

    #[test]
    fn it_grows_with_density_up_to_two_and_is_nothing_by_default() {
        let at = |points, density| {
            let view = Allowance::new(points).unwrap().at(Density::new(density).unwrap());
            view.map(|view| view.points)
        };
        assert_eq!(at(10, 1.0), None);
        assert_eq!([at(10, 1.5), at(10, 2.0), at(10, 3.0)], [Some(5.0), Some(10.0), Some(10.0)]);
        assert_eq!(Allowance::default().at(Density::new(3.0).unwrap()), None);
        assert_eq!(Allowance::new(21), Err(AllowanceError(21)));
    }
}

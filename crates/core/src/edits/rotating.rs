//! RotateOrFlip the picture as it lies there: by a quarter, over an axis, or until a line is level.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::{Corners, Edit, EditEntry, EditError, EditList};

/// The shortest line that tells what is level, in pixels.
const SHORTEST: f64 = 4.0;

/// How a picture is rotated or flipped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum RotateOrFlip {
    /// Rotated by a quarter.
    Clockwise,
    /// Rotated by a quarter.
    CounterClockwise,
    /// Left becomes right.
    FlipAcross,
    /// Top becomes bottom.
    FlipDown,
}

/// Why no line was made level.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum StraightenError {
    /// Nothing can be told from it.
    #[error("the line is too short to tell what is level; draw it along an edge or the horizon")]
    Short,
    /// The picture would be turned further than straightening goes.
    #[error(transparent)]
    Edit(#[from] EditError),
}

/// The geometry of a list: what the edits that have their place once say together.
struct Geometry {
    quarters: u8,
    across: bool,
    down: bool,
    others: Vec<EditEntry>,
}

impl Geometry {
    fn of(list: &EditList) -> Self {
        let mut all = Self { quarters: 0, across: false, down: false, others: Vec::new() };
        for step in list.steps() {
            match step.edit {
                // What is set aside does nothing, and can stand in the list only once.
                Edit::Turn { .. } | Edit::Flip { .. } if step.off => {}
                Edit::Turn { quarters } => all.quarters = quarters,
                Edit::Flip { across, down } => (all.across, all.down) = (across, down),
                _ => all.others.push(step.clone()),
            }
        }
        all
    }

    fn list(self) -> Result<EditList, EditError> {
        let Self { quarters, across, down, mut others } = self;
        if quarters != 0 {
            others.push(Edit::Turn { quarters }.into());
        }
        if across || down {
            others.push(Edit::Flip { across, down }.into());
        }
        EditList::new(others)
    }
}

impl EditList {
    /// The same for the picture rotated or flipped as it looks with this list: its trim, its angle and
    /// what is flipped go along.
    ///
    /// # Errors
    /// [`EditError`] where the list is full.
    ///
    /// ```
    /// use brisk_margin_core::edits::{Edit, EditList, RotateOrFlip};
    ///
    /// let once = EditList::default().rotated(RotateOrFlip::Clockwise)?;
    /// assert_eq!(once.edits().next(), Some(&Edit::Turn { quarters: 1 }));
    /// assert!(once.rotated(RotateOrFlip::CounterClockwise)?.is_plain());
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn rotated(&self, by: RotateOrFlip) -> Result<Self, EditError> {
        let mut all = Geometry::of(self);
        match by {
            RotateOrFlip::Clockwise | RotateOrFlip::CounterClockwise => {
                let more = if by == RotateOrFlip::Clockwise { 1 } else { 3 };
                all.quarters = (all.quarters + more) % 4;
                // Mirrored after it was turned: the axis is turned as well.
                (all.across, all.down) = (all.down, all.across);
            }
            RotateOrFlip::FlipAcross => all.across = !all.across,
            RotateOrFlip::FlipDown => all.down = !all.down,
        }
        for step in &mut all.others {
            carry(&mut step.edit, by);
        }
        all.list()
    }

    /// The same with the picture straightened so that the line between two points of it, in pixels,
    /// is level or upright, whichever is nearer.
    ///
    /// # Errors
    /// [`StraightenError`] where the line tells nothing, or the angle is out of range.
    pub fn straightened(&self, from: (f64, f64), to: (f64, f64)) -> Result<Self, StraightenError> {
        let (dx, dy) = (to.0 - from.0, to.1 - from.1);
        if dx.hypot(dy) < SHORTEST {
            return Err(StraightenError::Short);
        }
        let angle = dy.atan2(dx).to_degrees();
        let off_axis = angle - (angle / 90.0).round() * 90.0;
        let was = self.edits().find_map(|edit| match *edit {
            Edit::Straighten { degrees, corners } => Some((degrees, corners)),
            _ => None,
        });
        let (degrees, corners) = was.unwrap_or((0.0, Corners::Cut));
        // As exact as it can be read off and typed.
        let degrees = ((degrees - off_axis) * 100.0).round() / 100.0;
        let others =
            self.steps().iter().filter(|step| !matches!(step.edit, Edit::Straighten { .. }));
        let others = others.cloned();
        if degrees == 0.0 {
            return Ok(Self::new(others.collect())?);
        }
        Ok(Self::new(others.chain([Edit::Straighten { degrees, corners }.into()]).collect())?)
    }
}

/// Takes along what an edit says of sides and angles.
fn carry(edit: &mut Edit, by: RotateOrFlip) {
    match edit {
        Edit::Straighten { degrees, .. }
            if matches!(by, RotateOrFlip::FlipAcross | RotateOrFlip::FlipDown) =>
        {
            *degrees = -*degrees;
        }
        Edit::Canvas { left, top, right, bottom, .. } => {
            (*left, *top, *right, *bottom) = match by {
                RotateOrFlip::Clockwise => (*bottom, *left, *top, *right),
                RotateOrFlip::CounterClockwise => (*top, *right, *bottom, *left),
                RotateOrFlip::FlipAcross => (*right, *top, *left, *bottom),
                RotateOrFlip::FlipDown => (*left, *bottom, *right, *top),
            };
        }
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::edits::canvas::Canvas;
    use crate::edits::values::Ground;
    use crate::geometry::Size;

    fn angle(list: &EditList) -> Option<f64> {
        list.edits().find_map(|edit| match *edit {
            Edit::Straighten { degrees, .. } => Some(degrees),
            _ => None,
        })
    }

    #[test]
    fn a_line_along_the_horizon_or_a_wall_becomes_level_or_upright() {
        let plain = EditList::default();
        let horizon = plain.straightened((0.0, 100.0), (1000.0, 117.5)).unwrap();
        assert_eq!(angle(&horizon), Some(-1.0));
        // Drawn the other way round, it is the same line.
        assert_eq!(plain.straightened((1000.0, 117.5), (0.0, 100.0)).unwrap(), horizon);
        let wall = plain.straightened((100.0, 0.0), (82.5, 1000.0)).unwrap();
        assert_eq!(angle(&wall), Some(-1.0));
        // On a picture that is straightened, the angle is what is still lacking.
        let more = horizon.straightened((0.0, 0.0), (1000.0, -17.5)).unwrap();
        assert!(more.is_plain());
        assert_eq!(plain.straightened((5.0, 5.0), (6.0, 5.0)), Err(StraightenError::Short));
    }

    proptest! {
        #[test]
        fn every_point_goes_where_the_turn_takes_it(
            quarters in 0u8..4, across: bool, down: bool, degrees in -8.0f64..8.0,
            sides in proptest::array::uniform4(-20i32..20),
            by in prop_oneof![
                Just(RotateOrFlip::Clockwise), Just(RotateOrFlip::CounterClockwise),
                Just(RotateOrFlip::FlipAcross), Just(RotateOrFlip::FlipDown)
            ],
            x in 0.2f64..0.8, y in 0.2f64..0.8,
        ) {
            let [left, top, right, bottom] = sides;
            let mut steps = vec![
                Edit::Straighten { degrees, corners: Corners::Cut },
                Edit::Canvas { left, top, right, bottom, ground: Ground::TRANSPARENT },
                Edit::Flip { across, down },
            ];
            if quarters > 0 {
                steps.push(Edit::Turn { quarters });
            }
            let list = EditList::new(steps.into_iter().map(Into::into).collect()).unwrap();
            let source = Size::new(400, 301);
            let before = Canvas::new(source, &list).unwrap();
            let after = Canvas::new(source, &list.rotated(by).unwrap()).unwrap();
            let (w, h) = (f64::from(before.size().width), f64::from(before.size().height));
            let (x, y) = (x * w, y * h);
            let (to_x, to_y) = match by {
                RotateOrFlip::Clockwise => (h - y, x),
                RotateOrFlip::CounterClockwise => (y, w - x),
                RotateOrFlip::FlipAcross => (w - x, y),
                RotateOrFlip::FlipDown => (x, h - y),
            };
            let (was, is) = (before.to_source(x, y), after.to_source(to_x, to_y));
            prop_assert!((was.0 - is.0).hypot(was.1 - is.1) < 1.5, "{was:?} {is:?}");
        }
    }
}

//! The list of a picture's edits, checked and in order.

use std::collections::HashSet;

use serde::{Deserialize, Serialize};

use super::canvas;
use super::edit::{Edit, Stage};
use super::error::EditError;
use super::limits::{MOST_EDITS, VERSION};
use super::values::{self, Ground};
use crate::framing::Cuts;
use crate::geometry::Rect;

/// An edit, in use or set aside.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EditEntry {
    /// What it does.
    #[serde(flatten)]
    pub edit: Edit,
    /// Whether it is set aside: kept in the list, but not applied.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub off: bool,
}

impl From<Edit> for EditEntry {
    fn from(edit: Edit) -> Self {
        Self { edit, off: false }
    }
}

/// A checked list of edits, in the order in which they are applied.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = Written))]
pub struct EditList(Vec<EditEntry>);

/// A list of edits as it is written.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Written {
    /// The version of the list; 1.
    version: u32,
    /// The edits.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<EditEntry>))]
    steps: Vec<serde_json::Value>,
}

impl EditList {
    /// A list of `steps`, brought into the order in which they are applied.
    ///
    /// # Errors
    /// [`EditError`] where a value is out of its range, an edit that has its place once stands
    /// twice, or there are too many.
    ///
    /// ```
    /// use brisk_margin_core::edits::{Edit, EditList};
    ///
    /// // Whatever the order they were chosen in, geometry comes before shades.
    /// let chosen = [Edit::Exposure { stops: 0.5 }, Edit::Turn { quarters: 1 }];
    /// let list = EditList::new(chosen.into_iter().map(Into::into).collect())?;
    /// let first = list.edits().next();
    /// assert_eq!(first, Some(&Edit::Turn { quarters: 1 }));
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn new(mut steps: Vec<EditEntry>) -> Result<Self, EditError> {
        if steps.len() > MOST_EDITS {
            return Err(EditError::TooMany(steps.len()));
        }
        let mut seen = HashSet::new();
        for EditEntry { edit, .. } in &steps {
            edit.check()?;
            if edit.is_single() && !seen.insert(edit.name()) {
                return Err(EditError::Twice(edit.name()));
            }
        }
        steps.sort_by_key(|step| (step.edit.stage(), step.edit.rank()));
        Ok(Self(steps))
    }

    /// The same with `edit`, after those of its stage.
    ///
    /// # Errors
    /// As [`EditList::new`].
    pub fn with(&self, edit: Edit) -> Result<Self, EditError> {
        Self::new(self.0.iter().cloned().chain([edit.into()]).collect())
    }

    /// Its edits, those set aside among them.
    pub fn steps(&self) -> &[EditEntry] {
        &self.0
    }

    /// The edits in use.
    pub fn edits(&self) -> impl Iterator<Item = &Edit> {
        self.0.iter().filter(|step| !step.off).map(|step| &step.edit)
    }

    /// The same without what is set aside.
    pub fn in_use(&self) -> Self {
        Self(self.0.iter().filter(|step| !step.off).cloned().collect())
    }

    /// Whether it leaves a picture as it is.
    pub fn is_plain(&self) -> bool {
        self.edits().next().is_none()
    }

    /// The edits in use that change the whole picture alike, wherever it is shown.
    pub fn of_the_picture(&self) -> Self {
        let steps = self.0.iter().filter(|step| !step.off && !step.edit.is_of_the_frame());
        Self(steps.cloned().collect())
    }

    /// Whether an edit in use depends on the frame.
    pub fn has_frame(&self) -> bool {
        self.edits().any(Edit::is_of_the_frame)
    }

    /// Whether a length keeps its size in CSS pixels, so that each layout width needs a source of
    /// its own.
    pub fn keeps_css_size(&self) -> bool {
        self.edits()
            .flat_map(Edit::lengths)
            .any(|(_, length)| length.of == values::Of::Css && length.px != 0.0)
    }

    /// The same without tone and colour, to see what they do.
    pub fn without_shades(&self) -> Self {
        let kept = self.0.iter().filter(|step| step.edit.stage() != Stage::Shade);
        Self(kept.cloned().collect())
    }

    /// The same, of a picture that is `canvas` with it, trimmed to `crop` of that.
    ///
    /// # Errors
    /// [`EditError`] where more is cut off than a list can say.
    pub fn trimmed(&self, canvas: &canvas::Canvas, crop: Rect) -> Result<Self, EditError> {
        let size = canvas.size();
        let cuts = Cuts::of(size, crop);
        let was = self.edits().find_map(|edit| match *edit {
            Edit::Canvas { left, top, right, bottom, ground } => {
                Some(([left, top, right, bottom], ground))
            }
            _ => None,
        });
        let (sides, ground) = was.unwrap_or(([0; 4], Ground::TRANSPARENT));
        let less =
            |side: i32, cut: u32| side.saturating_sub(i32::try_from(cut).unwrap_or(i32::MAX));
        let trim = Edit::Canvas {
            left: less(sides[0], cuts.left),
            top: less(sides[1], cuts.top),
            right: less(sides[2], cuts.right),
            bottom: less(sides[3], cuts.bottom),
            ground,
        };
        let others = self.0.iter().filter(|step| !matches!(step.edit, Edit::Canvas { .. }));
        Self::new(others.cloned().chain([trim.into()]).collect())
    }

    /// The hashes of the pictures that lie on it.
    pub fn logos(&self) -> impl Iterator<Item = &str> {
        self.edits().filter_map(|edit| match edit {
            Edit::Logo { image, .. } => Some(image.as_str()),
            _ => None,
        })
    }

    /// Laid on a picture that has `own` edits: those of this list take the place of its own, whose
    /// geometry stays unless this list has some.
    pub fn laid_on(&self, own: &Self) -> Self {
        let is_geometry = |step: &&EditEntry| step.edit.stage() == Stage::Geometry;
        let has_geometry = self.0.iter().any(|step| is_geometry(&step));
        let kept = own.0.iter().filter(|step| !has_geometry && is_geometry(step));
        Self(kept.chain(&self.0).cloned().collect())
    }
}

impl TryFrom<Written> for EditList {
    type Error = EditError;

    fn try_from(written: Written) -> Result<Self, EditError> {
        if written.version > VERSION {
            return Err(EditError::Newer(written.version));
        }
        let read = |value| {
            serde_json::from_value(value)
                .map_err(|error| EditError::UnreadFormat(error.to_string()))
        };
        Self::new(written.steps.into_iter().map(read).collect::<Result<_, _>>()?)
    }
}

impl From<EditList> for Written {
    fn from(edits: EditList) -> Self {
        let write = |step| serde_json::to_value(step).expect("plain values");
        Self { version: VERSION, steps: edits.0.into_iter().map(write).collect() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edits::values::Length;

    fn read(text: &str) -> Result<EditList, String> {
        serde_json::from_str(text).map_err(|error| error.to_string())
    }

    #[test]
    fn a_list_is_brought_into_the_order_in_which_it_is_applied() {
        let list = read(
            r##"{"version":1,"steps":[
                {"kind":"border","width":{"px":4,"of":"css"},"colour":"#ffffff"},
                {"kind":"saturation","percent":10},
                {"kind":"exposure","stops":0.5},
                {"kind":"straighten","degrees":1.5,"corners":"cut"},
                {"kind":"turn","quarters":1}
            ]}"##,
        )
        .unwrap();
        let names: Vec<_> = list.edits().map(Edit::name).collect();
        assert_eq!(names, ["Rotate", "Straighten", "Saturation", "Exposure", "Border"]);
        assert!(list.keeps_css_size());
        assert_eq!(read(&serde_json::to_string(&list).unwrap()).unwrap(), list);
    }

    #[test]
    fn a_list_of_a_later_version_is_told_from_a_broken_one() {
        let newer = read(r#"{"version":7,"steps":[{"kind":"unheard-of"}]}"#).unwrap_err();
        assert!(newer.contains("version 7") && newer.contains("update"), "{newer}");
        let broken = read(r#"{"version":1,"steps":[{"kind":"unheard-of"}]}"#).unwrap_err();
        assert!(broken.contains("unheard-of"), "{broken}");
    }

    #[test]
    fn values_out_of_range_and_second_frames_are_refused_by_name() {
        let far = read(r#"{"version":1,"steps":[{"kind":"exposure","stops":9}]}"#).unwrap_err();
        assert!(far.contains("Exposure") && far.contains("between -5 and 5"), "{far}");
        let border = |px| Edit::Padding {
            width: Length { px, of: values::Of::Picture },
            ground: Ground::TRANSPARENT,
        };
        let twice = EditList::new(vec![border(1.0).into(), border(2.0).into()]).unwrap_err();
        assert_eq!(twice, EditError::Twice("Padding"));
        assert!(EditList::new(vec![border(f64::NAN).into()]).is_err());
    }

    #[test]
    fn what_is_laid_on_many_keeps_how_each_was_straightened() {
        let own = EditList::new(vec![
            Edit::Turn { quarters: 1 }.into(),
            Edit::Exposure { stops: 1.0 }.into(),
        ])
        .unwrap();
        let laid = EditList::new(vec![Edit::Greyscale { percent: 100.0 }.into()]).unwrap();
        let names: Vec<_> = laid.laid_on(&own).edits().map(Edit::name).collect();
        assert_eq!(names, ["Rotate", "Greyscale"]);
    }
}

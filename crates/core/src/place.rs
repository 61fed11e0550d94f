//! Places: where a slot occurs on a page, and what was measured there.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::background::BackgroundStyle;
use crate::hidden::HiddenIn;
use crate::layout::{self, BoxSize, Boxes};
use crate::object_fit::ObjectFit;
use crate::shown_by::ShownBy;
use crate::slot::Slot;
use crate::slot_name::Surroundings;
use crate::units::{ByDensity, Bytes, Density};

/// A file that a page serves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ServedFile {
    /// Where it is.
    pub url: String,
    /// Its pixels across and down, where it could be read.
    pub size: Option<(u32, u32)>,
    /// Its format by content.
    pub format: Option<String>,
    /// Its weight.
    pub bytes: Bytes,
    /// The hash of its copy in the blob store, where one is kept.
    pub hash: Option<String>,
}

/// All that was measured of a place.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct MeasuredPlace {
    /// Its boxes by layout width.
    pub boxes: Boxes,
    /// Its boxes at every viewport that was looked at.
    pub rendered: Boxes,
    /// Where it stands on the page, by layout width, in CSS px from the left and the top.
    pub positions: BTreeMap<u32, (f64, f64)>,
    /// The file at each layout width and density.
    pub files: BTreeMap<u32, ByDensity<ServedFile>>,
    /// How the file is put into the box.
    pub painting: ObjectFit,
    /// Which part stays where some is cut.
    pub position: String,
    /// Its `srcset`.
    pub srcset: Option<String>,
    /// Its `sizes`.
    pub sizes: Option<String>,
    /// Its alternative text.
    pub alt: Option<String>,
    /// Whether it loads only when scrolled to.
    pub lazy: bool,
    /// Whether a part of it is seen without scrolling.
    pub above_fold: bool,
    /// Whether it is the largest contentful paint.
    pub lcp: bool,
    /// What has to open before it is seen; its boxes are those it has then.
    #[serde(default)]
    pub hidden_in: Option<HiddenIn>,
    /// What a person sees around it; nothing where it was measured before that was told.
    #[serde(default)]
    pub surroundings: Surroundings,
    /// How it is shown; nothing where it was measured before that was told.
    #[serde(default)]
    pub shown_by: Option<ShownBy>,
    /// How a background or a mask lies in its element.
    #[serde(default)]
    pub background: Option<BackgroundStyle>,
}

/// What differs by less than so many CSS px stands where it stood.
const SAME_SPOT: f64 = 1.0;

impl MeasuredPlace {
    /// Whether it stands where `before` stood, as large as that, at every layout width, and is shown at
    /// one at least: it is the same place, whatever finds it on the page now.
    pub fn stands_as(&self, before: &Self) -> bool {
        let near = |a: f64, b: f64| (a - b).abs() < SAME_SPOT;
        let same_size = |now: &BoxSize, then: &BoxSize| {
            near(now.width, then.width) && near(now.height, then.height)
        };
        let same_sizes = |now: &Boxes, then: &Boxes| {
            now.len() == then.len()
                && now
                    .iter()
                    .zip(then)
                    .all(|(now, then)| now.0 == then.0 && same_size(now.1, then.1))
        };
        let mut positions = self.positions.iter().zip(&before.positions);
        let same_positions = self.positions.len() == before.positions.len()
            && positions.all(|((width, now), (other, then))| {
                width == other && near(now.0, then.0) && near(now.1, then.1)
            });
        // What has to be opened first stands nowhere until then.
        let same_spot = match (&self.hidden_in, &before.hidden_in) {
            (None, None) => !self.positions.is_empty() && same_positions,
            (now, then) => now == then,
        };
        self.boxes.values().any(|size| size.is_shown())
            && same_sizes(&self.boxes, &before.boxes)
            && same_spot
    }

    /// The same, standing just where `before` did: parts of a pixel do not make another place of it, nor
    /// other files.
    pub fn on_the_spot_of(self, before: &Self) -> Self {
        Self {
            boxes: before.boxes.clone(),
            rendered: before.rendered.clone(),
            positions: before.positions.clone(),
            ..self
        }
    }
}

/// A slot on a page.
#[derive(Debug, Clone, PartialEq)]
pub struct Place {
    /// Its id.
    pub id: Uuid,
    /// Its slot.
    pub slot_id: Uuid,
    /// Its page.
    pub page_id: Uuid,
    /// Finds it on the page.
    pub selector: String,
    /// Whether it was joined to no slot although one is alike in the markup.
    pub uncertain: bool,
    /// What was measured.
    pub details: MeasuredPlace,
    /// The picture placed in it.
    pub picture_id: Option<Uuid>,
}

impl Place {
    /// Its box at `viewport`, where it is laid out there: set by hand for its `slot`, or measured.
    pub fn box_at(&self, slot: &Slot, viewport: u32) -> Option<BoxSize> {
        let by_hand = slot.hand_boxes.as_ref().and_then(|boxes| boxes.get(&viewport));
        by_hand.or_else(|| self.details.boxes.get(&viewport)).copied()
    }

    /// The largest of its boxes.
    pub fn largest_box(&self, slot: &Slot) -> Option<BoxSize> {
        let viewports = slot.boxes().keys();
        layout::largest(viewports.filter_map(|&viewport| self.box_at(slot, viewport)))
    }

    /// The file that the reference browser downloads for it at each layout width, at density 2.
    pub fn downloaded(&self) -> impl Iterator<Item = (u32, &ServedFile)> {
        self.details.files.iter().filter_map(|(&viewport, at)| {
            Some((viewport, at.get(&Density::REFERENCE).or_else(|| at.values().last())?))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn measured(width: f64, position: (f64, f64)) -> MeasuredPlace {
        let size = BoxSize { width, height: 200.0 };
        let details = serde_json::json!({
            "boxes": {"390": [size.width, size.height]},
            "rendered": {"390": [size.width, size.height]},
            "positions": {"390": [position.0, position.1]},
            "files": {}, "painting": "cover", "position": "50% 50%", "srcset": null,
            "sizes": null, "alt": null, "lazy": false, "above_fold": false, "lcp": false,
        });
        serde_json::from_value(details).unwrap()
    }

    #[test]
    fn a_place_is_known_by_its_spot() {
        let before = measured(300.0, (16.0, 40.0));
        assert!(before.stands_as(&before));
        let near = measured(300.4, (16.3, 40.6));
        assert!(near.stands_as(&before), "parts of a pixel are none");
        assert_eq!(near.on_the_spot_of(&before), before);
        assert!(!measured(302.0, (16.0, 40.0)).stands_as(&before), "it is larger");
        assert!(!measured(300.0, (16.0, 90.0)).stands_as(&before), "it stands further down");
        let hidden = measured(0.0, (0.0, 0.0));
        assert!(!hidden.stands_as(&hidden), "what is not shown has no spot");
        let opened = |top| {
            let place = measured(300.0, (0.0, top));
            MeasuredPlace { hidden_in: Some(HiddenIn::Details), ..place }
        };
        assert!(opened(0.0).stands_as(&opened(70.0)), "it is where it is once that is open");
        assert!(!opened(0.0).stands_as(&measured(300.0, (0.0, 0.0))));
    }
}

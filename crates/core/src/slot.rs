//! Slots: the places in a site's layout that take a picture, what they need and under which budget.

use uuid::Uuid;

use crate::adjustments::Adjustments;
use crate::budget;
use crate::geometry::Size;
use crate::layout::{self, BoxSize, Boxes, Cropping};
use crate::markup::position::Holder;
use crate::needs::{self, Need};
use crate::place_kind::PlaceKind;
use crate::recognise::Signature;
use crate::slot_shape::Fit;
use crate::units::{Bytes, Density};

/// A slot, used once or often.
#[derive(Debug, Clone, PartialEq)]
pub struct Slot {
    /// Its id.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: PlaceKind,
    /// Its selector without positions; nothing for one that was typed by hand.
    pub selector: Option<String>,
    /// How a picture fills it.
    pub fit: Fit,
    /// Its boxes by layout width as they were measured, or typed for a slot by hand.
    pub measured: Boxes,
    /// Its boxes at every viewport that was looked at.
    pub looked_at: Boxes,
    /// Its boxes where they were set by hand.
    pub hand_boxes: Option<Boxes>,
    /// Who crops, where that was set by hand.
    pub cropping: Option<Cropping>,
    /// The densities it is made for.
    pub densities: Vec<Density>,
    /// Its byte budget where it was set by hand.
    pub budget: Option<Bytes>,
}

impl Slot {
    /// A slot that was recognised on a page, by its `selector` without positions, with its boxes at the
    /// layout widths and at every viewport that was looked at. What it is for names it until what is
    /// around it does.
    pub fn recognised(
        id: Uuid,
        kind: PlaceKind,
        selector: &str,
        fit: Fit,
        measured: Boxes,
        looked_at: Boxes,
    ) -> Self {
        Self {
            id,
            name: kind.name().to_owned(),
            kind,
            selector: Some(selector.to_owned()),
            fit,
            measured,
            looked_at,
            hand_boxes: None,
            cropping: None,
            densities: vec![Density::ONE, Density::REFERENCE],
            budget: None,
        }
    }

    /// A slot without a place on a page.
    pub fn by_hand(id: Uuid, name: String, kind: PlaceKind, fit: Fit, boxes: Boxes) -> Self {
        Self {
            id,
            name,
            kind,
            selector: None,
            fit,
            measured: boxes.clone(),
            looked_at: boxes,
            hand_boxes: None,
            cropping: None,
            densities: vec![Density::ONE, Density::REFERENCE],
            budget: None,
        }
    }

    /// Its boxes by layout width: those set by hand before those measured.
    pub fn boxes(&self) -> &Boxes {
        self.hand_boxes.as_ref().unwrap_or(&self.measured)
    }

    /// Its boxes at every viewport that is known of.
    pub fn rendered(&self) -> &Boxes {
        self.hand_boxes.as_ref().unwrap_or(&self.looked_at)
    }

    /// The largest of its boxes that is shown; nothing where none is.
    pub fn largest_box(&self) -> Option<BoxSize> {
        layout::largest(self.boxes().values().copied())
    }

    /// The shape of its largest box, which its files get: width over height, 1 where it is not shown.
    pub fn aspect(&self) -> f64 {
        self.largest_box().map_or(1.0, BoxSize::aspect)
    }

    /// What holds its pictures.
    pub const fn holder(&self) -> Holder {
        match self.kind {
            PlaceKind::Background => Holder::Background,
            _ => Holder::Element,
        }
    }

    /// The selector of what holds its pictures; a name to be replaced where none is known.
    pub fn selector_or_default(&self) -> &str {
        let default = match self.holder() {
            Holder::Background => ".background",
            Holder::Element => "img",
        };
        self.selector.as_deref().unwrap_or(default)
    }

    /// Device pixels at each layout width and density.
    pub fn needs(&self) -> Vec<Need> {
        needs::needs(self.boxes(), self.fit, self.aspect(), &self.densities)
    }

    /// Its budget: set by hand, or by its largest need.
    pub fn budget(&self) -> Bytes {
        self.budget.unwrap_or_else(|| {
            let most = self.needs().into_iter().map(|need| need.pixels).max_by_key(|p| p.pixels());
            budget::default_budget(most.unwrap_or(Size::new(1, 1)))
        })
    }

    /// Who crops its picture with these adjustments, and why it is not who the shape of the boxes
    /// says.
    pub fn who_crops(&self, adjustments: &Adjustments) -> (Cropping, Option<CroppingReason>) {
        let default = self.cropping.unwrap_or_else(|| Cropping::of(self.boxes(), self.fit));
        if default != Cropping::Browser {
            return (default, None);
        }
        let is_shown =
            |viewport: &u32| self.boxes().get(viewport).is_some_and(|size| size.is_shown());
        // What is smaller than the largest part of its shape cannot be said by a position alone.
        if adjustments.crops.get(&self.id).is_some_and(|crops| crops.keys().any(is_shown)) {
            return (Cropping::ArtDirection, Some(CroppingReason::FramedByHand));
        }
        if adjustments.edits.has_frame() {
            return (Cropping::ArtDirection, Some(CroppingReason::FrameEdit));
        }
        (default, None)
    }

    /// What it is known by among the places of pages; nothing for one that was typed by hand.
    pub fn signature(&self) -> Option<Signature> {
        let selector = self.selector.clone()?;
        Some(Signature { selector, kind: self.kind, boxes: self.measured.clone() })
    }
}

/// Why each shape gets a file of its own although one could do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CroppingReason {
    /// A layout width is framed by hand.
    FramedByHand,
    /// An edit depends on the frame.
    FrameEdit,
}

impl CroppingReason {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::FramedByHand => "a layout width is framed by hand",
            Self::FrameEdit => "an edit depends on the frame",
        }
    }
}

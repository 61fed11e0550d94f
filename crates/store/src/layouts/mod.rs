//! Layouts: measured pages, the slots recognised on them, and where those occur.

mod pages;
mod size_sets;
mod slots;

use std::collections::BTreeMap;

use brisk_margin_core::layout::{Boxes, Cropping};
use brisk_margin_core::recognise::Signature;
use brisk_margin_core::slot::Fit;
use brisk_margin_core::state::Painting;
use brisk_margin_core::units::{Bytes, Density};
use chrono::{DateTime, Utc};
use sea_orm::ActiveValue::Set;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::StoreError;
use crate::entities::{occurrence, page, slot};
pub use size_sets::NamedSizes;

/// A page that was measured.
#[derive(Debug, Clone, PartialEq)]
pub struct Page {
    /// Its number.
    pub id: Uuid,
    /// Its address.
    pub address: String,
    /// Its title.
    pub title: String,
    /// Its height in CSS px, by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Viewport widths at which its style sheets change.
    pub breakpoints: Vec<u32>,
    /// When.
    pub measured_at: DateTime<Utc>,
}

/// A slot, used once or often.
#[derive(Debug, Clone, PartialEq)]
pub struct SlotRow {
    /// Its number.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: String,
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

impl SlotRow {
    /// Its boxes by layout width: those set by hand before those measured.
    pub fn boxes(&self) -> &Boxes {
        self.hand_boxes.as_ref().unwrap_or(&self.measured)
    }

    /// Its boxes at every viewport that is known of.
    pub fn rendered(&self) -> &Boxes {
        self.hand_boxes.as_ref().unwrap_or(&self.looked_at)
    }
}

/// A file that a page serves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Served {
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
pub struct Details {
    /// Its boxes by layout width.
    pub boxes: Boxes,
    /// Its boxes at every viewport that was looked at.
    pub rendered: Boxes,
    /// Where it stands on the page, by layout width, in CSS px from the left and the top.
    pub positions: BTreeMap<u32, (f64, f64)>,
    /// The file at each layout width and density.
    pub files: BTreeMap<u32, BTreeMap<String, Served>>,
    /// How the file is put into the box.
    pub painting: Painting,
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
}

/// A slot on a page.
#[derive(Debug, Clone, PartialEq)]
pub struct Occurrence {
    /// Its number.
    pub id: Uuid,
    /// Its slot.
    pub slot_id: Uuid,
    /// Its page.
    pub page_id: Uuid,
    /// Finds it on the page.
    pub selector: String,
    /// Whether it was joined to no slot although one is alike in the markup.
    pub doubtful: bool,
    /// What was measured.
    pub details: Details,
    /// The picture placed in it.
    pub picture_id: Option<Uuid>,
}

/// A page about to be kept.
pub struct NewPage {
    /// Its address.
    pub address: String,
    /// Its title.
    pub title: String,
    /// Its height by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Where its style sheets change.
    pub breakpoints: Vec<u32>,
    /// What shows pictures on it.
    pub places: Vec<NewPlace>,
}

/// A place on it.
pub struct NewPlace {
    /// Finds it alone.
    pub selector: String,
    /// The same without positions.
    pub loose: String,
    /// What it is for.
    pub kind: String,
    /// What was measured.
    pub details: Details,
}

/// What measuring again changed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Changes {
    /// Places that were not there before.
    pub new: usize,
    /// Places whose boxes or files changed.
    pub changed: usize,
    /// Places that are not there any more.
    pub gone: usize,
}

/// What may be set by hand about a slot; nothing leaves it as it is.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SlotEdit {
    /// Its name.
    pub name: Option<String>,
    /// Its fit.
    pub fit: Option<Fit>,
    /// Its budget; an empty one goes back to the default.
    pub budget: Option<Option<Bytes>>,
    /// Its densities.
    pub densities: Option<Vec<Density>>,
    /// Who crops; an empty one goes back to the default.
    pub cropping: Option<Option<Cropping>>,
}

/// A slot about to be typed by hand.
#[derive(Debug, Clone, PartialEq)]
pub struct NewSlot {
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: String,
    /// How a picture fills it.
    pub fit: Fit,
    /// Its boxes by layout width.
    pub boxes: Boxes,
    /// Its byte budget; nothing for the default.
    pub budget: Option<Bytes>,
}

pub(crate) fn json(value: &impl Serialize) -> serde_json::Value {
    serde_json::to_value(value).expect("plain values")
}

pub(crate) fn read<T: for<'a> Deserialize<'a>>(value: serde_json::Value) -> Result<T, StoreError> {
    serde_json::from_value(value).map_err(|error| StoreError::Corrupt(error.to_string()))
}

impl SlotRow {
    fn signature(&self) -> Option<Signature> {
        let selector = self.selector.clone()?;
        Some(Signature { selector, kind: self.kind.clone(), boxes: self.measured.clone() })
    }

    fn active(&self) -> slot::ActiveModel {
        slot::ActiveModel {
            id: Set(self.id),
            name: Set(self.name.clone()),
            kind: Set(self.kind.clone()),
            selector: Set(self.selector.clone()),
            fit: Set(self.fit.name().to_owned()),
            boxes: Set(json(&self.measured)),
            rendered: Set(json(&self.looked_at)),
            hand_boxes: Set(self.hand_boxes.as_ref().map(json)),
            cropping: Set(self.cropping.map(|cropping| cropping.name().to_owned())),
            densities: Set(json(&self.densities)),
            budget: Set(self.budget.map(|bytes| bytes.get() as i64)),
            created_at: Set(Utc::now()),
        }
    }
}

impl TryFrom<slot::Model> for SlotRow {
    type Error = StoreError;

    fn try_from(row: slot::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            name: row.name,
            kind: row.kind,
            selector: row.selector,
            fit: row
                .fit
                .parse()
                .map_err(|_| StoreError::Corrupt(format!("the fit {}", row.fit)))?,
            measured: read(row.boxes)?,
            looked_at: read(row.rendered)?,
            hand_boxes: row.hand_boxes.map(read).transpose()?,
            // A way of cropping that this version does not know is one that was not chosen.
            cropping: row.cropping.and_then(|name| {
                Cropping::ALL.into_iter().find(|cropping| cropping.name() == name)
            }),
            densities: read(row.densities)?,
            budget: row.budget.map(|bytes| Bytes(bytes.unsigned_abs())),
        })
    }
}

impl TryFrom<page::Model> for Page {
    type Error = StoreError;

    fn try_from(row: page::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            address: row.address,
            title: row.title,
            heights: read(row.heights)?,
            breakpoints: read(row.breakpoints)?,
            measured_at: row.measured_at,
        })
    }
}

impl TryFrom<occurrence::Model> for Occurrence {
    type Error = StoreError;

    fn try_from(row: occurrence::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            slot_id: row.slot_id,
            page_id: row.page_id,
            selector: row.selector,
            doubtful: row.doubtful,
            details: read(row.details)?,
            picture_id: row.picture_id,
        })
    }
}

//! Layouts: measured pages, the slots recognised on them, and where those occur.

mod names;
mod pages;
mod size_sets;
mod slots;
mod summaries;

use brisk_margin_core::load::PageRequests;
use brisk_margin_core::markup::picture::Loading;
use brisk_margin_core::place::MeasuredPlace;
use brisk_margin_core::place::Place;
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::shown_by::FixedPicture;
use brisk_margin_core::slot::Slot;
use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::layout::{Boxes, Cropping};
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_core::units::{Bytes, Density};
use chrono::{DateTime, Utc};
use sea_orm::ActiveValue::{NotSet, Set};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::StoreError;
use crate::entities::{page, place, slot};
pub use size_sets::NamedSizes;
pub use summaries::StaleLayouts;

/// A page that was measured.
#[derive(Debug, Clone, PartialEq)]
pub struct Page {
    /// Its number.
    pub id: Uuid,
    /// Its address.
    pub address: String,
    /// Its title.
    pub title: String,
    /// What it is called: what tells it apart from the others.
    pub name: String,
    /// Its height in CSS px, by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Viewport widths at which its style sheets change.
    pub breakpoints: Vec<u32>,
    /// When.
    pub measured_at: DateTime<Utc>,
}

/// Which places are asked for; without anything, all.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct PlaceFilter {
    /// Only those on this page.
    pub page: Option<Uuid>,
    /// Only those of this slot.
    pub slot: Option<Uuid>,
    /// Only those that are alike to another slot and laid out differently, or only the others.
    pub uncertain: Option<bool>,
}

/// What the places of a slot have in common.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlotUses {
    /// Viewport widths at which the style sheets of its pages change.
    pub breakpoints: BTreeSet<u32>,
    /// When its picture is loaded: as early as the most urgent of them asks.
    pub loading: Loading,
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
    /// Pictures on it that cannot be replaced.
    pub fixed: Vec<FixedPicture>,
    /// What it transfers, by layout width.
    pub requests: BTreeMap<u32, PageRequests>,
}

/// A place on it.
pub struct NewPlace {
    /// Finds it alone.
    pub selector: String,
    /// The same without positions.
    pub loose: String,
    /// What it is for.
    pub kind: PlaceKind,
    /// What was measured.
    pub details: MeasuredPlace,
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
    /// Whether the page weighs more than before at a layout width.
    pub is_heavier: bool,
}

/// What may be set by hand about a slot; nothing leaves it as it is.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SlotEdit {
    /// Its name; an empty one goes back to what is around it.
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
    pub kind: PlaceKind,
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

/// Who gave a slot its name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Named {
    /// Somebody.
    ByHand,
    /// What is around its places.
    BySurroundings,
}

/// A slot as a row; what its name is taken from is noted beside it.
fn row_of(slot: &Slot, named: Named) -> slot::ActiveModel {
    slot::ActiveModel {
        id: Set(slot.id),
        name: Set(slot.name.clone()),
        named_by_hand: Set(named == Named::ByHand),
        kind: Set(slot.kind.name().to_owned()),
        selector: Set(slot.selector.clone()),
        fit: Set(slot.fit.name().to_owned()),
        boxes: Set(json(&slot.measured)),
        rendered: Set(json(&slot.looked_at)),
        hand_boxes: Set(slot.hand_boxes.as_ref().map(json)),
        cropping: Set(slot.cropping.map(|cropping| cropping.name().to_owned())),
        densities: Set(json(&slot.densities)),
        budget: Set(slot.budget.map(|bytes| bytes.get() as i64)),
        created_at: Set(Utc::now()),
        summary: NotSet,
    }
}

impl TryFrom<slot::Model> for Slot {
    type Error = StoreError;

    fn try_from(row: slot::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            name: row.name,
            // A kind that this version does not know is the plainest one.
            kind: PlaceKind::named(&row.kind).unwrap_or(PlaceKind::Text),
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
            name: row.name,
            heights: read(row.heights)?,
            breakpoints: read(row.breakpoints)?,
            measured_at: row.measured_at,
        })
    }
}

impl TryFrom<place::Model> for Place {
    type Error = StoreError;

    fn try_from(row: place::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            slot_id: row.slot_id,
            page_id: row.page_id,
            selector: row.selector,
            uncertain: row.uncertain,
            details: read(row.details)?,
            picture_id: row.picture_id,
        })
    }
}

//! Adjustments: how a picture is framed and edited, wherever it is shown.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::edits::EditList;
use crate::edits::canvas::HandCrop;
use crate::edits::plan::CropSpec;
use crate::framing::{FocalPoint, KeepArea};

/// Crops made by hand, by slot and layout width.
pub type Crops = BTreeMap<Uuid, BTreeMap<u32, HandCrop>>;

/// How a picture is framed and edited.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Adjustments {
    /// Where its subject is.
    pub focal: FocalPoint,
    /// What no framing may cut.
    #[serde(default, alias = "keep")]
    pub keep_area: Option<KeepArea>,
    /// Crops made by hand, by slot and layout width.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = BTreeMap<String, BTreeMap<String, HandCrop>>))]
    pub crops: Crops,
    /// Its edits.
    #[serde(default, alias = "finish")]
    pub edits: EditList,
}

impl Adjustments {
    /// The original as it is, around `focal`.
    pub fn plain(focal: FocalPoint) -> Self {
        Self { focal, keep_area: None, crops: Crops::new(), edits: EditList::default() }
    }

    /// What a framing goes by, for a slot at a layout width or for none.
    pub fn crop_spec(&self, place: Option<(Uuid, u32)>) -> CropSpec {
        let by_hand = place.and_then(|(slot, viewport)| self.crops.get(&slot)?.get(&viewport));
        CropSpec { focal: self.focal, keep: self.keep_area, by_hand: by_hand.copied() }
    }
}

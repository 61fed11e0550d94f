//! What decides a file's pixels besides its picture.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::cache_key::CacheKey;
use crate::colour_space::ColourSpace;
use crate::edits::canvas::{Canvas, CanvasError};
use crate::edits::plan::{CropSpec, Plan};
use crate::edits::{Edit, EditList};
use crate::fitting::{Fitting, TooSmall};
use crate::framing::FocalPoint;
use crate::geometry::{Rect, Size};
use crate::slot_shape::SlotShape;
use crate::units::Density;

/// Changes when text is set another way, so that older pixels with text on them are made anew.
const TEXT_GENERATION: u16 = 2;

/// What decides a file's pixels besides its picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RenderSpec {
    /// The slot it fills.
    pub slot: SlotShape,
    /// At which density.
    pub density: Density,
    /// What the framing goes by.
    #[serde(flatten)]
    pub aim: CropSpec,
    /// The edits in use; called as older versions wrote them, since keys are made of it.
    #[serde(rename = "finish", default, skip_serializing_if = "EditList::is_plain")]
    pub edits: EditList,
    /// The colours of its pixels.
    #[serde(default, skip_serializing_if = "ColourSpace::is_srgb")]
    pub colours: ColourSpace,
}

impl RenderSpec {
    /// The framing for `slot` at `density` by `aim`, with the edits of `edits`. What a fit does not
    /// look at is forgotten, so that the same pixels have the same key.
    pub fn new(slot: SlotShape, density: Density, aim: CropSpec, edits: &EditList) -> Self {
        let aim = match aim.by_hand {
            Some(_) => CropSpec { by_hand: aim.by_hand, ..CropSpec::at(FocalPoint::CENTRE) },
            None if slot.fit().crops() => aim,
            None => CropSpec::at(FocalPoint::CENTRE),
        };
        Self { slot, density, aim, edits: edits.in_use(), colours: ColourSpace::Srgb }
    }

    /// The same in `colours`. Edits are done in sRGB, and what is edited stays there.
    #[must_use]
    pub fn in_colours(mut self, colours: ColourSpace) -> Self {
        self.colours = if self.edits.is_plain() { colours } else { ColourSpace::Srgb };
        self
    }

    /// A picture of upright size `source` framed so.
    ///
    /// # Errors
    /// [`RenderSpecError`] where its edits leave nothing of it, or an exact slot asks for more than there
    /// is.
    pub fn plan(&self, source: Size) -> Result<(Canvas, Plan), RenderSpecError> {
        let canvas = Canvas::new(source, &self.edits)?;
        let plan = Plan::new(&canvas, &self.edits, self.slot, self.density, &self.aim)?;
        Ok((canvas, plan))
    }

    /// What is cut, scaled and short, also where an exact slot is refused; nothing where the edits
    /// leave nothing.
    pub fn fitting(&self, source: Size) -> Option<Fitting> {
        match self.plan(source) {
            Ok((_, plan)) => Some(plan.fitting),
            Err(RenderSpecError::TooSmall(TooSmall(fitting))) => Some(fitting),
            Err(RenderSpecError::Canvas(_)) => None,
        }
    }

    /// The same, or at the density at which the file's long side is at `ceiling` pixels where it would
    /// be longer.
    #[must_use]
    pub fn below_ceiling(mut self, source: Size, ceiling: u32) -> Self {
        if let Some(fitting) = self.fitting(source) {
            let long = fitting.output.width.max(fitting.output.height);
            let density = self.density.get() * f64::from(ceiling) / f64::from(long);
            if long > ceiling
                && let Ok(density) = Density::new(density)
            {
                self.density = density;
            }
        }
        self
    }

    /// Whether they are exactly those of an original of upright size `source`, which `fitting` fills.
    pub fn is_untouched(&self, source: Size, fitting: &Fitting) -> bool {
        self.edits.is_plain() && fitting.output == source && fitting.crop == Rect::whole(source)
    }

    /// The key of these pixels among those of a picture.
    pub fn cache_key(&self) -> CacheKey {
        match self.text_generation() {
            None => CacheKey::of(self),
            Some(generation) => CacheKey::versioned(generation, self),
        }
    }

    /// Which generation of setting text its pixels are of; nothing where they have no text.
    pub(crate) fn text_generation(&self) -> Option<u16> {
        let has_text = self.edits.edits().any(|edit| matches!(edit, Edit::Text(_)));
        has_text.then_some(TEXT_GENERATION)
    }
}

/// Why a picture cannot be framed.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum RenderSpecError {
    /// Its edits leave nothing of it.
    #[error(transparent)]
    Canvas(#[from] CanvasError),
    /// An exact slot asks for more pixels than there are.
    #[error(transparent)]
    TooSmall(#[from] TooSmall),
}

//! Slots: the places in a layout that take a picture.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::geometry::Size;
use crate::object_fit::ObjectFit;
use crate::units::{CssPx, UnitError};

/// The longest side of a slot, in CSS pixels.
pub const MAX_SIDE: f64 = 20_000.0;

/// How a picture fills its slot.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Fit {
    /// Fill the box and cut the rest.
    Cover,
    /// All of the picture inside the box.
    Contain,
    /// The box's width is fixed, the height follows the picture.
    Width,
    /// As cover, and the file has exactly the box's pixels times the density.
    Exact,
}

impl Fit {
    /// Every fit, in the order they are offered.
    pub const ALL: [Self; 4] = [Self::Cover, Self::Contain, Self::Width, Self::Exact];

    /// Its name in the API, in files and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Cover => "cover",
            Self::Contain => "contain",
            Self::Width => "width",
            Self::Exact => "exact",
        }
    }

    /// Whether it cuts the picture to the box's shape.
    pub const fn crops(self) -> bool {
        matches!(self, Self::Cover | Self::Exact)
    }
}

impl From<ObjectFit> for Fit {
    /// How a picture fills a place that a page shows so. Where the box takes the file's shape, its width
    /// is what counts.
    fn from(painting: ObjectFit) -> Self {
        match painting {
            ObjectFit::Cover => Self::Cover,
            ObjectFit::Contain => Self::Contain,
            ObjectFit::Fill | ObjectFit::Natural => Self::Width,
        }
    }
}

impl std::str::FromStr for Fit {
    type Err = SlotError;

    fn from_str(text: &str) -> Result<Self, SlotError> {
        Self::ALL
            .into_iter()
            .find(|fit| fit.name() == text)
            .ok_or_else(|| SlotError::UnknownFit(text.to_owned()))
    }
}

/// A place in the layout: its box in CSS pixels and how a picture fills it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "SlotSpec")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SlotShape {
    width: CssPx,
    height: CssPx,
    fit: Fit,
}

impl SlotShape {
    /// A slot of `width` × `height` CSS pixels, each above 0 and at most [`MAX_SIDE`].
    pub fn new(width: f64, height: f64, fit: Fit) -> Result<Self, SlotError> {
        Ok(Self { width: side("width", width)?, height: side("height", height)?, fit })
    }

    /// The box's width.
    pub const fn width(self) -> CssPx {
        self.width
    }

    /// The box's height; with [`Fit::Width`] it only names the slot.
    pub const fn height(self) -> CssPx {
        self.height
    }

    /// How a picture fills the box.
    pub const fn fit(self) -> Fit {
        self.fit
    }

    /// The box's width over its height.
    pub fn aspect(self) -> f64 {
        self.width.get() / self.height.get()
    }
}

fn side(name: &'static str, value: f64) -> Result<CssPx, SlotError> {
    if value > MAX_SIDE {
        return Err(SlotError::TooLarge { name, value });
    }
    CssPx::new(value).map_err(|source| SlotError::NotPositive { name, source })
}

/// A size without a slot: the whole picture in proportion.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "by", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Resize {
    /// So many pixels across.
    Width {
        /// Pixels.
        px: f64,
    },
    /// So many pixels down.
    Height {
        /// Pixels.
        px: f64,
    },
    /// So many pixels along its longer side.
    LongSide {
        /// Pixels.
        px: f64,
    },
    /// A share of what it has.
    Percent {
        /// Of each side.
        percent: f64,
    },
}

impl Resize {
    /// The slot that gives a picture of size `picture` this size at density 1.
    ///
    /// # Errors
    /// [`SlotError`] where a side would be nothing, or longer than any layout.
    pub fn slot(self, picture: Size) -> Result<SlotShape, SlotError> {
        let (across, down) = (f64::from(picture.width), f64::from(picture.height));
        let width = match self {
            Self::Width { px } => px,
            Self::Height { px } => px * across / down,
            Self::LongSide { px } => px * across / across.max(down),
            Self::Percent { percent } => across * percent / 100.0,
        };
        SlotShape::new(width, width * down / across, Fit::Width)
    }
}

/// The unchecked form that comes in from outside.
#[derive(Deserialize)]
struct SlotSpec {
    width: f64,
    height: f64,
    fit: Fit,
}

impl TryFrom<SlotSpec> for SlotShape {
    type Error = SlotError;

    fn try_from(spec: SlotSpec) -> Result<Self, SlotError> {
        Self::new(spec.width, spec.height, spec.fit)
    }
}

/// Why a slot was refused.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum SlotError {
    /// A side that is zero, negative or not a number.
    #[error("the slot's {name} is not usable: {source}")]
    NotPositive {
        /// Which side.
        name: &'static str,
        /// What is wrong with it.
        source: UnitError,
    },
    /// A side no layout has.
    #[error("the slot's {name} of {value} CSS px is too large: at most {MAX_SIDE} CSS px")]
    TooLarge {
        /// Which side.
        name: &'static str,
        /// The value that was given.
        value: f64,
    },
    /// A word that names no fit.
    #[error("“{0}” is not a fit: use cover, contain, width or exact")]
    UnknownFit(String),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_slot_of_nothing_or_of_a_hundred_thousand_is_refused_by_name() {
        let none = SlotShape::new(912.0, 0.0, Fit::Cover).unwrap_err().to_string();
        assert!(none.contains("height") && none.contains("above 0"), "{none}");
        let huge = SlotShape::new(100_000.0, 344.0, Fit::Cover).unwrap_err().to_string();
        assert!(huge.contains("width") && huge.contains("100000"), "{huge}");
        assert!(SlotShape::new(f64::NAN, 10.0, Fit::Cover).is_err());
    }

    #[test]
    fn a_size_without_a_slot_keeps_the_proportion() {
        let of = |resize: Resize| resize.slot(Size::new(1_600, 1_000)).unwrap();
        for (resize, width, height) in [
            (Resize::Width { px: 800.0 }, 800.0, 500.0),
            (Resize::Height { px: 500.0 }, 800.0, 500.0),
            (Resize::LongSide { px: 400.0 }, 400.0, 250.0),
            (Resize::Percent { percent: 25.0 }, 400.0, 250.0),
        ] {
            let slot = of(resize);
            assert_eq!((slot.width().get(), slot.height().get()), (width, height), "{resize:?}");
        }
        let tall = Resize::LongSide { px: 400.0 }.slot(Size::new(1_000, 1_600)).unwrap();
        assert_eq!((tall.width().get(), tall.height().get()), (250.0, 400.0));
        assert!(Resize::Percent { percent: -5.0 }.slot(Size::new(9, 9)).is_err());
    }

    #[test]
    fn the_check_holds_for_slots_read_from_json() {
        let read = |text: &str| serde_json::from_str::<SlotShape>(text);
        assert!(read(r#"{"width":912,"height":344,"fit":"exact"}"#).is_ok());
        assert!(read(r#"{"width":-1,"height":344,"fit":"exact"}"#).is_err());
        assert!(read(r#"{"width":912,"height":344,"fit":"squash"}"#).is_err());
    }
}

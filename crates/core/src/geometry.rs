//! Sizes and rectangles in whole picture pixels.

use serde::{Deserialize, Serialize};

/// Width and height in pixels, both at least 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Size {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

impl Size {
    /// A size of `width` × `height` pixels.
    pub const fn new(width: u32, height: u32) -> Self {
        Self { width, height }
    }

    /// Width over height.
    pub fn aspect(self) -> f64 {
        f64::from(self.width) / f64::from(self.height)
    }

    /// How many pixels it holds.
    pub const fn pixels(self) -> u64 {
        self.width as u64 * self.height as u64
    }

    /// Width and height swapped, as by a quarter turn.
    pub const fn turned(self) -> Self {
        Self::new(self.height, self.width)
    }
}

impl std::fmt::Display for Size {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} × {} px", self.width, self.height)
    }
}

/// A rectangle of whole pixels, its origin at the top left of the picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Rect {
    /// Pixels from the left edge.
    pub x: u32,
    /// Pixels from the top edge.
    pub y: u32,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

impl Rect {
    /// The whole of a picture of that size.
    pub const fn whole(size: Size) -> Self {
        Self { x: 0, y: 0, width: size.width, height: size.height }
    }

    /// Its width and height.
    pub const fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    /// Whether it lies wholly inside a picture of that size.
    pub fn is_inside(self, size: Size) -> bool {
        u64::from(self.x) + u64::from(self.width) <= u64::from(size.width)
            && u64::from(self.y) + u64::from(self.height) <= u64::from(size.height)
    }
}

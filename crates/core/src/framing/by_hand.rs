//! Parts drawn or typed by hand.

use serde::{Deserialize, Serialize};

use super::{FocalPoint, cover};
use crate::geometry::{Rect, Size};

/// What stays as it is while a part is drawn by hand.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Holding {
    /// Its size: it is moved as a whole.
    Size,
    /// Its upper left corner.
    #[default]
    TopLeft,
    /// Its upper right corner.
    TopRight,
    /// Its lower left corner.
    BottomLeft,
    /// Its lower right corner.
    BottomRight,
}

/// A part of `source` that was drawn or typed by hand, brought inside and to shape `aspect`;
/// nothing where it has no pixel.
///
/// One that is moved keeps its size where it can; of another, what lies outside is cut off. To its
/// shape it is brought by the shorter way.
pub fn drawn(source: Size, part: Rect, aspect: Option<f64>, holding: Holding) -> Option<Rect> {
    if part.width == 0 || part.height == 0 {
        return None;
    }
    let along = |start: u32, length: u32, side: u32| {
        if holding == Holding::Size {
            let length = length.min(side);
            (start.min(side - length), length)
        } else {
            let start = start.min(side - 1);
            (start, length.min(side - start))
        }
    };
    let (mut x, mut width) = along(part.x, part.width, source.width);
    let (mut y, mut height) = along(part.y, part.height, source.height);
    if let Some(aspect) = aspect {
        let size = cover(Size::new(width, height), aspect, FocalPoint::CENTRE);
        if matches!(holding, Holding::TopRight | Holding::BottomRight) {
            x += width - size.width;
        }
        if matches!(holding, Holding::BottomLeft | Holding::BottomRight) {
            y += height - size.height;
        }
        (width, height) = (size.width, size.height);
    }
    Some(Rect { x, y, width, height })
}

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
    /// Its width, which was typed: the height follows from its shape.
    Width,
    /// Its height, which was typed: the width follows from its shape.
    Height,
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
    if let (Holding::Width | Holding::Height, Some(aspect)) = (holding, aspect) {
        return Some(following(source, part, aspect, holding));
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

/// A part of which one side was typed; both become shorter where the other would not fit.
fn following(source: Size, part: Rect, aspect: f64, holding: Holding) -> Rect {
    let (width, height) = if holding == Holding::Width {
        (f64::from(part.width), f64::from(part.width) / aspect)
    } else {
        (f64::from(part.height) * aspect, f64::from(part.height))
    };
    let room = (f64::from(source.width) / width).min(f64::from(source.height) / height).min(1.0);
    let side = |length: f64, most: u32| ((length * room).round() as u32).clamp(1, most);
    let (width, height) = (side(width, source.width), side(height, source.height));
    let start = |start: u32, length: u32, side: u32| start.min(side - length);
    let (x, y) = (start(part.x, width, source.width), start(part.y, height, source.height));
    Rect { x, y, width, height }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_typed_side_is_kept_and_the_other_follows_as_far_as_there_is_room() {
        let source = Size::new(1_600, 1_200);
        let part = Rect { x: 100, y: 900, width: 800, height: 37 };
        let wide = drawn(source, part, Some(2.0), Holding::Width).unwrap();
        assert_eq!(wide, Rect { x: 100, y: 800, width: 800, height: 400 });
        let high = Rect { height: 600, ..part };
        let high = drawn(source, high, Some(2.0), Holding::Height).unwrap();
        assert_eq!(high, Rect { x: 100, y: 600, width: 1_200, height: 600 });
        let large = Rect { x: 0, y: 0, width: 1_600, height: 1 };
        let square = drawn(source, large, Some(1.0), Holding::Width).unwrap();
        assert_eq!(square.size(), Size::new(1_200, 1_200));
        let free = drawn(source, part, None, Holding::Width).unwrap();
        assert_eq!(free.size(), Size::new(800, 37));
    }
}

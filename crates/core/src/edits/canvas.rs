//! The canvas: the picture after its geometry was changed, and how points of the upright original
//! come to lie on it.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::values::Ground;
use super::{Corners, Edit, EditList};
use crate::facts::MAX_PIXELS;
use crate::framing::{FocalPoint, FramingError, KeepArea};
use crate::geometry::{Rect, Size};
use crate::orientation::Orientation;

/// A picture of a given size as turned, mirrored, straightened, trimmed and extended.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Canvas {
    /// The upright original.
    source: Size,
    /// From the upright original to the picture as turned and mirrored.
    turned: Orientation,
    /// Clockwise.
    radians: f64,
    /// What fills the corners that straightening leaves empty.
    corners: Ground,
    /// The picture as straightened, before it is trimmed and extended.
    straight: Size,
    /// Where the canvas begins on that.
    left: i64,
    top: i64,
    /// What fills the pixels that were added.
    ground: Ground,
    size: Size,
    /// Whether a pixel of it may lie outside the original.
    reaches_out: bool,
    /// Whether such a pixel is transparent.
    is_clear: bool,
}

/// A canvas that cannot be.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum CanvasError {
    /// More is cut off than there is.
    #[error(
        "the canvas edit cuts off more than there is: the picture has {size} there, and {width} × \
         {height} px would be left; cut off less"
    )]
    Nothing {
        /// The picture as turned and straightened.
        size: Size,
        /// What would be left.
        width: i64,
        /// What would be left.
        height: i64,
    },
    /// More pixels than a picture may have.
    #[error(
        "the canvas would have {0}, {mp} megapixels; at most {limit} are taken: add less",
        mp = .0.pixels() / 1_000_000,
        limit = MAX_PIXELS / 1_000_000
    )]
    TooLarge(Size),
}

/// A crop made by hand, in coordinates of the upright original, so that it stays on its subject
/// when the picture is turned, mirrored or straightened.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct HandCrop {
    /// Pixels from the left edge to its middle.
    x: f64,
    /// Pixels from the top edge to its middle.
    y: f64,
    /// Pixels across.
    width: u32,
    /// Pixels down.
    height: u32,
}

impl Canvas {
    /// A picture of upright size `source` as the geometry in `edits` changes it.
    ///
    /// # Errors
    /// [`CanvasError`] where nothing would be left, or too much.
    pub fn new(source: Size, edits: &EditList) -> Result<Self, CanvasError> {
        let mut canvas = Self::plain(source);
        for edit in edits.edits() {
            match *edit {
                Edit::Turn { quarters } => canvas.turn(Orientation::new(false, quarters)),
                Edit::Flip { across, down } => {
                    if across {
                        canvas.turn(Orientation::new(true, 0));
                    }
                    if down {
                        canvas.turn(Orientation::new(true, 2));
                    }
                }
                Edit::Straighten { degrees, corners } => canvas.straighten(degrees, corners),
                Edit::Canvas { left, top, right, bottom, ground } => {
                    canvas.resize([left, top, right, bottom], ground)?;
                }
                _ => {}
            }
        }
        Ok(canvas)
    }

    /// What fills the corners that straightening leaves empty.
    pub const fn corners(&self) -> Ground {
        self.corners
    }

    /// What fills the pixels that were added.
    pub const fn ground(&self) -> Ground {
        self.ground
    }

    /// Whether a pixel of it may lie outside the original.
    pub const fn reaches_out(&self) -> bool {
        self.reaches_out
    }

    /// Whether a pixel of it may be transparent since it lies outside the original.
    pub const fn is_clear(&self) -> bool {
        self.is_clear
    }

    /// The picture as it is.
    pub const fn plain(source: Size) -> Self {
        Self {
            source,
            turned: Orientation::UPRIGHT,
            radians: 0.0,
            corners: Ground::TRANSPARENT,
            straight: source,
            left: 0,
            top: 0,
            ground: Ground::TRANSPARENT,
            size: source,
            reaches_out: false,
            is_clear: false,
        }
    }

    fn turn(&mut self, by: Orientation) {
        self.turned = self.turned.then(by);
        self.straight = self.turned.apply(self.source);
        self.size = self.straight;
    }

    fn straighten(&mut self, degrees: f64, corners: Corners) {
        self.radians = degrees.to_radians();
        let (sin, cos) = (self.radians.sin().abs(), self.radians.cos().abs());
        let (w, h) = (f64::from(self.straight.width), f64::from(self.straight.height));
        let whole = |length: f64| (length.max(1.0)) as u32;
        self.straight = match corners {
            Corners::Cut => {
                // The largest rectangle of the same shape whose corners lie inside the turned one.
                let factor = (w / (w * cos + h * sin)).min(h / (w * sin + h * cos));
                Size::new(whole((w * factor).floor()), whole((h * factor).floor()))
            }
            Corners::Fill(ground) => {
                self.corners = ground;
                self.reaches_out = degrees != 0.0;
                self.is_clear = self.reaches_out && ground == Ground::TRANSPARENT;
                let forgiving = |length: f64| whole((length - 1e-6).ceil());
                Size::new(forgiving(w * cos + h * sin), forgiving(w * sin + h * cos))
            }
        };
        self.size = self.straight;
    }

    fn resize(&mut self, sides: [i32; 4], ground: Ground) -> Result<(), CanvasError> {
        let [left, top, right, bottom] = sides.map(i64::from);
        let (width, height) = (
            i64::from(self.straight.width) + left + right,
            i64::from(self.straight.height) + top + bottom,
        );
        let overlaps =
            |begin: i64, length: i64, side: u32| begin < i64::from(side) && begin + length > 0;
        if width < 1
            || height < 1
            || !overlaps(-left, width, self.straight.width)
            || !overlaps(-top, height, self.straight.height)
        {
            return Err(CanvasError::Nothing { size: self.straight, width, height });
        }
        let size = Size::new(width as u32, height as u32);
        if size.pixels() > MAX_PIXELS {
            return Err(CanvasError::TooLarge(size));
        }
        let is_extended = [left, top, right, bottom].iter().any(|&side| side > 0);
        self.reaches_out |= is_extended;
        self.is_clear |= is_extended && ground == Ground::TRANSPARENT;
        (self.left, self.top, self.ground, self.size) = (-left, -top, ground, size);
        Ok(())
    }

    /// Its size in pixels of the original.
    pub const fn size(&self) -> Size {
        self.size
    }

    /// The upright original.
    pub const fn source(&self) -> Size {
        self.source
    }

    /// From the upright original to the picture as turned and mirrored.
    pub const fn turned(&self) -> Orientation {
        self.turned
    }

    /// Its angle, clockwise.
    pub const fn radians(&self) -> f64 {
        self.radians
    }

    /// The picture as straightened, and where the canvas begins on it.
    pub const fn straight(&self) -> (Size, i64, i64) {
        (self.straight, self.left, self.top)
    }

    /// Where a point of the canvas lies on the picture as turned, both in pixels.
    pub fn turned_at(&self, x: f64, y: f64) -> (f64, f64) {
        let turned = self.turned.apply(self.source);
        let (sin, cos) = self.radians.sin_cos();
        let dx = x + self.left as f64 - f64::from(self.straight.width) / 2.0;
        let dy = y + self.top as f64 - f64::from(self.straight.height) / 2.0;
        (
            f64::from(turned.width) / 2.0 + dx * cos + dy * sin,
            f64::from(turned.height) / 2.0 - dx * sin + dy * cos,
        )
    }

    fn canvas_at(&self, x: f64, y: f64) -> (f64, f64) {
        let turned = self.turned.apply(self.source);
        let (sin, cos) = self.radians.sin_cos();
        let dx = x - f64::from(turned.width) / 2.0;
        let dy = y - f64::from(turned.height) / 2.0;
        (
            f64::from(self.straight.width) / 2.0 + dx * cos - dy * sin - self.left as f64,
            f64::from(self.straight.height) / 2.0 + dx * sin + dy * cos - self.top as f64,
        )
    }

    /// Where a point of the upright original lies on the canvas, both in pixels; it may lie off it.
    pub fn from_source(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = self.turned.point(x, y, self.source);
        self.canvas_at(x, y)
    }

    /// Where a point of the canvas lies on the upright original.
    pub fn to_source(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = self.turned_at(x, y);
        self.turned.inverse().point(x, y, self.turned.apply(self.source))
    }

    /// The focal point on the canvas, in pixels and never off it.
    pub fn focal(&self, focal: FocalPoint) -> (f64, f64) {
        let (w, h) = (f64::from(self.source.width), f64::from(self.source.height));
        let (x, y) = self.from_source(focal.x() * w, focal.y() * h);
        (x.clamp(0.0, self.size.width.into()), y.clamp(0.0, self.size.height.into()))
    }

    /// The focal point whose place on the canvas is `x`, `y`, in pixels.
    pub fn focal_at(&self, x: f64, y: f64) -> FocalPoint {
        let (x, y) = self.to_source(x, y);
        let within = |value: f64, side: u32| (value / f64::from(side)).clamp(0.0, 1.0);
        FocalPoint::new(within(x, self.source.width), within(y, self.source.height))
            .unwrap_or(FocalPoint::CENTRE)
    }

    /// The part of the canvas that shows `keep`, in pixels: left, top, right, bottom. Nothing where
    /// it was cut off.
    pub fn keep(&self, keep: KeepArea) -> Option<[f64; 4]> {
        let (w, h) = (f64::from(self.source.width), f64::from(self.source.height));
        let [left, top, right, bottom] = keep.edges();
        let corners = [(left, top), (right, top), (right, bottom), (left, bottom)]
            .map(|(x, y)| self.from_source(x * w, y * h));
        let span = |of: fn((f64, f64)) -> f64, side: u32| {
            let least = corners.map(of).into_iter().fold(f64::INFINITY, f64::min);
            let most = corners.map(of).into_iter().fold(f64::NEG_INFINITY, f64::max);
            // Rounding of the turns must not make an area longer than it is.
            let tidy = |value: f64| {
                if (value - value.round()).abs() < 1e-6 { value.round() } else { value }
            };
            (tidy(least).max(0.0), tidy(most).min(side.into()))
        };
        let (left, right) = span(|point| point.0, self.size.width);
        let (top, bottom) = span(|point| point.1, self.size.height);
        (left < right && top < bottom).then_some([left, top, right, bottom])
    }

    /// The keep area that is `rect` on the canvas: where that is straightened, the part of the
    /// original around it.
    ///
    /// # Errors
    /// [`FramingError`] where it does not lie on the picture.
    pub fn keep_at(&self, rect: Rect) -> Result<KeepArea, FramingError> {
        let (left, top) = (f64::from(rect.x), f64::from(rect.y));
        let (right, bottom) = (left + f64::from(rect.width), top + f64::from(rect.height));
        let corners = [(left, top), (right, top), (right, bottom), (left, bottom)]
            .map(|(x, y)| self.to_source(x, y));
        let span = |of: fn((f64, f64)) -> f64, side: u32| {
            let least = corners.map(of).into_iter().fold(f64::INFINITY, f64::min);
            let most = corners.map(of).into_iter().fold(f64::NEG_INFINITY, f64::max);
            let share = |value: f64| (value / f64::from(side)).clamp(0.0, 1.0);
            (share(least), share(most))
        };
        let (x, right) = span(|point| point.0, self.source.width);
        let (y, bottom) = span(|point| point.1, self.source.height);
        KeepArea::new(x, y, right - x, bottom - y)
    }

    /// The crop made by hand on the canvas, brought inside where it lies off it.
    pub fn crop(&self, crop: HandCrop) -> Rect {
        let asked = Size::new(crop.width, crop.height);
        let asked = if self.turned.swaps_sides() { asked.turned() } else { asked };
        let (width, height) =
            (asked.width.min(self.size.width), asked.height.min(self.size.height));
        let (x, y) = self.from_source(crop.x, crop.y);
        let start = |middle: f64, length: u32, side: u32| {
            // A negative start saturates to zero.
            ((middle - f64::from(length) / 2.0).round() as u32).min(side - length)
        };
        Rect {
            x: start(x, width, self.size.width),
            y: start(y, height, self.size.height),
            width,
            height,
        }
    }

    /// The crop made by hand that is `rect` on the canvas.
    ///
    /// # Errors
    /// [`CropOutside`] where it is empty or does not lie inside.
    pub fn hand_crop(&self, rect: Rect) -> Result<HandCrop, CropOutside> {
        if rect.width == 0 || rect.height == 0 || !rect.is_inside(self.size) {
            return Err(CropOutside { crop: rect, size: self.size });
        }
        let middle = |start: u32, length: u32| f64::from(start) + f64::from(length) / 2.0;
        let (x, y) = self.to_source(middle(rect.x, rect.width), middle(rect.y, rect.height));
        let size = if self.turned.swaps_sides() { rect.size().turned() } else { rect.size() };
        Ok(HandCrop { x, y, width: size.width, height: size.height })
    }
}

/// A crop that does not lie on the picture.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[error(
    "the crop of {} at {}, {} does not lie on the picture of {size}: it must be at least 1 px wide \
     and high and end within it",
    .crop.size(), .crop.x, .crop.y
)]
pub struct CropOutside {
    /// As asked.
    pub crop: Rect,
    /// The picture with its edits.
    pub size: Size,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edits::values::Colour;
    use proptest::prelude::*;

    fn canvas(size: (u32, u32), edits: Vec<Edit>) -> Canvas {
        let edits = EditList::new(edits.into_iter().map(Into::into).collect()).unwrap();
        Canvas::new(Size::new(size.0, size.1), &edits).unwrap()
    }

    #[test]
    fn a_quarter_turn_takes_the_focal_point_along() {
        let turned = canvas((400, 300), vec![Edit::Turn { quarters: 1 }]);
        assert_eq!(turned.size(), Size::new(300, 400));
        // What was on the left is on top.
        let (x, y) = turned.focal(FocalPoint::new(0.0, 0.25).unwrap());
        assert_eq!((x, y), (225.0, 0.0));
    }

    #[test]
    fn straightening_cuts_or_keeps_the_corners() {
        let straighten =
            |corners| canvas((400, 300), vec![Edit::Straighten { degrees: 10.0, corners }]);
        let cut = straighten(Corners::Cut).size();
        assert!((cut.aspect() - 4.0 / 3.0).abs() < 0.01 && cut.width < 400, "{cut}");
        let full = straighten(Corners::Fill(Ground::of(Colour::WHITE))).size();
        assert_eq!(full, Size::new(447, 365));
    }

    #[test]
    fn sides_are_trimmed_and_extended_by_the_pixel() {
        let edit = |left, right| Edit::Canvas {
            left,
            top: 0,
            right,
            bottom: 10,
            ground: Ground::TRANSPARENT,
        };
        assert_eq!(canvas((400, 300), vec![edit(-50, 20)]).size(), Size::new(370, 310));
        let edits = EditList::new(vec![edit(-200, -200).into()]).unwrap();
        let error = Canvas::new(Size::new(400, 300), &edits).unwrap_err().to_string();
        assert!(error.contains("400 × 300 px") && error.contains("0 × 310"), "{error}");
    }

    #[test]
    fn a_crop_outside_is_refused_with_both_sizes() {
        let plain = Canvas::plain(Size::new(400, 300));
        let rect = Rect { x: 200, y: 0, width: 201, height: 10 };
        let error = plain.hand_crop(rect).unwrap_err().to_string();
        assert!(error.contains("201 × 10 px") && error.contains("400 × 300 px"), "{error}");
        assert!(plain.hand_crop(Rect { width: 0, ..rect }).is_err());
    }

    prop_compose! {
        pub(crate) fn geometry()(
            w in 1u32..3_000, h in 1u32..3_000, quarters in 0u8..4, across: bool, down: bool,
            degrees in -45.0..=45.0f64, cut: bool,
        ) -> Canvas {
            let corners = if cut { Corners::Cut } else { Corners::Fill(Ground::TRANSPARENT) };
            let mut edits = vec![Edit::Flip { across, down }, Edit::Straighten { degrees, corners }];
            if quarters > 0 {
                edits.push(Edit::Turn { quarters });
            }
            canvas((w, h), edits)
        }
    }

    proptest! {
        #[test]
        fn points_come_back_from_where_they_went(canvas in geometry(), x in 0.0..1.0f64, y in 0.0..1.0f64) {
            let (x, y) = (x * f64::from(canvas.source().width), y * f64::from(canvas.source().height));
            let (cx, cy) = canvas.from_source(x, y);
            let (bx, by) = canvas.to_source(cx, cy);
            prop_assert!((bx - x).abs() < 1e-6 && (by - y).abs() < 1e-6);
        }

        #[test]
        fn a_typed_crop_stays_what_was_typed(
            canvas in geometry(), a in 0.0..1.0f64, b in 0.0..1.0f64, c in 0.0..1.0f64, d in 0.0..1.0f64,
        ) {
            let size = canvas.size();
            let part = |share: f64, most: u32| (share * f64::from(most)) as u32;
            let (x, y) = (part(a, size.width), part(b, size.height));
            let width = part(c, size.width - x - 1) + 1;
            let height = part(d, size.height - y - 1) + 1;
            let rect = Rect { x, y, width, height };
            prop_assert_eq!(canvas.crop(canvas.hand_crop(rect).unwrap()), rect);
        }

        #[test]
        fn cut_corners_leave_only_picture(canvas in geometry()) {
            prop_assume!(!canvas.reaches_out);
            let (w, h) = (f64::from(canvas.size().width), f64::from(canvas.size().height));
            let source = (f64::from(canvas.source().width), f64::from(canvas.source().height));
            // A picture of a pixel or two cannot be cut finer than a pixel.
            prop_assume!(w > 2.0 && h > 2.0);
            for (x, y) in [(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)] {
                let (sx, sy) = canvas.to_source(x, y);
                prop_assert!(sx > -1e-6 && sy > -1e-6 && sx < source.0 + 1e-6 && sy < source.1 + 1e-6);
            }
        }
    }
}

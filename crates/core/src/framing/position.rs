//! How a browser is told which part of a file it shows.

use crate::geometry::Rect;

/// Where a browser that covers a box with a file has to hold it, so that it shows `crop`: a CSS
/// `object-position` in percent across and down (CSS Images 3, 5.5, and CSS Backgrounds 3, 3.6).
///
/// `file` is the part of the picture that the file shows. The middle where there is no choice.
pub fn object_position(file: Rect, crop: Rect) -> (f64, f64) {
    let along = |crop: u32, crop_length: u32, file: u32, file_length: u32| {
        let room = f64::from(file_length) - f64::from(crop_length);
        if room <= 0.0 {
            return 50.0;
        }
        (100.0 * (f64::from(crop) - f64::from(file)) / room).clamp(0.0, 100.0)
    };
    (along(crop.x, crop.width, file.x, file.width), along(crop.y, crop.height, file.y, file.height))
}

/// The part of `file` that a browser shows in a box of shape `aspect` when it covers the box and
/// holds the file at `position`, in pixels: left, top, width, height.
pub fn shown_at(file: Rect, aspect: f64, position: (f64, f64)) -> [f64; 4] {
    let (w, h) = (f64::from(file.width), f64::from(file.height));
    let (width, height) = if w / h > aspect { (h * aspect, h) } else { (w, w / aspect) };
    let start = |file: u32, room: f64, percent: f64| f64::from(file) + room * percent / 100.0;
    [start(file.x, w - width, position.0), start(file.y, h - height, position.1), width, height]
}

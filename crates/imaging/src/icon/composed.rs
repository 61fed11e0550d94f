//! Composing: a mark on its ground, with margin and corners.

use brisk_margin_core::icon::design::IconSetting;

use super::figure::Figure;
use super::with_alpha;
use crate::edited::edges::Outline;
use crate::edited::overlay::lay;
use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::Size;

/// How many of `side` px are left for a mark between its margins.
pub fn inner(side: u32, setting: IconSetting) -> u32 {
    let share = 1.0 - 2.0 * f64::from(setting.margin) / 100.0;
    // As many on both sides.
    let margins = ((f64::from(side) * (1.0 - share)) / 2.0).round() as u32;
    (side - 2 * margins).max(1)
}

/// `mark`, of [`inner`] px, in the middle of a square of `side` px as `setting` says; without alpha where it needs none.
pub fn composed(mark: &Raster, side: u32, setting: IconSetting) -> Raster {
    let size = Size::new(side, side);
    let pixels = setting.background.rgba().repeat(size.pixels() as usize);
    let mut whole = Raster::new(size, Channels::Rgba, pixels);
    let at = i64::from((side - mark.size().width) / 2);
    lay(&mut whole, mark, at, at);
    if setting.corner > 0 {
        let radius = f64::from(side) * f64::from(setting.corner) / 100.0;
        Outline::new(&whole, radius).cut(&mut whole);
    }
    whole.without_idle_alpha()
}

/// `icon` in one colour: black where its figure is, and transparent around.
pub fn monochrome(icon: &Raster) -> Raster {
    let icon = with_alpha(icon.clone());
    let figure = Figure::of(&icon);
    let mut made = icon;
    for (pixel, weight) in made.data_mut().chunks_exact_mut(4).zip(figure.weights()) {
        let alpha = f32::from(pixel[3]) * weight;
        pixel.copy_from_slice(&[0, 0, 0, alpha.round() as u8]);
    }
    made
}

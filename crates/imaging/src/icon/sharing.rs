//! Sharing pictures: what a link to the site shows where it is shared, of master, colour and text.

use brisk_margin_core::edits::text::{Align, Behind, Font, TextBlock, Weight};
use brisk_margin_core::edits::values::{Along, Colour, Length, Of, Spot};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::design::IconSetting;
use brisk_margin_core::icon::target::IconTarget;

use super::master::Master;
use crate::codec::CodecError;
use crate::edited::overlay::{lay, set_text};
use crate::raster::{Channels, Raster};

/// Around everything, in px.
const EDGE: u32 = 90;
/// Sizes that the name is set in, the first that fits.
const NAME_SIZES: [f64; 5] = [96.0, 80.0, 64.0, 52.0, 42.0];
const LINE_SIZES: [f64; 4] = [44.0, 38.0, 32.0, 26.0];
/// Between the mark and the text.
const GAP: u32 = 60;
/// Ink on light grounds.
const INK: Colour = Colour([29, 29, 29]);

/// The sharing picture of `master` on the ground that `setting` says, with `name` and `line` beside it where there are
/// any.
///
/// # Errors
/// [`CodecError`] where letters cannot be drawn.
pub fn sharing(
    master: &Master,
    setting: IconSetting,
    name: &str,
    line: &str,
) -> Result<Raster, CodecError> {
    let size = IconTarget::Sharing.size();
    let ground = setting.background.0.unwrap_or(Colour::WHITE);
    let mut whole = filled(size, Some(ground));
    let has_text = !name.trim().is_empty() || !line.trim().is_empty();
    let side = if has_text { size.height / 2 } else { size.height - 2 * EDGE };
    let mark = master.at(side);
    let x = if has_text { EDGE } else { (size.width - side) / 2 };
    lay(&mut whole, &mark, x.into(), ((size.height - side) / 2).into());
    if has_text {
        let left = EDGE + side + GAP;
        let width = size.width - left - EDGE;
        let half = size.height / 2;
        let ink = ink_on(ground);
        let is_alone = line.trim().is_empty();
        let (height, down) =
            if is_alone { (size.height, Along::Middle) } else { (half, Along::End) };
        let room = Size::new(width, height);
        let above = set(room, name, Weight::Bold, down, ink, &NAME_SIZES)?;
        lay(&mut whole, &above, left.into(), 0);
        if !is_alone {
            let room = Size::new(width, half - EDGE / 2);
            let below = set(room, line, Weight::Regular, Along::Start, ink, &LINE_SIZES)?;
            lay(&mut whole, &below, left.into(), half.into());
        }
    }
    Ok(whole.without_idle_alpha())
}

/// `text` in the first of `sizes` in which it fits into `room`, or the last.
fn set(
    room: Size,
    text: &str,
    weight: Weight,
    down: Along,
    colour: Colour,
    sizes: &[f64],
) -> Result<Raster, CodecError> {
    let px = |px: f64| Length { px, of: Of::Picture };
    let mut made = filled(room, None);
    for &size in sizes {
        let block = TextBlock {
            text: text.trim().to_owned(),
            font: Font::Sans,
            weight,
            size: px(size),
            colour,
            at: Spot { across: Along::Start, down, x: px(0.0), y: px(10.0) },
            align: Align::Left,
            width: 100.0,
            leading: 1.2,
            behind: Behind::Nothing,
        };
        made = filled(room, None);
        if set_text(&mut made, &block)?.is_empty() {
            break;
        }
    }
    Ok(made)
}

fn filled(size: Size, colour: Option<Colour>) -> Raster {
    let pixel = colour.map_or([0; 4], |Colour([r, g, b])| [r, g, b, 255]);
    Raster::new(size, Channels::Rgba, pixel.repeat(size.pixels() as usize))
}

/// Letters that can be read on `ground`: dark ones where it is light.
fn ink_on(Colour(ground): Colour) -> Colour {
    if super::figure::lightness(&ground) > 0.5 { INK } else { Colour::WHITE }
}

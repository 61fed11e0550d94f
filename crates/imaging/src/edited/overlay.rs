//! What lies on a picture: logos and text, and what is to be mended of them.

use std::collections::HashMap;

use serde::Serialize;

use super::edges::over;
use super::setting;
use crate::codec::{CodecError, svg};
use crate::contrast::{contrast, luminance};
use crate::raster::{Channels, Raster};
use crate::resize;
use crate::resize::Region;
use brisk_margin_core::edits::text::{Behind, TextBlock};
use brisk_margin_core::edits::values::{Colour, Length, Scales, Spot};
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::issue::{Evidence, Issue, IssuePlace};

/// The pictures that are laid on others, by the hashes of their originals.
pub type Logos = HashMap<String, Raster>;

/// How a text stands out from what lies behind it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TextContrast {
    /// The index of its edit in the list.
    pub step: usize,
    /// Where it is weakest (the weakest twentieth of its ground), 1 to 21.
    pub weakest: f64,
    /// What letters of its size need (WCAG 2.2, 1.4.3).
    pub needed: f64,
}

/// Sets `block` on `raster`, which has alpha, with lengths in its own pixels; tells what is to be mended of it.
///
/// # Errors
/// [`CodecError::Damaged`] where its letters cannot be drawn.
pub(crate) fn set_text(raster: &mut Raster, block: &TextBlock) -> Result<Vec<Issue>, CodecError> {
    let scales = Scales::PLAIN;
    let mut drawing = Drawing { raster, scales, issues: Vec::new(), contrasts: Vec::new() };
    drawing.text(0, block)?;
    Ok(drawing.issues)
}

/// Lays `above` on `raster`, which has alpha, with its left upper corner at (`x`, `y`).
pub(crate) fn lay(raster: &mut Raster, above: &Raster, x: i64, y: i64) {
    let scales = Scales::PLAIN;
    let mut drawing = Drawing { raster, scales, issues: Vec::new(), contrasts: Vec::new() };
    drawing.lay(above, x, y, 1.0);
}

/// A frame that is being drawn on.
pub(super) struct Drawing<'a> {
    pub raster: &'a mut Raster,
    pub scales: Scales,
    pub issues: Vec<Issue>,
    pub contrasts: Vec<TextContrast>,
}

impl Drawing<'_> {
    /// Where a block of that size stands, in pixels of the file.
    fn place(&self, at: Spot, width: f64, height: f64) -> (f64, f64) {
        let size = self.raster.size();
        (
            at.across.place(size.width.into(), width, self.scales.of(at.x)),
            at.down.place(size.height.into(), height, self.scales.of(at.y)),
        )
    }

    fn tell(&mut self, step: usize, evidence: Evidence) {
        self.issues.push(Issue { place: IssuePlace::Edit { step }, evidence });
    }

    fn tell_cut(&mut self, step: usize, x: f64, y: f64, width: f64, height: f64) {
        let size = self.raster.size();
        let cut = |start: f64, length: f64, side: u32| {
            let outside = (-start).max(0.0) + (start + length - f64::from(side)).max(0.0);
            // Less than half a pixel is not seen.
            if outside < 0.5 { 0 } else { outside.ceil() as u32 }
        };
        let (across, down) = (cut(x, width, size.width), cut(y, height, size.height));
        if across + down > 0 {
            self.tell(step, Evidence::CutOff { across, down });
        }
    }

    /// Lays `logo` on the frame.
    pub(super) fn logo(
        &mut self,
        step: usize,
        logo: Option<&Raster>,
        at: Spot,
        width: Length,
        opacity: f64,
    ) {
        let Some(logo) = logo else {
            self.tell(step, Evidence::LogoGone);
            return;
        };
        let width = self.scales.of(width).max(1.0);
        let height = width / logo.size().aspect();
        let (x, y) = self.place(at, width, height);
        self.tell_cut(step, x, y, width, height);
        let times = width / f64::from(logo.size().width);
        if times > 1.01 {
            self.tell(step, Evidence::LogoEnlarged { times });
        }
        // A logo far larger than the frame is not drawn at its size.
        let most = 4.0 * f64::from(self.raster.size().width.max(self.raster.size().height));
        if width > most || height > most {
            return;
        }
        let whole = |length: f64| (length.round() as u32).max(1);
        let size = Size::new(whole(width), whole(height));
        let scaled = resize::resize(logo, Region::whole(logo.size()), size);
        self.lay(&scaled, x.round() as i64, y.round() as i64, (opacity / 100.0) as f32);
    }

    /// Sets a text on the frame.
    pub(super) fn text(&mut self, step: usize, block: &TextBlock) -> Result<(), CodecError> {
        let frame = self.raster.size();
        let setting = setting::set(block, frame.width.into(), self.scales);
        if !setting.missing.is_empty() {
            let letters = setting.missing.clone();
            self.tell(step, Evidence::MissingLetters { letters });
        }
        if setting.is_empty() {
            return Ok(());
        }
        let (x, y) = self.place(block.at, setting.width, setting.height);
        self.tell_cut(step, x, y, setting.width, setting.height);
        let font = self.scales.of(block.size);
        let reach = match block.behind {
            Behind::Nothing => 2.0,
            Behind::Shadow { soft, .. } => 2.0 + 3.0 * soft * font,
            Behind::Backing { room, .. } => 2.0 + room * font,
        };
        let around =
            (x - reach, y - reach, setting.width + 2.0 * reach, setting.height + 2.0 * reach);
        let Some(part) = inside(frame, around) else {
            return Ok(());
        };
        let (left, top) = (x - f64::from(part.x), y - f64::from(part.y));
        let draw = |colour, blur| {
            let size = (part.width, part.height);
            let drawing = setting.drawing(left, top, size, colour, blur);
            svg::draw(drawing.as_bytes(), Rect::whole(part.size()), part.size())
        };
        let at = (i64::from(part.x), i64::from(part.y));
        match block.behind {
            Behind::Nothing => {}
            Behind::Shadow { colour, soft } => {
                let shadow = draw(colour, soft * font / 2.0)?;
                self.lay(&shadow, at.0, at.1, 1.0);
            }
            Behind::Backing { colour, percent, room } => {
                let room = room * font;
                let ground =
                    (x - room, y - room / 2.0, setting.width + 2.0 * room, setting.height + room);
                if let Some(ground) = inside(frame, ground) {
                    self.fill(ground, colour, (percent / 100.0) as f32);
                }
            }
        }
        if let Some(lines) = inside(frame, (x, y, setting.width, setting.height)) {
            let weakest = weakest_contrast(self.raster, lines, block.colour);
            let needed = block.needed_contrast(self.scales);
            if weakest < needed {
                self.tell(step, Evidence::LowContrast { weakest, needed });
            }
            self.contrasts.push(TextContrast { step, weakest, needed });
        }
        let letters = draw(block.colour, 0.0)?;
        self.lay(&letters, at.0, at.1, 1.0);
        Ok(())
    }

    fn fill(&mut self, part: Rect, colour: Colour, share: f32) {
        let stride = self.raster.stride();
        for row in self
            .raster
            .data_mut()
            .chunks_exact_mut(stride)
            .skip(part.y as usize)
            .take(part.height as usize)
        {
            let from = part.x as usize * 4;
            for pixel in row[from..from + part.width as usize * 4].chunks_exact_mut(4) {
                over(pixel, colour.0, share);
            }
        }
    }

    /// Lays `above` on the frame from `x`, `y` on; what reaches over is left out.
    fn lay(&mut self, above: &Raster, x: i64, y: i64, share: f32) {
        let (size, stride) = (self.raster.size(), self.raster.stride());
        let each = above.channels().count();
        for (row, pixels) in above.data().chunks_exact(above.stride()).enumerate() {
            let Ok(to) = u32::try_from(y + row as i64) else { continue };
            if to >= size.height {
                break;
            }
            for (column, pixel) in pixels.chunks_exact(each).enumerate() {
                let Ok(at) = u32::try_from(x + column as i64) else { continue };
                if at >= size.width {
                    break;
                }
                let alpha = if above.channels() == Channels::Rgba {
                    f32::from(pixel[3]) / 255.0
                } else {
                    1.0
                };
                if alpha > 0.0 {
                    let start = to as usize * stride + at as usize * 4;
                    let below = &mut self.raster.data_mut()[start..start + 4];
                    over(below, [pixel[0], pixel[1], pixel[2]], alpha * share);
                }
            }
        }
    }
}

/// The whole pixels of a frame that an area (left, top, width, height) touches.
fn inside(frame: Size, (x, y, width, height): (f64, f64, f64, f64)) -> Option<Rect> {
    let clip = |start: f64, length: f64, side: u32| {
        let side = f64::from(side);
        let from = start.floor().clamp(0.0, side);
        let to = (start + length).ceil().clamp(0.0, side);
        (from as u32, (to - from) as u32)
    };
    let (x, width) = clip(x, width, frame.width);
    let (y, height) = clip(y, height, frame.height);
    (width > 0 && height > 0).then_some(Rect { x, y, width, height })
}

/// The contrast of `colour` with what lies in `part`, where it is weakest: that of the weakest
/// twentieth of its pixels, which a few stray ones do not decide. What is transparent counts as
/// white, the ground of most pages.
fn weakest_contrast(raster: &Raster, part: Rect, colour: Colour) -> f64 {
    let own = luminance(colour.0);
    let below = raster.crop(part).flattened([255; 3]);
    let (pixels, _) = below.data().as_chunks::<3>();
    let mut contrasts: Vec<f64> =
        pixels.iter().map(|&pixel| contrast(own, luminance(pixel))).collect();
    let twentieth = contrasts.len() / 20;
    let (_, weakest, _) = contrasts.select_nth_unstable_by(twentieth, f64::total_cmp);
    *weakest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_weakest_part_of_the_ground_decides() {
        let mut data = [20, 20, 20, 255].repeat(90);
        data.extend([240, 240, 240, 255].repeat(10));
        let raster = Raster::new(Size::new(10, 10), Channels::Rgba, data);
        let whole = Rect::whole(raster.size());
        assert!(weakest_contrast(&raster, whole, Colour::WHITE) < 1.2);
        let dark = Rect { height: 8, ..whole };
        assert!(weakest_contrast(&raster, dark, Colour::WHITE) > 15.0);
    }
}

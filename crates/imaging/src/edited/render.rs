//! Rendering with edits: from pixels, a list of edits and a plan to the pixels of the file.
//!
//! Everything is taken from the original anew. Up to the overlays, pixels are light in 32-bit
//! floating point; they are rounded to 8 bits once. The picture is worked on in tiles, so that
//! memory does not grow with it. The same input gives the same bytes, and a preview differs from
//! the file only by its size.

use super::edges::{Outline, Sharpening, darkened};
use super::light::View;
use super::overlay::Drawing;
use super::shade::Shading;
pub use super::shade::ToneCurves;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::plan::Plan;
use brisk_margin_core::edits::values::Ground;
use brisk_margin_core::edits::{Edit, EditList};
use rayon::prelude::*;

use crate::codec::CodecError;
use crate::codec::jpeg::DctScale;
use crate::original::Original;
use crate::raster::{Channels, Raster};
use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::issue::Issue;
use brisk_margin_core::source_format::SourceFormat;

pub use super::light::Pixels;
pub use super::overlay::{Logos, TextContrast};

/// The side of a tile, in pixels of the file.
const TILE: u32 = 512;

/// What a rendering gave.
#[derive(Debug, Clone, PartialEq)]
pub struct Rendered {
    /// The pixels, upright and in sRGB.
    pub raster: Raster,
    /// What is to be mended of what lies on them, in the order of the edits.
    pub issues: Vec<Issue>,
    /// How each text stands out.
    pub contrasts: Vec<TextContrast>,
}

/// The pixels of `picture` with the edits of `edits`, as `plan` shows them.
///
/// # Errors
/// Those of decoding it.
pub fn render(
    picture: &Original<'_>,
    canvas: &Canvas,
    edits: &EditList,
    plan: &Plan,
    logos: &Logos,
) -> Result<Rendered, CodecError> {
    let scale = plan.scale();
    let stored = picture.stored;
    let raster = match picture.facts().format {
        SourceFormat::Svg => {
            // A drawing has no pixels of its own: it gets as many as are wanted.
            let most = (MAX_PIXELS as f64 / stored.pixels() as f64).sqrt();
            let side = |length: u32| ((f64::from(length) * scale.min(most)).ceil() as u32).max(1);
            let size = Size::new(side(stored.width), side(stored.height));
            picture.codecs.draw(picture.bytes, Rect::whole(stored), size)?
        }
        SourceFormat::Jpeg => {
            let side = |length: u32| ((f64::from(length) * scale).ceil() as u32).clamp(1, length);
            let output = Size::new(side(stored.width), side(stored.height));
            picture.decode_at(DctScale::for_output(stored, output))?
        }
        _ => picture.decode_at(DctScale::FULL)?,
    };
    let profile = picture.colour.as_ref();
    let pixels = Pixels::decoded(&raster, stored, picture.orientation, profile);
    draw(pixels, canvas, edits, &ToneCurves::of(edits), plan, logos)
}

/// As [`render`], from pixels that are there already, such as a reduced copy; `tones` are those of
/// the same edits.
///
/// # Errors
/// Where a text cannot be drawn.
pub fn draw(
    pixels: Pixels<'_>,
    canvas: &Canvas,
    edits: &EditList,
    tones: &ToneCurves,
    plan: &Plan,
    logos: &Logos,
) -> Result<Rendered, CodecError> {
    let output = plan.fitting.output;
    let padding = padding(edits);
    let mut raster =
        Raster::new(output, Channels::Rgba, padding.rgba().repeat(output.pixels() as usize));
    paint(pixels, canvas, (edits, tones), plan, &mut raster)?;
    let mut drawing = Drawing {
        raster: &mut raster,
        scales: plan.scales,
        issues: Vec::new(),
        contrasts: Vec::new(),
    };
    let radius = edits.edits().find_map(|edit| match edit {
        Edit::Corners { radius } => Some(plan.scales.of(*radius)),
        _ => None,
    });
    for (step, of) in edits.steps().iter().enumerate().filter(|(_, step)| !step.off) {
        match &of.edit {
            Edit::Border { width, colour } => {
                let outline = Outline::new(drawing.raster, radius.unwrap_or(0.0));
                outline.line(drawing.raster, drawing.scales.of(*width), *colour);
            }
            Edit::Logo { image, at, width, opacity } => {
                drawing.logo(step, logos.get(image), *at, *width, *opacity);
            }
            Edit::Text(block) => drawing.text(step, block)?,
            _ => {}
        }
    }
    let Drawing { issues, contrasts, .. } = drawing;
    if let Some(radius) = radius {
        Outline::new(&raster, radius).cut(&mut raster);
    }
    let transparent = pixels.has_alpha()
        || radius.is_some_and(|radius| radius > 0.0)
        || (plan.inner.size() != output && padding == Ground::TRANSPARENT)
        || canvas.is_clear();
    let raster = if transparent { raster } else { raster.flattened([0; 3]) };
    Ok(Rendered { raster, issues, contrasts })
}

fn padding(edits: &EditList) -> Ground {
    let found = edits.edits().find_map(|edit| match edit {
        Edit::Padding { ground, .. } => Some(*ground),
        _ => None,
    });
    found.unwrap_or(Ground::TRANSPARENT)
}

/// The picture itself: scaled, shaded, sharpened and darkened, tile by tile.
fn paint(
    pixels: Pixels<'_>,
    canvas: &Canvas,
    (edits, tones): (&EditList, &ToneCurves),
    plan: &Plan,
    raster: &mut Raster,
) -> Result<(), CodecError> {
    let inner = plan.inner;
    let view = View { crop: plan.fitting.crop, output: inner.size() };
    let shading = Shading::of(edits, tones, inner.size().aspect());
    let sharpening = edits.edits().find_map(|edit| match *edit {
        Edit::Sharpen { percent, radius } => Some(Sharpening::new(percent, radius * plan.zoom)),
        _ => None,
    });
    let darkening = edits.edits().find_map(|edit| match *edit {
        Edit::Darken { percent, reach } => Some(((percent / 100.0) as f32, (reach / 100.0) as f32)),
        _ => None,
    });
    let reach = sharpening.map_or(0, |sharpening| sharpening.reach());
    let paint = |tile: Rect| {
        let wide = widened(tile, reach, inner.size());
        let mut light = pixels.light(canvas, view, wide)?;
        let place =
            |at: usize, from: u32, length: u32| (at as f32 + from as f32 + 0.5) / length as f32;
        let by_place = |light: &mut super::light::Light,
                        change: &dyn Fn(&mut [f32; 4], f32, f32)| {
            for (y, row) in light.pixels.chunks_exact_mut(wide.width as usize).enumerate() {
                let down = place(y, wide.y, inner.height);
                for (x, pixel) in row.iter_mut().enumerate() {
                    change(pixel, place(x, wide.x, inner.width), down);
                }
            }
        };
        if !shading.is_nothing() {
            by_place(&mut light, &|pixel, x, y| *pixel = shading.apply(*pixel, x, y));
        }
        if let Some(sharpening) = sharpening {
            sharpening.apply(&mut light);
        }
        if let Some((share, reach)) = darkening {
            by_place(&mut light, &|pixel, x, y| {
                let left = darkened(x, y, share, reach);
                pixel[..3].iter_mut().for_each(|value| *value *= left);
            });
        }
        Ok((tile, Rect { x: tile.x - wide.x, y: tile.y - wide.y, ..tile }, light))
    };
    let tiles: Vec<Rect> = tiles(inner.size()).collect();
    // As many at once as there are threads, so that no more of them are held.
    for some in tiles.chunks(rayon::current_num_threads()) {
        let painted: Result<Vec<_>, CodecError> =
            some.par_iter().map(|&tile| paint(tile)).collect();
        for (tile, part, light) in painted? {
            light.write(part, raster, inner.x + tile.x, inner.y + tile.y);
        }
    }
    Ok(())
}

fn tiles(size: Size) -> impl Iterator<Item = Rect> {
    let along =
        |side: u32| (0..side).step_by(TILE as usize).map(move |from| (from, TILE.min(side - from)));
    along(size.height).flat_map(move |(y, height)| {
        along(size.width).map(move |(x, width)| Rect { x, y, width, height })
    })
}

fn widened(tile: Rect, by: u32, within: Size) -> Rect {
    let along = |start: u32, length: u32, side: u32| {
        let from = start.saturating_sub(by);
        (from, (start + length + by).min(side) - from)
    };
    let (x, width) = along(tile.x, tile.width, within.width);
    let (y, height) = along(tile.y, tile.height, within.height);
    Rect { x, y, width, height }
}

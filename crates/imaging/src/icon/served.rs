//! Icons that a site has: what they are, their pixels, and whether they were enlarged from smaller ones.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

use super::figure::lightness;
use crate::codecs::Codecs;
use crate::original::Original;
use crate::raster::Raster;
use crate::render::preview;
use crate::resize::{Region, resize};

/// Icons are looked at up to so many px of a side.
const LOOKED_AT: u32 = 1_024;
/// Smaller ones are not asked whether they were enlarged: they have nothing that could be told from.
const TELLING: u32 = 48;
/// Where so small a share of its edges is lost by scaling it down and up again, it has none that are sharp: of sharp marks it
/// is about two thirds, of those that were enlarged three or four times about a seventh.
const BLURRED: f64 = 0.25;

/// Steps between pixels that are smaller are shades, and no edges that could be soft.
const EDGE: f64 = 0.06;

/// An icon as it is served.
#[derive(Debug, Clone, PartialEq)]
pub struct ServedIcon {
    /// The media type that its bytes say.
    pub media_type: String,
    /// Its pixels: one size, or those inside an ICO.
    pub sizes: Vec<Size>,
    /// Whether it was enlarged from a smaller one.
    pub is_enlarged: bool,
    /// How it looks.
    pub raster: Raster,
}

/// Reads `file`; nothing where it is no picture that is read here.
pub fn served(codecs: &Codecs, file: &[u8]) -> Option<ServedIcon> {
    let original = Original::open(codecs, file).ok()?;
    let facts = original.facts();
    let raster = preview(&original, LOOKED_AT).ok()?;
    // Of an ICO the largest picture is the original; what it holds besides is listed.
    let sizes = match original.inside() {
        [] => vec![facts.size],
        inside => inside.to_vec(),
    };
    let is_asked = !matches!(facts.format, SourceFormat::Svg | SourceFormat::Ico);
    Some(ServedIcon {
        media_type: facts.format.media_type().to_owned(),
        sizes,
        is_enlarged: is_asked && is_enlarged(&raster),
        raster,
    })
}

/// Whether `raster` shows no more than a half or less of its pixels would: it is made of blocks, or its edges are as soft
/// as those of something enlarged.
pub fn is_enlarged(raster: &Raster) -> bool {
    let size = raster.size();
    if size.width.min(size.height) < TELLING {
        return false;
    }
    [2, 3, 4].iter().any(|&times| is_blocky(raster, times)) || lost(raster) < BLURRED
}

/// Whether it is made of even blocks, and of more than one.
fn is_blocky(raster: &Raster, times: u32) -> bool {
    let size = raster.size();
    if !size.width.is_multiple_of(times) || !size.height.is_multiple_of(times) {
        return false;
    }
    let each = raster.channels().count();
    let at =
        |x: u32, y: u32| &raster.data()[y as usize * raster.stride() + x as usize * each..][..each];
    let mut others = false;
    for (x, y) in (0..size.height).flat_map(|y| (0..size.width).map(move |x| (x, y))) {
        if at(x, y) != at(x / times * times, y / times * times) {
            return false;
        }
        others |= at(x, y) != at(0, 0);
    }
    others
}

/// Which share of the steps between its pixels is lost by scaling it to half its size and up again.
fn lost(raster: &Raster) -> f64 {
    let flat = raster.flattened([128; 3]);
    let size = flat.size();
    let half = resize(&flat, Region::whole(size), Size::new(size.width / 2, size.height / 2));
    let again = resize(&half, Region::whole(half.size()), size);
    let lights =
        |raster: &Raster| -> Vec<f32> { raster.data().chunks_exact(3).map(lightness).collect() };
    let (before, after) = (lights(&flat), lights(&again));
    let width = size.width as usize;
    let (mut steps, mut apart, mut steepest) = (0.0, 0.0, 0.0_f64);
    for n in width..before.len() {
        if n % width > 0 {
            let step = (before[n] - before[n - 1]).abs() + (before[n] - before[n - width]).abs();
            steps += f64::from(step);
            steepest = steepest.max(step.into());
            apart += f64::from((before[n] - after[n]).abs());
        }
    }
    // What is even all over, or shades alone, was not enlarged from anything.
    if steepest > EDGE { apart / steps } else { 1.0 }
}

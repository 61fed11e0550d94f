//! Palettes: a picture in at most 256 colours.

mod clustering;
mod splitting;

use brisk_margin_core::encoding::Palette;
use brisk_margin_core::geometry::Size;

use crate::raster::{Channels, Raster};

/// Whether `raster` has half transparent pixels, whose colours are mixed with what lies behind them.
fn is_half_clear(raster: &Raster) -> bool {
    raster.channels() == Channels::Rgba
        && raster.data().chunks_exact(4).any(|pixel| !matches!(pixel[3], 0 | 255))
}

/// Pixels of a few colours.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reduced {
    size: Size,
    palette: Vec<[u8; 4]>,
    indices: Vec<u8>,
}

impl Reduced {
    /// `raster` in the colours of `palette`, chosen by clustering. The same pixels give the same palette, and what is
    /// clear stays clear.
    pub fn new(raster: &Raster, palette: Palette) -> Self {
        let clear: Option<Vec<bool>> = (raster.channels() == Channels::Rgba)
            .then(|| raster.data().chunks_exact(4).map(|pixel| pixel[3] == 0).collect())
            .filter(|clear: &Vec<bool>| clear.contains(&true));
        let colours = palette.colours.get() - u16::from(clear.is_some());
        let (mut palette, mut indices) = match is_half_clear(raster) {
            true => clustering::half_clear(raster, colours, palette.dithering),
            false => clustering::opaque(raster, clear.as_deref(), colours, palette.dithering),
        };
        if let Some(clear) = clear {
            let index = palette.len() as u8;
            palette.push([0; 4]);
            for (to, clear) in indices.iter_mut().zip(clear) {
                if clear {
                    *to = index;
                }
            }
        }
        Self { size: raster.size(), palette, indices }
    }

    /// Its size.
    pub const fn size(&self) -> Size {
        self.size
    }

    /// Its colours: red, green, blue and alpha.
    pub fn palette(&self) -> &[[u8; 4]] {
        &self.palette
    }

    /// The colour of each pixel.
    pub fn indices(&self) -> &[u8] {
        &self.indices
    }

    /// How it looks.
    pub fn raster(&self) -> Raster {
        let opaque = self.palette.iter().all(|colour| colour[3] == 255);
        let (channels, each) = if opaque { (Channels::Rgb, 3) } else { (Channels::Rgba, 4) };
        let data = self.indices.iter().flat_map(|&n| &self.palette[usize::from(n)][..each]);
        Raster::new(self.size, channels, data.copied().collect())
    }
}

/// By how much the mean colour of an area of 8 × 8 pixels, or of what is left of one at an edge, differs most between two
/// pictures of one size: 0 to 255 in the channel in which it differs most, the clearer the less.
pub fn drift(one: &Raster, other: &Raster) -> u8 {
    const SIDE: usize = 8;
    let Size { width, height } = one.size();
    let mut most = 0;
    for top in (0..height).step_by(SIDE) {
        let rows = top..height.min(top + SIDE as u32);
        let mut areas = vec![([0_i32; 4], 0_i32); (width as usize).div_ceil(SIDE)];
        for (x, y) in rows.flat_map(|y| (0..width).map(move |x| (x, y))) {
            let (differ, count) = &mut areas[x as usize / SIDE];
            let (one, other) = (seen(one, x, y), seen(other, x, y));
            for (sum, (a, b)) in differ.iter_mut().zip(one.into_iter().zip(other)) {
                *sum += a - b;
            }
            *count += 1;
        }
        let means = areas.iter().flat_map(|(differ, count)| differ.map(|sum| sum.abs() / count));
        most = means.fold(most, i32::max);
    }
    most.min(255) as u8
}

/// What is seen of a pixel: each channel times its alpha, and its alpha.
fn seen(raster: &Raster, x: u32, y: u32) -> [i32; 4] {
    let each = raster.channels().count();
    let at = y as usize * raster.stride() + x as usize * each;
    let pixel = &raster.data()[at..at + each];
    let alpha = pixel.get(3).map_or(255, |&alpha| i32::from(alpha));
    let channel = |n: usize| i32::from(pixel[n]) * alpha / 255;
    [channel(0), channel(1), channel(2), alpha]
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::encoding::{Dithering, PaletteSize};

    fn of(colours: u16, dithering: Dithering) -> Palette {
        Palette { colours: PaletteSize::new(colours).unwrap(), dithering }
    }

    fn shown(pixel: &[u8]) -> [u8; 4] {
        if pixel[3] == 0 { [0; 4] } else { pixel.try_into().unwrap() }
    }

    #[test]
    fn a_few_colours_stay_as_they_are_and_clear_pixels_stay_clear() {
        let colours = [[200, 10, 20, 255], [0, 90, 200, 255], [250, 250, 250, 255], [9, 9, 9, 0]];
        let data: Vec<u8> = (0..400).flat_map(|n| colours[n % 4]).collect();
        let raster = Raster::new(Size::new(20, 20), Channels::Rgba, data);
        let reduced = Reduced::new(&raster, of(16, Dithering::On));
        for (pixel, kept) in raster.data().chunks(4).zip(reduced.raster().data().chunks(4)) {
            assert_eq!(shown(pixel), shown(kept));
        }
    }

    #[test]
    fn half_transparent_edges_keep_their_colours_and_what_is_clear_or_opaque_stays_so() {
        // A red shape on nothing, with soft edges.
        let alpha = |n: usize| [0, 0, 0, 60, 130, 200, 255, 255][n % 64 / 8];
        let data: Vec<u8> = (0..64 * 64).flat_map(|n| [220, 30, 20, alpha(n)]).collect();
        let raster = Raster::new(Size::new(64, 64), Channels::Rgba, data);
        for dithering in [Dithering::Off, Dithering::On] {
            let reduced = Reduced::new(&raster, of(8, dithering));
            assert!(reduced.palette().len() <= 8);
            for (pixel, kept) in raster.data().chunks(4).zip(reduced.raster().data().chunks(4)) {
                let (pixel, kept) = (shown(pixel), shown(kept));
                let off = pixel.iter().zip(kept).map(|(a, b)| a.abs_diff(b)).max().unwrap();
                assert!(off <= 3, "{pixel:?} became {kept:?}");
            }
        }
    }

    #[test]
    fn one_pixel_has_a_palette_whatever_its_alpha_is() {
        let one = |alpha| Raster::new(Size::new(1, 1), Channels::Rgba, vec![5, 6, 7, alpha]);
        let reduced = |alpha| Reduced::new(&one(alpha), of(8, Dithering::On)).raster();
        assert_eq!(reduced(100).data()[3], 100);
        assert_eq!(reduced(0).data(), [0; 4]);
        assert_eq!(reduced(255).data(), [5, 6, 7]);
    }

    #[test]
    fn dithering_comes_nearer_to_a_gradient_and_plain_colours_lie_in_whole_areas() {
        let shade = |n: usize| [(n % 128 * 2) as u8, 90, 40];
        let raster =
            Raster::new(Size::new(128, 32), Channels::Rgb, (0..128 * 32).flat_map(shade).collect());
        let changes = |dithering| {
            let reduced = Reduced::new(&raster, of(8, dithering));
            assert_eq!(reduced, Reduced::new(&raster, of(8, dithering)), "the same each time");
            reduced.indices().windows(2).filter(|pair| pair[0] != pair[1]).count()
        };
        assert!(changes(Dithering::Off) * 3 < changes(Dithering::On));
    }

    #[test]
    fn a_spot_that_changes_its_colour_drifts_and_dots_that_mix_to_it_do_not() {
        let of = |colour: &dyn Fn(usize) -> [u8; 4]| {
            Raster::new(Size::new(20, 20), Channels::Rgba, (0..400).flat_map(colour).collect())
        };
        let grey = of(&|_| [100, 100, 100, 255]);
        let dots = of(&|n| {
            let light = if (n + n / 20) % 2 == 0 { 80 } else { 120 };
            [light, light, light, 255]
        });
        let spot = of(&|n| {
            if n < 8 * 20 && n % 20 < 8 { [100, 160, 100, 255] } else { [100, 100, 100, 255] }
        });
        assert_eq!([drift(&grey, &grey), drift(&grey, &dots), drift(&grey, &spot)], [0, 0, 60]);
        assert_eq!(drift(&of(&|_| [255, 0, 0, 0]), &of(&|_| [0, 0, 255, 0])), 0, "nobody sees it");
    }
}

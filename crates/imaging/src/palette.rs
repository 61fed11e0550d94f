//! Palettes: a picture in at most 256 colours.

use quantette::deps::palette::Srgb;
use quantette::dither::FloydSteinberg;
use quantette::{ImageBuf, PaletteSize, Pipeline, QuantizeMethod};

use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::Size;

/// The most colours of a palette.
pub const MOST: u16 = 256;

/// Whether `raster` can have a palette at all: half transparent pixels need all the colours there
/// are.
pub fn has_room(raster: &Raster) -> bool {
    raster.channels() == Channels::Rgb
        || raster.data().chunks_exact(4).all(|pixel| matches!(pixel[3], 0 | 255))
}

/// Pixels of a few colours.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reduced {
    size: Size,
    palette: Vec<[u8; 4]>,
    indices: Vec<u8>,
}

impl Reduced {
    /// `raster` in at most `colours` of 2 to 256, chosen by clustering and mixed by spreading the
    /// error; nothing where it has no room in a palette.
    /// The same pixels give the same palette.
    pub fn new(raster: &Raster, colours: u16) -> Option<Self> {
        let colours = colours.clamp(2, MOST);
        let clear: Option<Vec<bool>> = match raster.channels() {
            Channels::Rgb => None,
            Channels::Rgba => {
                if !has_room(raster) {
                    return None;
                }
                let alphas = raster.data().chunks_exact(4).map(|pixel| pixel[3]);
                let clear: Vec<bool> = alphas.map(|alpha| alpha == 0).collect();
                clear.contains(&true).then_some(clear)
            }
        };
        let reserved = u16::from(clear.is_some());
        let (palette, mut indices) = quantised(raster, clear.as_deref(), colours - reserved);
        let mut palette: Vec<[u8; 4]> =
            palette.into_iter().map(|[r, g, b]| [r, g, b, 255]).collect();
        if let Some(clear) = clear {
            let index = palette.len() as u8;
            palette.push([0; 4]);
            for (to, clear) in indices.iter_mut().zip(clear) {
                if clear {
                    *to = index;
                }
            }
        }
        Some(Self { size: raster.size(), palette, indices })
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

/// The colours of the opaque pixels, and each pixel's.
fn quantised(raster: &Raster, clear: Option<&[bool]>, colours: u16) -> (Vec<[u8; 3]>, Vec<u8>) {
    let Size { width, height } = raster.size();
    let each = raster.channels().count();
    // What is not seen must not claim a colour of its own: it takes that of the last seen pixel.
    let mut last = first_seen(raster, clear);
    let pixels = raster.data().chunks_exact(each).enumerate().map(|(n, pixel)| {
        if !clear.is_some_and(|clear| clear[n]) {
            last = Srgb::new(pixel[0], pixel[1], pixel[2]);
        }
        last
    });
    let image = ImageBuf::new(width, height, pixels.collect()).expect("one colour a pixel");
    let reduced = Pipeline::new()
        .palette_size(PaletteSize::try_from(colours.max(1)).expect("within 1 to 256"))
        .quantize_method(QuantizeMethod::kmeans())
        .ditherer(FloydSteinberg::new())
        .input_image(image.as_ref())
        .output_srgb8_indexed_image();
    let (palette, indices) = reduced.into_parts();
    (palette.into_iter().map(|colour| [colour.red, colour.green, colour.blue]).collect(), indices)
}

fn first_seen(raster: &Raster, clear: Option<&[bool]>) -> Srgb<u8> {
    let mut pixels = raster.data().chunks_exact(raster.channels().count()).enumerate();
    let seen = pixels.find(|(n, _)| !clear.is_some_and(|clear| clear[*n]));
    seen.map_or_else(|| Srgb::new(0, 0, 0), |(_, pixel)| Srgb::new(pixel[0], pixel[1], pixel[2]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_few_colours_stay_as_they_are_and_clear_pixels_stay_clear() {
        let colours = [[200, 10, 20, 255], [0, 90, 200, 255], [250, 250, 250, 255], [9, 9, 9, 0]];
        let data: Vec<u8> = (0..400).flat_map(|n| colours[n % 4]).collect();
        let raster = Raster::new(Size::new(20, 20), Channels::Rgba, data);
        let reduced = Reduced::new(&raster, 16).unwrap();
        for (pixel, kept) in raster.data().chunks(4).zip(reduced.raster().data().chunks(4)) {
            let seen =
                |pixel: &[u8]| if pixel[3] == 0 { [0; 4] } else { pixel.try_into().unwrap() };
            assert_eq!(seen(pixel), seen(kept));
        }
    }

    #[test]
    fn half_transparent_pixels_have_no_palette_and_a_clear_picture_has() {
        let one = |alpha| Raster::new(Size::new(1, 1), Channels::Rgba, vec![5, 6, 7, alpha]);
        assert_eq!(Reduced::new(&one(100), 8), None);
        assert_eq!(Reduced::new(&one(0), 8).unwrap().raster().data(), [0; 4]);
        assert_eq!(Reduced::new(&one(255), 8).unwrap().raster().data(), [5, 6, 7]);
    }

    #[test]
    fn the_same_pixels_give_the_same_palette() {
        let shade = |n: usize| [(n % 251) as u8, (n / 7 % 256) as u8, (n / 91 % 200) as u8];
        let raster =
            Raster::new(Size::new(64, 64), Channels::Rgb, (0..64 * 64).flat_map(shade).collect());
        let reduced = Reduced::new(&raster, 32).unwrap();
        assert!(reduced.palette().len() <= 32);
        assert_eq!(Some(reduced), Reduced::new(&raster, 32));
    }
}

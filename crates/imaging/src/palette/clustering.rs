//! Which colours a palette has, and which of them each pixel gets: clusters in Oklab, where distances are as they are
//! seen.

use brisk_margin_core::encoding::Dithering;
use brisk_margin_core::geometry::Size;
use quantette::color_map::NearestNeighborColorMap;
use quantette::deps::palette::{Oklaba, Srgb};
use quantette::dither::FloydSteinberg;
use quantette::kmeans::{Kmeans, KmeansOptions};
use quantette::{ImageBuf, PaletteBuf, PaletteSize, Pipeline, QuantizeMethod};

use super::splitting::{plain, split, weighed};
use crate::raster::Raster;

/// How much of a pixel's error its neighbours get where colours are mixed. More of it costs bytes and gains no score
/// (docs/decisions/0034).
const SPREAD: f32 = 0.6;

type Clustered = (Vec<[u8; 4]>, Vec<u8>);

fn ditherer(dithering: Dithering) -> Option<FloydSteinberg> {
    match dithering {
        Dithering::Off => None,
        Dithering::On => FloydSteinberg::with_error_diffusion(SPREAD),
    }
}

/// At most so many colours of the opaque pixels of `raster`, and each pixel's; a pixel that is `clear` has one that does not count.
pub(super) fn opaque(
    raster: &Raster,
    clear: Option<&[bool]>,
    colours: u16,
    dithering: Dithering,
) -> Clustered {
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
        .ditherer(ditherer(dithering))
        .input_image(image.as_ref())
        .output_srgb8_indexed_image();
    let (palette, indices) = reduced.into_parts();
    let whole = |colour: Srgb<u8>| [colour.red, colour.green, colour.blue, 255];
    (palette.into_iter().map(whole).collect(), indices)
}

fn first_seen(raster: &Raster, clear: Option<&[bool]>) -> Srgb<u8> {
    let mut pixels = raster.data().chunks_exact(raster.channels().count()).enumerate();
    let seen = pixels.find(|(n, _)| !clear.is_some_and(|clear| clear[*n]));
    seen.map_or_else(|| Srgb::new(0, 0, 0), |(_, pixel)| Srgb::new(pixel[0], pixel[1], pixel[2]))
}

/// At most so many colours and alphas of `raster`, which has both, and each pixel's.
pub(super) fn half_clear(raster: &Raster, colours: u16, dithering: Dithering) -> Clustered {
    let Size { width, height } = raster.size();
    let (pixels, _) = raster.data().as_chunks::<4>();
    let seen: Vec<[u8; 4]> = pixels.iter().copied().filter(|pixel| pixel[3] > 0).collect();
    let centres = split(&seen, usize::from(colours.max(1)));
    let centres = PaletteBuf::new(centres).expect("1 to 256");
    let seen: Vec<Oklaba> = seen.into_iter().map(weighed).collect();
    let clusters = Kmeans::run_slice(&seen, centres, KmeansOptions::new()).expect("some are seen");
    let palette: Vec<[u8; 4]> = clusters.into_palette().iter().copied().map(plain).collect();
    // Pixels go by the colours that the file will have.
    let own = palette.iter().copied().map(weighed).collect();
    let map = NearestNeighborColorMap::new(PaletteBuf::new(own).expect("1 to 256"));
    let pixels = pixels.iter().copied().map(weighed).collect();
    let image = ImageBuf::new(width, height, pixels).expect("one colour a pixel");
    let indices = match ditherer(dithering) {
        Some(ditherer) => ditherer.dither_image_to_indexed(image.as_ref(), map).into_parts().1,
        None => image.map_to_indexed(map).into_parts().1,
    };
    (palette, indices)
}

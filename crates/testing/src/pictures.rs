//! Small pictures, good and bad.

use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::motion::{Frame, Motion};
use brisk_margin_imaging::raster::{Channels, Raster};

/// A WebP of three frames, 300 × 200, without loss; the one in the middle is hard to encode.
pub fn moving() -> Vec<u8> {
    let size = Size::new(300, 200);
    let calm = |light: u32| (0..300 * 200 * 3_u32).map(move |at| (at / 900 + light) as u8);
    let mut state = 5_u32;
    let grain = (0..300 * 200 * 3).map(|_| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 25) as u8
    });
    let frame =
        |data: Vec<u8>| Frame { raster: Raster::new(size, Channels::Rgb, data), millis: 100 };
    let frames = vec![frame(calm(0).collect()), frame(grain.collect()), frame(calm(50).collect())];
    let motion = Motion { frames, loops: 0 };
    let file =
        Codecs::in_process().encode_motion(&motion, Encoding::WebpLossless, &Extras::default());
    file.expect("three plain frames")
}

/// A smooth picture whose colour tells where a pixel came from: red grows to the right, green
/// downwards.
pub fn gradient(width: u32, height: u32) -> Raster {
    let data = (0..height).flat_map(|y| {
        (0..width).flat_map(move |x| [(x * 255 / width) as u8, (y * 255 / height) as u8, 90])
    });
    Raster::new(Size::new(width, height), Channels::Rgb, data.collect())
}

/// A picture of soft spots that hardly any other looks like; told apart by `seed`.
pub fn spots(seed: u32, width: u32, height: u32) -> Raster {
    let mut state = seed.wrapping_mul(2_654_435_761).wrapping_add(9);
    let mut random = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state >> 8) / f64::from(1 << 24)
    };
    let spots: Vec<[f64; 4]> = (0..30)
        .map(|_| [random(), random(), 0.04 + 0.12 * random(), 200.0 * random() - 100.0])
        .collect();
    let shade = |x: u32, y: u32| {
        let (u, v) = (f64::from(x) / f64::from(width), f64::from(y) / f64::from(height));
        let spot = |s: &[f64; 4]| {
            s[3] * (-((u - s[0]).powi(2) + (v - s[1]).powi(2)) / (s[2] * s[2])).exp()
        };
        (120.0 + spots.iter().map(spot).sum::<f64>()).clamp(0.0, 255.0) as u8
    };
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y))).flat_map(|(x, y)| {
        let value = shade(x, y);
        [value, value / 2, 255 - value]
    });
    Raster::new(Size::new(width, height), Channels::Rgb, pixels.collect())
}

/// `raster` as a file in `format` at `quality`.
pub fn encoded(raster: &Raster, format: Format, quality: u8) -> Vec<u8> {
    let quality = Quality::new(quality).expect("a quality from 1 to 100");
    let encoding = Encoding::new(format, quality).expect("one of ours");
    Codecs::in_process().encode(raster, encoding, &Extras::default()).expect("a plain picture")
}

/// [`gradient`] as a JPEG of quality 92.
pub fn gradient_jpeg(width: u32, height: u32) -> Vec<u8> {
    encoded(&gradient(width, height), Format::Jpeg, 92)
}

/// [`gradient`] as a PNG.
pub fn gradient_png(width: u32, height: u32) -> Vec<u8> {
    png::encode_fast(&gradient(width, height)).expect("a plain picture")
}

/// `raster` as a PNG whose colours are those of the ICC profile `icc`.
pub fn profiled_png(raster: &Raster, icc: &[u8]) -> Vec<u8> {
    let extras = Extras { icc: Some(icc.to_vec()), xmp: None };
    png::encode_fast_with(raster, &extras).expect("a plain picture")
}

/// `jpeg` with an EXIF block that says how it is to be turned (1 to 8).
pub fn oriented(jpeg: &[u8], orientation: u8) -> Vec<u8> {
    // A TIFF header, one entry (0x0112, SHORT, one value), no further block.
    let mut exif = b"Exif\0\0II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".to_vec();
    exif.extend([orientation, 0, 0, 0, 0, 0, 0, 0]);
    let length = (exif.len() + 2) as u16;
    let mut file = jpeg[..2].to_vec();
    file.extend([0xFF, 0xE1]);
    file.extend(length.to_be_bytes());
    file.extend(exif);
    file.extend(&jpeg[2..]);
    file
}

/// A PNG of a few bytes whose header claims `side` × `side` pixels.
pub fn png_claiming(side: u32) -> Vec<u8> {
    let mut file = gradient_png(2, 2);
    file[16..20].copy_from_slice(&side.to_be_bytes());
    file[20..24].copy_from_slice(&side.to_be_bytes());
    let crc = crc32(&file[12..29]);
    file[29..33].copy_from_slice(&crc.to_be_bytes());
    file
}

/// The checksum of PNG chunks (ISO 3309).
fn crc32(data: &[u8]) -> u32 {
    !data.iter().fold(!0u32, |crc, &byte| {
        (0..8).fold(crc ^ u32::from(byte), |c, _| (c >> 1) ^ (0xEDB8_8320 & (c & 1).wrapping_neg()))
    })
}

/// What the header of a still JPEG of `size` says.
pub fn jpeg_facts(size: Size) -> PictureFacts {
    PictureFacts {
        format: SourceFormat::Jpeg,
        size,
        has_alpha: false,
        frames: 1,
        has_location: false,
        profile: None,
    }
}

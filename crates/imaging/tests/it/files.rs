//! Formats that no encoder here writes: small files of other programs, each with the formula of its pixels.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::codec::jpeg::DctScale;
use brisk_margin_imaging::original::{Original, PictureError};
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_imaging::reading;

use crate::CODECS;

pub const LOSSLESS: &[u8] = include_bytes!("files/lossless.jxl");
pub const LOSSY: &[u8] = include_bytes!("files/lossy.jxl");
pub const ALPHA: &[u8] = include_bytes!("files/alpha.jxl");
const GREY: &[u8] = include_bytes!("files/grey.jxl");
pub const YCBCR: &[u8] = include_bytes!("files/ycbcr.tif");
const TILES: &[u8] = include_bytes!("files/rgbjpeg.tif");

/// What all of them show: red grows to the right, green to the bottom, blue to the left.
fn shown(x: usize, y: usize) -> [u8; 3] {
    [(x * 4) as u8, (y * 5) as u8, (255 - x * 4) as u8]
}

fn decoded(file: &[u8], format: SourceFormat, size: Size) -> Raster {
    let picture = Original::open(&CODECS, file).unwrap();
    picture.verify().unwrap();
    assert_eq!((picture.facts().format, picture.facts().size), (format, size));
    assert_eq!(picture.facts().profile, None, "it is sRGB");
    reading::pixels(format, file, DctScale::FULL, None).unwrap()
}

/// The largest difference of a channel from what is shown, on average over all pixels.
fn off(raster: &Raster, channels: usize) -> f64 {
    let width = raster.size().width as usize;
    let differences = raster.data().chunks_exact(channels).enumerate().map(|(n, pixel)| {
        let shown = shown(n % width, n / width);
        let far = pixel.iter().zip(shown).map(|(&a, b)| a.abs_diff(b)).max();
        f64::from(far.unwrap_or_default())
    });
    differences.sum::<f64>() / raster.size().pixels() as f64
}

#[test]
fn jpeg_xl_comes_in_as_it_was_written() {
    let size = Size::new(60, 40);
    assert_eq!(off(&decoded(LOSSLESS, SourceFormat::Jxl, size), 3), 0.0);
    assert!(off(&decoded(LOSSY, SourceFormat::Jxl, size), 3) < 4.0);
    let alpha = decoded(ALPHA, SourceFormat::Jxl, size);
    assert_eq!((alpha.channels(), off(&alpha, 4)), (Channels::Rgba, 0.0));
    assert!(alpha.data().chunks_exact(4).enumerate().all(|(n, p)| p[3] == (n / 60 * 6) as u8));
    let grey = decoded(GREY, SourceFormat::Jxl, size);
    let is_grey = |(n, p): (usize, &[u8])| p == [(n % 60 * 4) as u8; 3];
    assert!(grey.data().chunks_exact(3).enumerate().all(is_grey));
}

#[test]
fn jpeg_in_tiff_comes_in_both_ways_that_it_is_written() {
    for file in [YCBCR, TILES] {
        let off = off(&decoded(file, SourceFormat::Tiff, Size::new(64, 48)), 3);
        assert!(off < 4.0, "{off}");
    }
}

#[test]
fn a_file_that_breaks_off_is_told_as_such() {
    for file in [LOSSLESS, LOSSY, ALPHA, YCBCR, TILES] {
        for share in [1, 2, 3] {
            let part = &file[..file.len() * share / 4];
            let told = Original::open(&CODECS, part).and_then(|picture| Ok(picture.verify()?));
            let is_told = matches!(
                told,
                Err(PictureError::Codec(CodecError::Truncated(_) | CodecError::Damaged { .. }))
            );
            assert!(is_told, "{told:?}");
        }
    }
}

//! Originals through the core as its callers use it: open, verify, render, encode.

use crate::CODECS;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::source_format::{SourceFormat, UnreadFormat};
use brisk_margin_core::units::Density;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::{CodecError, png};
use brisk_margin_imaging::original::{Original, PictureError};
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_imaging::render::{preview, render};
use brisk_margin_testing::pictures::{encoded, gradient, png_claiming};

fn slot(width: f64, height: f64, fit: Fit) -> SlotShape {
    SlotShape::new(width, height, fit).unwrap()
}

fn fitted(bytes: &[u8], slot: SlotShape, focal: FocalPoint) -> Raster {
    let picture = Original::open(&CODECS, bytes).unwrap();
    let fitting = Fitting::new(picture.facts().size, slot, Density::ONE, focal).unwrap();
    render(&picture, &fitting).unwrap()
}

#[test]
fn a_fitted_picture_shows_the_part_that_was_framed() {
    let file = encoded(&gradient(1600, 1200), Format::Jpeg, 95);
    let left = fitted(&file, slot(150.0, 300.0, Fit::Cover), FocalPoint::new(0.0, 0.5).unwrap());
    assert_eq!(left.size(), Size::new(150, 300));
    // The crop is 600 of 1600 px from the left edge: red runs from 0 to 3/8 of 255.
    let middle =
        left.crop(brisk_margin_core::geometry::Rect { x: 75, y: 150, width: 1, height: 1 });
    assert!(middle.data()[0].abs_diff(48) <= 3, "{:?}", middle.data());
    assert!(middle.data()[1].abs_diff(127) <= 3, "{:?}", middle.data());
}

#[test]
fn a_picture_that_has_the_slots_pixels_is_not_resampled() {
    let raster = gradient(320, 200);
    let file = png::encode_fast(&raster).unwrap();
    let same = fitted(&file, slot(320.0, 200.0, Fit::Exact), FocalPoint::CENTRE);
    assert_eq!(same, raster);
}

#[test]
fn bad_files_are_refused_with_the_reason() {
    let open = |bytes: &[u8]| Original::open(&CODECS, bytes).err();
    assert_eq!(open(b""), Some(PictureError::Empty));
    assert_eq!(open(b"a note called dome.jpg"), Some(PictureError::NoPicture));
    assert_eq!(open(b"\0\0\0\x18ftypheic"), Some(PictureError::NotRead(UnreadFormat::Heic)));

    let huge = open(&png_claiming(60_000)).unwrap().to_string();
    assert!(huge.contains("3600 megapixels") && huge.contains("120"), "{huge}");
}

#[test]
fn a_file_cut_off_anywhere_is_found_before_it_is_kept() {
    let raster = gradient(400, 300);
    for (file, format) in [
        (encoded(&raster, Format::Jpeg, 85), SourceFormat::Jpeg),
        (encoded(&raster, Format::Png, 100), SourceFormat::Png),
    ] {
        assert_eq!(Original::open(&CODECS, &file).unwrap().verify(), Ok(()));
        for percent in [30, 60, 90, 99] {
            let part = &file[..file.len() * percent / 100];
            let found = Original::open(&CODECS, part).and_then(|p| Ok(p.verify()?));
            let cut_off = PictureError::Codec(CodecError::Truncated(format));
            assert_eq!(found, Err(cut_off), "{format} at {percent} %");
        }
    }
}

#[test]
fn every_format_makes_a_file_of_its_kind_twice_the_same() {
    let raster = gradient(200, 120);
    for (format, magic) in [
        (Format::Jpeg, &[0xFF, 0xD8][..]),
        (Format::Webp, b"RIFF"),
        (Format::Avif, b"\0\0\0"),
        (Format::Png, b"\x89PNG"),
    ] {
        let encoding = Encoding::new(format, Quality::USUAL).unwrap();
        let once = CODECS.encode(&raster, encoding, &Extras::default()).unwrap();
        assert!(once.starts_with(magic), "{format}");
        assert_eq!(once, CODECS.encode(&raster, encoding, &Extras::default()).unwrap(), "{format}");
    }
}

#[test]
fn transparency_is_kept_or_laid_on_white() {
    let data = (0..64 * 64).flat_map(|i| if i % 64 < 32 { [0, 90, 90, 255] } else { [0; 4] });
    let raster = Raster::new(Size::new(64, 64), Channels::Rgba, data.collect());
    let file = encoded(&raster, Format::Png, 100);
    assert!(Original::open(&CODECS, &file).unwrap().facts().has_alpha);
    assert_eq!(png::decode(&file).unwrap().channels(), Channels::Rgba);
    let flat = encoded(&raster, Format::Jpeg, 95);
    let shown = preview(&Original::open(&CODECS, &flat).unwrap(), 64).unwrap();
    assert!(shown.data()[63 * 3..63 * 3 + 3].iter().all(|&v| v >= 250));
}

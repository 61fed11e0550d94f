//! Every format and variety that is read, drawn or encoded here and held against what was drawn,
//! or against another decoder.

use std::io::Cursor;

use crate::CODECS;
use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::grade::Grade;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Density;
use brisk_margin_imaging::analysis::{analyse, content_class};
use brisk_margin_imaging::choosing;
use brisk_margin_imaging::choosing::{Choosing, Hints};
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::original::{Original, PictureError};
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_imaging::render::render;
use brisk_margin_testing::pictures::{encoded, gradient};
use image::codecs::{ico::IcoEncoder, tiff::TiffEncoder, webp::WebPEncoder};
use image::{ExtendedColorType, ImageEncoder};

const SIZE: Size = Size::new(96, 64);

fn pixels(file: &[u8]) -> (PictureFacts, Raster) {
    let picture = Original::open(&CODECS, file).unwrap();
    picture.verify().unwrap();
    let facts = picture.facts().clone();
    let (width, height) = (f64::from(facts.size.width), f64::from(facts.size.height));
    let slot = SlotShape::new(width, height, Fit::Exact).unwrap();
    let fitting = Fitting::new(facts.size, slot, Density::ONE, FocalPoint::CENTRE).unwrap();
    let raster = render(&picture, &fitting).unwrap();
    (facts, raster)
}

/// The largest difference of a channel between what came out and what was drawn.
fn worst(got: &Raster, want: &Raster) -> u8 {
    assert_eq!(got.size(), want.size());
    let (got, want) = (got.flattened([255; 3]), want.flattened([255; 3]));
    got.data().iter().zip(want.data()).map(|(a, b)| a.abs_diff(*b)).max().unwrap()
}

fn drawn() -> Raster {
    gradient(SIZE.width, SIZE.height)
}

/// The picture with a transparent left half.
fn half_seen() -> Raster {
    let drawn = drawn();
    let rgba = drawn.data().chunks_exact(3).enumerate().flat_map(|(n, p)| {
        let seen = if n % 96 < 48 { 0 } else { 255 };
        [p[0], p[1], p[2], seen]
    });
    Raster::new(SIZE, Channels::Rgba, rgba.collect())
}

fn tiff(data: &[u8], colour: ExtendedColorType) -> Vec<u8> {
    let mut file = Cursor::new(Vec::new());
    TiffEncoder::new(&mut file).write_image(data, SIZE.width, SIZE.height, colour).unwrap();
    file.into_inner()
}

/// A Windows bitmap of 24 bits, its rows from the bottom as the format wants them.
fn bmp(raster: &Raster) -> Vec<u8> {
    let Size { width, height } = raster.size();
    let mut file = b"BM".to_vec();
    let words =
        [54 + width * height * 3, 0, 54, 40, width, height, 24 << 16 | 1, 0, 0, 2835, 2835, 0, 0];
    file.extend(words.iter().flat_map(|word: &u32| word.to_le_bytes()));
    for row in raster.data().chunks_exact(raster.stride()).rev() {
        file.extend(row.chunks_exact(3).flat_map(|p| [p[2], p[1], p[0]]));
    }
    file
}

fn gif(frames: u32, raster: &Raster) -> Vec<u8> {
    let mut file = Vec::new();
    let (width, height) = (raster.size().width as u16, raster.size().height as u16);
    let mut encoder = gif::Encoder::new(&mut file, width, height, &[]).unwrap();
    let mut frame = gif::Frame::from_rgb(width, height, raster.data());
    for _ in 0..frames {
        encoder.write_frame(&frame).unwrap();
        frame.delay = 4;
    }
    drop(encoder);
    file
}

fn png(
    colour: png::ColorType,
    depth: png::BitDepth,
    data: &[u8],
    palette: Option<Vec<u8>>,
) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, SIZE.width, SIZE.height);
    encoder.set_color(colour);
    encoder.set_depth(depth);
    if let Some(palette) = palette {
        encoder.set_palette(palette);
    }
    encoder.write_header().unwrap().write_image_data(data).unwrap();
    file
}

fn wide(data: &[u8]) -> Vec<u8> {
    data.iter().flat_map(|&v| (u16::from(v) * 257).to_ne_bytes()).collect()
}

#[test]
fn lossless_formats_come_in_with_exactly_the_drawn_pixels() {
    let drawn = drawn();
    let rgb = ExtendedColorType::Rgb8;
    for (file, format) in [
        (bmp(&drawn), SourceFormat::Bmp),
        (tiff(drawn.data(), rgb), SourceFormat::Tiff),
        (tiff(&wide(drawn.data()), ExtendedColorType::Rgb16), SourceFormat::Tiff),
    ] {
        let (facts, got) = pixels(&file);
        assert_eq!((facts.format, facts.size, facts.has_alpha), (format, SIZE, false));
        assert_eq!(worst(&got, &drawn), 0, "{format}");
    }
    let seen = half_seen();
    let mut icon = Vec::new();
    let encoder = IcoEncoder::new(&mut icon);
    encoder.write_image(seen.data(), SIZE.width, SIZE.height, ExtendedColorType::Rgba8).unwrap();
    let mut lossless = Vec::new();
    let encoder = WebPEncoder::new_lossless(&mut lossless);
    encoder.write_image(seen.data(), SIZE.width, SIZE.height, ExtendedColorType::Rgba8).unwrap();
    for (file, format) in [(icon, SourceFormat::Ico), (lossless, SourceFormat::Webp)] {
        let (facts, got) = pixels(&file);
        assert_eq!((facts.format, facts.has_alpha), (format, true));
        assert_eq!(worst(&got, &seen), 0, "{format}");
    }
}

#[test]
fn grey_palette_and_sixteen_bit_pictures_come_out_right() {
    let drawn = drawn();
    let grey: Vec<u8> = drawn.data().chunks_exact(3).map(|p| p[0]).collect();
    let grey_rgb = Raster::new(SIZE, Channels::Rgb, grey.iter().flat_map(|&v| [v; 3]).collect());
    // PNG counts sixteen bits from the high byte.
    let deep: Vec<u8> = drawn.data().iter().flat_map(|&v| [v, v]).collect();
    let indices: Vec<u8> = (0..96 * 64).map(|n| (n % 96 / 32) as u8).collect();
    let palette = vec![200, 30, 40, 20, 160, 60, 10, 20, 250];
    let indexed = indices.iter().flat_map(|&n| palette[usize::from(n) * 3..][..3].to_vec());
    let indexed = Raster::new(SIZE, Channels::Rgb, indexed.collect());
    use png::{BitDepth::*, ColorType::*};
    for (what, file, want) in [
        ("grey PNG", png(Grayscale, Eight, &grey, None), &grey_rgb),
        ("16-bit PNG", png(Rgb, Sixteen, &deep, None), &drawn),
        ("palette PNG", png(Indexed, Eight, &indices, Some(palette.clone())), &indexed),
        ("grey TIFF", tiff(&grey, ExtendedColorType::L8), &grey_rgb),
        ("GIF", gif(1, &indexed), &indexed),
    ] {
        assert_eq!(worst(&pixels(&file).1, want), 0, "{what}");
    }
}

#[test]
fn sixteen_bits_and_one_go_through_every_format() {
    use png::{BitDepth::*, ColorType::*};
    let deep: Vec<u8> = drawn().data().iter().flat_map(|&v| [v, v]).collect();
    // Stripes of eight pixels, black and white.
    let stripes: Vec<u8> = (0..96 / 8 * 64).map(|n| if n % 2 == 0 { 0xFF } else { 0 }).collect();
    for (what, file) in [
        ("16 bits", png(Rgb, Sixteen, &deep, None)),
        ("1 bit", png(Grayscale, One, &stripes, None)),
    ] {
        let (_, raster) = pixels(&file);
        let metric = QualityMetric::new(raster.clone()).unwrap();
        let class = content_class(&raster);
        let (extras, stop) = (Extras::default(), &choosing::never);
        let choosing = Choosing {
            hints: Hints::NONE,
            encoders: (&CODECS).into(),
            metric: &metric,
            moving: None,
            class,
            extras: &extras,
            stop,
        };
        for format in Format::OWN {
            let chosen = choosing.choose(format, QualityTarget::Grade(Grade::Good), None).unwrap();
            let got = CODECS.decode(format, &chosen.trial.bytes).unwrap();
            assert_eq!(got.size(), SIZE, "{what} as {format}");
            // A palette of 256 colours may be too few for a drawing of 6,000.
            let reached = metric.score(&got).unwrap() >= Grade::Good.target();
            assert!(reached || format == Format::Gif, "{what} as {format}: {chosen:?}");
        }
    }
}

#[test]
fn lossy_files_are_read_as_other_decoders_read_them() {
    let drawn = drawn();
    let file = encoded(&drawn, Format::Webp, 90);
    let (_, got) = pixels(&file);
    // Reference: libwebp, which did not decode what is tested.
    let mut size = (0, 0);
    // SAFETY: the library reads `len` bytes, and what it returns is copied before it is freed.
    let reference = unsafe {
        let decoded =
            libwebp_sys::WebPDecodeRGB(file.as_ptr(), file.len(), &mut size.0, &mut size.1);
        let copy = std::slice::from_raw_parts(decoded, SIZE.pixels() as usize * 3).to_vec();
        libwebp_sys::WebPFree(decoded.cast());
        copy
    };
    let reference = Raster::new(SIZE, Channels::Rgb, reference);
    assert!(worst(&got, &reference) <= 2, "{}", worst(&got, &reference));

    let (facts, got) = pixels(&encoded(&drawn, Format::Avif, 95));
    assert_eq!((facts.format, facts.size), (SourceFormat::Avif, SIZE));
    assert!(worst(&got, &drawn) <= 8, "{}", worst(&got, &drawn));
    let (facts, got) = pixels(&encoded(&half_seen(), Format::Avif, 95));
    assert!(facts.has_alpha);
    let alpha = |x: usize| got.data()[(30 * 96 + x) * 4 + 3];
    assert!(alpha(20) < 8 && alpha(80) > 247, "{} {}", alpha(20), alpha(80));
}

#[test]
fn print_colours_are_mixed_as_inks() {
    // A quarter each of cyan, magenta, yellow and half black; 255 stands for no ink.
    let inks = [[0, 255, 255, 255], [255, 0, 255, 255], [255, 255, 0, 255], [255, 255, 255, 128]];
    let data: Vec<u8> = (0..96 * 64).flat_map(|n| inks[n % 96 / 24]).collect();
    let mut jpeg = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_CMYK);
    jpeg.set_size(96, 64);
    jpeg.set_quality(95.0);
    let mut jpeg = jpeg.start_compress(Vec::new()).unwrap();
    jpeg.write_scanlines(&data).unwrap();
    let (_, got) = pixels(&jpeg.finish().unwrap());
    for (place, want) in
        [(12, [0, 255, 255]), (36, [255, 0, 255]), (60, [255, 255, 0]), (84, [128; 3])]
    {
        let pixel = got.crop(Rect { x: place, y: 30, width: 1, height: 1 });
        let near = pixel.data().iter().zip(want).all(|(a, b)| a.abs_diff(b) <= 4);
        assert!(near, "{:?} for {want:?}", pixel.data());
    }
}

#[test]
fn a_picture_is_turned_upright_whatever_holds_it() {
    let exif = |tag: u8| {
        let mut block = b"II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".to_vec();
        block.extend([tag, 0, 0, 0, 0, 0, 0, 0]);
        block
    };
    let drawn = drawn();
    for tag in 1..=8 {
        let mut file = Vec::new();
        let mut encoder = WebPEncoder::new_lossless(&mut file);
        encoder.set_exif_metadata(exif(tag)).unwrap();
        encoder
            .write_image(drawn.data(), SIZE.width, SIZE.height, ExtendedColorType::Rgb8)
            .unwrap();
        let (facts, got) = pixels(&file);
        // Reference: the image crate's own turning.
        let mut want = image::DynamicImage::ImageRgb8(
            image::RgbImage::from_raw(96, 64, drawn.data().to_vec()).unwrap(),
        );
        want.apply_orientation(image::metadata::Orientation::from_exif(tag).unwrap());
        assert_eq!(facts.size, Size::new(want.width(), want.height()), "{tag}");
        assert_eq!(got.data(), want.into_rgb8().as_raw().as_slice(), "{tag}");
    }
}

#[test]
fn animations_are_counted_however_long_and_their_first_picture_is_shown() {
    let small = gradient(8, 8);
    let (facts, got) = pixels(&gif(5_000, &small));
    assert_eq!(facts.frames, 5_000);
    assert!(worst(&got, &small) <= 8);

    let mut moving = Vec::new();
    let mut encoder = png::Encoder::new(&mut moving, 96, 64);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_animated(3, 0).unwrap();
    let mut writer = encoder.write_header().unwrap();
    for _ in 0..3 {
        writer.write_image_data(drawn().data()).unwrap();
    }
    writer.finish().unwrap();
    let (facts, got) = pixels(&moving);
    assert_eq!((facts.frames, worst(&got, &drawn())), (3, 0));
    let look = analyse(&Original::open(&CODECS, &moving).unwrap()).unwrap();
    assert_eq!(look.class, ContentClass::Animation);
}

#[test]
fn a_drawing_has_a_size_of_its_own_and_any_number_of_pixels() {
    let drawing = br##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 20">
        <rect width="30" height="20" fill="#0b5457"/></svg>"##;
    let picture = Original::open(&CODECS, drawing).unwrap();
    assert_eq!(
        (picture.facts().format, picture.facts().size),
        (SourceFormat::Svg, Size::new(30, 20))
    );
    assert_eq!(analyse(&picture).unwrap().class, ContentClass::Drawing);
    let (_, got) = pixels(drawing);
    assert_eq!(&got.data()[..4], [0x0B, 0x54, 0x57, 255]);
}

#[test]
fn what_breaks_off_or_claims_too_much_is_refused_in_every_format() {
    let drawn = drawn();
    let half = half_seen();
    let mut icon = Vec::new();
    let encoder = IcoEncoder::new(&mut icon);
    encoder.write_image(half.data(), SIZE.width, SIZE.height, ExtendedColorType::Rgba8).unwrap();
    for (format, file) in [
        (SourceFormat::Webp, encoded(&drawn, Format::Webp, 80)),
        (SourceFormat::Avif, encoded(&drawn, Format::Avif, 80)),
        (SourceFormat::Gif, gif(2, &drawn)),
        (SourceFormat::Tiff, tiff(drawn.data(), ExtendedColorType::Rgb8)),
        (SourceFormat::Bmp, bmp(&drawn)),
        (SourceFormat::Ico, icon),
        (
            SourceFormat::Svg,
            b"<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><g/></svg>"
                .to_vec(),
        ),
    ] {
        for percent in [20, 55, 90] {
            let part = &file[..file.len() * percent / 100];
            let found = Original::open(&CODECS, part).and_then(|p| Ok(p.verify()?));
            assert!(found.is_err(), "{format} at {percent} %");
        }
    }
    // A claim of 3 GB in a file of a few bytes: the width and height of the first directory.
    let mut claim = tiff(drawn.data(), ExtendedColorType::Rgb8);
    let directory = u32::from_le_bytes(claim[4..8].try_into().unwrap()) as usize;
    for entry in 0..2 {
        let at = directory + 2 + 12 * entry;
        claim[at + 2..at + 12].copy_from_slice(&[4, 0, 1, 0, 0, 0, 0x60, 0x79, 0, 0]);
    }
    let refused = Original::open(&CODECS, &claim).err().unwrap();
    assert!(
        matches!(refused, PictureError::TooManyPixels(_) | PictureError::Codec(_)),
        "{refused}"
    );
    assert_eq!(
        Original::open(&CODECS, &gif(1, &drawn)[..30]).err(),
        Some(PictureError::Codec(CodecError::Truncated(SourceFormat::Gif)))
    );
}

//! Files that were damaged at random: every decoder answers, and never with a crash.

use crate::CODECS;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::svg;
use brisk_margin_imaging::motion::{Frame, Motion};
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::render::preview;
use brisk_margin_testing::pictures::{encoded, gradient, oriented};
use image::ImageEncoder;
use proptest::prelude::*;

/// A small file of each kind that is read.
fn files() -> Vec<Vec<u8>> {
    let raster = gradient(48, 36);
    let rgb = image::ExtendedColorType::Rgb8;
    let with = |write: &dyn Fn(&mut std::io::Cursor<Vec<u8>>)| {
        let mut file = std::io::Cursor::new(Vec::new());
        write(&mut file);
        file.into_inner()
    };
    let tiff = with(&|file| {
        let encoder = image::codecs::tiff::TiffEncoder::new(file);
        encoder.write_image(raster.data(), 48, 36, rgb).unwrap();
    });
    let bmp = with(&|file| {
        let encoder = image::codecs::bmp::BmpEncoder::new(file);
        encoder.write_image(raster.data(), 48, 36, rgb).unwrap();
    });
    let ico = with(&|file| {
        let encoder = image::codecs::ico::IcoEncoder::new(file);
        encoder.write_image(raster.data(), 48, 36, rgb).unwrap();
    });
    let svg = br##"<svg xmlns="http://www.w3.org/2000/svg" width="48" height="36">
        <path d="M4 4L40 30" stroke="#0a5a5a"/><text x="3" y="20">Dome</text></svg>"##;
    let mut files: Vec<Vec<u8>> =
        Format::OWN.map(|format| encoded(&raster, format, 70)).into_iter().collect();
    files.extend(
        [crate::files::LOSSLESS, crate::files::LOSSY, crate::files::ALPHA, crate::files::YCBCR]
            .map(<[u8]>::to_vec),
    );
    files.extend([oriented(&encoded(&raster, Format::Jpeg, 80), 6), tiff, bmp, ico, svg.to_vec()]);
    let frames = [80, 90, 100].map(|wide| Frame {
        raster: gradient(wide, 40).crop(Rect { x: 0, y: 0, width: 20, height: 15 }),
        millis: 40,
    });
    let motion = Motion { frames: frames.into(), loops: 0 };
    let moving = [Encoding::Webp(Quality::USUAL), Encoding::Gif];
    files.extend(
        moving.map(|encoding| CODECS.encode_motion(&motion, encoding, &Extras::default()).unwrap()),
    );
    files
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn damage_is_answered_in_words(
        which in 0usize..16,
        damage in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..12),
        keep in 0.2f64..=1.0,
    ) {
        let mut file = files().swap_remove(which);
        file.truncate((file.len() as f64 * keep) as usize);
        for (at, value) in damage {
            let at = at.index(file.len());
            file[at] = value;
        }
        let told = Original::open(&CODECS, &file).and_then(|picture| {
            picture.verify()?;
            // Sizes that damage made huge are refused, or cost their time elsewhere.
            if picture.facts().size.pixels() <= 1_000_000 {
                preview(&picture, 24)?;
                if picture.facts().frames > 1 && picture.facts().frames < 100 {
                    CODECS.decode_motion(picture.facts().format, &file)?;
                }
            }
            Ok(())
        });
        if let Err(error) = told {
            prop_assert!(error.to_string().len() > 20);
        }
        let _ = svg::draw(&file, Rect::whole(Size::new(48, 36)), Size::new(8, 6));
    }
}

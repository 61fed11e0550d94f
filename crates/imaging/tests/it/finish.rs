//! Edits, from an original and a list to the pixels of the file: each of them held by a golden
//! picture, and all of them by what must be true of any list.
//!
//! The golden pictures stand in `tests/it/golden`. Written anew with `WRITE_GOLDEN=1`, they are to be
//! looked at before they are committed.

use std::path::PathBuf;

use crate::CODECS;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::plan::{CropSpec, Plan};
use brisk_margin_core::edits::text::{Align, Behind, Font, TextBlock, Weight};
use brisk_margin_core::edits::values::{Along, Colour, Ground, Length, Of, Spot};
use brisk_margin_core::edits::{Corners, Edit, EditList};
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::issue::{Evidence, IssueKind, IssuePlace};
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::Density;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::edited::render::{
    Logos, Pixels, Rendered, TextContrast, ToneCurves, draw, render,
};
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::own_colours::OwnColours;
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_testing::pictures::{encoded, gradient, oriented};
use proptest::prelude::*;

const DEEP: Colour = Colour([20, 40, 60]);
const SAND: Colour = Colour([230, 200, 150]);

/// A dusk over hills with a bright disc, fine lines and noise: something for every edit to change.
fn scene() -> Raster {
    let (width, height) = (240u32, 160u32);
    let mut noise = 12_345u32;
    let mut data = Vec::new();
    for y in 0..height {
        for x in 0..width {
            noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let grain = (noise >> 28) as i32 - 8;
            let hill = 110 + (24.0 * (f64::from(x) / 34.0).sin()) as i32 / 2;
            let (dx, dy) = (x as i32 - 170, y as i32 - 45);
            let colour = if dx * dx + dy * dy < 26 * 26 {
                [244, 238, 214]
            } else if y as i32 > hill {
                if x % 12 < 2 { [120, 96, 60] } else { [38, 52, 40] }
            } else {
                [30 + y as i32, 44 + y as i32 / 2, 96 - y as i32 / 4]
            };
            data.extend(colour.map(|shade| (shade + grain).clamp(0, 255) as u8));
        }
    }
    Raster::new(Size::new(width, height), Channels::Rgb, data)
}

fn picture_px(px: f64) -> Length {
    Length { px, of: Of::Picture }
}

fn css(px: f64) -> Length {
    Length { px, of: Of::Css }
}

fn spot(across: Along, down: Along, x: f64, y: f64) -> Spot {
    Spot { across, down, x: css(x), y: css(y) }
}

fn text(behind: Behind) -> TextBlock {
    TextBlock {
        text: "Star walks\nevery clear Friday".to_owned(),
        font: Font::Sans,
        weight: Weight::Bold,
        size: css(13.0),
        colour: Colour::WHITE,
        at: spot(Along::Start, Along::End, 8.0, 8.0),
        align: Align::Left,
        width: 80.0,
        leading: 1.2,
        behind,
    }
}

fn finish(edits: impl IntoIterator<Item = Edit>) -> EditList {
    EditList::new(edits.into_iter().map(Into::into).collect()).unwrap()
}

fn logos() -> Logos {
    let disc = (0..40 * 40).flat_map(|n| {
        let (x, y) = (n % 40 - 20, n / 40 - 20);
        if x * x + y * y < 380 { [240, 170, 40, 255] } else { [0; 4] }
    });
    [("a".repeat(64), Raster::new(Size::new(40, 40), Channels::Rgba, disc.collect()))].into()
}

/// The scene with `finish` in a slot of 120 × 90 CSS pixels.
fn shown(finish: &EditList) -> Rendered {
    in_slot(&scene(), finish, SlotShape::new(120.0, 90.0, Fit::Cover).unwrap(), 1.0)
}

fn in_slot(source: &Raster, finish: &EditList, slot: SlotShape, density: f64) -> Rendered {
    let canvas = Canvas::new(source.size(), finish).unwrap();
    let density = Density::new(density).unwrap();
    let focal = FocalPoint::new(0.7, 0.4).unwrap();
    let plan = Plan::new(&canvas, finish, slot, density, &CropSpec::at(focal)).unwrap();
    draw(
        Pixels::copy(source, source.size()),
        &canvas,
        finish,
        &ToneCurves::of(finish),
        &plan,
        &logos(),
    )
    .unwrap()
}

/// Holds `raster` against the golden picture `name`.
fn golden(name: &str, raster: &Raster) {
    let path =
        PathBuf::from(env!("CARGO_MANIFEST_DIR")).join(format!("tests/it/golden/{name}.png"));
    if std::env::var_os("WRITE_GOLDEN").is_some() {
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, png::encode_fast(raster).unwrap()).unwrap();
    }
    let kept = png::decode(&std::fs::read(&path).unwrap()).unwrap();
    assert_eq!((kept.size(), kept.channels()), (raster.size(), raster.channels()), "{name}");
    let worst = kept.data().iter().zip(raster.data()).map(|(a, b)| a.abs_diff(*b)).max();
    // Another processor may round a sum the other way.
    assert!(worst <= Some(1), "{name} is off by {worst:?}");
}

/// A block in letters that join, large enough to be read.
fn script(words: &str, align: Align) -> TextBlock {
    TextBlock {
        text: words.into(),
        size: css(20.0),
        align,
        at: spot(Along::Middle, Along::Middle, 0.0, 0.0),
        ..text(Behind::Nothing)
    }
}

#[test]
fn each_edit_gives_its_golden_picture() {
    let fill = Corners::Fill(Ground::of(SAND));
    let canvas =
        |left, top, right, bottom, ground| Edit::Canvas { left, top, right, bottom, ground };
    let wash = |to| Edit::Wash { from: DEEP, to, degrees: 135.0, percent: 55.0 };
    let logo = Edit::Logo {
        image: "a".repeat(64),
        at: spot(Along::End, Along::Start, 6.0, 6.0),
        width: css(24.0),
        opacity: 80.0,
    };
    let backing = Behind::Backing { colour: DEEP, percent: 70.0, room: 0.5 };
    let shadow = Behind::Shadow { colour: Colour::BLACK, soft: 0.4 };
    let serif = TextBlock {
        font: Font::Serif,
        weight: Weight::Regular,
        align: Align::Middle,
        at: spot(Along::Middle, Along::Middle, 0.0, 0.0),
        ..text(shadow)
    };
    for (name, edits) in [
        ("plain", vec![]),
        ("turn", vec![Edit::Turn { quarters: 1 }]),
        ("flip", vec![Edit::Flip { across: true, down: false }]),
        ("straighten-cut", vec![Edit::Straighten { degrees: 7.5, corners: Corners::Cut }]),
        ("straighten-fill", vec![Edit::Straighten { degrees: -12.0, corners: fill }]),
        ("canvas-trim", vec![canvas(-60, -20, -10, -30, Ground::TRANSPARENT)]),
        ("canvas-extend", vec![canvas(15, 31, 15, 0, Ground::of(SAND))]),
        ("exposure", vec![Edit::Exposure { stops: 0.8 }]),
        ("contrast", vec![Edit::Contrast { percent: 35.0 }]),
        ("points", vec![Edit::Points { black: 12.0, white: 85.0 }]),
        ("saturation", vec![Edit::Saturation { percent: 60.0 }]),
        ("temperature", vec![Edit::Temperature { mireds: 40.0 }]),
        ("greyscale", vec![Edit::Greyscale { percent: 100.0 }]),
        ("wash", vec![wash(None)]),
        ("wash-run", vec![wash(Some(SAND))]),
        ("sharpen", vec![Edit::Sharpen { percent: 120.0, radius: 0.8 }]),
        ("darken", vec![Edit::Darken { percent: 70.0, reach: 30.0 }]),
        ("padding", vec![Edit::Padding { width: css(9.0), ground: Ground::of(SAND) }]),
        ("border", vec![Edit::Border { width: picture_px(5.0), colour: SAND }]),
        ("logo", vec![logo]),
        ("text", vec![Edit::Text(text(Behind::Nothing))]),
        ("text-backing", vec![Edit::Text(text(backing))]),
        ("text-serif-shadow", vec![Edit::Text(serif)]),
        ("text-arabic", vec![Edit::Text(script("سماء الليل صافية", Align::Right))]),
        ("text-devanagari", vec![Edit::Text(script("रात्रि का आकाश", Align::Middle))]),
        ("text-ligatures", vec![Edit::Text(script("office fluff, finally", Align::Left))]),
        ("text-both-ways", vec![Edit::Text(script("Ada שלום 42", Align::Left))]),
        ("corners", vec![Edit::Corners { radius: css(20.0) }]),
    ] {
        golden(name, &shown(&finish(edits)).raster);
    }
}

#[test]
fn without_edits_both_ways_of_rendering_give_the_same_bytes() {
    let source = scene();
    for (slot, density) in [((120.0, 90.0), 1.0), ((97.3, 41.9), 1.5), ((240.0, 160.0), 1.0)] {
        let slot = SlotShape::new(slot.0, slot.1, Fit::Cover).unwrap();
        let file = png::encode_fast(&source).unwrap();
        let picture = Original::open(&CODECS, &file).unwrap();
        let density = Density::new(density).unwrap();
        let aim = CropSpec::at(FocalPoint::new(0.7, 0.4).unwrap());
        let canvas = Canvas::plain(source.size());
        let plan = Plan::new(&canvas, &EditList::default(), slot, density, &aim).unwrap();
        let plain = brisk_margin_imaging::render::render(&picture, &plan.fitting).unwrap();
        let worked = render(&picture, &canvas, &EditList::default(), &plan, &logos()).unwrap();
        let worst =
            plain.data().iter().zip(worked.raster.data()).map(|(a, b)| a.abs_diff(*b)).max();
        assert!(worst <= Some(1), "{worst:?} at {slot:?}");
        assert_eq!(plain.size(), worked.raster.size());
    }
}

#[test]
fn the_turn_of_a_camera_and_the_users_own_add_up() {
    let upright = gradient(160, 90);
    let file = encoded(&upright, Format::Jpeg, 95);
    let turned = oriented(&file, 6);
    let picture = Original::open(&CODECS, &turned).unwrap();
    assert_eq!(picture.facts().size, Size::new(90, 160));
    // Three quarters more bring it back to as it was stored.
    let back = finish([Edit::Turn { quarters: 3 }]);
    let canvas = Canvas::new(picture.facts().size, &back).unwrap();
    let plan = Plan::whole(&canvas, &back);
    let shown = render(&picture, &canvas, &back, &plan, &logos()).unwrap().raster;
    assert_eq!(shown.size(), upright.size());
    let worst = shown.data().iter().zip(upright.data()).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(worst <= Some(6), "only the JPEG differs: {worst:?}");
}

#[test]
fn a_preview_looks_like_the_file_made_smaller() {
    let source = scene();
    let list = finish([
        Edit::Straighten { degrees: 3.0, corners: Corners::Cut },
        Edit::Exposure { stops: 0.4 },
        Edit::Border { width: css(6.0), colour: SAND },
        Edit::Padding { width: css(8.0), ground: Ground::of(DEEP) },
    ]);
    let canvas = Canvas::new(source.size(), &list).unwrap();
    let slot = SlotShape::new(100.0, 60.0, Fit::Exact).unwrap();
    let aim = CropSpec::at(FocalPoint::CENTRE);
    let plan = Plan::new(&canvas, &list, slot, Density::new(2.0).unwrap(), &aim).unwrap();
    let pixels = Pixels::copy(&source, source.size());
    let file =
        draw(pixels, &canvas, &list, &ToneCurves::of(&list), &plan, &logos()).unwrap().raster;
    assert_eq!(file.size(), Size::new(200, 120), "exact is exact");
    let small =
        draw(pixels, &canvas, &list, &ToneCurves::of(&list), &plan.no_wider_than(100), &logos())
            .unwrap()
            .raster;
    let scaled = brisk_margin_imaging::resize::resize(
        &file,
        brisk_margin_imaging::resize::Region::whole(file.size()),
        small.size(),
    );
    let differences =
        scaled.data().iter().zip(small.data()).map(|(a, b)| f64::from(a.abs_diff(*b)));
    let mean = differences.sum::<f64>() / small.data().len() as f64;
    // Grain, which is finer than either, comes out differently.
    assert!(mean < 4.0, "off by {mean} on average");
}

#[test]
fn a_reduced_copy_frames_as_the_original_does() {
    let source = gradient(2_400, 1_600);
    let copy = brisk_margin_imaging::resize::resize(
        &source,
        brisk_margin_imaging::resize::Region::whole(source.size()),
        Size::new(600, 400),
    );
    let list = finish([
        Edit::Turn { quarters: 1 },
        Edit::Straighten { degrees: 4.0, corners: Corners::Cut },
        Edit::Canvas { left: -100, top: 0, right: 0, bottom: -50, ground: Ground::TRANSPARENT },
    ]);
    let canvas = Canvas::new(source.size(), &list).unwrap();
    let slot = SlotShape::new(90.0, 90.0, Fit::Cover).unwrap();
    let aim = CropSpec::at(FocalPoint::new(0.2, 0.8).unwrap());
    let plan = Plan::new(&canvas, &list, slot, Density::ONE, &aim).unwrap();
    let from = |raster: &Raster| {
        draw(
            Pixels::copy(raster, source.size()),
            &canvas,
            &list,
            &ToneCurves::of(&list),
            &plan,
            &logos(),
        )
        .unwrap()
        .raster
    };
    let (original, copied) = (from(&source), from(&copy));
    let worst = original.data().iter().zip(copied.data()).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(worst <= Some(2), "{worst:?}");
}

#[test]
fn a_wide_gamut_is_converted_before_anything_else_is_done() {
    // The same colours, once in sRGB and once written in Display P3's numbers.
    let srgb = gradient(64, 48);
    let p3_colours = OwnColours::display_p3(&Codecs::in_process());
    let unchanged = shown_of(&srgb, None);
    let p3 = shown_of(&srgb, Some(&p3_colours));
    // Display P3's red is a stronger one: read as sRGB, saturated pixels get stronger.
    let corner = |raster: &Raster| raster.data()[(64 - 1) * 3..64 * 3].to_vec();
    assert!(corner(&p3)[0] >= corner(&unchanged)[0] && corner(&p3) != corner(&unchanged));
    let mut expected = srgb.clone();
    p3_colours.convert(&mut expected).unwrap();
    let worst = p3.data().iter().zip(expected.data()).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(worst <= Some(1), "{worst:?}");
}

/// `raster` as a picture with a profile, rendered whole without edits.
fn shown_of(raster: &Raster, profile: Option<&OwnColours>) -> Raster {
    let canvas = Canvas::plain(raster.size());
    let none = EditList::default();
    let pixels = Pixels::with_profile(raster, profile);
    draw(pixels, &canvas, &none, &ToneCurves::of(&none), &Plan::whole(&canvas, &none), &logos())
        .unwrap()
        .raster
}

#[test]
fn a_text_tells_its_contrast_and_a_backing_mends_it() {
    let contrast = |behind| {
        let block = TextBlock {
            colour: SAND,
            at: spot(Along::End, Along::Start, 4.0, 12.0),
            ..text(behind)
        };
        let shown = shown(&finish([Edit::Text(block)]));
        let TextContrast { weakest, needed, .. } = shown.contrasts[0];
        let low = shown.issues.iter().any(|issue| issue.kind() == IssueKind::LowContrast);
        (weakest, needed, low)
    };
    // The text lies across the bright disc.
    let (bare, needed, is_low) = contrast(Behind::Nothing);
    assert!(bare < 1.6 && needed == 4.5 && is_low, "{bare}");
    let backing = Behind::Backing { colour: DEEP, percent: 95.0, room: 0.4 };
    let (backed, _, is_low) = contrast(backing);
    assert!(backed > 4.5 && !is_low, "{backed}");
}

#[test]
fn what_reaches_over_the_frame_or_is_gone_is_told() {
    let block = TextBlock { size: css(60.0), ..text(Behind::Nothing) };
    let gone = Edit::Logo {
        image: "b".repeat(64),
        at: spot(Along::Start, Along::Start, 0.0, 0.0),
        width: css(10.0),
        opacity: 100.0,
    };
    let large = Edit::Logo {
        image: "a".repeat(64),
        at: spot(Along::Start, Along::Start, 0.0, 0.0),
        width: css(80.0),
        opacity: 100.0,
    };
    let told = shown(&finish([Edit::Text(block), gone, large])).issues;
    let of = |step| {
        let place = IssuePlace::Edit { step };
        told.iter().filter(move |issue| issue.place == place).map(|issue| &issue.evidence)
    };
    assert!(
        of(0).any(|what| matches!(what, Evidence::CutOff { down, .. } if *down > 0)),
        "{told:?}"
    );
    assert!(of(1).eq([&Evidence::LogoGone]), "{told:?}");
    assert!(of(2).eq([&Evidence::LogoEnlarged { times: 2.0 }]), "{told:?}");
}

#[test]
fn transparency_has_no_halo_after_edits() {
    let data = (0..80 * 80).flat_map(|i| if i % 80 < 40 { [200, 40, 40, 255] } else { [0; 4] });
    let source = Raster::new(Size::new(80, 80), Channels::Rgba, data.collect());
    let list = finish([
        Edit::Straighten { degrees: 9.0, corners: Corners::Fill(Ground::TRANSPARENT) },
        Edit::Sharpen { percent: 100.0, radius: 1.0 },
    ]);
    let shown =
        in_slot(&source, &list, SlotShape::new(30.0, 30.0, Fit::Cover).unwrap(), 1.0).raster;
    let edge = shown.data().chunks_exact(4).filter(|p| (16..240).contains(&p[3]));
    assert!(edge.clone().count() > 10);
    // Sharpening may strengthen the red at an edge, never mix in the black behind it.
    for pixel in edge {
        assert!(pixel[0] > 150 && pixel[1] < 90, "{pixel:?}");
    }
}

#[test]
fn a_picture_one_pixel_wide_survives_every_edit() {
    for (width, height) in [(1, 20_000), (20_000, 1), (1, 1)] {
        let source = Raster::new(
            Size::new(width, height),
            Channels::Rgb,
            [90, 120, 30].repeat((width * height) as usize),
        );
        let list = finish([
            Edit::Straighten { degrees: 20.0, corners: Corners::Cut },
            Edit::Sharpen { percent: 50.0, radius: 1.0 },
            Edit::Darken { percent: 20.0, reach: 20.0 },
            Edit::Padding { width: css(3.0), ground: Ground::TRANSPARENT },
            Edit::Border { width: picture_px(2.0), colour: SAND },
            Edit::Text(text(Behind::Nothing)),
            Edit::Corners { radius: css(3.0) },
        ]);
        let slot = SlotShape::new(40.0, 30.0, Fit::Cover).unwrap();
        let size = in_slot(&source, &list, slot, 1.0).raster.size();
        assert!(size.width >= 1 && size.height >= 1);
    }
}

fn any_edit() -> impl Strategy<Value = Edit> {
    prop_oneof![
        (1u8..4).prop_map(|quarters| Edit::Turn { quarters }),
        any::<(bool, bool)>().prop_map(|(across, down)| Edit::Flip { across, down }),
        (-45.0..45.0f64, any::<bool>()).prop_map(|(degrees, cut)| Edit::Straighten {
            degrees,
            corners: if cut { Corners::Cut } else { Corners::Fill(Ground::of(SAND)) },
        }),
        (-20..40i32, -20..40i32, -20..40i32, -20..40i32).prop_map(|(left, top, right, bottom)| {
            Edit::Canvas { left, top, right, bottom, ground: Ground::of(DEEP) }
        }),
        (-2.0..2.0f64).prop_map(|stops| Edit::Exposure { stops }),
        (-100.0..99.0f64).prop_map(|percent| Edit::Contrast { percent }),
        (-90.0..90.0f64).prop_map(|mireds| Edit::Temperature { mireds }),
        (0.0..300.0f64, 0.3..3.0f64)
            .prop_map(|(percent, radius)| Edit::Sharpen { percent, radius }),
        (0.0..30.0f64).prop_map(|px| Edit::Padding { width: css(px), ground: Ground::of(SAND) }),
        (0.0..30.0f64).prop_map(|px| Edit::Border { width: picture_px(px), colour: SAND }),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn any_list_gives_exactly_the_slots_pixels_opaque_and_twice_the_same(
        edits in prop::collection::vec(any_edit(), 0..6),
        width in 8.0..90.0f64, height in 8.0..60.0f64, density in 1.0..2.0f64,
    ) {
        let Ok(list) = EditList::new(edits.into_iter().map(Into::into).collect()) else {
            return Ok(());
        };
        let source = scene();
        let canvas = Canvas::new(source.size(), &list).unwrap();
        let slot = SlotShape::new(width, height, Fit::Exact).unwrap();
        let aim = CropSpec::at(FocalPoint::new(0.3, 0.6).unwrap());
        let density = Density::new(density).unwrap();
        let Ok(plan) = Plan::new(&canvas, &list, slot, density, &aim) else {
            return Ok(());
        };
        let pixels = Pixels::copy(&source, source.size());
        let once = draw(pixels, &canvas, &list, &ToneCurves::of(&list), &plan, &logos()).unwrap();
        let needed = Size::new(slot.width().at(density).get(), slot.height().at(density).get());
        prop_assert_eq!(once.raster.size(), needed);
        prop_assert_eq!(once.raster.channels(), Channels::Rgb);
        prop_assert!(plan.fitting.crop.is_inside(canvas.size()));
        let again = draw(pixels, &canvas, &list, &ToneCurves::of(&list), &plan, &logos()).unwrap();
        prop_assert_eq!(once, again);
    }
}

#[test]
fn large_files_are_made_in_tiles_without_seams() {
    let source = gradient(2_600, 1_300);
    let list =
        finish([Edit::Sharpen { percent: 80.0, radius: 2.0 }, Edit::Exposure { stops: 0.1 }]);
    let canvas = Canvas::new(source.size(), &list).unwrap();
    let plan = Plan::whole(&canvas, &list);
    let whole = draw(
        Pixels::copy(&source, source.size()),
        &canvas,
        &list,
        &ToneCurves::of(&list),
        &plan,
        &logos(),
    )
    .unwrap();
    // A gradient rises everywhere: no step between neighbours is larger at the seams.
    let row = whole.raster.crop(Rect { x: 1_000, y: 640, width: 50, height: 1 });
    let reds: Vec<u8> = row.data().iter().step_by(3).copied().collect();
    assert!(reds.windows(2).all(|pair| pair[1].abs_diff(pair[0]) <= 1), "{reds:?}");
}

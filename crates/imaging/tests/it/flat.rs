//! Flat pictures: few colours, none lost, and what is clear.

use crate::CODECS;
use crate::desk::{Desk, scene, sign};
use brisk_margin_core::choice::{ChoiceOutcome, QualityTarget, worth_trying};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::Grade;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::Chosen;
use brisk_margin_imaging::raster::{Channels, Raster};

fn flat(raster: Raster) -> Desk {
    Desk { class: ContentClass::Graphic, ..Desk::new(raster) }
}

fn chosen(desk: &Desk, format: Format, grade: Grade) -> Chosen {
    desk.choosing().choose(format, QualityTarget::Grade(grade), None).unwrap()
}

/// A round logo of two colours on nothing, with soft edges and a soft shadow.
fn logo(side: u32) -> Raster {
    let middle = f64::from(side) / 2.0;
    let pixels = (0..side).flat_map(|y| (0..side).map(move |x| (f64::from(x), f64::from(y))));
    let data = pixels.flat_map(|(x, y)| {
        let out = (x - middle).hypot(y - middle) - middle * 0.7;
        let colour = if x < middle { [14, 90, 90] } else { [200, 60, 30] };
        match out {
            ..0.0 => [colour[0], colour[1], colour[2], 255],
            _ => [20, 20, 20, (140.0 * (1.0 - out / (middle * 0.3))).clamp(0.0, 255.0) as u8],
        }
    });
    Raster::new(Size::new(side, side), Channels::Rgba, data.collect())
}

#[test]
fn a_png_under_a_cap_gives_up_colours() {
    let desk = Desk::new(scene(200, 150));
    let choosing = desk.choosing();
    let whole =
        choosing.choose(Format::Png, QualityTarget::Lossless, None).unwrap().trial.bytes.len();
    let cap = Bytes(whole as u64 / 3);
    let light = choosing.choose_under(Format::Png, cap).unwrap();
    assert!(Bytes::of(&light.trial.bytes) <= cap);
    let colours = light.trial.encoding.colours().unwrap().get();
    assert!((16..=256).contains(&colours), "{colours} colours");
    let tiny = choosing.choose_under(Format::Png, Bytes(50)).unwrap();
    assert_eq!(tiny.outcome, ChoiceOutcome::OverCap { cap: Bytes(50) });
    assert_eq!(tiny.trial.encoding.colours().unwrap().get(), 16, "the smallest there is");
}

#[test]
fn flat_pictures_get_few_colours_or_none_lost() {
    let desk = Desk::new(sign(300, 200));
    let png = desk.choosing().choose(Format::Png, QualityTarget::Grade(Grade::Fine), None).unwrap();
    assert_eq!(png.outcome, ChoiceOutcome::Met);
    assert!(png.trial.bytes.len() < 4_000, "{} bytes", png.trial.bytes.len());
    let webp =
        desk.choosing().choose(Format::Webp, QualityTarget::Grade(Grade::Fine), None).unwrap();
    assert!(webp.trial.encoding.is_lossless(), "{:?}", webp.tried);
    let formats = [Format::Avif, Format::Webp, Format::Jpeg, Format::Png];
    assert_eq!(
        worth_trying(&formats, ContentClass::Graphic, true),
        [Format::Avif, Format::Webp, Format::Png]
    );
    assert_eq!(
        worth_trying(&formats, ContentClass::Photograph, false),
        [Format::Avif, Format::Webp, Format::Jpeg]
    );
    assert_eq!(worth_trying(&[Format::Jpeg], ContentClass::Text, false), [Format::Jpeg]);
}

#[test]
fn what_would_be_far_heavier_without_loss_is_not_made_so_in_vain() {
    let tries_lossless = |raster: Raster| {
        let desk = Desk { class: ContentClass::Graphic, ..Desk::new(raster) };
        let want = QualityTarget::Grade(Grade::Good);
        let chosen = desk.choosing().choose(Format::Webp, want, None).unwrap();
        (chosen.tried.iter().any(|point| point.encoding.is_lossless()), chosen.drafts)
    };
    assert_eq!(tries_lossless(scene(320, 200)), (false, 1));
    assert!(tries_lossless(sign(320, 200)).0);
}

#[test]
fn a_logo_with_soft_edges_has_few_colours_and_stays_soft() {
    let raster = logo(240);
    let desk = flat(raster.clone());
    for format in [Format::Png, Format::Webp] {
        let few = chosen(&desk, format, Grade::Fine);
        assert_eq!(few.outcome, ChoiceOutcome::Met);
        assert!(few.trial.encoding.palette().is_some(), "{}", few.trial.encoding);
        let whole = desk.choosing().choose(format, QualityTarget::Lossless, None).unwrap();
        let (few, whole) = (few.trial.bytes, whole.trial.bytes.len());
        assert!(few.len() * 4 < whole * 3, "{format}: {} of {whole}", few.len());
        let shown = CODECS.decode(format, &few).unwrap();
        let alphas = |raster: &Raster| -> Vec<u8> {
            raster.data().chunks_exact(4).map(|pixel| pixel[3]).collect()
        };
        for (alpha, kept) in alphas(&raster).into_iter().zip(alphas(&shown)) {
            assert!(alpha.abs_diff(kept) <= 20, "{format}: {alpha} became {kept}");
            assert_eq!(alpha == 0, kept == 0, "{format}: what is clear stays so, and nothing else");
        }
    }
}

#[test]
fn a_lossy_search_ends_once_a_flat_file_is_lighter_and_no_more_than_five_are_made() {
    for grade in Grade::ALL {
        let webp = chosen(&flat(logo(240)), Format::Webp, grade);
        let lossy = webp.tried.iter().filter(|point| point.encoding.quality().is_some());
        assert!(lossy.count() <= 2, "{grade:?}: {:?}", webp.tried);
        let busy = chosen(&flat(scene(240, 180)), Format::Webp, grade);
        let files = busy.tried.iter().filter(|point| point.bytes.is_some());
        assert!(files.count() <= 5, "{grade:?}: {:?}", busy.tried);
    }
}

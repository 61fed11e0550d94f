//! Files for dense screens: what they may lack at their own pixels, and what they keep as they are seen.

use brisk_margin_core::choice::{ChoiceOutcome, EncodeRequest, QualityTarget};
use brisk_margin_core::dense::Allowance;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::Grade;
use brisk_margin_core::units::Density;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::resize::{Region, resize};

use crate::desk::{Desk, scene, sign};

const POINTS: f64 = 10.0;

fn dense(format: Format) -> EncodeRequest {
    let view = Allowance::new(10).unwrap().at(Density::new(2.0).unwrap()).unwrap();
    EncodeRequest::Dense(format, Grade::Good, view, None)
}

fn as_seen(raster: &Raster) -> Raster {
    let Size { width, height } = raster.size();
    resize(raster, Region::whole(raster.size()), Size::new(width / 2, height / 2))
}

#[test]
fn a_file_for_two_device_pixels_is_lighter_and_good_as_it_is_seen() {
    // What is drawn of few colours weighs about the same at any quality, to within what five files tell.
    for (desk, most) in [(Desk::new(scene(480, 320)), 0.9), (Desk::new(sign(480, 320)), 1.02)] {
        let seen = QualityMetric::new(as_seen(desk.metric.raster())).unwrap();
        let choosing = desk.choosing();
        for format in [Format::Jpeg, Format::Webp, Format::Avif, Format::Png] {
            let good = QualityTarget::Grade(Grade::Good);
            let plain = choosing.choose(format, good, None).unwrap();
            let chosen = choosing.answer(dense(format)).unwrap();
            let what = format!("{format}: {:?}", chosen.tried);
            // A JPEG has no clear ground.
            if plain.outcome != ChoiceOutcome::Met {
                continue;
            }
            assert_eq!(chosen.outcome, ChoiceOutcome::Met, "{what}");
            let ratio = chosen.trial.bytes.len() as f64 / plain.trial.bytes.len() as f64;
            // Colours of a PNG go down by steps.
            let most = if format == Format::Png { 1.02 } else { most };
            assert!(ratio <= most, "{what}: {ratio}");
            assert!(chosen.encodes() <= plain.encodes().max(5), "{what}");
            let target = Grade::Good.target().0;
            assert!(chosen.trial.score.0 >= target - POINTS, "{what}");
            assert!(chosen.worst.score.0 >= Grade::Good.floor().0 - POINTS, "{what}");
            let score = seen.score(&as_seen(&chosen.trial.raster)).unwrap().0;
            assert!(score >= target, "{what}: seen {score}");
        }
    }
}

#[test]
fn what_is_too_small_to_be_scored_as_it_is_seen_is_judged_by_its_own_pixels() {
    let desk = Desk::new(scene(100, 100));
    let good = QualityTarget::Grade(Grade::Good);
    let plain = desk.choosing().choose(Format::Webp, good, None).unwrap();
    let chosen = desk.choosing().answer(dense(Format::Webp)).unwrap();
    assert_eq!(chosen.trial.bytes, plain.trial.bytes);
}

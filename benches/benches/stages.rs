//! What each stage of making a file takes, one thread, on a drawn picture of 960 × 600 pixels:
//! `cargo bench --manifest-path benches/Cargo.toml`.

use std::hint::black_box;

use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::Grade;
use brisk_margin_imaging::analysis::content_class;
use brisk_margin_imaging::choosing::{Choosing, Hints, never};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::render::render;
use brisk_margin_testing::pictures::{encoded, spots};
use criterion::{Criterion, criterion_group, criterion_main};

static CODECS: Codecs = Codecs::in_process();
static NOTHING: Extras = Extras { icc: None, xmp: None };
const FORMATS: [Format; 3] = [Format::Jpeg, Format::Webp, Format::Avif];

fn picture() -> Raster {
    spots(7, 960, 600)
}

fn at(format: Format) -> Encoding {
    Encoding::new(format, Quality::USUAL).expect("one of ours")
}

fn reading(criterion: &mut Criterion) {
    for format in FORMATS {
        let file = CODECS.encode(&picture(), at(format), &NOTHING).unwrap();
        criterion.bench_function(&format!("decode/{format}"), |bencher| {
            bencher.iter(|| CODECS.decode(format, black_box(&file)).unwrap());
        });
    }
    let large = encoded(&spots(7, 3_000, 2_000), Format::Jpeg, 92);
    let original = Original::open(&CODECS, &large).unwrap();
    let fitting = Fitting::whole(original.facts().size, Size::new(960, 640));
    criterion.bench_function("resize/a JPEG of 6 megapixels to 960", |bencher| {
        bencher.iter(|| render(black_box(&original), &fitting).unwrap());
    });
}

fn writing(criterion: &mut Criterion) {
    let picture = picture();
    let encodings = FORMATS.map(at).into_iter().chain([Encoding::WebpLossless, Encoding::Png]);
    for encoding in encodings {
        let way = if encoding.is_lossless() { "lossless" } else { "lossy" };
        criterion.bench_function(&format!("encode/{}, {way}", encoding.format()), |bencher| {
            bencher.iter(|| CODECS.encode(black_box(&picture), encoding, &NOTHING).unwrap());
        });
    }
    criterion.bench_function("encode/AVIF, a draft with its pixels", |bencher| {
        bencher.iter(|| CODECS.draft(black_box(&picture), at(Format::Avif)).unwrap());
    });
}

fn judging(criterion: &mut Criterion) {
    let metric = QualityMetric::new(picture()).unwrap();
    let file = CODECS.encode(&picture(), at(Format::Webp), &NOTHING).unwrap();
    let shown = CODECS.decode(Format::Webp, &file).unwrap();
    criterion.bench_function("score/the reference's half", |bencher| {
        bencher.iter(|| QualityMetric::new(black_box(picture())).unwrap());
    });
    criterion.bench_function("score/alone", |bencher| {
        bencher.iter(|| metric.score(black_box(&shown)).unwrap());
    });
    criterion.bench_function("score/rough differences", |bencher| {
        bencher.iter(|| metric.rough_differences(black_box(&shown)).unwrap());
    });
}

fn searching(criterion: &mut Criterion) {
    let metric = QualityMetric::new(picture()).unwrap();
    let choosing = Choosing {
        encoders: (&CODECS).into(),
        metric: &metric,
        moving: None,
        class: content_class(metric.raster()),
        hints: Hints::NONE,
        extras: &NOTHING,
        stop: &never,
    };
    for format in FORMATS {
        criterion.bench_function(&format!("search/{format} to good"), |bencher| {
            let good = QualityTarget::Grade(Grade::Good);
            bencher.iter(|| choosing.choose(format, good, None).unwrap());
        });
    }
}

criterion_group! {
    name = stages;
    config = Criterion::default().sample_size(10);
    targets = reading, writing, judging, searching
}
criterion_main!(stages);

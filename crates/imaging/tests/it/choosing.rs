//! Choosing encodings: grades, caps, lossless promises, what files carry, and odd pictures.

use crate::CODECS;
use crate::desk::{Desk, scene, sign};
use brisk_margin_core::choice::{ChoiceOutcome, QualityTarget, worth_trying};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::{Dithering, Encoding, Palette, PaletteSize, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::{ChoiceError, Choosing, Hints, Moving, never};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::{CodecError, png};
use brisk_margin_imaging::encode::EncodeError;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::motion::{Frame, Motion};
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_imaging::reading;
use brisk_margin_imaging::render::render_motion;
use brisk_margin_testing::pictures::{encoded, gradient, gradient_jpeg, oriented};

#[test]
fn each_grade_is_reached_by_hardly_more_than_it_takes_in_few_trials() {
    let desk = Desk::new(scene(480, 320));
    let choosing = desk.choosing();
    let (mut encodes, mut searches) = (0, 0);
    for format in [Format::Jpeg, Format::Webp, Format::Avif] {
        let mut last = u64::MAX;
        for grade in Grade::ALL {
            let chosen = choosing.choose(format, QualityTarget::Grade(grade), None).unwrap();
            let what = format!("{format} {}: {:?}", grade.name(), chosen.tried);
            assert_eq!(chosen.outcome, ChoiceOutcome::Met, "{what}");
            assert!(chosen.trial.score >= grade.target(), "{what}");
            assert!(chosen.worst.score >= grade.floor(), "{what}");
            assert!(chosen.encodes() <= 5, "{what}");
            // Either close above the target, or the next lower step would miss it.
            let spare = chosen.trial.score.0.min(chosen.worst.score.0 + 20.0) - grade.target().0;
            if spare >= Grade::band(chosen.tried.len()) {
                let lower = chosen.trial.encoding.quality().unwrap().get() - 2.0;
                let lower = Encoding::new(format, Quality::new(lower).unwrap()).unwrap();
                let trial = choosing.choose_one(lower).unwrap();
                let misses =
                    trial.trial.score < grade.target() || trial.worst.score < grade.floor();
                assert!(misses, "{what}: {lower} would have done");
            }
            assert!((chosen.trial.bytes.len() as u64) < last, "{what}");
            last = chosen.trial.bytes.len() as u64;
            encodes += chosen.encodes();
            searches += 1;
        }
    }
    assert!(f64::from(encodes) / f64::from(searches) <= 3.5, "{encodes} for {searches}");
}

/// The score of SSIMULACRA2 by an implementation that shares nothing with the one that grades go by.
fn score_by_others(reference: &Raster, file: &Raster) -> f64 {
    let linear = |raster: &Raster| {
        let shades = raster.data().chunks_exact(3);
        let pixels = shades.map(|rgb| [0, 1, 2].map(|n| f32::from(rgb[n]) / 255.0)).collect();
        let Size { width, height } = raster.size();
        let transfer = ssimulacra2::TransferCharacteristic::SRGB;
        let primaries = ssimulacra2::ColorPrimaries::BT709;
        ssimulacra2::Rgb::new(pixels, width as usize, height as usize, transfer, primaries).unwrap()
    };
    ssimulacra2::compute_frame_ssimulacra2(linear(reference), linear(file)).unwrap()
}

#[test]
fn another_implementation_of_the_score_finds_every_grade_kept() {
    let desk = Desk::new(scene(320, 240));
    for format in [Format::Jpeg, Format::Webp, Format::Avif] {
        for grade in Grade::ALL {
            let target = QualityTarget::Grade(grade);
            let trial = desk.choosing().choose(format, target, None).unwrap().trial;
            let theirs = score_by_others(desk.metric.raster(), &trial.raster);
            let what = format!("{format} {}: {theirs}, here {}", grade.name(), trial.score.0);
            assert!((theirs - trial.score.0).abs() < 0.5, "{what}");
            assert!(theirs > grade.target().0 - 0.5, "{what}");
        }
    }
}

#[test]
fn a_file_of_another_width_makes_a_search_shorter() {
    let class = ContentClass::Photograph;
    let (mut alone, mut told) = (0, 0);
    let (narrow, wide) = (Desk::new(scene(300, 200)), Desk::new(scene(450, 300)));
    for format in [Format::Jpeg, Format::Webp, Format::Avif] {
        let good = |desk: &Desk, hints| {
            let choosing = Choosing { class, hints, ..desk.choosing() };
            choosing.choose(format, QualityTarget::Grade(Grade::Good), None).unwrap()
        };
        let hints = Hints::NONE.and_of(class, &good(&narrow, Hints::NONE));
        alone += good(&wide, Hints::NONE).encodes();
        let chosen = good(&wide, hints);
        assert_eq!(chosen.outcome, ChoiceOutcome::Met, "{format}: {:?}", chosen.tried);
        assert_eq!(chosen.counted, Grade::Good.counting(chosen.trial.score, chosen.worst.score));
        told += chosen.encodes();
    }
    assert!(told < alone, "{told} instead of {alone}");
}

#[test]
fn a_draft_tells_nearly_what_its_file_will() {
    let desk = Desk::new(scene(480, 320));
    for quality in [45, 60, 75].map(|quality| Quality::new(quality).unwrap()) {
        let encoding = Encoding::Avif(quality);
        let draft = CODECS.draft(desk.metric.raster(), encoding).unwrap().unwrap();
        let lacking = 100.0 - desk.metric.score(&draft.shown).unwrap().0;
        let told = 100.0 - lacking / draft.lacks_more.exp();
        let file = desk.choosing().choose_one(encoding).unwrap().trial.score.0;
        assert!((told - file).abs() < 4.0, "{told} of {file} at {quality:?}");
    }
    let jpeg = Encoding::Jpeg(Quality::USUAL);
    assert!(CODECS.draft(desk.metric.raster(), jpeg).unwrap().is_none());
    let good = QualityTarget::Grade(Grade::Good);
    let drafts = |hints, format| {
        let choosing = Choosing { hints, ..desk.choosing() };
        choosing.choose(format, good, None).unwrap().drafts
    };
    let file = Encoding::Avif(Quality::USUAL);
    let told = Hints::NONE.and(ContentClass::Photograph, file, Score(70.0));
    assert!(drafts(Hints::NONE, Format::Avif) > 0);
    assert_eq!((drafts(told, Format::Avif), drafts(Hints::NONE, Format::Webp)), (0, 0));
}

#[test]
fn a_set_keeps_all_its_colours_where_its_first_file_does() {
    let desk = Desk::new(scene(240, 160));
    let quality = Quality::new(60).unwrap();
    let chosen = |encoding| {
        let hints = Hints::NONE.and(ContentClass::Photograph, encoding, Score(75.0));
        let choosing = Choosing { hints, ..desk.choosing() };
        choosing.choose(Format::Avif, QualityTarget::Grade(Grade::Good), None).unwrap().trial
    };
    let usual = Encoding::Avif(quality);
    let full = usual.with_full_chroma().unwrap();
    assert!(matches!(chosen(usual).encoding, Encoding::Avif(_)));
    assert!(matches!(chosen(full).encoding, Encoding::AvifFullChroma(_)));
}

#[test]
fn colours_of_thin_lines_last_at_full_resolution() {
    let line = |n: u32| if n % 64 % 32 == 3 { [110, 85, 90] } else { [80, 100, 90] };
    let lines =
        Raster::new(Size::new(64, 64), Channels::Rgb, (0..64 * 64).flat_map(line).collect());
    let redness = |encoding| {
        let file = CODECS.encode(&lines, encoding, &Extras::default()).unwrap();
        let shown = CODECS.decode(Format::Avif, &file).unwrap();
        i32::from(shown.data()[3 * 35]) - i32::from(shown.data()[3 * 35 + 1])
    };
    // Of few colours, so that the usual way is not at full resolution already.
    let usual = Encoding::Avif(Quality::new(80).unwrap());
    let (half, full) = (redness(usual), redness(usual.with_full_chroma().unwrap()));
    assert!(full > 15 && full > half + 10, "{full} beside {half} of 25");
}

#[test]
fn the_same_choice_gives_the_same_bytes() {
    let choose = || {
        let desk = Desk::new(scene(200, 140));
        desk.choosing()
            .choose(Format::Avif, QualityTarget::Grade(Grade::Good), None)
            .unwrap()
            .trial
            .bytes
    };
    assert_eq!(choose(), choose());
}

#[test]
fn a_cap_costs_score_and_says_so_or_tells_how_near_it_came() {
    let desk = Desk::new(scene(480, 320));
    let choosing = desk.choosing();
    let want = QualityTarget::Grade(Grade::Fine);
    let free = choosing.choose(Format::Webp, want, None).unwrap().trial;
    let cap = Bytes(free.bytes.len() as u64 / 2);
    let capped = choosing.choose(Format::Webp, want, Some(cap)).unwrap();
    assert!(Bytes::of(&capped.trial.bytes) <= cap);
    assert_eq!(capped.outcome, ChoiceOutcome::Capped { target: Score(85.0) });
    assert!(capped.trial.score < free.score);
    let aimed = choosing.choose_under(Format::Webp, cap).unwrap().trial;
    let near = aimed.bytes.len() as f64 / cap.get() as f64;
    assert!((0.85..=1.0).contains(&near), "{near} of the cap is used");

    let tiny = choosing.choose(Format::Jpeg, want, Some(Bytes(300))).unwrap();
    assert_eq!(tiny.outcome, ChoiceOutcome::OverCap { cap: Bytes(300) });
    assert_eq!(tiny.trial.encoding.quality().unwrap().whole(), 1, "the smallest there is");
}

#[test]
fn lossless_files_are_identical_and_a_format_without_such_a_kind_says_so() {
    for raster in [scene(90, 70), sign(90, 70)] {
        let desk = Desk::new(raster.clone());
        for format in [Format::Png, Format::Webp] {
            let chosen = desk.choosing().choose(format, QualityTarget::Lossless, None).unwrap();
            assert_eq!(chosen.trial.score, Score::SAME);
            let got = CODECS.decode(format, &chosen.trial.bytes).unwrap();
            assert!(got == raster, "{format}");
        }
        let refused = desk.choosing().choose(Format::Jpeg, QualityTarget::Lossless, None);
        assert_eq!(refused, Err(ChoiceError::NotLossless(Format::Jpeg)));
    }
}

#[test]
fn a_copied_jpeg_has_the_same_pixels_its_turn_and_none_of_its_metadata() {
    let original = oriented(&gradient_jpeg(321, 203), 6);
    let picture = Original::open(&CODECS, &original).unwrap();
    let copy = picture.lossless_copy(None).unwrap();
    assert!(copy.len() <= original.len(), "{} of {}", copy.len(), original.len());
    let read = |file: &[u8]| CODECS.decode(Format::Jpeg, file).unwrap();
    assert!(read(&copy) == read(&original));
    let copied = Original::open(&CODECS, &copy).unwrap();
    assert_eq!(copied.facts().size, Size::new(203, 321));
    let cut = &original[..original.len() - 40];
    let refused = Original::open(&CODECS, cut).unwrap().lossless_copy(None);
    assert!(refused.is_err(), "a picture with a hole is not copied");
}

#[test]
fn a_refiltered_png_keeps_its_sixteen_bits() {
    let mut file = Vec::new();
    let mut encoder = ::png::Encoder::new(&mut file, 64, 64);
    encoder.set_color(::png::ColorType::Rgb);
    encoder.set_depth(::png::BitDepth::Sixteen);
    encoder.add_text_chunk("Author".to_owned(), "Ada Fenn".to_owned()).unwrap();
    let data: Vec<u8> = (0..64 * 64 * 3u32).flat_map(|n| (n as u16).to_be_bytes()).collect();
    encoder.write_header().unwrap().write_image_data(&data).unwrap();
    let copy = Original::open(&CODECS, &file).unwrap().lossless_copy(None).unwrap();
    let mut reader = ::png::Decoder::new(std::io::Cursor::new(&copy)).read_info().unwrap();
    let mut kept = vec![0; reader.output_buffer_size().unwrap()];
    reader.next_frame(&mut kept).unwrap();
    assert_eq!(kept, data);
    assert!(!copy.windows(8).any(|part| part == b"Ada Fenn"));
    assert!(copy.len() < file.len());
}

#[test]
fn every_format_carries_its_credit_and_its_profile() {
    let xmp = br#"<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF/></x:xmpmeta>"#.to_vec();
    let icc = moxcms_profile();
    let extras = Extras { icc: Some(icc.clone()), xmp: Some(xmp.clone()) };
    let palette = Palette { colours: PaletteSize::new(16).unwrap(), dithering: Dithering::Off };
    for raster in [scene(40, 30), sign(40, 30)] {
        for encoding in [
            Encoding::Jpeg(Quality::USUAL),
            Encoding::Webp(Quality::USUAL),
            Encoding::WebpLossless,
            Encoding::Avif(Quality::USUAL),
            Encoding::Png,
            Encoding::PngPalette(palette),
            Encoding::WebpPalette(palette),
        ] {
            let file = CODECS.encode(&raster, encoding, &extras).unwrap();
            let picture = Original::open(&CODECS, &file).unwrap();
            assert_eq!(packet(&file).as_ref(), Some(&xmp), "{encoding}");
            assert_eq!(picture.icc(), Some(icc.as_slice()), "{encoding}");
            assert_eq!(CODECS.decode(encoding.format(), &file).unwrap().size(), raster.size());
            let plain = CODECS.encode(&raster, encoding, &Extras::default()).unwrap();
            let picture = Original::open(&CODECS, &plain).unwrap();
            assert_eq!((packet(&plain).as_ref(), picture.icc()), (None, None), "{encoding}");
        }
    }
}

#[test]
fn a_webp_is_copied_without_its_metadata() {
    let raster = gradient(40, 30);
    let xmp = b"<x:xmpmeta xmlns:x='adobe:ns:meta/'/>".to_vec();
    let icc = moxcms_profile();
    let told = Extras { icc: Some(icc.clone()), xmp: Some(xmp.clone()) };
    let webp = Encoding::Webp(Quality::USUAL);
    let file = CODECS.encode(&raster, webp, &told).unwrap();
    let copy = Original::open(&CODECS, &file).unwrap().lossless_copy(None).unwrap();
    let picture = Original::open(&CODECS, &copy).unwrap();
    assert_eq!((packet(&copy).as_ref(), picture.icc()), (None, Some(icc.as_slice())));
    assert_eq!(copy.len(), file.len() - xmp.len() - 8 - xmp.len() % 2);
    let shown = |file: &[u8]| CODECS.decode(Format::Webp, file).unwrap();
    assert_eq!(shown(&copy), shown(&file));
    // A credit goes into a plain one, too.
    let plain = CODECS.encode(&raster, webp, &Extras::default()).unwrap();
    let credited = Original::open(&CODECS, &plain).unwrap().lossless_copy(Some(&xmp)).unwrap();
    assert_eq!(packet(&credited), Some(xmp));
    assert_eq!(shown(&credited), shown(&plain));
}

/// The XMP packet in `file`.
fn packet(file: &[u8]) -> Option<Vec<u8>> {
    let format = reading::format_of(file).unwrap();
    reading::header(format, file).unwrap().0.blocks.xmp
}

fn moxcms_profile() -> Vec<u8> {
    moxcms::ColorProfile::new_display_p3().encode().unwrap()
}

#[test]
fn odd_pictures_go_through_every_format() {
    let clear = Raster::new(Size::new(9, 7), Channels::Rgba, vec![0; 9 * 7 * 4]);
    let even = Raster::new(Size::new(50, 3), Channels::Rgb, vec![77; 450]);
    let dot = Raster::new(Size::new(1, 1), Channels::Rgb, vec![1, 200, 3]);
    let hole = Raster::new(Size::new(1, 1), Channels::Rgba, vec![9, 9, 9, 0]);
    let wide = gradient(16_000, 2);
    for raster in [clear, even, dot, hole, wide] {
        let size = raster.size();
        let desk = Desk::new(raster.without_idle_alpha());
        for format in Format::OWN {
            let chosen = desk.choosing().choose(format, QualityTarget::Grade(Grade::Good), None);
            let chosen = chosen.unwrap_or_else(|error| panic!("{format} of {size}: {error}"));
            let got = CODECS.decode(format, &chosen.trial.bytes).unwrap();
            assert_eq!(got.size(), size, "{format}");
        }
    }
    let desk = Desk::new(gradient(20_000, 2));
    let refused =
        desk.choosing().choose(Format::Webp, QualityTarget::Grade(Grade::Good), None).unwrap_err();
    assert!(matches!(refused, ChoiceError::Encode(EncodeError::Size(_))), "{refused}");
    assert!(refused.to_string().contains("16383"), "{refused}");
}

#[test]
fn a_search_that_nobody_wants_stops_before_its_next_file() {
    let desk = Desk::new(scene(60, 40));
    let extras = Extras::default();
    let gone = || true;
    let choosing = Choosing {
        hints: Hints::NONE,
        encoders: (&CODECS).into(),
        metric: &desk.metric,
        moving: None,
        class: desk.class,
        extras: &extras,
        stop: &gone,
    };
    let ended = choosing.choose(Format::Jpeg, QualityTarget::Grade(Grade::Good), None);
    assert_eq!(ended, Err(ChoiceError::Cancelled));
}

#[test]
fn what_moves_keeps_its_frames_their_time_and_what_is_clear() {
    let frame = |shade: u8, clear: bool, millis| {
        // Wide enough for colour at half resolution.
        let pixel = |n: u32| match (n % 320, clear) {
            (0..32, true) => [0; 4],
            (32..160, _) => [shade, 80, 90, 255],
            _ => [200, 190, 170, 255],
        };
        let data = (0..320 * 120).flat_map(pixel).collect();
        let raster = Raster::new(Size::new(320, 120), Channels::Rgba, data).without_idle_alpha();
        Frame { raster, millis }
    };
    for clear in [false, true] {
        let motion = Motion {
            frames: vec![frame(10, clear, 80), frame(120, clear, 200), frame(120, clear, 120)],
            loops: 3,
        };
        for encoding in [Encoding::Gif, Encoding::Webp(Quality::new(90).unwrap())] {
            let file = CODECS.encode_motion(&motion, encoding, &Extras::default()).unwrap();
            let picture = Original::open(&CODECS, &file).unwrap();
            let fitting = Fitting::whole(picture.facts().size, picture.facts().size);
            let got = render_motion(&picture, &fitting).unwrap();
            let time =
                |motion: &Motion| motion.frames.iter().map(|f| u32::from(f.millis)).sum::<u32>();
            assert_eq!((time(&got), got.loops), (time(&motion), 3), "{encoding}");
            assert!(got.frames.len() >= 2, "{encoding}");
            let metric = QualityMetric::new(motion.frames[2].raster.clone()).unwrap();
            let last = &got.frames.last().unwrap().raster;
            assert_eq!(last.is_transparent(), clear, "{encoding}");
            let score = metric.score(last).unwrap();
            assert!(score > Score(80.0), "{encoding}: {score:?}");
        }
    }
}

#[test]
fn what_moves_reaches_its_grade_in_every_frame_or_says_what_it_cannot() {
    let frame = |n: usize| {
        let mut raster = scene(160, 120);
        let data = raster.data()[..].to_vec();
        // A lit square goes across.
        let data = data.chunks_exact(3).enumerate().flat_map(|(at, pixel)| {
            let (x, y) = (at % 160, at / 160);
            let lit = (n * 20..n * 20 + 30).contains(&x) && (40..70).contains(&y);
            if lit { [250, 240, 120] } else { [pixel[0], pixel[1], pixel[2]] }
        });
        raster = Raster::new(raster.size(), Channels::Rgb, data.collect());
        Frame { raster, millis: 120 }
    };
    let motion = Motion { frames: (0..6).map(frame).collect(), loops: 0 };
    assert_eq!((motion.middle_of(2), motion.shown_at(300)), (300, &motion.frames[2]));
    let worst = |file: &[u8], source| {
        let got = CODECS.decode_motion(source, file).unwrap();
        let judged = motion.frames.iter().enumerate().map(|(n, frame)| {
            let metric = QualityMetric::new(frame.raster.clone()).unwrap();
            metric.score(&got.shown_at(motion.middle_of(n)).raster).unwrap().0
        });
        judged.fold(f64::INFINITY, f64::min)
    };
    let moving = Moving::new(motion.clone()).unwrap();
    let choosing = Choosing {
        hints: Hints::NONE,
        encoders: (&CODECS).into(),
        metric: moving.first(),
        moving: Some(&moving),
        class: ContentClass::Animation,
        extras: &Extras::default(),
        stop: &never,
    };
    let webp = choosing.choose(Format::Webp, QualityTarget::Grade(Grade::Good), None).unwrap();
    assert_eq!(webp.outcome, ChoiceOutcome::Met);
    assert!(webp.encodes() <= 5);
    assert!(worst(&webp.trial.bytes, SourceFormat::Webp) >= Grade::Good.target().0 - 3.0);
    let gif = choosing.choose(Format::Gif, QualityTarget::Grade(Grade::Good), None).unwrap();
    assert_eq!(gif.encodes(), 1);
    let lossless = choosing.choose(Format::Webp, QualityTarget::Lossless, None).unwrap();
    assert_eq!(lossless.trial.encoding, Encoding::WebpLossless);
    let got = CODECS.decode_motion(SourceFormat::Webp, &lossless.trial.bytes).unwrap();
    for (n, frame) in motion.frames.iter().enumerate() {
        assert_eq!(got.shown_at(motion.middle_of(n)).raster, frame.raster, "frame {n}");
    }
    // A scene has more colours than a GIF.
    let gif = choosing.choose(Format::Gif, QualityTarget::Lossless, None).unwrap();
    assert_eq!(gif.outcome, ChoiceOutcome::Short { target: Score::SAME });
    let usual = [Format::Avif, Format::Webp, Format::Jpeg, Format::Png];
    let worth = worth_trying(&usual, ContentClass::Animation, false);
    assert_eq!(worth, [Format::Webp, Format::Gif]);
}

#[test]
fn a_file_with_another_ending_is_not_taken_for_a_picture() {
    let file = encoded(&scene(60, 40), Format::Avif, 60);
    let cut = &file[..file.len() / 2];
    let error = Original::open(&CODECS, cut).and_then(|picture| Ok(picture.verify()?)).unwrap_err();
    let text = error.to_string();
    assert!(text.contains("cut off") || text.contains("damaged"), "{text}");
    assert!(matches!(png::decode(b"\x89PNG\r\n\x1a\n"), Err(CodecError::Truncated(_))));
}

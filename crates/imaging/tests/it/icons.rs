//! Icons: masters that are drawn for it, small versions, and the files that are made.

use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::icon::design::{Help, IconDesign, IconSetting, TouchUps};
use brisk_margin_core::icon::legibility::Verdict;
use brisk_margin_core::icon::target::{IN_ICO, IconTarget, SAFE_RADIUS};
use brisk_margin_imaging::choosing::never;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::file::{Icons, USUAL};
use brisk_margin_imaging::icon::ico::entries;
use brisk_margin_imaging::icon::master::{Master, MasterError};
use brisk_margin_imaging::icon::served::{is_enlarged, served};
use brisk_margin_imaging::icon::small::small;
use brisk_margin_imaging::motion::{Frame, Motion};
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_imaging::resize::{Region, resize};
use brisk_margin_testing::pictures::gradient;

/// A dome with an open slit, filled: few wide parts.
pub const DOME: &str = r##"<path d="M40 380a216 216 0 0 1 432 0z" fill="#12304f"/>
    <rect x="20" y="380" width="472" height="70" fill="#12304f"/><path d="M236 150h60v200h-60z" fill="#f4d35e"/>"##;
/// The same in lines.
pub const LINES: &str = r##"<g fill="none" stroke="#12304f" stroke-width="22">
    <path d="M60 370a196 196 0 0 1 392 0z"/><path d="M226 190v160h60V190"/><path d="M40 430h432"/></g>"##;
/// A chart of stars in fine grey lines.
pub const CHART: &str = r##"<g fill="none" stroke="#9aa4ad" stroke-width="5"><circle cx="256" cy="256" r="240"/>
    <circle cx="256" cy="256" r="190"/><circle cx="256" cy="256" r="140"/><circle cx="256" cy="256" r="90"/>
    <path d="M16 256h480M256 16v480M86 86l340 340M426 86L86 426M164 36l184 440M36 164l440 184M348 36L164 476M476 164L36 348"/></g>
    <g fill="#9aa4ad"><circle cx="140" cy="160" r="7"/><circle cx="330" cy="120" r="6"/><circle cx="360" cy="350" r="8"/></g>"##;

pub fn svg(inner: &str) -> Vec<u8> {
    format!("<svg xmlns='http://www.w3.org/2000/svg' width='512' height='512' viewBox='0 0 512 512'>{inner}</svg>")
        .into_bytes()
}

fn on_paper(inner: &str) -> Vec<u8> {
    svg(&format!("<rect width='512' height='512' fill='#faf8f2'/>{inner}"))
}

fn master(file: &[u8]) -> Result<Master, MasterError> {
    let codecs = Codecs::in_process();
    let original = Original::open(&codecs, file).unwrap();
    let Size { width, height } = original.facts().size;
    let side = width.min(height);
    let square = Rect { x: (width - side) / 2, y: (height - side) / 2, width: side, height: side };
    Master::read(&original, square)
}

fn icons<'a>(design: &'a IconDesign, master: &'a Master) -> Icons<'a> {
    Icons { design, master, small: None, dark: None, want: USUAL }
}

#[test]
fn marks_are_readable_borderline_or_lost_as_they_were_drawn_to_be() {
    for file in [svg, on_paper] {
        let at_16 = |inner: &str| {
            let small = small(&master(&file(inner)).unwrap(), 16, &[]);
            small.plain_legibility[0]
        };
        let (dome, lines, chart) = (at_16(DOME), at_16(LINES), at_16(CHART));
        let verdicts = [dome, lines, chart].map(|one| one.verdict);
        assert_eq!(verdicts, [Verdict::Readable, Verdict::Borderline, Verdict::Lost]);
        assert!(dome.score > lines.score + 20.0 && lines.score > chart.score + 20.0);
    }
}

#[test]
fn what_is_proposed_beats_the_plain_version_and_can_be_set_aside() {
    for inner in [LINES, CHART] {
        let master = master(&on_paper(inner)).unwrap();
        for size in [16, 20, 24] {
            let proposed = small(&master, size, &[]);
            let gained = proposed.legibility[0].score - proposed.plain_legibility[0].score;
            assert!(gained > 15.0, "{size}: {gained}");
            assert!(proposed.helps.contains(&Help::Thicken), "{:?}", proposed.helps);
            let without = small(&master, size, &Help::ALL);
            assert_eq!(without.helped, without.plain);
            assert_eq!(without.helps, proposed.helps, "they are proposed still");
        }
    }
}

#[test]
fn every_file_has_its_pixels_by_another_reader_and_an_ico_each_of_its_sizes() {
    let master = master(&svg(DOME)).unwrap();
    let design = IconDesign {
        name: "Tarnlight".to_owned(),
        line: "A dark sky".to_owned(),
        ..IconDesign::default()
    };
    let files = icons(&design, &master).files(&Codecs::in_process(), &never).unwrap();
    let targets: Vec<IconTarget> = files.iter().map(|file| file.made.target).collect();
    assert_eq!(targets, IconTarget::ALL);
    for file in &files {
        assert!(file.bytes.len() < 30_000, "{}: {} bytes", file.made.file_name, file.bytes.len());
        if file.made.target == IconTarget::Drawing {
            assert!(String::from_utf8(file.bytes.clone()).unwrap().contains("#12304f"));
            continue;
        }
        let read = imagesize::blob_size(&file.bytes).unwrap();
        let size = file.made.target.size();
        assert_eq!((read.width, read.height), (size.width as usize, size.height as usize));
    }
    let ico = &files[0].bytes;
    let sides: Vec<u32> = entries(ico).unwrap().iter().map(|one| one.size.width).collect();
    assert_eq!(sides, IN_ICO);
    for entry in entries(ico).unwrap() {
        let mut reader = png::Decoder::new(std::io::Cursor::new(entry.bytes)).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        let frame = reader.next_frame(&mut pixels).unwrap();
        assert_eq!((frame.width, frame.height), (entry.size.width, entry.size.height));
    }
    let same = icons(&design, &master).files(&Codecs::in_process(), &never).unwrap();
    assert_eq!(same, files, "same master, same bytes");
}

#[test]
fn what_may_lose_nothing_is_the_same_pixel_for_pixel() {
    let photograph = gradient(600, 600);
    let file = brisk_margin_testing::pictures::encoded(&photograph, Format::Png, 80);
    let master = master(&file).unwrap();
    let design = IconDesign::default();
    let codecs = Codecs::in_process();
    let icons = Icons { want: QualityTarget::Lossless, ..icons(&design, &master) };
    for target in [IconTarget::Small, IconTarget::Maskable, IconTarget::Monochrome] {
        let made = icons.file(target, &codecs, &never).unwrap().unwrap();
        let shown = codecs.decode(Format::Png, &made.bytes).unwrap();
        let wanted = icons.pixels(target).unwrap().without_idle_alpha();
        assert_eq!(seen(shown), seen(wanted), "{target:?}");
    }
}

/// `raster` with one colour under everything that is clear.
fn seen(mut raster: Raster) -> Raster {
    if raster.channels() == Channels::Rgba {
        for pixel in raster.data_mut().chunks_exact_mut(4).filter(|pixel| pixel[3] == 0) {
            pixel.fill(0);
        }
    }
    raster
}

#[test]
fn a_long_name_and_line_stay_on_the_sharing_picture() {
    let master = master(&svg(DOME)).unwrap();
    let design = IconDesign {
        name: "The public night-sky park and observatory of the upper valley"
            .chars()
            .take(60)
            .collect(),
        line: "Longest lines of words are set smaller until they have room beside the mark, "
            .repeat(2)
            .chars()
            .take(120)
            .collect(),
        ..IconDesign::default()
    };
    let icon = icons(&design, &master).pixels(IconTarget::Sharing).unwrap();
    let each = icon.channels().count();
    let ink = icon.data().chunks_exact(each).enumerate().filter(|(_, pixel)| pixel[0] < 200);
    let (mut right, mut count) = (0, 0);
    for (n, _) in ink {
        let (x, y) = (n % 1_200, n / 1_200);
        assert!((10..620).contains(&y), "at {x}, {y}");
        right = right.max(x);
        count += usize::from(x > 500);
    }
    assert!(right <= 1_200 - 85, "{right}");
    assert!(count > 5_000, "both texts are there: {count}");
}

/// How far from the centre something dark is, as a share of the side.
fn reach(icon: &Raster) -> f64 {
    let side = icon.size().width as usize;
    let each = icon.channels().count();
    let dark = icon.data().chunks_exact(each).enumerate().filter(|(_, pixel)| pixel[0] < 128);
    let out = |at: usize| at as f64 + 0.5 - side as f64 / 2.0;
    let far = dark.map(|(n, _)| out(n % side).hypot(out(n / side)));
    far.fold(0.0, f64::max) / side as f64
}

#[test]
fn a_maskable_icon_is_opaque_and_its_mark_inside_the_safe_zone() {
    for file in [svg(DOME), on_paper(LINES)] {
        let master = master(&file).unwrap();
        let design = IconDesign::default();
        let icon = icons(&design, &master).pixels(IconTarget::Maskable).unwrap();
        assert_eq!(icon.channels(), Channels::Rgb);
        let reach = reach(&icon);
        assert!(reach <= SAFE_RADIUS + 0.002 && reach > 0.3, "{reach}");
    }
}

#[test]
fn a_monochrome_icon_is_black_where_the_mark_is_and_clear_elsewhere() {
    let master = master(&on_paper(DOME)).unwrap();
    let design = IconDesign::default();
    let icon = icons(&design, &master).pixels(IconTarget::Monochrome).unwrap();
    let pixels = || icon.data().chunks_exact(4);
    assert!(pixels().all(|pixel| pixel[3] == 0 || pixel[..3] == [0, 0, 0]));
    let dark = pixels().filter(|pixel| pixel[3] > 200).count() as f64 / (512.0 * 512.0);
    assert!((0.1..0.6).contains(&dark), "{dark}");
    assert_eq!(icon.data()[3], 0, "its ground is clear");
}

#[test]
fn touch_ups_stay_on_the_icon_when_the_master_changes() {
    use brisk_margin_core::edits::values::{Colour, Ground};
    use brisk_margin_core::icon::design::Touch;
    let touch = Touch { x: 2, y: 3, colour: Ground::of(Colour([200, 0, 100])) };
    let touches = TouchUps { pixels: vec![touch], ..TouchUps::default() };
    let design = IconDesign { touch_ups: [(16, touches)].into(), ..IconDesign::default() };
    for inner in [DOME, LINES] {
        let master = master(&svg(inner)).unwrap();
        let codecs = Codecs::in_process();
        let file = icons(&design, &master).file(IconTarget::Ico, &codecs, &never).unwrap().unwrap();
        let inside = entries(&file.bytes).unwrap();
        let pixels = |n: usize| {
            let entry: brisk_margin_imaging::icon::ico::Entry<'_> = inside[n];
            codecs.decode(Format::Png, entry.bytes).unwrap()
        };
        let small = pixels(0);
        assert_eq!(small.data()[(3 * 16 + 2) * small.channels().count()..][..3], [200, 0, 100]);
        let is_touched = |p: &[u8]| p[..3] == [200, 0, 100];
        let other = pixels(1);
        assert!(!other.data().chunks_exact(other.channels().count()).any(is_touched));
    }
}

#[test]
fn settings_of_a_file_give_it_margin_ground_and_corners() {
    use brisk_margin_core::edits::values::{Colour, Ground};
    let master = master(&svg(DOME)).unwrap();
    let setting = IconSetting {
        margin: 25,
        background: Ground::of(Colour([0, 90, 90])),
        corner: 50,
        is_small: false,
    };
    let settings = [(IconTarget::Small, setting), (IconTarget::Drawing, setting)].into();
    let design = IconDesign { settings, ..IconDesign::default() };
    let icon = icons(&design, &master).pixels(IconTarget::Small).unwrap();
    let at = |x: usize, y: usize| &icon.data()[(y * 192 + x) * 4..][..4];
    assert_eq!(at(0, 0)[3], 0, "its corners are round");
    assert_eq!(at(96, 10), [0, 90, 90, 255], "in its margin is its ground");
    assert_eq!(at(56, 120), [0x12, 0x30, 0x4f, 255], "inside is the mark");
    // The drawing is the same, drawn.
    let codecs = Codecs::in_process();
    let file = icons(&design, &master).file(IconTarget::Drawing, &codecs, &never).unwrap().unwrap();
    let drawn = served(&codecs, &file.bytes).unwrap();
    assert_eq!(drawn.media_type, "image/svg+xml");
    let (x, y) = (drawn.raster.size().width / 2, drawn.raster.size().height / 20);
    let at = (y * drawn.raster.size().width + x) as usize * 4;
    assert_eq!(drawn.raster.data()[at..at + 4], [0, 90, 90, 255]);
}

#[test]
fn a_dark_theme_gets_a_drawing_of_its_own() {
    let (light, dark) =
        (master(&svg(DOME)).unwrap(), master(&svg(&DOME.replace("#12304f", "#eef"))).unwrap());
    let design = IconDesign::default();
    let icons = Icons { dark: Some(&dark), ..icons(&design, &light) };
    let file = icons.file(IconTarget::Drawing, &Codecs::in_process(), &never).unwrap().unwrap();
    let text = String::from_utf8(file.bytes).unwrap();
    assert!(text.contains("@media(prefers-color-scheme:dark)"));
    assert!(text.contains("%2312304f") && text.contains("%23eef"), "{text}");
}

#[test]
fn a_master_without_a_mark_is_refused_with_its_reason() {
    let rect = |fill: &str| svg(&format!("<rect width='512' height='512' {fill}/>"));
    assert_eq!(master(&svg("")).unwrap_err(), MasterError::Transparent);
    assert_eq!(master(&rect("fill='#123456'")).unwrap_err(), MasterError::OneColour);
    let tiny = {
        let data = (0..64).flat_map(|n| if n % 9 == 0 { [0, 0, 0] } else { [255; 3] }).collect();
        let raster = Raster::new(Size::new(8, 8), Channels::Rgb, data);
        brisk_margin_testing::pictures::encoded(&raster, Format::Png, 80)
    };
    let tiny = master(&tiny).unwrap();
    assert_eq!(tiny.source_side(), Some(8));
    assert_eq!(small(&tiny, 16, &[]).helped.size(), Size::new(16, 16));
    // One that says no size has that of its view box, or none: it is drawn all the same.
    let unsized_svg =
        format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 512 512'>{DOME}</svg>");
    assert_eq!(
        small(&master(unsized_svg.as_bytes()).unwrap(), 16, &[]).plain,
        small(&master(&svg(DOME)).unwrap(), 16, &[]).plain
    );
    // Scripts, text and what is elsewhere cost nothing.
    let tricky = svg(&format!(
        "<script>alert(1)</script><image href='http://elsewhere.example/x.png' width='9' height='9'/>\
         <text x='40' y='500' font-size='40'>T</text>{DOME}"
    ));
    let master = master(&tricky).unwrap();
    let text = &master.drawing().unwrap().text;
    assert!(!text.contains("script") && !text.contains("elsewhere"), "{text}");
}

#[test]
fn of_a_picture_that_moves_the_first_frame_is_the_master() {
    let codecs = Codecs::in_process();
    let frame = |shade: u8| {
        let colour = |n: u32| if n % 64 < 20 { [shade, 0, 0] } else { [255; 3] };
        let data = (0..64 * 64).flat_map(colour).collect();
        Frame { raster: Raster::new(Size::new(64, 64), Channels::Rgb, data), millis: 100 }
    };
    let motion = Motion { frames: vec![frame(200), frame(0)], loops: 0 };
    let file = codecs.encode_motion(&motion, Encoding::Gif, &Extras::default()).unwrap();
    let icon = master(&file).unwrap().at(64);
    assert_eq!(icon.data()[..3], [200, 0, 0]);
}

#[test]
fn what_was_enlarged_is_told_from_what_is_sharp() {
    let master = master(&on_paper(DOME)).unwrap();
    let up = |side: u32, to: u32| {
        let small = master.at(side);
        resize(&small, Region::whole(small.size()), Size::new(to, to))
    };
    assert!(!is_enlarged(&master.at(180)) && !is_enlarged(&master.at(512)));
    assert!(is_enlarged(&up(48, 192)) && is_enlarged(&up(64, 180)));
    assert!(!is_enlarged(&gradient(96, 96)), "shades have no edges that could be soft");
    let blocks = |times: u32| {
        let small = master.at(64).flattened([255; 3]);
        let side = 64 * times;
        let at = |n: u32| ((n / side / times * 64 + n % side / times) * 3) as usize;
        let data = (0..side * side).flat_map(|n| small.data()[at(n)..at(n) + 3].to_vec()).collect();
        Raster::new(Size::new(side, side), Channels::Rgb, data)
    };
    assert!(is_enlarged(&blocks(3)) && !is_enlarged(&blocks(1)));
}

//! Programs from outside: they get one file and give one back, and reach nothing else.

use std::net::TcpListener;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use brisk_margin_codec_pool::{Limits, Processes, Unconfined};
use brisk_margin_core::choice::{ChoiceOutcome, QualityTarget};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Grade;
use brisk_margin_core::outside::{OutsideEncoder, Takes, Transcoding};
use brisk_margin_imaging::choosing::{Choosing, Hints, never};
use brisk_margin_imaging::codec::error::CodecFailure;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codecs::{Codecs, ProgramCall, RemoteCodec};
use brisk_margin_imaging::encode::EncodeError;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::outside::Encoders;
use brisk_margin_testing::pictures::{encoded, spots};

const ALLOWED: [&str; 7] = [
    "/usr/bin/cp",
    "/usr/bin/ln",
    "/usr/bin/sleep",
    "/usr/bin/dd",
    "/usr/bin/bash",
    "/usr/bin/cjxl",
    "/usr/bin/djxl",
];

fn processes() -> Processes {
    let program = Path::new(env!("CARGO_BIN_EXE_brisk-margin"));
    let programs = ALLOWED.map(str::to_owned).into();
    Processes::new(program, Limits::default(), Unconfined::Refused).with_programs(programs)
}

fn call(program: &str, arguments: &[&str]) -> Result<Vec<u8>, CodecFailure> {
    processes().run_program(&ProgramCall {
        name: "Moor",
        program,
        arguments: arguments.iter().map(|&word| word.to_owned()).collect(),
        input: ("in.png", b"pixels"),
        output: "out.png",
        patience: Duration::from_secs(3),
    })
}

/// What a program is told to have said.
fn words(outcome: Result<Vec<u8>, CodecFailure>) -> String {
    match outcome {
        Err(CodecFailure::Program { name, words }) if name == "Moor" => words,
        other => panic!("{other:?}"),
    }
}

#[test]
fn a_program_makes_one_file_of_another() {
    assert_eq!(call("/usr/bin/cp", &["in.png", "out.png"]).unwrap(), b"pixels");
    assert!(words(call("/usr/bin/cp", &["in.png", "other.png"])).contains("no file"));
    assert!(words(call("/usr/bin/cp", &["--moor"])).contains("--moor"), "its own words are told");
    assert!(words(call("/usr/bin/bash", &["-c", ": > out.png"])).contains("empty"));
}

#[test]
fn what_nobody_allowed_is_not_run() {
    let words = words(call("/usr/bin/touch", &["out.png"]));
    assert!(words.contains("--encoder-program /usr/bin/touch"), "{words}");
}

#[test]
fn it_reads_no_other_file_and_leads_nobody_to_one() {
    let secret = tempfile::NamedTempFile::new().unwrap();
    let path = secret.path().to_str().unwrap();
    std::fs::write(secret.path(), "secret").unwrap();
    for file in [path, "/etc/passwd", "/proc/1/environ"] {
        let words = words(call("/usr/bin/cp", &[file, "out.png"]));
        assert!(words.contains("denied"), "{words}");
    }
    let linked = words(call("/usr/bin/ln", &["-s", path, "out.png"]));
    assert!(linked.contains("no file that can be read"), "{linked}");
    let written = words(call("/usr/bin/cp", &["in.png", path]));
    assert!(written.contains("denied"), "{written}");
    assert_eq!(std::fs::read(secret.path()).unwrap(), b"secret");
}

#[test]
fn one_that_lies_elsewhere_runs_and_reads_nothing_beside_it() {
    let folder = tempfile::tempdir_in("/var/tmp").unwrap();
    let everybody = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(folder.path(), everybody).unwrap();
    let program = folder.path().join("moor-cp");
    std::fs::copy("/usr/bin/cp", &program).unwrap();
    std::fs::write(folder.path().join("beside"), "secret").unwrap();
    let name = program.to_str().unwrap();
    let launcher = Path::new(env!("CARGO_BIN_EXE_brisk-margin"));
    let processes = Processes::new(launcher, Limits::default(), Unconfined::Refused)
        .with_programs(vec![name.to_owned()]);
    let copied = |from: &str| {
        processes.run_program(&ProgramCall {
            name: "Moor",
            program: name,
            arguments: vec![from.to_owned(), "out.png".to_owned()],
            input: ("in.png", b"pixels"),
            output: "out.png",
            patience: Duration::from_secs(3),
        })
    };
    assert_eq!(copied("in.png").unwrap(), b"pixels");
    let beside = folder.path().join("beside");
    assert!(words(copied(beside.to_str().unwrap())).contains("denied"));
}

#[test]
fn it_has_no_network_and_starts_no_other_program() {
    let listener = TcpListener::bind(("127.0.0.1", 0)).unwrap();
    let port = listener.local_addr().unwrap().port();
    let dial = format!("echo moor > /dev/tcp/127.0.0.1/{port}");
    call("/usr/bin/bash", &["-c", &dial]).unwrap_err();
    listener.set_nonblocking(true).unwrap();
    assert!(listener.accept().is_err(), "nobody called");
    let words = words(call("/usr/bin/bash", &["-c", "cp in.png out.png; exit 1"]));
    assert!(words.contains("fork"), "{words}");
}

#[test]
fn its_time_and_its_bytes_have_an_end() {
    let begun = Instant::now();
    let late = call("/usr/bin/sleep", &["60"]);
    assert_eq!(late, Err(CodecFailure::Time(3)));
    assert!(begun.elapsed() < Duration::from_secs(20), "{:?}", begun.elapsed());
    let filled = ["if=/dev/zero", "of=out.png", "bs=1M", "count=400"];
    // No zeros to be had, or too many: no file either way.
    call("/usr/bin/dd", &filled).unwrap_err();
    let grown = "while :; do printf -v a %01048576d 0; printf %s $a >> out.png || exit 1; done";
    let outcome = call("/usr/bin/bash", &["-c", grown]);
    assert!(matches!(outcome, Err(CodecFailure::Program { .. } | CodecFailure::Time(_))));
}

#[test]
fn an_end_of_the_application_ends_it() {
    let processes = Arc::new(processes());
    let running = {
        let processes = Arc::clone(&processes);
        std::thread::spawn(move || {
            processes.run_program(&ProgramCall {
                name: "Moor",
                program: "/usr/bin/sleep",
                arguments: vec!["60".to_owned()],
                input: ("in.png", b""),
                output: "out.png",
                patience: Duration::from_secs(60),
            })
        })
    };
    std::thread::sleep(Duration::from_millis(500));
    let begun = Instant::now();
    processes.end();
    assert!(matches!(running.join().unwrap(), Err(CodecFailure::NotStarted(_))));
    assert!(begun.elapsed() < Duration::from_secs(5));
}

/// As the demo's settings have it, with tools of Debian's packages.
fn jxl() -> OutsideEncoder {
    OutsideEncoder {
        name: "JPEG XL".to_owned(),
        program: "/usr/bin/cjxl".to_owned(),
        makes: Format::Jxl,
        takes: Takes::Png,
        arguments: "{in} {out} -q {quality} -e {effort}".parse().unwrap(),
        lossless: Some("{in} {out} -d 0 -e {effort}".parse().unwrap()),
        transcoding: Some(Transcoding {
            there: "{in} {out} --lossless_jpeg=1".parse().unwrap(),
            back_program: "/usr/bin/djxl".to_owned(),
            back: "{in} {out}".parse().unwrap(),
        }),
        lowest: 5,
        highest: 100,
        effort: 4,
        seconds: 60,
    }
}

#[test]
fn a_further_format_is_found_by_score_kept_without_loss_and_raced_with_ours() {
    let codecs = Codecs::remote(Arc::new(processes()));
    let metric = QualityMetric::new(spots(3, 320, 200)).unwrap();
    let worse = OutsideEncoder {
        name: "WebP by nobody".to_owned(),
        program: "/usr/bin/cp".to_owned(),
        makes: Format::Webp,
        arguments: "{in} {out}.{quality}".parse().unwrap(),
        ..jxl()
    };
    let outside = [jxl(), worse];
    let choosing = Choosing {
        encoders: Encoders { codecs: &codecs, outside: &outside },
        metric: &metric,
        moving: None,
        class: ContentClass::Photograph,
        hints: Hints::NONE,
        extras: &Extras::default(),
        stop: &never,
    };
    let good = QualityTarget::Grade(Grade::Good);
    let chosen = choosing.choose(Format::Jxl, good, None).unwrap();
    assert_eq!(chosen.outcome, ChoiceOutcome::Met);
    assert!(chosen.counted >= Grade::Good.target() && chosen.encodes() <= 5);
    assert_eq!(choosing.choose(Format::Jxl, good, None).unwrap().trial.bytes, chosen.trial.bytes);
    let same = choosing.choose(Format::Jxl, QualityTarget::Lossless, None).unwrap();
    assert_eq!(same.trial.raster, *metric.raster());
    let ours = choosing.choose(Format::Webp, good, None).unwrap();
    assert!(ours.outcome == ChoiceOutcome::Met, "one that fails costs a format of ours nothing");
    assert_eq!(ours.failures.len(), 1);
    let nobody = Choosing { encoders: (&codecs).into(), ..choosing };
    let missing = nobody.choose(Format::Jxl, good, None).unwrap_err();
    assert_eq!(missing, EncodeError::NotSetUp(Format::Jxl).into());
}

#[test]
fn a_jpeg_is_kept_in_fewer_bytes_only_where_every_byte_comes_back() {
    let codecs = Codecs::remote(Arc::new(processes()));
    let jpeg = encoded(&spots(5, 300, 200), Format::Jpeg, 85);
    let kept = |encoder: OutsideEncoder| {
        Encoders { codecs: &codecs, outside: &[encoder] }.transcoded(&jpeg, Format::Jxl).unwrap()
    };
    let file = kept(jxl()).expect("its own files are read by it");
    assert!(file.len() < jpeg.len());
    let seen = codecs.decode(Format::Jxl, &file).unwrap();
    let was = codecs.decode(Format::Jpeg, &jpeg).unwrap();
    let score = QualityMetric::new(was).unwrap().score(&seen).unwrap();
    assert!(score.0 > 90.0, "it shows the JPEG: {score:?}");
    let without = OutsideEncoder { transcoding: None, ..jxl() };
    assert_eq!(kept(without), None);
    let back = "{in} {out} -q 80".parse().unwrap();
    let another = jxl().transcoding.map(|way| Transcoding { back, ..way });
    let pixels = "{in} {out} --lossless_jpeg=0".parse().unwrap();
    let another = another.map(|way| Transcoding { there: pixels, ..way });
    let forgetful = OutsideEncoder { transcoding: another, ..jxl() };
    assert_eq!(kept(forgetful), None, "another JPEG comes back");
}

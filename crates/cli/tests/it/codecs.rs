//! Codec processes: what breaks down in one costs its picture and is told.

use std::path::Path;
use std::process::Command;
use std::sync::Arc;
use std::thread;
use std::time::Duration;

use brisk_margin_codec_pool::{Limits, Processes, Unconfined};
use brisk_margin_core::format::Format;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::error::CodecFailure;
use brisk_margin_imaging::codec::jpeg::DctScale;
use brisk_margin_imaging::codecs::RemoteCodec;
use brisk_margin_imaging::job::{Answer, Job, Reply};
use brisk_margin_testing::pictures::{encoded, gradient, gradient_jpeg};

const DECODE: Job = Job::Decode { format: SourceFormat::Jpeg, scale: DctScale::FULL, icc: false };

fn processes(limits: Limits) -> Processes {
    let program = Path::new(env!("CARGO_BIN_EXE_brisk-margin"));
    Processes::new(program, limits, Unconfined::Refused)
}

fn decode(processes: &Processes, file: &[u8], memory: Bytes) -> Result<Answer, CodecFailure> {
    processes.run(&DECODE, &[file], memory)
}

fn works(processes: &Processes) -> bool {
    let answer = decode(processes, &gradient_jpeg(60, 40), Bytes::mb(1)).unwrap();
    matches!(answer.reply, Reply::Pixels(_)) && answer.bytes.len() == 60 * 40 * 3
}

#[test]
fn a_process_stays_warm_and_answers_as_the_codec_does() {
    let processes = processes(Limits::default());
    assert!(works(&processes) && works(&processes));
    assert_eq!(processes.idle().len(), 1, "one process did both");
    let damaged = decode(&processes, &gradient_jpeg(60, 40)[..200], Bytes::mb(1)).unwrap();
    assert!(matches!(damaged.reply, Reply::Refused(_)), "{damaged:?}");
    assert_eq!(processes.idle().len(), 1, "damage is no reason to end it");
}

#[test]
fn one_that_is_killed_in_the_middle_costs_nothing_the_first_time() {
    let processes = Arc::new(processes(Limits::default()));
    assert!(works(&processes));
    let number = processes.idle()[0];
    let large = gradient_jpeg(4_000, 3_000);
    let job = {
        let processes = Arc::clone(&processes);
        thread::spawn(move || decode(&processes, &large, Bytes::mb(600)))
    };
    while !processes.idle().is_empty() {
        thread::yield_now();
    }
    assert!(Command::new("kill").args(["-9", &number.to_string()]).status().unwrap().success());
    // Without its pixels, where it is told.
    assert_eq!(job.join().unwrap().map(|answer| answer.bytes.len()), Ok(36_000_000));
    assert_ne!(processes.idle(), [number], "another one did it");
    assert!(works(&processes));
}

#[test]
fn one_that_wants_too_much_memory_is_told_so() {
    let limits = Limits { memory: Bytes::mb(16), ..Limits::default() };
    let processes = processes(limits);
    let hungry = decode(&processes, &gradient_jpeg(4_000, 3_000), Bytes(0));
    assert_eq!(hungry, Err(CodecFailure::Memory(Bytes::mb(16))));
    assert!(works(&processes));
}

#[test]
fn one_that_does_not_end_is_ended() {
    let time = Duration::from_millis(1);
    let limits = Limits { time, time_per_megabyte: Duration::ZERO, ..Limits::default() };
    let slow = processes(limits);
    // It takes longer than the pause between two looks.
    let large = encoded(&gradient(6_000, 4_000), Format::Jpeg, 100);
    let late = decode(&slow, &large, Bytes::mb(600));
    assert_eq!(late, Err(CodecFailure::Time(0)));
    assert!(slow.idle().is_empty());
}

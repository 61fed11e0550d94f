//! The other end: a process that does one job after another until its input ends.

use std::io::{self, BufReader, BufWriter};
use std::process::ExitCode;

use brisk_margin_imaging::job::perform;
use rustix::process::{Resource, Rlimit, setrlimit};

use crate::wire;

/// Does the jobs that come on standard input and answers on standard output.
pub fn run() -> ExitCode {
    // It writes no file and leaves no image of its memory behind.
    for resource in [Resource::Fsize, Resource::Core] {
        let _ = setrlimit(resource, Rlimit { current: Some(0), maximum: Some(0) });
    }
    // A panic in a codec is an answer, and says nothing by itself.
    std::panic::set_hook(Box::new(|_| {}));
    match serve() {
        Ok(()) => ExitCode::SUCCESS,
        Err(_) => ExitCode::FAILURE,
    }
}

fn serve() -> io::Result<()> {
    let mut input = BufReader::with_capacity(1 << 16, io::stdin().lock());
    let mut output = BufWriter::with_capacity(1 << 16, io::stdout().lock());
    wire::send_greeting(&mut output)?;
    while let Some((job, parts)) = wire::read_job(&mut input)? {
        let parts: Vec<&[u8]> = parts.iter().map(Vec::as_slice).collect();
        wire::send_answer(&mut output, &perform(&job, &parts))?;
    }
    Ok(())
}

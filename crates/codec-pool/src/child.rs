//! The other end: a process that does one job after another until its input ends.

use std::io::{self, BufReader, BufWriter};
use std::process::ExitCode;

use brisk_margin_imaging::job::perform;
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};

use crate::confinement::{Confinement, confine};
use crate::wire::{self, Allowance};

/// No process ever holds more, whatever it says to itself.
const MOST_MEMORY: u64 = 12 << 30;

/// Does the jobs that come on standard input and answers on standard output, confined.
pub fn run() -> ExitCode {
    // It writes no file and leaves no image of its memory behind.
    for resource in [Resource::Fsize, Resource::Core] {
        let _ = setrlimit(resource, Rlimit { current: Some(0), maximum: Some(0) });
    }
    let most = Some(MOST_MEMORY);
    let _ = setrlimit(Resource::As, Rlimit { current: most, maximum: most });
    // A panic in a codec is an answer, and says nothing by itself.
    std::panic::set_hook(Box::new(|_| {}));
    match serve(confine()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(_) => ExitCode::FAILURE,
    }
}

/// Sets what the next job may take. The parent cannot: root may be without the right to set limits
/// of another user's processes, as in most containers.
fn allow(allowance: Allowance) {
    for (resource, most) in [(Resource::As, allowance.memory), (Resource::Cpu, allowance.seconds)] {
        let Rlimit { maximum, .. } = getrlimit(resource);
        let current = Some(maximum.map_or(most, |maximum| maximum.min(most)));
        let _ = setrlimit(resource, Rlimit { current, maximum });
    }
}

fn serve(confinement: Confinement) -> io::Result<()> {
    let mut input = BufReader::with_capacity(1 << 16, io::stdin().lock());
    let mut output = BufWriter::with_capacity(1 << 16, io::stdout().lock());
    wire::send_greeting(&mut output, confinement)?;
    while let Some((job, parts)) = wire::read_job(&mut input, allow)? {
        let parts: Vec<&[u8]> = parts.iter().map(Vec::as_slice).collect();
        wire::send_answer(&mut output, &perform(&job, &parts))?;
    }
    Ok(())
}

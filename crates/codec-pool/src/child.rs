//! The other end: a process that does one job after another until its input ends.

use std::borrow::Cow;
use std::fs::File;
use std::io::{self, BufReader, BufWriter};
use std::os::fd::FromRawFd;
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Command, ExitCode};

use brisk_margin_archive::send_pieces;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::job::perform;
use rustix::process::{
    Resource, Rlimit, Signal, getrlimit, set_parent_process_death_signal, setrlimit,
};

use crate::confinement::{Confinement, Work, confine};
use crate::program_confinement::{self, MOST_OUTPUT, NOT_CONFINED};
use crate::wire::{self, Allowance};

/// No process ever holds more, whatever it says to itself.
const MOST_MEMORY: u64 = 12 << 30;

/// What reading an archive holds at most: a directory of a million names.
pub(crate) const ARCHIVE_MEMORY: Bytes = Bytes(512 << 20);

/// Does the jobs that come on standard input and answers on standard output, confined.
pub fn run() -> ExitCode {
    begin(MOST_MEMORY);
    // A panic in a codec is an answer, and says nothing by itself.
    std::panic::set_hook(Box::new(|_| {}));
    code(serve(confine(Work::Pictures)))
}

/// Reads the archive that is its standard input, and writes its pieces to standard output, confined.
pub fn read_archive() -> ExitCode {
    /// Gigabytes are unpacked in less.
    const MOST_SECONDS: u64 = 300;
    begin(ARCHIVE_MEMORY.get());
    let most = Some(MOST_SECONDS);
    let _ = setrlimit(Resource::Cpu, Rlimit { current: most, maximum: most });
    code(send_archive(confine(Work::Archive)))
}

/// Becomes a program from outside, confined: `arguments` are whether it may run where the system refuses that, the
/// seconds that it has, the program, and its words. Its folder is the one it is started in.
pub fn run_program(arguments: &[String]) -> ExitCode {
    /// Threads and their stacks count, which are never all used.
    const MEMORY: u64 = 4 << 30;
    /// By the clock it is ended by whoever started it; this is for one that nobody watches any more.
    const CORES: u64 = 16;
    let [how, seconds, program, words @ ..] = arguments else { return ExitCode::FAILURE };
    let seconds = seconds.parse().unwrap_or(1) * CORES;
    let limits = [
        (Resource::Fsize, MOST_OUTPUT),
        (Resource::Core, 0),
        (Resource::As, MEMORY),
        (Resource::Cpu, seconds),
    ];
    for (resource, most) in limits {
        let _ = setrlimit(resource, Rlimit { current: Some(most), maximum: Some(most) });
    }
    let Ok(folder) = std::env::current_dir() else { return ExitCode::FAILURE };
    let confinement = program_confinement::confine(Path::new(program), &folder);
    if !confinement.is_whole() && how != "as-it-may" {
        eprintln!("{confinement}");
        return ExitCode::from(NOT_CONFINED);
    }
    // Not before: the kernel forgets it where the user changes.
    let _ = set_parent_process_death_signal(Some(Signal::KILL));
    let error = Command::new(program).args(words).exec();
    eprintln!("{program} cannot be run: {error}");
    ExitCode::FAILURE
}

/// It writes no file, leaves no image of its memory behind, and holds `memory` at most.
fn begin(memory: u64) {
    for (resource, most) in [(Resource::Fsize, 0), (Resource::Core, 0), (Resource::As, memory)] {
        let _ = setrlimit(resource, Rlimit { current: Some(most), maximum: Some(most) });
    }
}

fn code(done: io::Result<()>) -> ExitCode {
    if done.is_ok() { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}

fn send_archive(confinement: Confinement) -> io::Result<()> {
    // SAFETY: standard input is the archive, which nothing else in this process touches.
    let archive = unsafe { File::from_raw_fd(0) };
    let mut output = BufWriter::with_capacity(1 << 16, io::stdout().lock());
    wire::send_greeting(&mut output, confinement)?;
    send_pieces(archive, &mut output)
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
        let parts = parts.into_iter().map(Cow::Owned).collect();
        wire::send_answer(&mut output, &perform(&job, parts))?;
    }
    Ok(())
}

//! Programs from outside: each file is made by a process of its own, which has a folder with that file's input, may
//! read what the system's programs read, and nothing else.

use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::fs::{MetadataExt, OpenOptionsExt, chown};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use brisk_margin_imaging::codec::error::CodecFailure;
use brisk_margin_imaging::codecs::ProgramCall;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::process::{Pid, PidfdFlags, Signal, geteuid, kill_process, pidfd_open};
use tempfile::TempDir;

use crate::confinement::{NOBODY, Unconfined};
use crate::program_confinement::{MOST_OUTPUT, NOT_CONFINED};

/// The programs that this installation lets sites run.
pub struct Programs {
    launcher: PathBuf,
    allowed: Vec<String>,
    unconfined: Unconfined,
    running: Mutex<Running>,
}

#[derive(Default)]
struct Running {
    processes: Vec<Pid>,
    has_ended: bool,
}

impl Programs {
    /// The programs `allowed`, with their whole paths, started by `launcher`, which must call
    /// [`run_program`](crate::child::run_program) where it is told to `run-program`.
    pub fn new(launcher: &Path, allowed: Vec<String>, unconfined: Unconfined) -> Self {
        Self { launcher: launcher.to_owned(), allowed, unconfined, running: Mutex::default() }
    }

    /// Those that may be run.
    pub fn allowed(&self) -> &[String] {
        &self.allowed
    }

    /// Ends what runs, and begins nothing more.
    pub(crate) fn end(&self) {
        let mut running = self.running();
        running.has_ended = true;
        for process in &running.processes {
            let _ = kill_process(*process, Signal::KILL);
        }
    }

    /// The file that a program makes.
    pub(crate) fn call(&self, call: &ProgramCall<'_>) -> Result<Vec<u8>, CodecFailure> {
        let said = |words: String| CodecFailure::Program { name: call.name.to_owned(), words };
        if !self.allowed.iter().any(|allowed| allowed == call.program) {
            let program = call.program;
            return Err(said(format!(
                "this server does not run {program}; start it with --encoder-program {program}"
            )));
        }
        let not_started = |error: io::Error| CodecFailure::NotStarted(error.to_string());
        let folder = folder(call.input).map_err(not_started)?;
        let mut words = tempfile::tempfile().map_err(not_started)?;
        let mut child = self.start(call, folder.path(), &words).map_err(not_started)?;
        let status = self.waited(&mut child, call.patience).map_err(not_started)?;
        if self.running().has_ended {
            return Err(CodecFailure::NotStarted("the application ends".to_owned()));
        }
        let Some(status) = status else {
            return Err(CodecFailure::Time(call.patience.as_secs()));
        };
        let words = last_words(&mut words);
        if status.code() == Some(NOT_CONFINED.into()) {
            return Err(CodecFailure::NotStarted(words));
        }
        if !status.success() {
            return Err(said(end_in_words(status, &words)));
        }
        output(&folder.path().join(call.output))
            .map_err(|error| said(format!("it wrote no file that can be read: {error}")))
    }

    fn running(&self) -> std::sync::MutexGuard<'_, Running> {
        self.running.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn start(&self, call: &ProgramCall<'_>, folder: &Path, words: &File) -> io::Result<Child> {
        let mut command = Command::new(&self.launcher);
        command.arg0("brisk-margin").arg("run-program").env_clear();
        command.env("PATH", "/usr/bin:/bin").env("HOME", folder).env("TMPDIR", folder);
        command.env("MALLOC_ARENA_MAX", "1").current_dir(folder);
        command.arg(match self.unconfined {
            Unconfined::Refused => "confined",
            Unconfined::Allowed => "as-it-may",
        });
        command.arg(call.patience.as_secs().to_string()).arg(call.program).args(&call.arguments);
        command.stdin(Stdio::null()).stdout(words.try_clone()?).stderr(words.try_clone()?);
        // Held, so that none begins after the end.
        let mut running = self.running();
        if running.has_ended {
            return Err(io::Error::other("the application ends"));
        }
        let child = command.spawn()?;
        running.processes.push(Pid::from_child(&child));
        Ok(child)
    }

    /// How it ended, within `patience`; nothing where it was ended.
    fn waited(&self, child: &mut Child, patience: Duration) -> io::Result<Option<ExitStatus>> {
        let pid = Pid::from_child(child);
        let ended = is_over_within(pid, patience);
        if !matches!(ended, Ok(true)) {
            let _ = child.kill();
        }
        // Its number is its own until it is reaped.
        self.running().processes.retain(|running| *running != pid);
        let status = child.wait()?;
        Ok(ended?.then_some(status))
    }
}

fn is_over_within(pid: Pid, patience: Duration) -> io::Result<bool> {
    let process = pidfd_open(pid, PidfdFlags::empty())?;
    let patience = Timespec { tv_sec: patience.as_secs().cast_signed(), tv_nsec: 0 };
    let mut waiting = [PollFd::new(&process, PollFlags::IN)];
    Ok(poll(&mut waiting, Some(&patience))? > 0)
}

/// A folder for the user that the program is, with its input.
fn folder((name, bytes): (&str, &[u8])) -> io::Result<TempDir> {
    let folder = tempfile::Builder::new().prefix("brisk-margin-program-").tempdir()?;
    std::fs::write(folder.path().join(name), bytes)?;
    if geteuid().is_root() {
        for path in [folder.path().to_owned(), folder.path().join(name)] {
            chown(path, Some(NOBODY), Some(NOBODY))?;
        }
    }
    Ok(folder)
}

/// What it wrote, which must be a file of its own: a link would lead this process where the program may not go.
fn output(path: &Path) -> io::Result<Vec<u8>> {
    let flags = libc::O_NOFOLLOW | libc::O_NONBLOCK;
    let file = OpenOptions::new().read(true).custom_flags(flags).open(path)?;
    let facts = file.metadata()?;
    if !facts.is_file() || facts.nlink() != 1 {
        return Err(io::Error::other("it is no file of its own"));
    }
    let mut bytes = Vec::new();
    file.take(MOST_OUTPUT).read_to_end(&mut bytes)?;
    match bytes.is_empty() {
        true => Err(io::Error::other("it is empty")),
        false => Ok(bytes),
    }
}

/// The end of what it said, on one line.
fn last_words(said: &mut File) -> String {
    const LONGEST: u64 = 300;
    let mut bytes = Vec::new();
    let length = said.metadata().map_or(0, |facts| facts.len());
    let read = said.seek(SeekFrom::Start(length.saturating_sub(LONGEST)));
    let _ = read.and_then(|_| said.take(LONGEST).read_to_end(&mut bytes));
    let words = String::from_utf8_lossy(&bytes).replace(char::is_control, " ");
    words.split_whitespace().collect::<Vec<_>>().join(" ")
}

fn end_in_words(status: ExitStatus, words: &str) -> String {
    match words.is_empty() {
        true => format!("it ended with {status} and said nothing"),
        false => words.to_owned(),
    }
}

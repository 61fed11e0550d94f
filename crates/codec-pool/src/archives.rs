//! Archives: each is read by a process of its own, which gets the file and nothing else.

use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdout, Stdio};

use brisk_margin_archive::RemoteReader;
use brisk_margin_core::units::Bytes;
use rustix::event::{PollFd, PollFlags, Timespec, poll};

use crate::child::ARCHIVE_MEMORY;
use crate::confinement::Unconfined;
use crate::processes::command;
use crate::wire;

/// Reads archives in processes of a program.
pub struct ArchiveProcesses {
    program: PathBuf,
    unconfined: Unconfined,
}

impl ArchiveProcesses {
    /// Processes of `program`, which must call [`read_archive`](crate::child::read_archive) where it is
    /// told to `read-archive`.
    pub fn new(program: &Path, unconfined: Unconfined) -> Self {
        Self { program: program.to_owned(), unconfined }
    }
}

impl RemoteReader for ArchiveProcesses {
    fn pieces(&self, archive: File) -> io::Result<Box<dyn Read + Send>> {
        let mut command = command(&self.program, "read-archive");
        let mut child = command.stdin(archive).stderr(Stdio::null()).spawn()?;
        let pieces = child.stdout.take().ok_or_else(|| io::Error::other("a pipe is missing"))?;
        let mut reading = Reading { child, pieces };
        let confinement = wire::read_greeting(&mut reading)?;
        self.unconfined.accept(confinement).map_err(io::Error::other)?;
        Ok(Box::new(reading))
    }

    fn memory(&self) -> Bytes {
        ARCHIVE_MEMORY
    }
}

/// A process that reads an archive; it ends with this value.
struct Reading {
    child: Child,
    pieces: ChildStdout,
}

impl Read for Reading {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        /// An honest one has something to say long before.
        const PATIENCE: Timespec = Timespec { tv_sec: 60, tv_nsec: 0 };
        let mut waiting = [PollFd::new(&self.pieces, PollFlags::IN)];
        match poll(&mut waiting, Some(&PATIENCE)) {
            Ok(0) => Err(io::ErrorKind::TimedOut.into()),
            Ok(_) => self.pieces.read(into),
            Err(error) => Err(error.into()),
        }
    }
}

impl Drop for Reading {
    fn drop(&mut self) {
        // Reaped here, so that none is left as a zombie.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

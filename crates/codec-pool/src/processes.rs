//! The processes: started when needed, kept warm, limited, and ended when they misbehave.

use std::collections::HashMap;
use std::io::{self, BufReader, Read, Write};
use std::os::fd::AsFd;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::error::{CodecError, CodecFailure};
use brisk_margin_imaging::codecs::{ProgramCall, RemoteCodec};
use brisk_margin_imaging::job::{Answer, Job, Reply};
use brisk_margin_imaging::lossless::LosslessError;
use brisk_margin_imaging::original::PictureError;
use rustix::pipe::fcntl_setpipe_size;
use rustix::process::{Pid, Signal, kill_process};

use crate::confinement::{Confinement, Unconfined};
use crate::programs::Programs;
use crate::wire::Allowance;

/// What a job may take.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// Memory besides the estimate, for what every job takes.
    pub memory: Bytes,
    /// Processor time besides what grows with the estimate, a third of it where no file is made. By the
    /// clock, a job may take [`PATIENCE`] times as long: a busy machine costs no picture.
    pub time: Duration,
    /// Time for each megabyte of the estimate.
    pub time_per_megabyte: Duration,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            memory: Bytes::mb(128),
            time: Duration::from_secs(30),
            time_per_megabyte: Duration::from_millis(50),
        }
    }
}

/// How many times its processor time a job may take by the clock.
pub const PATIENCE: u32 = 8;

/// A process that keeps more than this after a job is ended: memory is handed out by estimates of
/// jobs, not of what processes hold.
const KEPT: u64 = 192 << 20;

/// Processes that run jobs, as many as are asked for at once.
pub struct Processes {
    program: PathBuf,
    limits: Limits,
    unconfined: Unconfined,
    programs: Programs,
    idle: Mutex<Vec<Process>>,
    watch: Arc<Watch>,
}

impl Processes {
    /// Processes of `program`, started when they are first needed.
    pub fn new(program: &Path, limits: Limits, unconfined: Unconfined) -> Self {
        let watch = Arc::new(Watch::default());
        let watching = Arc::downgrade(&watch);
        thread::spawn(move || {
            while let Some(watch) = watching.upgrade().filter(|watch| !watch.has_ended()) {
                watch.look();
            }
        });
        let (programs, program) =
            (Programs::new(program, Vec::new(), unconfined), program.to_owned());
        Self { program, limits, unconfined, programs, idle: Mutex::default(), watch }
    }

    /// The same, which run `programs` from outside, too.
    pub fn with_programs(mut self, programs: Vec<String>) -> Self {
        self.programs = Programs::new(&self.program, programs, self.unconfined);
        self
    }

    /// How processes are confined here, by one that is started.
    ///
    /// # Errors
    /// [`CodecFailure::NotStarted`], also where they are not, and nobody allowed that.
    pub fn confinement(&self) -> Result<Confinement, CodecFailure> {
        let process = self.take()?;
        let confinement = process.confinement;
        locked(&self.idle).push(process);
        Ok(confinement)
    }

    /// The ids of the processes that wait for work.
    pub fn idle(&self) -> Vec<u32> {
        locked(&self.idle).iter().map(|process| process.child.id()).collect()
    }

    /// One that lives, warm where there is one.
    fn take(&self) -> Result<Process, CodecFailure> {
        loop {
            let Some(mut process) = locked(&self.idle).pop() else { break };
            if matches!(process.child.try_wait(), Ok(None)) {
                return Ok(process);
            }
        }
        let failed = |words: String| CodecFailure::NotStarted(words);
        let process = Process::start(&self.program).map_err(|error| failed(error.to_string()))?;
        self.unconfined.accept(process.confinement).map_err(failed)?;
        Ok(process)
    }
}

impl Drop for Processes {
    fn drop(&mut self) {
        self.watch.end_all();
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl RemoteCodec for Processes {
    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecFailure> {
        let answer = match self.exchanged(job, parts, memory) {
            // Something from outside may have ended it: the picture is at fault where that happens twice.
            Err(CodecFailure::Crashed) => self.exchanged(job, parts, memory),
            answer => answer,
        };
        answer.inspect_err(|failure| {
            let why = match failure {
                CodecFailure::Crashed => "crashed",
                CodecFailure::Memory(_) => "memory",
                CodecFailure::Time(_) => "time",
                CodecFailure::NotStarted(_) => "not started",
                CodecFailure::Program { .. } => "program",
            };
            metrics::counter!("brisk_margin_codec_failures_total", "why" => why).increment(1);
        })
    }

    fn run_program(&self, call: &ProgramCall<'_>) -> Result<Vec<u8>, CodecFailure> {
        self.programs.call(call)
    }

    fn programs(&self) -> &[String] {
        self.programs.allowed()
    }

    fn end(&self) {
        self.watch.end_all();
        self.programs.end();
    }

    fn weakness(&self) -> Option<String> {
        match self.confinement() {
            Ok(confinement) if confinement.is_whole() => None,
            Ok(confinement) => Some(confinement.to_string()),
            Err(error) => Some(error.to_string()),
        }
    }
}

impl Processes {
    fn exchanged(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecFailure> {
        let ended = || CodecFailure::NotStarted("the application ends".to_owned());
        let mut process = self.take()?;
        let limit = Bytes(memory.get() + self.limits.memory.get());
        let megabytes = (memory.get() >> 20) as u32;
        // What is only read is done soon, or never.
        let base = if job.makes_a_file() { self.limits.time } else { self.limits.time / 3 };
        let time = base + self.limits.time_per_megabyte * megabytes;
        let allowance = process.allowance(limit, time);
        let late = self.watch.from_now(&process, time, allowance.memory).ok_or_else(ended)?;
        let answer = process.exchange(job, allowance, limit, parts);
        let fault = late.done();
        match answer {
            Ok(answer) if wants_memory(&answer) => Err(CodecFailure::Memory(limit)),
            Ok(answer) => {
                // One that answered in its last moment was ended all the same.
                if fault.is_none() && process.holds() < KEPT {
                    locked(&self.idle).push(process);
                }
                Ok(answer)
            }
            Err(_) => {
                let words = process.end();
                Err(match fault {
                    _ if self.watch.has_ended() => ended(),
                    Some(Fault::Late) => CodecFailure::Time(time.as_secs()),
                    Some(Fault::Greedy) => CodecFailure::Memory(limit),
                    None if words.contains("memory allocation") => CodecFailure::Memory(limit),
                    None => CodecFailure::Crashed,
                })
            }
        }
    }
}

/// Libraries tell in words that they got no memory.
fn wants_memory(answer: &Answer) -> bool {
    let error = match &answer.reply {
        Reply::Refused(error) => error,
        Reply::NotTaken(PictureError::Codec(error)) => error,
        Reply::NotCopied(LosslessError::Codec(error)) => error,
        _ => return false,
    };
    match error {
        CodecError::Damaged { detail, .. } | CodecError::Encode { detail, .. } => {
            let words = detail.to_lowercase();
            words.contains("out of memory")
                || words.contains("out_of_memory")
                || words.contains("insufficient memory")
        }
        _ => false,
    }
}

/// `program`, to be started for `work`.
pub(crate) fn command(program: &Path, work: &str) -> Command {
    let mut command = Command::new(program);
    // What lists processes tell, however the program was found.
    command.arg0("brisk-margin").arg(work).env_clear();
    // Processes run side by side; threads and arenas of their own would only take memory.
    command.env("RAYON_NUM_THREADS", "1").env("MALLOC_ARENA_MAX", "1");
    command.stdout(Stdio::piped()).stderr(Stdio::piped());
    command
}

/// A process and its pipes.
struct Process {
    child: Child,
    input: ChildStdin,
    output: BufReader<ChildStdout>,
    confinement: Confinement,
}

impl Process {
    fn start(program: &Path) -> io::Result<Self> {
        let mut child = command(program, "codec").stdin(Stdio::piped()).spawn()?;
        let missing = || io::Error::other("a pipe is missing");
        let input = child.stdin.take().ok_or_else(missing)?;
        let pixels = child.stdout.as_ref().ok_or_else(missing)?;
        // Pixels go through; with the usual size, processes would wait for each other all the time.
        for pipe in [input.as_fd(), pixels.as_fd()] {
            let _ = fcntl_setpipe_size(pipe, 1 << 20);
        }
        let mut output = BufReader::new(child.stdout.take().ok_or_else(missing)?);
        // What it holds is only known once it has begun.
        let confinement = crate::wire::read_greeting(&mut output)?;
        Ok(Self { child, input, output, confinement })
    }

    fn pid(&self) -> Pid {
        Pid::from_child(&self.child)
    }

    /// `memory` beyond what it holds now, and so much processor time beyond what it took.
    fn allowance(&self, memory: Bytes, time: Duration) -> Allowance {
        // Whole seconds, and some more: it is ended by the clock first, but where nobody watches any
        // more, since the server was killed, it ends by itself.
        let seconds = (self.took() + time).as_secs() + 3;
        Allowance { memory: self.pages(0) * PAGE + memory.get(), seconds }
    }

    /// The processor time that it took since it was started.
    fn took(&self) -> Duration {
        processor_time(self.pid())
    }

    /// The memory that it holds.
    fn holds(&self) -> u64 {
        self.pages(1) * PAGE
    }

    fn pages(&self, field: usize) -> u64 {
        pages(self.pid(), field)
    }

    /// Sends `job` with its `parts`, and reads the answer: `most` bytes at most.
    fn exchange(
        &mut self,
        job: &Job,
        allowance: Allowance,
        most: Bytes,
        parts: &[&[u8]],
    ) -> io::Result<Answer> {
        crate::wire::send_job(&mut self.input, job, allowance, parts)?;
        self.input.flush()?;
        crate::wire::read_answer(&mut self.output, most)
    }

    /// Ends it, and tells its last words.
    fn end(mut self) -> String {
        let _ = self.child.kill();
        let mut words = String::new();
        if let Some(mut errors) = self.child.stderr.take() {
            let _ = errors.read_to_string(&mut words);
        }
        let _ = self.child.wait();
        words
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        // Reaped here, so that none is left as a zombie.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

const PAGE: u64 = 4_096;

/// A field of the memory figures of `pid` (proc(5), statm).
fn pages(pid: Pid, field: usize) -> u64 {
    let text = std::fs::read_to_string(format!("/proc/{}/statm", pid.as_raw_nonzero()));
    let text = text.unwrap_or_default();
    text.split(' ').nth(field).and_then(|pages| pages.parse().ok()).unwrap_or(0)
}

/// Ends processes that are late or greedy.
#[derive(Default)]
struct Watch {
    jobs: Mutex<HashMap<u64, Watched>>,
    changed: Condvar,
    has_ended: AtomicBool,
}

struct Watched {
    pid: Pid,
    /// The processor time that it may have taken in all, and the end by the clock.
    most: Duration,
    end: Instant,
    /// The bytes that it may hold.
    memory: u64,
    /// Why it was ended.
    fault: Option<Fault>,
}

/// Why a process was ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fault {
    /// Its time was over.
    Late,
    /// It held more than it said to itself that it may.
    Greedy,
}

impl Watched {
    /// What is wrong with it at `now`.
    fn looked_at(&self, now: Instant) -> Option<Fault> {
        if self.end <= now || processor_time(self.pid) >= self.most {
            return Some(Fault::Late);
        }
        (pages(self.pid, 1) * PAGE > self.memory).then_some(Fault::Greedy)
    }
}

/// The processor time that `pid` took so far (proc(5), stat): nothing where it is gone.
fn processor_time(pid: Pid) -> Duration {
    /// What the kernel counts in on every machine that runs this.
    const TICKS_PER_SECOND: u64 = 100;
    let text = std::fs::read_to_string(format!("/proc/{}/stat", pid.as_raw_nonzero()));
    let text = text.unwrap_or_default();
    // The program's name stands in brackets and may hold anything.
    let after = text.rsplit_once(") ").map_or("", |(_, after)| after);
    let ticks = after.split(' ').skip(11).take(2).filter_map(|field| field.parse::<u64>().ok());
    Duration::from_millis(ticks.sum::<u64>() * 1_000 / TICKS_PER_SECOND)
}

impl Watch {
    /// Watches `process` for `time`; nothing where no more work is begun.
    fn from_now(self: &Arc<Self>, process: &Process, time: Duration, memory: u64) -> Option<Late> {
        let now = Instant::now();
        let watched = Watched {
            pid: process.pid(),
            most: process.took() + time,
            end: now + time * PATIENCE,
            memory,
            fault: None,
        };
        let mut jobs = locked(&self.jobs);
        if self.has_ended() {
            return None;
        }
        let number = jobs.keys().max().map_or(0, |last| last + 1);
        jobs.insert(number, watched);
        self.changed.notify_all();
        Some(Late { watch: Arc::clone(self), number })
    }

    fn has_ended(&self) -> bool {
        self.has_ended.load(Ordering::Relaxed)
    }

    /// Ends every process at work, and lets none begin.
    fn end_all(&self) {
        let jobs = locked(&self.jobs);
        self.has_ended.store(true, Ordering::Relaxed);
        for job in jobs.values() {
            let _ = kill_process(job.pid, Signal::KILL);
        }
        self.changed.notify_all();
    }

    /// Looks at every process at work, and ends those that are late or greedy; then waits for the next
    /// look, or for work.
    fn look(&self) {
        /// So much later than it should a process is ended at most.
        const PAUSE: Duration = Duration::from_millis(100);
        let mut jobs = locked(&self.jobs);
        let now = Instant::now();
        for job in jobs.values_mut().filter(|job| job.fault.is_none()) {
            job.fault = job.looked_at(now);
            if job.fault.is_some() {
                // Not reaped before its job is done, so that the number is still its own.
                let _ = kill_process(job.pid, Signal::KILL);
            }
        }
        match jobs.is_empty() {
            true if self.has_ended() => {}
            true => drop(self.changed.wait(jobs)),
            false => {
                drop(jobs);
                thread::sleep(PAUSE);
            }
        }
    }
}

/// A job under watch.
struct Late {
    watch: Arc<Watch>,
    number: u64,
}

impl Late {
    /// Ends the watch, and tells why the process was ended, where it was.
    fn done(self) -> Option<Fault> {
        locked(&self.watch.jobs).remove(&self.number).and_then(|job| job.fault)
    }
}

//! The processes: started when needed, kept warm, limited, and ended when they misbehave.

use std::collections::HashMap;
use std::io::{self, BufReader, Read, Write};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::error::CodecFailure;
use brisk_margin_imaging::codecs::{Codecs, RemoteCodec};
use brisk_margin_imaging::job::{Answer, Job, Reply};
use rustix::process::{Pid, Resource, Rlimit, Signal, kill_process, prlimit};

/// What a job may take.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// Memory besides the estimate, for what every job takes.
    pub memory: Bytes,
    /// Processor time besides what grows with the estimate. By the clock, a job may take
    /// [`PATIENCE`] times as long: a busy machine costs no picture.
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
    idle: Mutex<Vec<Process>>,
    watch: Arc<Watch>,
}

impl Processes {
    /// Processes of `program`, started when they are first needed.
    pub fn new(program: &Path, limits: Limits) -> Self {
        let watch = Arc::new(Watch::default());
        let watching = Arc::downgrade(&watch);
        thread::spawn(move || {
            while let Some(watch) = watching.upgrade() {
                watch.end_what_is_late();
            }
        });
        Self { program: program.to_owned(), limits, idle: Mutex::default(), watch }
    }

    /// Codecs whose C code runs in processes of `program`, with the usual limits.
    pub fn codecs(program: &Path) -> Codecs {
        Codecs::remote(Arc::new(Self::new(program, Limits::default())))
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
        Process::start(&self.program).map_err(|error| CodecFailure::NotStarted(error.to_string()))
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl RemoteCodec for Processes {
    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecFailure> {
        let mut process = self.take()?;
        let limit = Bytes(memory.get() + self.limits.memory.get());
        process.allow(limit);
        let megabytes = (memory.get() >> 20) as u32;
        let time = self.limits.time + self.limits.time_per_megabyte * megabytes;
        let late = self.watch.from_now(&process, time);
        let answer = process.exchange(job, parts);
        let was_late = late.done();
        match answer {
            Ok(answer) if wants_memory(&answer) => Err(CodecFailure::Memory(limit)),
            Ok(answer) => {
                // One that answered in its last moment was ended all the same.
                if !was_late && process.holds() < KEPT {
                    locked(&self.idle).push(process);
                }
                Ok(answer)
            }
            Err(_) => {
                let words = process.end();
                Err(match was_late {
                    true => CodecFailure::Time(time.as_secs()),
                    false if words.contains("memory allocation") => CodecFailure::Memory(limit),
                    false => CodecFailure::Crashed,
                })
            }
        }
    }
}

/// Libraries tell in words that they got no memory.
fn wants_memory(answer: &Answer) -> bool {
    match &answer.reply {
        Reply::Damaged(_, words) | Reply::Failed(_, words) => {
            let words = words.to_lowercase();
            words.contains("out of memory")
                || words.contains("out_of_memory")
                || words.contains("insufficient memory")
        }
        _ => false,
    }
}

/// A process and its pipes.
struct Process {
    child: Child,
    input: ChildStdin,
    output: BufReader<ChildStdout>,
}

impl Process {
    fn start(program: &Path) -> io::Result<Self> {
        let mut child = Command::new(program)
            // What lists processes tell, however the program was found.
            .arg0("brisk-margin")
            .arg("codec")
            .env_clear()
            // Processes run side by side; threads and arenas of their own would only take memory.
            .env("RAYON_NUM_THREADS", "1")
            .env("MALLOC_ARENA_MAX", "1")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()?;
        let missing = || io::Error::other("a pipe is missing");
        let input = child.stdin.take().ok_or_else(missing)?;
        let mut output = BufReader::new(child.stdout.take().ok_or_else(missing)?);
        // What it holds is only known once it has begun.
        crate::wire::read_greeting(&mut output)?;
        Ok(Self { child, input, output })
    }

    fn pid(&self) -> Pid {
        Pid::from_child(&self.child)
    }

    /// Lets it take `memory` beyond what it holds now.
    fn allow(&self, memory: Bytes) {
        let now = self.pages(0) * PAGE;
        let most = Some(now + memory.get());
        // Where the limit cannot be set the process still has its limit of time.
        let _ = prlimit(Some(self.pid()), Resource::As, Rlimit { current: most, maximum: None });
    }

    /// The processor time that it took since it was started.
    fn took(&self) -> Duration {
        processor_time(self.pid())
    }

    /// The memory that it holds.
    fn holds(&self) -> u64 {
        self.pages(1) * PAGE
    }

    /// A field of its memory figures (proc(5), statm).
    fn pages(&self, field: usize) -> u64 {
        let text = std::fs::read_to_string(format!("/proc/{}/statm", self.child.id()));
        let text = text.unwrap_or_default();
        text.split(' ').nth(field).and_then(|pages| pages.parse().ok()).unwrap_or(0)
    }

    fn exchange(&mut self, job: &Job, parts: &[&[u8]]) -> io::Result<Answer> {
        crate::wire::send_job(&mut self.input, job, parts)?;
        self.input.flush()?;
        crate::wire::read_answer(&mut self.output)
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

/// Ends processes that are late.
#[derive(Default)]
struct Watch {
    jobs: Mutex<HashMap<u64, Watched>>,
    changed: Condvar,
}

struct Watched {
    pid: Pid,
    /// The processor time that it may have taken in all, and the end by the clock.
    most: Duration,
    end: Instant,
    /// When it is looked at next.
    until: Instant,
    is_late: bool,
}

impl Watched {
    /// Whether its time is over at `now`; if not, it is looked at again once it can be.
    fn is_over(&mut self, now: Instant) -> bool {
        let left = self.most.saturating_sub(processor_time(self.pid));
        self.until = self.end.min(now + left);
        self.until <= now
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
    fn from_now(self: &Arc<Self>, process: &Process, time: Duration) -> Late {
        let now = Instant::now();
        let watched = Watched {
            pid: process.pid(),
            most: process.took() + time,
            end: now + time * PATIENCE,
            until: now + time,
            is_late: false,
        };
        let mut jobs = locked(&self.jobs);
        let number = jobs.keys().max().map_or(0, |last| last + 1);
        jobs.insert(number, watched);
        self.changed.notify_all();
        Late { watch: Arc::clone(self), number }
    }

    /// Waits for the next one to be late, a second at most, and ends it.
    fn end_what_is_late(&self) {
        const LONGEST: Duration = Duration::from_secs(1);
        let mut jobs = locked(&self.jobs);
        let now = Instant::now();
        for job in jobs.values_mut().filter(|job| !job.is_late && job.until <= now) {
            if !job.is_over(now) {
                continue;
            }
            job.is_late = true;
            // Not reaped before its job is done, so that the number is still its own.
            let _ = kill_process(job.pid, Signal::KILL);
        }
        let next = jobs.values().filter(|job| !job.is_late).map(|job| job.until).min();
        let wait = next.map_or(LONGEST, |next| next.duration_since(now)).min(LONGEST);
        drop(self.changed.wait_timeout(jobs, wait));
    }
}

/// A job under watch.
struct Late {
    watch: Arc<Watch>,
    number: u64,
}

impl Late {
    /// Ends the watch, and tells whether the process was late.
    fn done(self) -> bool {
        locked(&self.watch.jobs).remove(&self.number).is_some_and(|job| job.is_late)
    }
}

//! Confinement: what a codec process gives up before it reads its first byte, for good.
//!
//! Afterwards it computes, and reads and writes the pipes that it was started with; a codec that is
//! taken over finds no file, no network, no other process and no right to lose.

use std::collections::BTreeMap;
use std::fmt;

use landlock::{ABI, Access, AccessFs, AccessNet, Ruleset, RulesetAttr, RulesetStatus, Scope};
use rustix::process::{DumpableBehavior, Gid, Uid, geteuid, set_dumpable_behavior};
use rustix::thread::{set_no_new_privs, set_thread_groups, set_thread_res_gid, set_thread_res_uid};
use seccompiler::{
    BpfProgram, SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter,
    SeccompRule, TargetArch,
};

/// Who owns nothing, on every Linux system (`nobody`).
pub(crate) const NOBODY: u32 = 65_534;

/// A part of the confinement.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// Another user than root.
    User,
    /// No file descriptor but the pipes, and no look into it by others.
    Handles,
    /// No file and no network, by Landlock.
    Files,
    /// No system call but those of computing, by a seccomp filter.
    Calls,
}

impl Part {
    const ALL: [Self; 4] = [Self::User, Self::Handles, Self::Files, Self::Calls];

    const fn words(self) -> &'static str {
        match self {
            Self::User => "the change to a user without rights",
            Self::Handles => "closing what it inherited",
            Self::Files => "Landlock, which closes files and network",
            Self::Calls => "the filter of system calls",
        }
    }
}

/// What of the confinement the system refused; nothing where it holds.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Confinement {
    refused: u8,
}

impl Confinement {
    /// Whether every part holds.
    pub const fn is_whole(self) -> bool {
        self.refused == 0
    }

    /// The parts that do not hold.
    pub fn refused(self) -> impl Iterator<Item = Part> {
        Part::ALL.into_iter().filter(move |part| self.refused & 1 << *part as u8 != 0)
    }

    /// Notes whether `part` holds.
    pub(crate) fn note(&mut self, part: Part, holds: bool) {
        self.refused |= u8::from(!holds) << part as u8;
    }

    pub(crate) const fn from_byte(refused: u8) -> Self {
        Self { refused }
    }

    pub(crate) const fn to_byte(self) -> u8 {
        self.refused
    }
}

impl fmt::Display for Confinement {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let words: Vec<&str> = self.refused().map(Part::words).collect();
        match words.is_empty() {
            true => f.write_str("codec processes are confined"),
            false => write!(f, "this system refuses codec processes {}", words.join(", and ")),
        }
    }
}

/// Whether processes do their jobs where the system refuses to confine them.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Unconfined {
    /// They do not.
    #[default]
    Refused,
    /// Somebody said that they shall.
    Allowed,
}

impl Unconfined {
    /// Whether a process that is confined so may work; else why not.
    pub(crate) fn accept(self, confinement: Confinement) -> Result<(), String> {
        match confinement.is_whole() || self == Self::Allowed {
            true => Ok(()),
            false => Err(confinement.to_string()),
        }
    }
}

/// What a process does that is confined.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Work {
    /// It computes what comes through a pipe.
    Pictures,
    /// It reads one file here and there, which it was started with in place of a pipe.
    Archive,
}

/// Confines the calling thread, and those that it starts, for good, to what `work` takes. To be called
/// while it is the only one.
pub fn confine(work: Work) -> Confinement {
    let mut confinement = Confinement::default();
    confinement.note(Part::User, become_nobody().is_ok());
    confinement.note(Part::Handles, keep_pipes_only().is_ok());
    // An older kernel knows files only: network and signals are the filter's business, too.
    let files = close_files().is_ok_and(|status| status != RulesetStatus::NotEnforced);
    confinement.note(Part::Files, files);
    confinement.note(Part::Calls, close_calls(work).is_ok());
    confinement
}

/// Where it is root, it is nobody afterwards.
pub(crate) fn become_nobody() -> rustix::io::Result<()> {
    if !geteuid().is_root() {
        return Ok(());
    }
    let (user, group) = (Uid::from_raw(NOBODY), Gid::from_raw(NOBODY));
    set_thread_groups(&[])?;
    set_thread_res_gid(group, group, group)?;
    set_thread_res_uid(user, user, user)
}

pub(crate) fn keep_pipes_only() -> std::io::Result<()> {
    // SAFETY: closes descriptors by number; the process has just begun and holds none beyond the
    // three that stay.
    let closed = unsafe { libc::syscall(libc::SYS_close_range, 3_u32, u32::MAX, 0_u32) };
    if closed != 0 {
        return Err(std::io::Error::last_os_error());
    }
    // Other processes of the same user may not look into it.
    Ok(set_dumpable_behavior(DumpableBehavior::NotDumpable)?)
}

/// Everything that Landlock can forbid (ABI 6: files, TCP, and signals to others), with no exception; on
/// older kernels what those know.
fn close_files() -> Result<RulesetStatus, landlock::RulesetError> {
    let rules = Ruleset::default()
        .handle_access(AccessFs::from_all(ABI::V6))?
        .handle_access(AccessNet::from_all(ABI::V6))?
        .scope(Scope::from_all(ABI::V6))?;
    Ok(rules.create()?.restrict_self()?.ruleset)
}

/// Calls for memory, threads, time and the pipes: all that computing takes.
const CALLS: [libc::c_long; 29] = [
    libc::SYS_read,
    libc::SYS_readv,
    libc::SYS_write,
    libc::SYS_writev,
    libc::SYS_close,
    libc::SYS_brk,
    libc::SYS_munmap,
    libc::SYS_mremap,
    libc::SYS_madvise,
    libc::SYS_futex,
    libc::SYS_rt_sigaction,
    libc::SYS_rt_sigprocmask,
    libc::SYS_rt_sigreturn,
    libc::SYS_sigaltstack,
    libc::SYS_exit,
    libc::SYS_exit_group,
    // Only seen by the filter below, which answers that there is no such call.
    libc::SYS_clone3,
    libc::SYS_set_robust_list,
    libc::SYS_rseq,
    libc::SYS_sched_getaffinity,
    libc::SYS_sched_yield,
    libc::SYS_getrandom,
    libc::SYS_clock_gettime,
    libc::SYS_clock_nanosleep,
    libc::SYS_restart_syscall,
    libc::SYS_gettid,
    libc::SYS_getpid,
    // How a process ends itself where memory runs out: no other has its number.
    libc::SYS_tgkill,
    libc::SYS_membarrier,
];

fn close_calls(work: Work) -> Result<(), Box<dyn std::error::Error>> {
    let arch: TargetArch = std::env::consts::ARCH.try_into()?;
    let refusal = |error: i32| SeccompAction::Errno(error.unsigned_abs());
    let masked = |argument, mask: u64, value| {
        let equals = SeccompCmpOp::MaskedEq(mask);
        let condition = SeccompCondition::new(argument, SeccompCmpArgLen::Qword, equals, value)?;
        SeccompRule::new(vec![condition])
    };
    let mut rules: BTreeMap<i64, Vec<SeccompRule>> =
        CALLS.into_iter().map(|call| (call, Vec::new())).collect();
    if work == Work::Archive {
        rules.insert(libc::SYS_lseek, Vec::new());
    }
    // Threads, and no processes.
    let thread = libc::CLONE_THREAD as u64;
    rules.insert(libc::SYS_clone, vec![masked(0, thread, thread)?]);
    // Memory, and none that could be run.
    let run = libc::PROT_EXEC as u64;
    for call in [libc::SYS_mmap, libc::SYS_mprotect] {
        rules.insert(call, vec![masked(2, run, 0)?]);
    }
    // Limits of its own, of memory and time, and of nobody else.
    let is = |argument, value: u64| {
        SeccompCondition::new(argument, SeccompCmpArgLen::Dword, SeccompCmpOp::Eq, value)
    };
    let limit = |resource: u32| SeccompRule::new(vec![is(0, 0)?, is(1, resource.into())?]);
    let limits = vec![limit(libc::RLIMIT_AS)?, limit(libc::RLIMIT_CPU)?];
    rules.insert(libc::SYS_prlimit64, limits);
    // What a filter cannot look into: the C library takes the older call then.
    let newer = BTreeMap::from([(libc::SYS_clone3, Vec::new())]);
    let (allow, no_such_call) = (SeccompAction::Allow, refusal(libc::ENOSYS));
    let older: BpfProgram =
        SeccompFilter::new(newer, allow.clone(), no_such_call, arch)?.try_into()?;
    let computing: BpfProgram =
        SeccompFilter::new(rules, refusal(libc::EPERM), allow, arch)?.try_into()?;
    // The second one no longer allows to add a filter.
    set_no_new_privs(true)?;
    for filter in [older, computing] {
        apply(&filter)?;
    }
    Ok(())
}

/// Applies `filter` to this thread. Guessing ahead stays as it is for every other process: where the
/// kernel forbids that with a filter, decoding takes a quarter longer, and what a codec could find
/// out by it is the picture that it was given.
pub(crate) fn apply(filter: &BpfProgram) -> std::io::Result<()> {
    let program = libc::sock_fprog {
        len: u16::try_from(filter.len()).map_err(std::io::Error::other)?,
        filter: filter.as_ptr().cast_mut().cast(),
    };
    // SAFETY: both libraries lay a filter's instructions out as the kernel reads them, and the program
    // outlives the call, which only reads it.
    let done = unsafe {
        libc::syscall(
            libc::SYS_seccomp,
            libc::SECCOMP_SET_MODE_FILTER,
            libc::SECCOMP_FILTER_FLAG_SPEC_ALLOW,
            &raw const program,
        )
    };
    if done == 0 { Ok(()) } else { Err(std::io::Error::last_os_error()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_refused_is_told_and_goes_through_a_pipe() {
        assert!(Confinement::default().is_whole());
        let without = Confinement::from_byte(0b1100);
        assert_eq!(without.refused().collect::<Vec<_>>(), [Part::Files, Part::Calls]);
        assert_eq!(Confinement::from_byte(without.to_byte()), without);
        let words = without.to_string();
        assert!(words.contains("Landlock") && words.contains("system calls"), "{words}");
    }
}

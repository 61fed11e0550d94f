//! The confinement of programs from outside: they compute on the files of one folder with what the system's programs
//! are made of, by themselves and without a network.

use std::collections::BTreeMap;
use std::path::Path;

use landlock::{
    ABI, Access, AccessFs, AccessNet, Ruleset, RulesetAttr, RulesetCreatedAttr, RulesetStatus,
    Scope, path_beneath_rules,
};
use rustix::thread::set_no_new_privs;
use seccompiler::{
    BpfProgram, SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter,
    SeccompRule, TargetArch,
};

use crate::confinement::{Confinement, Part, apply, become_nobody, keep_pipes_only};

/// How a launcher ends that may not run its program, since the system refuses to confine it.
pub(crate) const NOT_CONFINED: u8 = 121;

/// The most that a program writes, in bytes.
pub(crate) const MOST_OUTPUT: u64 = 256 << 20;

/// What programs are made of.
const SYSTEM: [&str; 6] = ["/usr", "/lib", "/lib64", "/bin", "/etc/ld.so.cache", "/dev/urandom"];

/// Confines the calling thread for good to `program` and the files of `folder`. To be called while it is the only one,
/// right before it becomes that program.
pub(crate) fn confine(program: &Path, folder: &Path) -> Confinement {
    let mut confinement = Confinement::default();
    // Opened while it still may: nobody but its owner reads the folder.
    let files = close_files(program, folder);
    let files = files.is_ok_and(|status| status != RulesetStatus::NotEnforced);
    confinement.note(Part::Files, files);
    confinement.note(Part::Handles, keep_pipes_only().is_ok());
    confinement.note(Part::User, become_nobody().is_ok());
    confinement.note(Part::Calls, close_calls().is_ok());
    confinement
}

fn close_files(program: &Path, folder: &Path) -> Result<RulesetStatus, landlock::RulesetError> {
    let abi = ABI::V6;
    let read = AccessFs::from_read(abi);
    // What lies beside it may be anything.
    let system = SYSTEM.iter().map(Path::new).filter(|path| path.exists()).chain([program]);
    let rules = Ruleset::default()
        .handle_access(AccessFs::from_all(abi))?
        .handle_access(AccessNet::from_all(abi))?
        .scope(Scope::from_all(abi))?
        .create()?
        .add_rules(path_beneath_rules(system, read))?
        .add_rules(path_beneath_rules(["/dev/null"], AccessFs::from_file(abi)))?
        .add_rules(path_beneath_rules([folder], AccessFs::from_all(abi) & !AccessFs::Execute))?;
    Ok(rules.restrict_self()?.ruleset)
}

/// Calls that no encoder takes, and that an attacker would: networks, other processes, the kernel's larger doors.
const CLOSED: [libc::c_long; 26] = [
    libc::SYS_socket,
    libc::SYS_socketpair,
    libc::SYS_io_uring_setup,
    libc::SYS_io_uring_enter,
    libc::SYS_io_uring_register,
    libc::SYS_ptrace,
    libc::SYS_process_vm_readv,
    libc::SYS_process_vm_writev,
    libc::SYS_kill,
    libc::SYS_pidfd_open,
    libc::SYS_pidfd_send_signal,
    libc::SYS_setsid,
    libc::SYS_setpgid,
    libc::SYS_unshare,
    libc::SYS_setns,
    libc::SYS_mount,
    libc::SYS_umount2,
    libc::SYS_pivot_root,
    libc::SYS_bpf,
    libc::SYS_perf_event_open,
    libc::SYS_userfaultfd,
    libc::SYS_keyctl,
    libc::SYS_add_key,
    libc::SYS_request_key,
    libc::SYS_open_by_handle_at,
    libc::SYS_personality,
];

fn close_calls() -> Result<(), Box<dyn std::error::Error>> {
    let arch: TargetArch = std::env::consts::ARCH.try_into()?;
    let mut rules: BTreeMap<i64, Vec<SeccompRule>> =
        CLOSED.into_iter().map(|call| (call, Vec::new())).collect();
    #[cfg(target_arch = "x86_64")]
    rules.extend([libc::SYS_fork, libc::SYS_vfork].map(|call| (call, Vec::new())));
    // Threads, and no processes.
    let thread = libc::CLONE_THREAD as u64;
    let other =
        SeccompCondition::new(0, SeccompCmpArgLen::Qword, SeccompCmpOp::MaskedEq(thread), 0)?;
    rules.insert(libc::SYS_clone, vec![SeccompRule::new(vec![other])?]);
    let refusal = |error: i32| SeccompAction::Errno(error.unsigned_abs());
    let newer = BTreeMap::from([(libc::SYS_clone3, Vec::new())]);
    let allow = SeccompAction::Allow;
    let older: BpfProgram =
        SeccompFilter::new(newer, allow.clone(), refusal(libc::ENOSYS), arch)?.try_into()?;
    let closed: BpfProgram =
        SeccompFilter::new(rules, allow, refusal(libc::EPERM), arch)?.try_into()?;
    set_no_new_privs(true)?;
    for filter in [older, closed] {
        apply(&filter)?;
    }
    Ok(())
}

//! Confinement as a codec that was taken over would find it.

use std::io::ErrorKind;
use std::net::{TcpListener, TcpStream};
use std::process::Command;

use brisk_margin_codec_pool::confinement::{Work, confine};

/// Says that this process is the one to be confined.
const PROBE: &str = "BRISK_MARGIN_PROBE";
/// Says that it is to read an archive.
const ARCHIVE: &str = "BRISK_MARGIN_PROBE_ARCHIVE";

#[test]
fn a_codec_that_is_taken_over_finds_nothing() {
    let Ok(port) = std::env::var(PROBE) else {
        tried_in_a_process_of_its_own(false);
        tried_in_a_process_of_its_own(true);
        return;
    };
    let work = if std::env::var_os(ARCHIVE).is_some() { Work::Archive } else { Work::Pictures };
    assert!(confine(work).is_whole(), "this system refuses a part of the confinement");
    let refused = |what: &str, result: std::io::Result<()>| {
        let error = result.expect_err(what);
        assert_eq!(error.kind(), ErrorKind::PermissionDenied, "{what}: {error}");
    };
    refused("reading a file", std::fs::read("/etc/passwd").map(drop));
    refused("reading its own files", std::fs::read("/proc/self/environ").map(drop));
    refused("writing a file", std::fs::write("/tmp/brisk-margin-probe", "x"));
    refused("listing a folder", std::fs::read_dir("/").map(drop));
    let port: u16 = port.parse().unwrap();
    refused("a connection", TcpStream::connect(("127.0.0.1", port)).map(drop));
    refused("a port of its own", TcpListener::bind("127.0.0.1:0").map(drop));
    let none = [std::ptr::null()];
    // SAFETY: calls of numbers, a constant and an empty list, that must fail.
    let calls = unsafe {
        [
            ("a process", libc::fork()),
            ("another program", libc::execve(c"/bin/true".as_ptr(), none.as_ptr(), none.as_ptr())),
            ("a signal to its parent", libc::kill(libc::getppid(), 0)),
            ("the rights of root", libc::syscall(libc::SYS_setuid, 0) as i32),
            ("a look into another", libc::ptrace(libc::PTRACE_ATTACH, 1, 0, 0) as i32),
            ("more files", libc::setrlimit(libc::RLIMIT_NOFILE, &unlimited())),
        ]
    };
    for (what, answer) in calls {
        assert_eq!(answer, -1, "{what}");
    }
    // SAFETY: asks for memory that is never touched.
    let code = unsafe {
        let wanted = libc::PROT_READ | libc::PROT_WRITE | libc::PROT_EXEC;
        libc::mmap(std::ptr::null_mut(), 4_096, wanted, libc::MAP_PRIVATE | libc::MAP_ANON, -1, 0)
    };
    assert_eq!(code, libc::MAP_FAILED, "memory that can be run");
    // What computing takes is there: memory, and threads.
    let sum = std::thread::spawn(|| vec![1_u64; 1 << 20].iter().sum::<u64>()).join().unwrap();
    assert_eq!(sum, 1 << 20);
    println!("nothing was found");
}

fn tried_in_a_process_of_its_own(is_for_an_archive: bool) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port().to_string();
    let probe = Command::new(std::env::current_exe().unwrap())
        .args(["--exact", "a_codec_that_is_taken_over_finds_nothing", "--nocapture"])
        .env(PROBE, port)
        .envs(is_for_an_archive.then_some((ARCHIVE, "yes")))
        .output()
        .unwrap();
    let told = String::from_utf8_lossy(&probe.stdout);
    let errors = String::from_utf8_lossy(&probe.stderr);
    assert!(probe.status.success() && told.contains("nothing was found"), "{told}{errors}");
}

fn unlimited() -> libc::rlimit {
    libc::rlimit { rlim_cur: libc::RLIM_INFINITY, rlim_max: libc::RLIM_INFINITY }
}

//! The processes that others have started, and their sudden ends.

use std::path::Path;
use std::process::Command;

/// The processes that one of `parents` started and that are called with `word`.
///
/// # Panics
/// Where the system tells nothing of its processes.
pub fn children(parents: &[u32], word: &str) -> Vec<u32> {
    let processes = std::fs::read_dir("/proc").expect("Linux has it").flatten();
    let numbers = processes.filter_map(|entry| entry.file_name().to_str()?.parse::<u32>().ok());
    numbers
        .filter(|process| {
            let of = Path::new("/proc").join(process.to_string());
            let stat = std::fs::read_to_string(of.join("stat")).unwrap_or_default();
            let after = stat.rsplit_once(") ").map_or("", |(_, after)| after);
            let parent = after.split(' ').nth(1).and_then(|parent| parent.parse().ok());
            let called = std::fs::read(of.join("cmdline")).unwrap_or_default();
            let called = String::from_utf8_lossy(&called).into_owned();
            parent.is_some_and(|parent| parents.contains(&parent)) && called.contains(word)
        })
        .collect()
}

/// The browsers with which one of `parents` measures.
pub fn browsers(parents: &[u32]) -> Vec<u32> {
    children(parents, "--remote-debugging-pipe")
}

/// Kills the browsers with which `parent` measures.
pub fn kill_browsers_of(parent: u32) {
    browsers(&[parent]).into_iter().for_each(kill);
}

/// Kills a process, which may have ended by itself.
pub fn kill(process: u32) {
    let _ = Command::new("kill").args(["-KILL", &process.to_string()]).output();
}

//! Memory: the most that a ladder of one very large JPEG holds, codec processes included.

use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use super::growth::photograph;
use super::ladder::{WIDTHS, ladder};
use super::reference::Reference;
use brisk_margin_cli::home::Failure;

/// 100 megapixels.
const SIDES: (u32, u32) = (11_547, 8_660);

/// Measures both sides and prints a table.
pub fn run(folder: &Path, reference: &Reference) -> Result<(), Failure> {
    let path = folder.join("hundred.jpg");
    photograph(&path, SIDES)?;
    let stop = AtomicBool::new(false);
    let before = held();
    let (most, done) = std::thread::scope(|scope| {
        let watch = scope.spawn(|| {
            let mut most = 0;
            while !stop.load(Ordering::Relaxed) {
                most = most.max(held());
                std::thread::sleep(Duration::from_millis(2));
            }
            most
        });
        let done = ladder(&path, &WIDTHS).map(drop).map_err(|error| error.to_string());
        stop.store(true, Ordering::Relaxed);
        (watch.join().unwrap_or(0), done)
    });
    done?;
    let theirs = reference.ladder(&[(path, WIDTHS.to_vec())], true, false)?;
    println!("\none JPEG of 100 megapixels to a ladder of five | most memory held");
    println!("---|---");
    println!("ours, this process and its codecs | {} MB ({} MB before)", most >> 20, before >> 20);
    println!("reference {}, its whole process | {} MB", theirs.version, theirs.peak_bytes >> 20);
    Ok(())
}

/// What this process and its children hold now, in bytes (proc(5), statm and stat).
fn held() -> u64 {
    const PAGE: u64 = 4_096;
    let own = std::process::id();
    let pages = |id: u32| {
        let text = std::fs::read_to_string(format!("/proc/{id}/statm")).unwrap_or_default();
        text.split(' ').nth(1).and_then(|pages| pages.parse::<u64>().ok()).unwrap_or(0)
    };
    let parent = |id: u32| -> Option<u32> {
        let text = std::fs::read_to_string(format!("/proc/{id}/stat")).ok()?;
        text.rsplit(')').next()?.split_whitespace().nth(1)?.parse().ok()
    };
    let all = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    let ids = all.filter_map(|entry| entry.file_name().to_str()?.parse::<u32>().ok());
    ids.filter(|&id| id == own || parent(id) == Some(own)).map(pages).sum::<u64>() * PAGE
}

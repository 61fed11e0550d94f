//! Draws the pictures of the Tarnlight Observatory and writes its website:
//! `brisk-margin-demo PICTURES SITE`, each a folder.

use std::path::Path;
use std::process::ExitCode;

use brisk_margin_demo::{seed, site};

fn main() -> ExitCode {
    let folders: Vec<_> = std::env::args_os().skip(1).collect();
    let [pictures, site] = folders.as_slice() else {
        eprintln!("usage: brisk-margin-demo PICTURES SITE, two folders to be written");
        return ExitCode::from(2);
    };
    match write(Path::new(pictures), Path::new(site)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("brisk-margin-demo: {error}");
            ExitCode::FAILURE
        }
    }
}

fn write(pictures: &Path, site: &Path) -> std::io::Result<()> {
    seed::write(pictures)?;
    site::write(site, |scene| {
        // Drawn a moment ago; again, where somebody took it away.
        std::fs::read(pictures.join(scene.name)).unwrap_or_else(|_| scene.draw())
    })
}

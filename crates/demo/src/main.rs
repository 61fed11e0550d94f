//! Draws the pictures of the Tarnlight Observatory and writes its website and that of its tea room:
//! `brisk-margin-demo PICTURES SITE TEA_ROOM`, each a folder.

use std::path::Path;
use std::process::ExitCode;

use brisk_margin_demo::{seed, site, tea_room};

fn main() -> ExitCode {
    let folders: Vec<_> = std::env::args_os().skip(1).collect();
    let [pictures, site, tea_room] = folders.as_slice() else {
        eprintln!("usage: brisk-margin-demo PICTURES SITE TEA_ROOM, three folders to be written");
        return ExitCode::from(2);
    };
    match write(Path::new(pictures), Path::new(site), Path::new(tea_room)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("brisk-margin-demo: {error}");
            ExitCode::FAILURE
        }
    }
}

fn write(pictures: &Path, site: &Path, tea_room: &Path) -> std::io::Result<()> {
    seed::write(pictures)?;
    site::write(site, |scene| {
        // Drawn a moment ago; again, where somebody took it away.
        std::fs::read(pictures.join(scene.name)).unwrap_or_else(|_| scene.draw())
    })?;
    tea_room::write(tea_room, &site.join("media"))
}

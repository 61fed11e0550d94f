//! The Tarnlight Observatory's website: seven static pages with pictures, and the mistakes that
//! real sites have.

mod media;
mod pages;

use std::fs;
use std::io;
use std::path::Path;

use rayon::prelude::*;

use crate::Scene;

pub use media::{MEDIA, Medium};
pub use pages::{Page, Shown, pages};

/// Writes the whole site into `folder`, which is made where it is missing: pages, style sheet,
/// and the pictures in `media/`. `original` gives the file of a scene, drawn now or before; the
/// rest is drawn here, the same bytes on every run.
pub fn write(folder: &Path, original: impl Fn(&Scene) -> Vec<u8> + Sync) -> io::Result<()> {
    write_pages(folder)?;
    fs::create_dir_all(folder.join("media"))?;
    // Pictures paint on all cores; two at a time keep them busy while one is being packed.
    MEDIA.par_iter().with_max_len(1).try_for_each(|medium| {
        fs::write(folder.join("media").join(medium.name), medium.bytes(&original))
    })
}

/// Writes the pages and their style sheet alone.
pub fn write_pages(folder: &Path) -> io::Result<()> {
    fs::create_dir_all(folder)?;
    fs::write(folder.join("site.css"), include_str!("site.css"))?;
    for page in pages() {
        fs::write(folder.join(page.file), page.html)?;
    }
    Ok(())
}

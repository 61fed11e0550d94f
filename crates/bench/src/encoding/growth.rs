//! Growth: how cost grows with pixels and with the number of pictures.

use std::path::{Path, PathBuf};
use std::time::Instant;

use rayon::prelude::*;

use super::ladder::{WIDTHS, ladder};
use brisk_margin_cli::home::Failure;

/// From 1 to 100 megapixels, 4 : 3.
const SIDES: [(u32, u32); 5] =
    [(1_155, 866), (2_309, 1_732), (4_619, 3_464), (8_165, 6_124), (11_547, 8_660)];
/// How many pictures at once.
const COUNTS: [usize; 4] = [1, 2, 4, 8];

/// Prints a table of each.
pub fn run(folder: &Path) -> Result<(), Failure> {
    println!("\npixels of the JPEG | ladder of five widths, or as many as it has");
    println!("---|---");
    for sides in SIDES {
        let path = folder.join(format!("grown-{}.jpg", sides.0));
        photograph(&path, sides)?;
        let widths: Vec<u32> = WIDTHS.into_iter().filter(|&width| width <= sides.0).collect();
        let started = Instant::now();
        ladder(&path, &widths)?;
        let size = f64::from(sides.0) * f64::from(sides.1) / 1e6;
        println!(
            "{size:.0} megapixels, {} widths | {:.2} s",
            widths.len(),
            started.elapsed().as_secs_f64()
        );
    }
    println!("\npictures of 16 megapixels at once | ladders of five widths | a picture");
    println!("---|---|---");
    let path = folder.join(format!("grown-{}.jpg", SIDES[2].0));
    for count in COUNTS {
        let paths: Vec<PathBuf> = vec![path.clone(); count];
        let started = Instant::now();
        paths.par_iter().try_for_each(|path| {
            ladder(path, &WIDTHS).map(drop).map_err(|error| error.to_string())
        })?;
        let seconds = started.elapsed().as_secs_f64();
        println!("{count} | {seconds:.2} s | {:.2} s", seconds / count as f64);
    }
    Ok(())
}

/// Writes the dome at dusk in that size, as a camera would.
pub fn photograph(path: &Path, sides: (u32, u32)) -> Result<(), Failure> {
    Ok(std::fs::write(path, brisk_margin_demo::dome_of(sides))?)
}

//! What confinement costs: the same pictures decoded, scaled and encoded in codec processes and in this
//! one, by turns.

use std::time::{Duration, Instant};

use brisk_margin_cli::home::{Failure, own_codecs};
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::Size;
use brisk_margin_demo::SCENES;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::render::render;

/// The width of the files that are made.
const WIDTH: u32 = 1_200;

/// Compares both ways `rounds` times with each of the demo's pictures.
pub fn run(rounds: usize) -> Result<(), Failure> {
    let (bare, confined) = (Codecs::in_process(), own_codecs()?);
    println!("{:<32} {:>10} {:>10} {:>7}", "picture", "one, ms", "confined", "ratio");
    let mut all = [Duration::ZERO; 2];
    for scene in SCENES {
        let file = scene.draw();
        let mut fastest = [Duration::MAX; 2];
        // The first round warms both up.
        for round in 0..=rounds {
            for (way, codecs) in [&bare, &confined].into_iter().enumerate() {
                let start = Instant::now();
                made_of(codecs, &file)?;
                if round > 0 {
                    fastest[way] = fastest[way].min(start.elapsed());
                }
            }
        }
        print(scene.name, fastest);
        all = [all[0] + fastest[0], all[1] + fastest[1]];
    }
    print("all", all);
    Ok(())
}

/// Everything that happens to a picture: it is read, verified, shown in a slot, and encoded.
fn made_of(codecs: &Codecs, file: &[u8]) -> Result<(), Failure> {
    let original = Original::open(codecs, file)?;
    original.verify()?;
    let size = original.facts().size;
    let width = WIDTH.min(size.width);
    let height = (size.height * width / size.width).max(1);
    let raster = render(&original, &Fitting::whole(size, Size::new(width, height)))?;
    for encoding in [Encoding::Jpeg(Quality::USUAL), Encoding::Webp(Quality::USUAL)] {
        let made = codecs.encode(&raster, encoding, &Extras::default())?;
        codecs.decode(encoding.format(), &made)?;
    }
    Ok(())
}

fn print(name: &str, [bare, confined]: [Duration; 2]) {
    let ratio = confined.as_secs_f64() / bare.as_secs_f64();
    println!("{name:<32} {:>10} {:>10} {ratio:>7.3}", bare.as_millis(), confined.as_millis());
}

//! Ladders: five widths of each camera-sized JPEG, and all their files at fixed qualities.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::time::Instant;

use brisk_margin_cli::home::own_codecs;
use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::render::render_ladder;
use rayon::prelude::*;

use super::reference::{AVIF, JPEG, Reference, WEBP};
use super::{Kind, width};
use brisk_margin_cli::home::Failure;

/// The widths, as far as a picture has them.
pub const WIDTHS: [u32; 5] = [400, 800, 1_200, 1_600, 2_400];
/// Pictures of at least so many pixels across are as a camera makes them.
const CAMERA: u32 = 2_400;
/// How often each side runs; the fastest counts, since others may be at work on the machine.
const TIMES: usize = 3;

const QUALITIES: [(Format, u8); 3] =
    [(Format::Jpeg, JPEG), (Format::Webp, WEBP), (Format::Avif, AVIF)];

/// Measures both sides and prints a table.
pub fn run(kinds: &[Kind], reference: &Reference) -> Result<(), Failure> {
    println!("\nladder | pictures | ours | reference | ratio");
    println!("---|---|---|---|---");
    for kind in kinds {
        let pictures = camera_sized(&kind.files)?;
        let told = |what: &str, ours: f64, theirs: f64| {
            let (name, count) = (&kind.name, pictures.len());
            let ratio = ours / theirs;
            println!("{what} | {name}, {count} | {ours:.2} s | {theirs:.2} s | {ratio:.2}");
        };
        let fastest = |run: &dyn Fn() -> Result<f64, Failure>| {
            let runs: Vec<f64> = (0..TIMES).map(|_| run()).collect::<Result<_, _>>()?;
            Ok::<f64, Failure>(runs.into_iter().fold(f64::INFINITY, f64::min))
        };
        let ours = fastest(&|| Ok(ours(&pictures, false)?.0))?;
        let linear = fastest(&|| Ok(reference.ladder(&pictures, true, false)?.seconds))?;
        let stored = fastest(&|| Ok(reference.ladder(&pictures, false, false)?.seconds))?;
        told("decode and resize, both in linear light", ours, linear);
        told("decode and resize, reference as stored", ours, stored);
        let (seconds, bytes) = self::ours(&pictures, true)?;
        let theirs = reference.ladder(&pictures, true, true)?;
        told("all files at fixed qualities, both in linear light", seconds, theirs.seconds);
        let stored = reference.ladder(&pictures, false, true)?;
        told("all files at fixed qualities, reference as stored", seconds, stored.seconds);
        for (format, quality) in QUALITIES {
            let (own, their) = (bytes[&format], theirs.bytes[format.name()]);
            let ratio = own as f64 / their as f64;
            println!(
                "bytes of those, {format} {quality} | {} | {own} | {their} | {ratio:.2}",
                kind.name
            );
        }
    }
    Ok(())
}

fn camera_sized(files: &[PathBuf]) -> Result<Vec<(PathBuf, Vec<u32>)>, Failure> {
    let mut found = Vec::new();
    for path in files {
        let is_jpeg = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("jpg"));
        let width = width(path)?;
        if is_jpeg && width >= CAMERA {
            found.push((path.clone(), WIDTHS.to_vec()));
        }
    }
    Ok(found)
}

/// Wall time of all ladders, and the bytes of their files where they are encoded.
fn ours(
    pictures: &[(PathBuf, Vec<u32>)],
    encode: bool,
) -> Result<(f64, BTreeMap<Format, u64>), Failure> {
    let codecs = own_codecs()?;
    let bytes = Mutex::new(BTreeMap::new());
    let started = Instant::now();
    let all: Result<(), String> = pictures.par_iter().try_for_each(|(path, widths)| {
        let rasters = ladder(path, widths).map_err(|error| error.to_string())?;
        if !encode {
            return Ok(());
        }
        let files =
            rasters.par_iter().flat_map(|raster| QUALITIES.par_iter().map(move |q| (raster, q)));
        files.try_for_each(|(raster, &(format, quality))| {
            let quality = Quality::new(quality).map_err(|error| error.to_string())?;
            let encoding = Encoding::new(format, quality).expect("one of ours");
            let file = codecs
                .encode(raster, encoding, &Extras::default())
                .map_err(|error| error.to_string())?;
            let mut bytes = bytes.lock().expect("no thread panics while it counts");
            *bytes.entry(format).or_default() += file.len() as u64;
            Ok(())
        })
    });
    all?;
    let bytes = bytes.into_inner().expect("no thread panicked");
    Ok((started.elapsed().as_secs_f64(), bytes))
}

/// The picture in `path` at `widths`.
pub fn ladder(path: &Path, widths: &[u32]) -> Result<Vec<Raster>, Failure> {
    let file = std::fs::read(path)?;
    let codecs = own_codecs()?;
    let picture = Original::open(&codecs, &file)?;
    let fittings = fittings(picture.facts().size, widths);
    let mut rasters = Vec::new();
    render_ladder(&picture, &fittings, ColourSpace::Srgb, |_, raster| {
        rasters.push(raster.clone());
        Ok::<(), CodecError>(())
    })?;
    Ok(rasters)
}

/// The whole of a picture of `size` at `widths`.
pub fn fittings(size: Size, widths: &[u32]) -> Vec<Fitting> {
    let fitting = |&width: &u32| {
        let height = (f64::from(width) / size.aspect()).round() as u32;
        Fitting::whole(size, Size::new(width, height.max(1)))
    };
    widths.iter().map(fitting).collect()
}

//! Sets: a picture's widths in three formats, all searched for a grade, and one width alone, beside a reference that
//! encodes each file once at a fixed quality. One picture after the other, as somebody waits for one.

use std::path::{Path, PathBuf};
use std::time::Instant;

use brisk_margin_cli::home::{Failure, own_codecs};
use brisk_margin_core::choice::{EncodeRequest, QualityTarget};
use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Grade;
use brisk_margin_imaging::analysis::content_class;
use brisk_margin_imaging::choosing::{ChoiceError, in_turns, never, turns};
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::reference::Reference as Pixels;

use super::ladder::fittings;
use super::reference::Reference;
use super::{Kind, width};

/// The widths of a set.
pub const WIDTHS: [u32; 6] = [366, 480, 640, 960, 1_200, 1_500];
/// The width of one picture alone.
pub const ALONE: [u32; 1] = [960];
const FORMATS: [Format; 3] = [Format::Jpeg, Format::Webp, Format::Avif];
/// Pictures that are as wide as the widest.
const MOST: usize = 6;

/// What came of the sets of some pictures.
#[derive(Default)]
pub struct Sum {
    seconds: f64,
    /// The reference's.
    theirs: f64,
    files: usize,
    encodes: u32,
    most: u32,
    short: usize,
}

impl Sum {
    /// Our time beside the reference's.
    pub fn ratio(&self) -> f64 {
        self.seconds / self.theirs
    }

    /// How often a file was made until it was found.
    pub fn encodes_a_file(&self) -> f64 {
        f64::from(self.encodes) / self.files as f64
    }
}

/// Measures both sides and prints a table.
pub fn run(kinds: &[Kind], reference: &Reference) -> Result<(), Failure> {
    println!(
        "\nsets to “good” | pictures | ours | reference | ratio | encodes a file | most | under it"
    );
    println!("---|---|---|---|---|---|---|---");
    for kind in kinds {
        let pictures = pictures(kind)?;
        for (what, widths) in [("one width in 3 formats", &ALONE[..]), ("6 widths × 3", &WIDTHS)] {
            let sum = measured(&pictures, widths, reference)?;
            let Sum { seconds, theirs, files, most, short, .. } = sum;
            println!(
                "{what} | {}, {} | {seconds:.1} s | {theirs:.1} s | {:.2} | {:.2} | {most} | {short} of {files}",
                kind.name,
                pictures.len(),
                sum.ratio(),
                sum.encodes_a_file(),
            );
        }
    }
    Ok(())
}

/// Those of `kind` that sets are made of.
pub fn pictures(kind: &Kind) -> Result<Vec<PathBuf>, Failure> {
    let mut pictures = Vec::new();
    for path in &kind.files {
        let is_jpeg = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("jpg"));
        if is_jpeg && width(path)? >= WIDTHS[WIDTHS.len() - 1] && pictures.len() < MOST {
            pictures.push(path.clone());
        }
    }
    Ok(pictures)
}

/// The sets of `pictures`, and the reference's time for the same files.
pub fn measured(
    pictures: &[PathBuf],
    widths: &[u32],
    reference: &Reference,
) -> Result<Sum, Failure> {
    let mut sum = Sum::default();
    for path in pictures {
        let one = [(path.clone(), widths.to_vec())];
        sum.theirs += reference.ladder(&one, true, true)?.seconds;
        one_set(path, widths, &mut sum)?;
    }
    Ok(sum)
}

/// Makes the set of the picture in `path`.
fn one_set(path: &Path, widths: &[u32], sum: &mut Sum) -> Result<(), Failure> {
    let started = Instant::now();
    let (codecs, file) = (own_codecs()?, std::fs::read(path)?);
    let picture = Original::open(&codecs, &file)?;
    let fittings = fittings(picture.facts().size, widths);
    let pixels = Pixels::ladder(&picture, &fittings, ColourSpace::Srgb)?;
    let class = content_class(pixels[0].raster());
    let files: Vec<(Format, usize)> =
        (0..widths.len()).flat_map(|at| FORMATS.map(|format| (format, at))).collect();
    let sized = |&(format, at): &(Format, usize)| (format, pixels[at].raster().size().pixels());
    let chosen = in_turns(&turns(&files.iter().map(sized).collect::<Vec<_>>()), |n, hints| {
        let (format, at) = files[n];
        let request = EncodeRequest::Best(format, QualityTarget::Grade(Grade::Good), None);
        let chosen = pixels[at].choose((&codecs).into(), class, hints, request, None, &never)?;
        let told = hints.and_of(class, &chosen);
        Ok::<_, ChoiceError>((chosen, told))
    });
    for (_, chosen) in chosen? {
        sum.files += 1;
        sum.encodes += chosen.encodes();
        sum.most = sum.most.max(chosen.encodes());
        sum.short += usize::from(chosen.counted < Grade::Good.target());
    }
    sum.seconds += started.elapsed().as_secs_f64();
    Ok(())
}

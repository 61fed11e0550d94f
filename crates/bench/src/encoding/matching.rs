//! Bytes at the same score, and how many files a search makes: both sides encode the same pixels.

use std::path::{Path, PathBuf};

use brisk_margin_cli::home::own_codecs;
use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::{self, Encoding};
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_imaging::analysis::content_class;
use brisk_margin_imaging::choosing;
use brisk_margin_imaging::choosing::{Choosing, Hints};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::metric::QualityMetric;
use rayon::prelude::*;

use super::ladder::ladder;
use super::reference::Reference;
use super::{Kind, width};
use brisk_margin_cli::home::Failure;

/// What pictures are shrunk to, as far as they are larger: an ordinary picture in a page.
const WIDTH: u32 = 1_000;
pub const FORMATS: [Format; 3] = [Format::Jpeg, Format::Webp, Format::Avif];

/// A picture's pixels, the reference's files of them, and ours against those.
pub struct Sample {
    pub metric: QualityMetric,
    pub codecs: Codecs,
    pub class: ContentClass,
    /// Where its pixels are, as a PNG; the reference's files lie beside it.
    pub pixels: PathBuf,
    /// By format, in the order of [`FORMATS`].
    theirs: [(u64, Score); 3],
}

/// Measures both sides and prints tables.
pub fn run(kinds: &[Kind], reference: &Reference, folder: &Path) -> Result<(), Failure> {
    for kind in kinds {
        let samples = samples(kind, reference, folder)?;
        println!(
            "\n{} ({}) | reference: bytes, worst and mean score | ours, none worse than its worst | ratio | ours at its own score | ratio",
            kind.name,
            samples.len()
        );
        println!("---|---|---|---|---|---");
        for (n, format) in FORMATS.into_iter().enumerate() {
            let weighed = weighed(&samples, n, format)?;
            let Weighed { theirs, worst, mean, none_worse, at_own } = weighed;
            println!(
                "{format} | {theirs}, {worst:.1} and {mean:.1} | {none_worse} | {:.2} | {at_own} | {:.2}",
                weighed.none_worse(),
                weighed.at_own()
            );
        }
        println!("\n{}: encodes to reach a grade | mean | most", kind.name);
        println!("---|---|---");
        for grade in Grade::ALL {
            let Encodes { mean, most, with_drafts } = encodes(&samples, grade)?;
            println!("{grade:?} | {mean:.2}, {with_drafts:.2} with drafts | {most}");
        }
    }
    Ok(())
}

/// The pictures of `kind`, and the reference's files of them.
pub fn samples(kind: &Kind, reference: &Reference, folder: &Path) -> Result<Vec<Sample>, Failure> {
    let codecs = own_codecs()?;
    let mut pixels: Vec<PathBuf> = Vec::new();
    let mut metrics = Vec::new();
    for (n, path) in kind.files.iter().enumerate() {
        let rasters = ladder(path, &[WIDTH.min(width(path)?)])?;
        let raster = rasters.into_iter().next().ok_or("no raster")?.without_idle_alpha();
        let at = folder.join(format!("{}-{n}.png", kind.name));
        std::fs::write(&at, png::encode_fast(&raster)?)?;
        pixels.push(at);
        metrics.push((content_class(&raster), QualityMetric::new(raster)?));
    }
    reference.files(&pixels)?;
    let read = |(path, (class, metric)): (PathBuf, (ContentClass, QualityMetric))| {
        let their = |format: Format| -> Result<(u64, Score), Failure> {
            let file = std::fs::read(format!("{}.{}", path.display(), format.name()))?;
            let score = metric.score(&codecs.decode(format, &file)?)?;
            Ok((file.len() as u64, score))
        };
        let [jpeg, webp, avif] = FORMATS.map(their);
        let theirs = [jpeg?, webp?, avif?];
        Ok(Sample { theirs, class, metric, codecs: codecs.clone(), pixels: path })
    };
    pixels.into_iter().zip(metrics).map(read).collect()
}

/// What the files of some pictures weigh in a format.
pub struct Weighed {
    theirs: u64,
    worst: f64,
    mean: f64,
    none_worse: u64,
    at_own: u64,
}

impl Weighed {
    /// Ours beside theirs, where none of ours is worse than the worst of theirs.
    pub fn none_worse(&self) -> f64 {
        self.none_worse as f64 / self.theirs as f64
    }

    /// Ours beside theirs, each at the score of theirs.
    pub fn at_own(&self) -> f64 {
        self.at_own as f64 / self.theirs as f64
    }
}

/// Weighs both sides in `format`, the `n`th of [`FORMATS`].
pub fn weighed(samples: &[Sample], n: usize, format: Format) -> Result<Weighed, Failure> {
    // JPEG has no transparency: what is clear is not compared.
    let counts = |sample: &&Sample| format.has_alpha() || !sample.metric.raster().is_transparent();
    let samples: Vec<&Sample> = samples.iter().filter(counts).collect();
    let theirs: u64 = samples.iter().map(|sample| sample.theirs[n].0).sum();
    let scores: Vec<f64> = samples.iter().map(|sample| sample.theirs[n].1.0).collect();
    let worst = scores.iter().copied().fold(f64::INFINITY, f64::min);
    let mean = scores.iter().sum::<f64>() / scores.len() as f64;
    let sum = |at: &(dyn Fn(&Sample) -> Score + Sync), exact: bool| -> Result<u64, String> {
        let each = samples.par_iter().map(|sample| {
            let bytes = match exact {
                true => smallest(sample, format, at(sample)),
                false => searched(sample, format, at(sample)),
            };
            bytes.map_err(|error| error.to_string())
        });
        each.sum()
    };
    let none_worse = sum(&|_| Score(worst), false)?;
    let at_own = sum(&|sample| sample.theirs[n].1, true)?;
    Ok(Weighed { theirs, worst, mean, none_worse, at_own })
}

/// The bytes that our search comes to for a score.
fn searched(sample: &Sample, format: Format, score: Score) -> Result<u64, Failure> {
    let extras = Extras::default();
    let choosing = choosing(sample, &extras);
    Ok(choosing.choose_score(format, score)?.trial.bytes.len() as u64)
}

/// A choice for the pixels of `sample`.
pub fn choosing<'a>(sample: &'a Sample, extras: &'a Extras) -> Choosing<'a> {
    Choosing {
        encoders: (&sample.codecs).into(),
        metric: &sample.metric,
        moving: None,
        class: sample.class,
        hints: Hints::NONE,
        extras,
        stop: &choosing::never,
    }
}

/// The bytes of the lowest quality that has at least `score`, found by bisection, with the colours that our search keeps
/// there.
fn smallest(sample: &Sample, format: Format, score: Score) -> Result<u64, Failure> {
    let levels = encoding::levels(format);
    let extras = Extras::default();
    let found = choosing(sample, &extras).choose_score(format, score)?.trial.encoding;
    let keeps_colours = matches!(found, Encoding::AvifFullChroma(_));
    let (mut low, mut high) = (0, levels.len());
    let mut bytes = None;
    while low < high {
        let middle = usize::midpoint(low, high);
        let usual = Encoding::new(format, levels[middle]).expect("one of ours");
        let encoding = usual.with_full_chroma().filter(|_| keeps_colours).unwrap_or(usual);
        let file = sample.codecs.encode(sample.metric.raster(), encoding, &Extras::default())?;
        if sample.metric.score(&sample.codecs.decode(format, &file)?)? >= score {
            bytes = Some(file.len() as u64);
            high = middle;
        } else {
            low = middle + 1;
        }
    }
    Ok(bytes.ok_or("no quality reaches the reference's score")?)
}

/// How many files searches make.
pub struct Encodes {
    /// On average, every kind of file counted; a palette of which only the pixels were judged is none.
    pub mean: f64,
    /// At most.
    pub most: u32,
    /// On average, drafts counted like files.
    pub with_drafts: f64,
}

/// How many files are made until a grade is reached, over all pictures and formats.
pub fn encodes(samples: &[Sample], grade: Grade) -> Result<Encodes, Failure> {
    let pairs: Vec<(&Sample, Format)> =
        samples.iter().flat_map(|sample| FORMATS.map(|format| (sample, format))).collect();
    let counted: Result<Vec<(u32, u32)>, String> = pairs
        .par_iter()
        .map(|(sample, format)| {
            let extras = Extras::default();
            let chosen =
                choosing(sample, &extras).choose(*format, QualityTarget::Grade(grade), None);
            let files = |chosen: choosing::Chosen| {
                let made = chosen.tried.iter().filter(|point| point.bytes.is_some()).count();
                (made as u32, chosen.drafts)
            };
            chosen.map(files).map_err(|error| error.to_string())
        })
        .collect();
    let counted = counted?;
    let mean = |of: &dyn Fn(&(u32, u32)) -> u32| {
        f64::from(counted.iter().map(of).sum::<u32>()) / counted.len() as f64
    };
    Ok(Encodes {
        mean: mean(&|(files, _)| *files),
        most: counted.iter().map(|(files, _)| *files).max().unwrap_or(0),
        with_drafts: mean(&|(files, drafts)| files + drafts),
    })
}

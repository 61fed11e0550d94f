//! `fit`: the files of pictures for a slot, without a database.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Instant;

use brisk_margin_core::choice::{ChoiceOutcome, EncodeRequest, QualityTarget};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_core::naming;
use brisk_margin_core::slot_shape::{Fit as SlotFit, SlotShape};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_imaging::analysis::content_class;
use brisk_margin_imaging::choosing;
use brisk_margin_imaging::choosing::{Chosen, Hints, turns};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_imaging::render::render;
use clap::Args;
use rayon::prelude::*;
use serde::Serialize;

use super::made::MadeFiles;
use super::terminal::Watched;
use crate::home::{Failure, own_codecs};
use brisk_margin_work::intake::{IntakeError, MAX_FILE};

const EXAMPLES: &str = "\
Examples:
  One file of exactly the slot's size, as small as the grade `good` allows:
    brisk-margin fit dome.jpg --slot 912x344 --format webp
  For screens of both densities, under 100 KB each, with the subject kept on the left:
    brisk-margin fit *.jpg --slot 480x320 --density 1,2 --focus 0.3,0.5 --max-bytes 100000 --out made
  Every pixel as it is, one JSON object a line:
    brisk-margin fit chart.png --slot 640x400 --fit contain --format png --grade lossless --json";

/// Makes the files of pictures for a slot, without a database.
///
/// Exit code 0 where all were made, 1 where some failed, 2 for wrong use.
#[derive(Args)]
#[command(after_help = EXAMPLES)]
pub struct Fit {
    /// Pictures: JPEG, PNG, WebP, AVIF, JPEG XL (.jxl), GIF, TIFF, BMP, SVG or ICO
    #[arg(required = true, value_name = "PICTURE")]
    pictures: Vec<PathBuf>,
    /// The slot's box in CSS px, as in 912x344
    #[arg(long, value_name = "WxH", value_parser = parse_box)]
    slot: (f64, f64),
    /// Device pixels per CSS pixel, several with commas
    #[arg(long, default_value = "1", value_delimiter = ',', value_parser = parse_density)]
    density: Vec<Density>,
    /// How the picture fills the slot: cover, contain, width or exact
    #[arg(long, default_value = "cover")]
    fit: SlotFit,
    /// The focal point as fractions of width and height, as in 0.5,0.4
    #[arg(long, default_value = "0.5,0.5", value_name = "X,Y", value_parser = parse_focus)]
    focus: FocalPoint,
    /// Formats to make, several with commas: jpeg, webp, avif, png, gif
    #[arg(long, default_value = "jpeg", value_delimiter = ',')]
    format: Vec<Format>,
    /// How faithful files must be: fine, good, lean or lossless
    #[arg(long, default_value = "good", value_parser = parse_grade, conflicts_with = "quality")]
    grade: QualityTarget,
    /// Quality from 1 to 100, instead of a grade
    #[arg(long, value_parser = parse_quality)]
    quality: Option<Quality>,
    /// Most bytes a file may have; the quality goes down as far as that takes
    #[arg(long, value_name = "N")]
    max_bytes: Option<u64>,
    /// Where the files go
    #[arg(long, default_value = ".")]
    out: PathBuf,
    /// Print one JSON object a line
    #[arg(long)]
    json: bool,
}

fn parse_box(text: &str) -> Result<(f64, f64), String> {
    let sides = text.split_once(['x', '×']).and_then(|(width, height)| {
        Some((width.trim().parse().ok()?, height.trim().parse().ok()?))
    });
    let (width, height) = sides.ok_or("write it as WIDTHxHEIGHT, as in 912x344")?;
    // The fit does not matter to the check.
    SlotShape::new(width, height, SlotFit::Cover).map_err(|error| error.to_string())?;
    Ok((width, height))
}

pub(super) fn parse_density(text: &str) -> Result<Density, String> {
    let value = text.trim().parse().map_err(|_| "write a number, as in 1 or 1.5".to_owned())?;
    Density::new(value).map_err(|error| error.to_string())
}

fn parse_focus(text: &str) -> Result<FocalPoint, String> {
    let point = text
        .split_once(',')
        .and_then(|(x, y)| Some((x.trim().parse().ok()?, y.trim().parse().ok()?)));
    let (x, y) = point.ok_or("write two fractions, as in 0.5,0.4")?;
    FocalPoint::new(x, y).map_err(|error| error.to_string())
}

pub(super) fn parse_grade(text: &str) -> Result<QualityTarget, String> {
    match text {
        "lossless" => Ok(QualityTarget::Lossless),
        _ => Grade::named(text)
            .map(QualityTarget::Grade)
            .ok_or_else(|| "write fine, good, lean or lossless".to_owned()),
    }
}

fn parse_quality(text: &str) -> Result<Quality, String> {
    let value: f64 = text.parse().map_err(|_| "write a number from 1 to 100".to_owned())?;
    Quality::new(value).map_err(|error| error.to_string())
}

/// A line of the answer.
#[derive(Debug, Serialize)]
#[serde(untagged)]
enum Line {
    Made(Made),
    Failed { source: String, error: String },
}

/// A file that was made.
#[derive(Debug, Serialize)]
struct Made {
    source: String,
    source_bytes: Bytes,
    file: String,
    format: Format,
    width: u32,
    height: u32,
    density: Density,
    crop: Rect,
    shortfall: f64,
    bytes: Bytes,
    quality: Option<Quality>,
    score: Score,
    outcome: ChoiceOutcome,
    encodes: u32,
    millis: u64,
}

/// A picture's file before it is written.
struct Unwritten {
    density: Density,
    fitting: Fitting,
    file: Encoded,
    millis: u64,
}

/// A file, and how it came about.
struct Encoded {
    bytes: Vec<u8>,
    format: Format,
    /// Nothing where none was chosen.
    quality: Option<Quality>,
    score: Score,
    outcome: ChoiceOutcome,
    encodes: u32,
    /// What it tells of the next density.
    told: Option<(Encoding, Score)>,
}

impl From<Chosen> for Encoded {
    fn from(chosen: Chosen) -> Self {
        Self {
            encodes: chosen.encodes(),
            outcome: chosen.outcome,
            told: Some((chosen.trial.encoding, chosen.counted)),
            format: chosen.trial.encoding.format(),
            quality: chosen.trial.encoding.quality(),
            score: chosen.trial.score,
            bytes: chosen.trial.bytes,
        }
    }
}

/// The original's own pixels in a file of its own `format` without its metadata.
fn copied(picture: &Original<'_>, format: Format) -> Result<Encoded, Failure> {
    let bytes = picture.lossless_copy(None)?;
    let (score, outcome) = (Score::SAME, ChoiceOutcome::Met);
    Ok(Encoded { bytes, format, quality: None, score, outcome, encodes: 1, told: None })
}

impl Fit {
    pub(super) fn run(self) -> ExitCode {
        let opened: Result<_, Failure> = MadeFiles::open(&self.out)
            .map_err(|error| format!("{} cannot be used: {error}", self.out.display()).into())
            .and_then(|out| Ok((out, own_codecs()?)));
        let (mut out, codecs) = match opened {
            Ok(opened) => opened,
            Err(error) => {
                eprintln!("brisk-margin: {error}");
                return ExitCode::FAILURE;
            }
        };
        let mut all_made = true;
        let watched = Watched::of(self.pictures.len());
        for path in &self.pictures {
            watched.now(path.display().to_string());
            let lines = self.lines(&codecs, path, &mut out);
            all_made &= lines.iter().all(|line| matches!(line, Line::Made(_)));
            watched.print(|| lines.iter().for_each(|line| self.print(line)));
            watched.one_more();
        }
        if all_made { ExitCode::SUCCESS } else { ExitCode::FAILURE }
    }

    fn lines(&self, codecs: &Codecs, path: &Path, out: &mut MadeFiles) -> Vec<Line> {
        let failed = |error: Failure| Line::Failed {
            source: path.display().to_string(),
            error: error.to_string(),
        };
        let (source_bytes, outcomes) = match self.encode_all(codecs, path) {
            Ok(found) => found,
            Err(error) => return vec![failed(error)],
        };
        outcomes
            .into_iter()
            .map(|outcome| {
                outcome
                    .and_then(|made| self.write(path, source_bytes, made, out))
                    .map_or_else(|error| failed(error.into()), Line::Made)
            })
            .collect()
    }

    /// Every density and format of one picture, side by side on the cores.
    fn encode_all(
        &self,
        codecs: &Codecs,
        path: &Path,
    ) -> Result<(Bytes, Vec<Result<Unwritten, String>>), Failure> {
        if fs::metadata(path)?.len() > MAX_FILE.get() {
            return Err(IntakeError::TooLarge.into());
        }
        let bytes = fs::read(path)?;
        let picture = Original::open(codecs, &bytes)?;
        picture.verify()?;
        let mut outcomes = Vec::new();
        let mut hints = Hints::NONE;
        for &density in &self.density {
            let rendered = Instant::now();
            let reference = self.fitting(picture.facts().size, density).and_then(|fitting| {
                let reference = Reference::new(render(&picture, &fitting)?, None)?;
                Ok((fitting, content_class(reference.raster()), reference))
            });
            let rendering = rendered.elapsed();
            match reference {
                Err(error) => outcomes.push(Err(error.to_string())),
                Ok((fitting, class, reference)) => {
                    let pixels = fitting.output.pixels();
                    let sizes = self.format.iter().map(|&format| (format, pixels));
                    let turns = turns(&sizes.collect::<Vec<_>>()).into_iter();
                    let order = turns.flat_map(|turn| [vec![turn.first], turn.others].concat());
                    let order: Vec<usize> = order.collect();
                    let made = order.into_par_iter().with_max_len(1).map(|n| {
                        let started = Instant::now();
                        let format = self.format[n];
                        let file = match self.copies(&picture, &fitting, format) {
                            true => copied(&picture, format),
                            false => self.choose(codecs, &reference, class, hints, format),
                        };
                        let millis = (rendering + started.elapsed()).as_millis() as u64;
                        let made = file.map(|file| Unwritten { density, fitting, file, millis });
                        (n, made.map_err(|error| error.to_string()))
                    });
                    let mut made: Vec<(usize, Result<Unwritten, String>)> = made.collect();
                    made.sort_by_key(|(n, _)| *n);
                    for (_, made) in made {
                        if let Some(told) = made.as_ref().ok().and_then(|made| made.file.told) {
                            hints = hints.and(class, told.0, told.1);
                        }
                        outcomes.push(made);
                    }
                }
            }
        }
        Ok((Bytes::of(&bytes), outcomes))
    }

    /// Whether the file is to be the original's own pixels in the original's own format.
    fn copies(&self, picture: &Original<'_>, fitting: &Fitting, format: Format) -> bool {
        let facts = picture.facts();
        self.quality.is_none()
            && self.grade == QualityTarget::Lossless
            && facts.format.name() == format.name()
            && matches!(format, Format::Jpeg | Format::Png)
            && fitting.crop == Rect::whole(facts.size)
            && fitting.output == facts.size
    }

    fn slot(&self) -> SlotShape {
        let (width, height) = self.slot;
        SlotShape::new(width, height, self.fit).expect("checked when it was read")
    }

    fn fitting(&self, source: Size, density: Density) -> Result<Fitting, Failure> {
        Ok(Fitting::new(source, self.slot(), density, self.focus)?)
    }

    fn choose(
        &self,
        codecs: &Codecs,
        reference: &Reference,
        class: ContentClass,
        hints: Hints,
        format: Format,
    ) -> Result<Encoded, Failure> {
        let target = self.quality.map_or(self.grade, QualityTarget::Quality);
        let request = EncodeRequest::Best(format, target, self.max_bytes.map(Bytes));
        let chosen =
            reference.choose(codecs.into(), class, hints, request, None, &choosing::never)?;
        if let ChoiceOutcome::OverCap { cap } = chosen.outcome {
            let least = Bytes::of(&chosen.trial.bytes);
            let told = format!("{cap} cannot be met: the smallest file here has {least}");
            return Err(told.into());
        }
        Ok(chosen.into())
    }

    fn write(
        &self,
        path: &Path,
        source_bytes: Bytes,
        made: Unwritten,
        out: &mut MadeFiles,
    ) -> Result<Made, String> {
        let Unwritten { density, fitting, file: encoded, millis } = made;
        let format = encoded.format;
        let source = path.file_name().unwrap_or_default().to_string_lossy();
        let name = out.claim(&naming::propose(&source, self.slot(), density, format));
        let file = out.write(&name, &encoded.bytes).map_err(|error| error.to_string())?;
        Ok(Made {
            source: path.display().to_string(),
            source_bytes,
            file: file.display().to_string(),
            format,
            width: fitting.output.width,
            height: fitting.output.height,
            density,
            crop: fitting.crop,
            shortfall: fitting.shortfall,
            bytes: Bytes::of(&encoded.bytes),
            quality: encoded.quality,
            score: encoded.score,
            outcome: encoded.outcome,
            encodes: encoded.encodes,
            millis,
        })
    }

    fn print(&self, line: &Line) {
        if self.json {
            println!("{}", serde_json::to_string(line).expect("plain values"));
            return;
        }
        match line {
            Line::Made(made) => {
                let size = Size::new(made.width, made.height);
                println!(
                    "{}: {} → {} ({size}, {})",
                    made.source, made.source_bytes, made.bytes, made.file
                );
                if made.shortfall > 1.0 {
                    println!(
                        "  too small for the slot: it needs {:.2}× the pixels",
                        made.shortfall
                    );
                }
            }
            Line::Failed { source, error } => eprintln!("{source}: {error}"),
        }
    }
}

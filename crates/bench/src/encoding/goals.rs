//! The goals: what is claimed of bytes, time and encodes, measured on each set of pictures, with the spread of what takes
//! time, and why a goal is missed where it is.

use std::path::Path;

use brisk_margin_cli::home::Failure;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Grade;

use super::matching::{self, FORMATS, Sample};
use super::reference::Reference;
use super::sets::{self, ALONE, WIDTHS};
use super::{Kind, graphics, stills};

/// How often what takes time is measured.
const TIMES: usize = 3;

/// Why the goals are missed where they are, as far as it was found out (docs/performance.md).
const JPEG: &str =
    "both sides are the same library; ours is better by its table and by tenths alone";
const WEBP: &str = "libwebp on both sides, each setting of which was tried (0011, 0029)";
const WORST: &str = "the reference's scores lie close together, so that there is little to take";
const AVIF: &str = "the reference's libaom is newer than any that a crate brings";
const FLAT: &str = "the same encoders on both sides; what more effort finds is taken";
const ALONE_TIME: &str = "each file made at a fixed quality and judged once comes to 1.8 already, a third of it for judging";
const SET_TIME: &str =
    "an AVIF's last encode looks twice as long as the reference's, for 6 % of bytes";
const LAST_MISS: &str =
    "a first file that lies under its grade, or far above it, is made once more";
const TIGHT: &str = "a format's curve differs from the usual one where there is little detail";
const DRAFTS: &str = "a draft takes a fourteenth of an AVIF's time, and two or three tell where to begin and which colours to keep";

/// Something that is claimed.
struct Claim<'a> {
    what: String,
    kind: &'a str,
    measured: Vec<f64>,
    most: f64,
    cause: &'a str,
}

impl Claim<'_> {
    fn print(&self) {
        let Self { what, kind, measured, most, cause } = self;
        let (low, high) = measured
            .iter()
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), &m| (low.min(m), high.max(m)));
        let mean = measured.iter().sum::<f64>() / measured.len() as f64;
        let spread = match measured.len() {
            1 => String::new(),
            _ => format!(" ({low:.2}–{high:.2})"),
        };
        let verdict = match mean <= *most {
            true => "met".to_owned(),
            false => format!("**not met**: {cause}"),
        };
        println!("{what} | {kind} | {mean:.2}{spread} | ≤ {most} | {verdict}");
    }
}

/// Measures everything on each set and prints a table.
pub fn run(kinds: &[Kind], reference: &Reference, folder: &Path) -> Result<(), Failure> {
    println!("\ngoal | pictures | measured, mean (spread of {TIMES} runs) | goal | verdict");
    println!("---|---|---|---|---");
    for kind in kinds {
        let samples = matching::samples(kind, reference, folder)?;
        let name = format!("{}, {}", kind.name, samples.len());
        bytes(&samples, &name)?;
        match stills::ratios(&samples, reference) {
            Ok(ratios) => {
                let goals = ["6 4:2:0", "6 4:4:4", "4 4:4:4"].into_iter().zip([0.95, 0.95, 0.99]);
                for (ratio, (which, most)) in ratios.into_iter().zip(goals) {
                    let what =
                        format!("AVIF at *good*, beside still-picture tuning at speed {which}");
                    one(what, &name, ratio, most, AVIF);
                }
            }
            Err(error) => {
                println!("AVIF beside still-picture tuning | {name} | – | | not measured: {error}")
            }
        }
        if let Some(ratios) = graphics::ratios(&samples, reference)? {
            for (what, ratio) in ["without loss", "*fine*"].into_iter().zip(ratios) {
                let what = format!("flat pictures, {what}, the lightest format of each side");
                one(what, &name, ratio, 0.85, FLAT);
            }
        }
        for grade in Grade::ALL {
            let encodes = matching::encodes(&samples, grade)?;
            let what = format!("encodes a search, {}", grade.name());
            one(what.clone(), &name, encodes.mean, 3.0, TIGHT);
            one(format!("{what}, each draft as one"), &name, encodes.with_drafts, 3.0, DRAFTS);
            one(format!("the most, {}", grade.name()), &name, f64::from(encodes.most), 5.0, TIGHT);
        }
        times(kind, reference)?;
    }
    Ok(())
}

fn one(what: String, kind: &str, measured: f64, most: f64, cause: &str) {
    Claim { what, kind, measured: vec![measured], most, cause }.print();
}

fn bytes(samples: &[Sample], name: &str) -> Result<(), Failure> {
    for (n, format) in FORMATS.into_iter().enumerate() {
        let weighed = matching::weighed(samples, n, format)?;
        let (most, cause) = match format {
            Format::Jpeg => (0.95, JPEG),
            Format::Webp => (0.93, WEBP),
            _ => (0.95, AVIF),
        };
        let what = format!("bytes at the reference's own scores, {format}");
        one(what, name, weighed.at_own(), most, cause);
        let what = format!("bytes, none worse than its worst, {format}");
        one(what, name, weighed.none_worse(), 0.75, WORST);
    }
    Ok(())
}

fn times(kind: &Kind, reference: &Reference) -> Result<(), Failure> {
    let pictures = sets::pictures(kind)?;
    if pictures.is_empty() {
        return Ok(());
    }
    let name = format!("{}, {}", kind.name, pictures.len());
    for (what, widths, most, cause) in [
        ("one width × 3 formats", &ALONE[..], 2.5, ALONE_TIME),
        ("6 widths × 3 formats", &WIDTHS, 2.0, SET_TIME),
    ] {
        let runs = (0..TIMES).map(|_| sets::measured(&pictures, widths, reference));
        let runs: Vec<sets::Sum> = runs.collect::<Result<_, _>>()?;
        let measured = runs.iter().map(sets::Sum::ratio).collect();
        let what_time = format!("{what}, time beside the reference encoding each file once");
        Claim { what: what_time, kind: &name, measured, most, cause }.print();
        if widths.len() > 1 {
            let encodes = runs[0].encodes_a_file();
            one(format!("{what}, encodes a file"), &name, encodes, 1.6, LAST_MISS);
        }
    }
    Ok(())
}

//! Flat pictures: the lightest of all formats, beside the lightest of the reference's.

use brisk_margin_cli::home::Failure;
use brisk_margin_core::choice::{ChoiceOutcome, QualityTarget};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_imaging::codec::extras::Extras;

use super::matching::{Sample, choosing};
use super::reference::{Reference, Steps};

const FORMATS: [Format; 3] = [Format::Png, Format::Webp, Format::Avif];
const STEPS: [u8; 9] = [50, 60, 68, 75, 80, 85, 90, 94, 98];

/// Our bytes beside the reference's, in sum over the flat pictures of `samples`: without loss, and *fine*. Nothing where
/// there are none.
pub fn ratios(samples: &[Sample], reference: &Reference) -> Result<Option<[f64; 2]>, Failure> {
    let flat: Vec<&Sample> =
        samples.iter().filter(|sample| sample.class != ContentClass::Photograph).collect();
    if flat.is_empty() {
        return Ok(None);
    }
    let pixels: Vec<_> = flat.iter().map(|sample| sample.pixels.clone()).collect();
    reference.at_steps(Steps::Graphics, &pixels, &STEPS)?;
    let (mut ours, mut theirs) = ([0; 2], [0; 2]);
    for sample in flat {
        let wants = [QualityTarget::Lossless, QualityTarget::Grade(Grade::Fine)];
        for (n, want) in wants.into_iter().enumerate() {
            ours[n] += lightest(sample, want)?;
            theirs[n] += lightest_of_reference(sample, want)?;
        }
    }
    Ok(Some([0, 1].map(|n| ours[n] as f64 / theirs[n] as f64)))
}

fn lightest(sample: &Sample, want: QualityTarget) -> Result<u64, Failure> {
    let extras = Extras::default();
    let choosing = choosing(sample, &extras);
    let files = FORMATS.into_iter().filter_map(|format| choosing.choose(format, want, None).ok());
    let met = files.filter(|chosen| chosen.outcome == ChoiceOutcome::Met);
    Ok(met.map(|chosen| chosen.trial.bytes.len() as u64).min().ok_or("nothing is good enough")?)
}

/// Of the files that the reference left beside the pixels.
fn lightest_of_reference(sample: &Sample, want: QualityTarget) -> Result<u64, Failure> {
    let least = match want {
        QualityTarget::Grade(grade) => grade.target(),
        _ => Score::SAME,
    };
    let mut names: Vec<(String, Format)> =
        FORMATS.iter().map(|format| (format!("same.{}", format.name()), *format)).collect();
    names.push(("palette.png".to_owned(), Format::Png));
    for step in STEPS {
        names.extend([Format::Webp, Format::Avif].map(|f| (format!("{step}.{}", f.name()), f)));
    }
    let mut lightest = None;
    for (name, format) in names {
        let file = std::fs::read(format!("{}.{name}", sample.pixels.display()))?;
        // Its own word is taken for what it calls lossless, where rounding may cost a hair.
        let is_same = name.starts_with("same") && format != Format::Avif;
        let score = sample.metric.score(&sample.codecs.decode(format, &file)?)?;
        if is_same || score >= least {
            let bytes = file.len() as u64;
            lightest = Some(lightest.map_or(bytes, |other: u64| other.min(bytes)));
        }
    }
    Ok(lightest.ok_or("the reference has nothing that is good enough")?)
}

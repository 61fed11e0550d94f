//! AVIFs beside those of libaom's still-picture tuning, at the scores of ours.

use brisk_margin_cli::home::Failure;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Grade;
use brisk_margin_imaging::codec::extras::Extras;

use super::matching::{Sample, choosing};
use super::reference::{Reference, STILLS, Steps};

/// Qualities between which bytes are interpolated.
const STEPS: [u8; 10] = [35, 40, 45, 50, 55, 60, 65, 70, 76, 84];
/// Pictures that are compared: each takes thirty files of the reference's.
const MOST: usize = 5;

/// Our bytes beside those of each of [`STILLS`], in sum over the first photographs of `samples`.
///
/// # Errors
/// Where the Python has no library for it.
pub fn ratios(samples: &[Sample], reference: &Reference) -> Result<Vec<f64>, Failure> {
    let opaque = samples.iter().filter(|sample| !sample.metric.raster().is_transparent());
    let samples: Vec<&Sample> = opaque.take(MOST).collect();
    let pixels: Vec<_> = samples.iter().map(|sample| sample.pixels.clone()).collect();
    reference.at_steps(Steps::Stills, &pixels, &STEPS)?;
    let mut sums = vec![(0.0, 0.0); STILLS.len()];
    for sample in samples {
        let extras = Extras::default();
        let found = choosing(sample, &extras).choose_score(Format::Avif, Grade::Good.target())?;
        for ((ours, theirs), name) in sums.iter_mut().zip(STILLS) {
            if let Some(bytes) = at_score(sample, name, found.trial.score.0)? {
                *ours += found.trial.bytes.len() as f64;
                *theirs += bytes;
            }
        }
    }
    Ok(sums.into_iter().map(|(ours, theirs)| ours / theirs).collect())
}

/// What a file of the reference's weighs at `score`: on a scale of logarithms between two steps; nothing where none of
/// its steps lies on either side.
fn at_score(sample: &Sample, name: &str, score: f64) -> Result<Option<f64>, Failure> {
    let mut points = Vec::new();
    for step in STEPS {
        let file = std::fs::read(format!("{}.{name}.{step}.avif", sample.pixels.display()))?;
        let shown = sample.codecs.decode(Format::Avif, &file)?;
        points.push((sample.metric.score(&shown)?.0, (file.len() as f64).ln()));
    }
    let around = points.windows(2).find(|pair| pair[0].0 <= score && score < pair[1].0);
    Ok(around.map(|pair| {
        let ((low, light), (high, heavy)) = (pair[0], pair[1]);
        (light + (heavy - light) * (score - low) / (high - low)).exp()
    }))
}

//! The reference: a general-purpose image library, asked through a script.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;

use serde::{Deserialize, Serialize};

use brisk_margin_cli::home::Failure;

const SCRIPT: &str = include_str!("reference.py");

/// The qualities that both sides encode at: what people leave the reference at, or type first.
pub const JPEG: u8 = 75;
/// As [`JPEG`].
pub const WEBP: u8 = 75;
/// As [`JPEG`].
pub const AVIF: u8 = 50;
/// The reference counts effort from 9 down to 0 where libaom counts its speed up; ours is 6.
const AVIF_EFFORT: u8 = 3;

/// Which files are made at steps of quality.
#[derive(Debug, Clone, Copy)]
pub enum Steps {
    /// By libaom's still-picture tuning, which comes with Pillow.
    Stills,
    /// Of flat pictures.
    Graphics,
}

/// How the files of [`Steps::Stills`] are called: speed and colours.
pub const STILLS: [&str; 3] = ["6-420", "6-444", "4-444"];

/// A Python that has the library.
pub struct Reference {
    python: PathBuf,
    threads: usize,
}

#[derive(Serialize)]
struct Wish<'a> {
    what: &'a str,
    pictures: &'a [PathBuf],
    widths: BTreeMap<&'a Path, &'a [u32]>,
    linear: bool,
    encode: bool,
    threads: usize,
    jpeg: u8,
    webp: u8,
    avif: u8,
    avif_effort: u8,
    steps: &'a [u8],
}

/// What it took.
#[derive(Deserialize)]
pub struct Took {
    /// Wall time.
    pub seconds: f64,
    /// Bytes by format.
    pub bytes: BTreeMap<String, u64>,
    /// The most memory that it held.
    pub peak_bytes: u64,
    /// Of the library.
    pub version: String,
}

impl Reference {
    /// The library in `python`, on so many threads.
    pub const fn new(python: PathBuf, threads: usize) -> Self {
        Self { python, threads }
    }

    /// Every picture at its widths, scaled in linear light or as stored, and encoded or not.
    pub fn ladder(
        &self,
        pictures: &[(PathBuf, Vec<u32>)],
        linear: bool,
        encode: bool,
    ) -> Result<Took, Failure> {
        let paths: Vec<PathBuf> = pictures.iter().map(|(path, _)| path.clone()).collect();
        let widths = pictures.iter().map(|(path, widths)| (path.as_path(), widths.as_slice()));
        self.run(&Wish { linear, encode, widths: widths.collect(), ..self.wish("ladder", &paths) })
    }

    /// The three files of each of `pixels`, beside it.
    pub fn files(&self, pixels: &[PathBuf]) -> Result<Took, Failure> {
        self.run(&self.wish("files", pixels))
    }

    /// Files of each of `pixels` at `steps` of quality, beside it: AVIFs by libaom's still-picture tuning
    /// ([`STILLS`]), or all that a flat picture can be.
    pub fn at_steps(&self, what: Steps, pixels: &[PathBuf], steps: &[u8]) -> Result<Took, Failure> {
        let what = match what {
            Steps::Stills => "stills",
            Steps::Graphics => "graphics",
        };
        self.run(&Wish { steps, ..self.wish(what, pixels) })
    }

    const fn wish<'a>(&self, what: &'a str, pictures: &'a [PathBuf]) -> Wish<'a> {
        Wish {
            what,
            pictures,
            widths: BTreeMap::new(),
            linear: false,
            encode: true,
            threads: self.threads,
            jpeg: JPEG,
            webp: WEBP,
            avif: AVIF,
            avif_effort: AVIF_EFFORT,
            steps: &[],
        }
    }

    fn run(&self, wish: &Wish<'_>) -> Result<Took, Failure> {
        let wish = serde_json::to_string(wish)?;
        let output = Command::new(&self.python).args(["-c", SCRIPT, &wish]).output()?;
        if !output.status.success() {
            return Err(String::from_utf8_lossy(&output.stderr).into_owned().into());
        }
        Ok(serde_json::from_slice(&output.stdout)?)
    }
}

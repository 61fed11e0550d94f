//! `bench encoding`: ladders, bytes, encodes and memory, against a general-purpose library that
//! does the same to the same pictures in the same run.

mod goals;
mod graphics;
mod growth;
mod ladder;
mod matching;
mod memory;
mod reference;
mod sets;
mod stills;

use std::path::{Path, PathBuf};

use brisk_margin_demo::SCENES;
use brisk_margin_imaging::original::Original;
use clap::Args;

use brisk_margin_cli::home::{Failure, own_codecs};
use reference::Reference;

/// What is measured.
#[derive(Args)]
pub struct Encoding {
    /// A Python that has pyvips, as `pip install "pyvips[binary]"` gives it
    #[arg(long)]
    python: PathBuf,
    /// A folder of pictures to measure with besides the demo's, JPEG and PNG; once for each
    #[arg(long)]
    photographs: Vec<PathBuf>,
    /// Only this part: goals, ladder, bytes, sets, memory or growth
    #[arg(long)]
    only: Option<String>,
}

/// Pictures of one kind.
struct Kind {
    name: String,
    files: Vec<PathBuf>,
}

impl Encoding {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        let folder = tempfile::tempdir()?;
        let threads = std::thread::available_parallelism().map_or(2, usize::from);
        let reference = Reference::new(self.python.clone(), threads);
        let kinds = self.kinds(folder.path())?;
        let wanted = |part: &str| self.only.as_deref().is_none_or(|only| only == part);
        if wanted("goals") {
            goals::run(&kinds, &reference, folder.path())?;
        }
        if wanted("ladder") {
            ladder::run(&kinds, &reference)?;
        }
        if wanted("bytes") {
            matching::run(&kinds, &reference, folder.path())?;
        }
        if wanted("sets") {
            sets::run(&kinds, &reference)?;
        }
        if wanted("memory") {
            memory::run(folder.path(), &reference)?;
        }
        if wanted("growth") {
            growth::run(folder.path())?;
        }
        Ok(())
    }

    fn kinds(&self, folder: &Path) -> Result<Vec<Kind>, Failure> {
        let mut demo = Vec::new();
        for scene in SCENES {
            let path = folder.join(scene.name);
            std::fs::write(&path, scene.draw())?;
            demo.push(path);
        }
        let mut kinds = vec![Kind { name: "demo".to_owned(), files: demo }];
        for photographs in &self.photographs {
            let files = std::fs::read_dir(photographs)?.map(|entry| Ok(entry?.path()));
            let mut files: Vec<PathBuf> = files.collect::<Result<_, std::io::Error>>()?;
            let is_read = |path: &PathBuf| {
                path.extension().is_some_and(|extension| extension == "jpg" || extension == "png")
            };
            files.retain(is_read);
            files.sort();
            let name = photographs.file_name().unwrap_or_default().to_string_lossy().into_owned();
            kinds.push(Kind { name, files });
        }
        Ok(kinds)
    }
}

/// The width of the picture in `path`.
fn width(path: &Path) -> Result<u32, Failure> {
    Ok(Original::open(&own_codecs()?, &std::fs::read(path)?)?.facts().size.width)
}

//! `apply`: a site's folder made lighter in one step, without a database.

mod out;
mod telling;

use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Instant;

use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::format::Format;
use brisk_margin_core::publication::state::{USUAL_FOLDER, files_folder};
use brisk_margin_core::rule::{EffectiveRule, OutputRule};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_site::publishing::folder::SiteFolder;
use brisk_margin_site::publishing::journal::Journal;
use brisk_margin_site::publishing::journals::{journals, next_journal};
use brisk_margin_site::publishing::site_change::NewFile;
use brisk_margin_site::publishing::turn::SiteTurn;
use brisk_margin_work::applying::cache::MadeFiles;
use brisk_margin_work::applying::{Applied, Applying, Wish};
use brisk_margin_work::publishing::Progress;
use clap::{ArgGroup, Args};

use super::fit::{parse_density, parse_grade};
use super::terminal::Watched;
use crate::home::{Failure, own_codecs};

const EXAMPLES: &str = "\
Examples:
  What would become of it; nothing is written:
    brisk-margin apply ./site --dry-run
  A lighter copy, for a build server:
    brisk-margin apply ./site --out ./light --max-page-bytes 400000 --json
  The site itself, and back to the byte:
    brisk-margin apply ./site --in-place
    brisk-margin apply ./site --take-back";

/// Makes a site's folder lighter, without a database.
///
/// Its pages are measured in headless Chromium, the files for their places made, pages and style sheets
/// rewritten to offer them, and all of it held against the site as it was before anything is written: a
/// place whose page would look otherwise is left as it is. Exit code 1, with the reason, where a place was
/// left that could be mended, or a page is over its budget.
#[derive(Args)]
#[command(after_help = EXAMPLES)]
#[command(group = ArgGroup::new("where").required(true)
    .args(["out", "in_place", "dry_run", "take_back"]))]
pub struct Apply {
    /// The folder that the site is served from
    site: PathBuf,
    /// Write a lighter copy of the site to this folder
    #[arg(long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// Write to the site itself; what was there is kept until it is taken back
    #[arg(long)]
    in_place: bool,
    /// Write nothing
    #[arg(long)]
    dry_run: bool,
    /// Take back all that --in-place wrote
    #[arg(long)]
    take_back: bool,
    /// With --take-back: also what somebody changed since
    #[arg(long, requires = "take_back")]
    force: bool,
    /// How faithful files must be: fine, good, lean or lossless
    #[arg(long, default_value = "good", value_parser = parse_grade)]
    grade: QualityTarget,
    /// Formats to offer, the last one of which every browser reads
    #[arg(long, default_value = "avif,webp,jpeg,png", value_delimiter = ',')]
    formats: Vec<Format>,
    /// Device pixels per CSS pixel, several with commas
    #[arg(long, default_value = "1,2", value_delimiter = ',', value_parser = parse_density)]
    density: Vec<Density>,
    /// The folder of the site that new files go to
    #[arg(long, default_value = USUAL_FOLDER, value_parser = files_folder)]
    folder: String,
    /// The most bytes of pictures that a page may load, at any layout width and density
    #[arg(long, value_name = "N")]
    max_page_bytes: Option<u64>,
    /// Where files that were made are kept for the next time
    #[arg(long, value_name = "DIR")]
    cache: Option<PathBuf>,
    /// Where what --in-place replaces is kept; beside the site where nothing is given
    #[arg(long, value_name = "DIR")]
    journal: Option<PathBuf>,
    /// Print one JSON object a line: each place, then the sum
    #[arg(long)]
    json: bool,
}

impl Apply {
    pub(super) fn run(self) -> ExitCode {
        match self.outcome() {
            Ok(true) => ExitCode::SUCCESS,
            Ok(false) => ExitCode::FAILURE,
            Err(error) => {
                eprintln!("brisk-margin: {error}");
                ExitCode::FAILURE
            }
        }
    }

    /// Whether nothing was left that could be mended.
    fn outcome(self) -> Result<bool, Failure> {
        let site = SiteFolder::open(&self.site).map_err(|error| {
            format!("{} cannot be used as a site's folder: {error}", self.site.display())
        })?;
        let journal = self.journal_of(site.root());
        let _turn = match self.in_place || self.take_back {
            true => Some(SiteTurn::take(&site)?),
            false => None,
        };
        if self.take_back {
            return self.took_back(&site, &journal);
        }
        if let Some(newest) = journals(&journal)?.pop().filter(|_| self.in_place) {
            let mut unfinished = Journal::open(&newest)?;
            if !unfinished.is_done() {
                eprintln!("brisk-margin: what was begun before is finished first");
                unfinished.publish(&site)?;
            }
        }
        if let Some(out) = &self.out {
            out::check(&site, out)?;
        }
        let started = Instant::now();
        let applied = super::within_runtime(self.applied(&site))?;
        let over = self.over_budget(&applied);
        if over.is_empty() {
            self.write(&site, &journal, &applied.outcome.files)?;
        }
        let taken = started.elapsed();
        telling::tell(&applied, taken, self.json);
        for words in &over {
            eprintln!("brisk-margin: {words}; nothing was written");
        }
        let failed = applied.outcome.left.iter().filter(|left| left.reason.is_failure()).count();
        if failed > 0 {
            let words = telling::counted(failed, "place");
            eprintln!("brisk-margin: left as before, though that could be mended: {words}");
        }
        for (page, why) in &applied.unmeasured {
            eprintln!("brisk-margin: {page} could not be measured: {why}");
        }
        Ok(failed == 0 && over.is_empty() && applied.unmeasured.is_empty())
    }

    async fn applied(&self, site: &SiteFolder) -> Result<Applied, Failure> {
        let mut formats = self.formats.clone();
        formats.sort_by_key(|format| format.is_universal());
        if !formats.iter().any(|format| format.is_universal()) {
            return Err("add jpeg, png or gif to --formats: some browsers read no other".into());
        }
        let rule =
            OutputRule { formats: Some(formats), want: Some(self.grade), ..Default::default() };
        let silent = OutputRule::default();
        let mut densities = self.density.clone();
        densities.sort_by(|a, b| a.get().total_cmp(&b.get()));
        let wish = Wish {
            rule: EffectiveRule::new(&rule, &silent, &silent),
            densities,
            folder: self.folder.clone(),
        };
        let cache = MadeFiles::open(&self.cache_folder()?)?;
        let watched = Watched::of(0);
        let told = |progress: Progress| {
            let (words, done, all) = match progress {
                Progress::Measured(done, all) => ("measuring pages", done, all),
                Progress::Made(done, all) => ("making files", done, all),
                Progress::Proved(done, all) => ("comparing pages in the browser", done, all),
            };
            watched.now(words);
            watched.of_all(done as u64, all as u64);
        };
        Ok(Applying::new(wish, own_codecs()?, cache).apply(site, &told).await?)
    }

    fn write(&self, site: &SiteFolder, journal: &Path, files: &[NewFile]) -> Result<(), Failure> {
        if let Some(out) = &self.out {
            out::write(site, out, files)?;
        } else if self.in_place && !files.is_empty() {
            let home = next_journal(journal)?;
            Journal::begin(&home, site, files.to_vec())?.publish(site)?;
        }
        Ok(())
    }

    fn took_back(&self, site: &SiteFolder, journal: &Path) -> Result<bool, Failure> {
        let all = journals(journal)?;
        if all.is_empty() {
            forget(journal);
            return Err(format!("nothing was written to {}", site.root().display()).into());
        }
        for home in all.into_iter().rev() {
            let left = Journal::open(&home)?.take_back(site, self.force)?;
            if !left.is_empty() {
                eprintln!(
                    "brisk-margin: changed since, and left alone: {}; --force takes it back as well",
                    left.join(", ")
                );
                return Ok(false);
            }
        }
        forget(journal);
        println!("{} is as it was", site.root().display());
        Ok(true)
    }

    /// The pages that are over their budget, in words.
    fn over_budget(&self, applied: &Applied) -> Vec<String> {
        let Some(most) = self.max_page_bytes.map(Bytes) else { return Vec::new() };
        let over = applied.outcome.weights.iter().filter(|weight| weight.after > most);
        let words = over.map(|weight| {
            let (density, width) = (weight.density.get(), weight.width);
            let (page, after) = (&weight.page, weight.after);
            format!("{page} loads {after} of pictures at {width} px, {density}x: more than {most}")
        });
        words.collect()
    }

    /// Beside the site, where no browser gets at it.
    fn journal_of(&self, root: &Path) -> PathBuf {
        self.journal.clone().unwrap_or_else(|| {
            let name = root.file_name().unwrap_or_default().to_string_lossy();
            root.with_file_name(format!("{name}.brisk-margin"))
        })
    }

    fn cache_folder(&self) -> Result<PathBuf, Failure> {
        if let Some(cache) = &self.cache {
            return Ok(cache.clone());
        }
        let variable = |name| std::env::var_os(name).map(PathBuf::from);
        let caches = variable("XDG_CACHE_HOME")
            .or_else(|| Some(variable("HOME")?.join(".cache")))
            .ok_or("there is no home folder; say with --cache where files are kept")?;
        Ok(caches.join("brisk-margin/apply"))
    }
}

/// Removes the folder of journals, where it has none.
fn forget(journal: &Path) {
    let _ = std::fs::remove_dir(journal);
}

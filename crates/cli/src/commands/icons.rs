//! `icons`: a site's icons of one master, and what those that it serves come to, without a database.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use brisk_margin_core::edits::values::Colour;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::icon::check::{CheckedIcon, IconReport};
use brisk_margin_core::icon::design::{IconDesign, usual_square};
use brisk_margin_core::icon::manifest::{MANIFEST, manifest};
use brisk_margin_core::icon::snippet::snippet;
use brisk_margin_core::icon::target::{IconTarget, MadeIcon, too_large_for};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::never;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::file::{IconFile, Icons, USUAL};
use brisk_margin_imaging::icon::master::Master;
use brisk_margin_imaging::original::Original;
use brisk_margin_site::gate::Authority;
use brisk_margin_site::plan::Plan;
use brisk_margin_work::icons::checking::check_icons;
use brisk_margin_work::measuring;
use brisk_margin_work::work_pool::WorkPool;
use clap::{Args, Subcommand};
use serde::Serialize;
use url::Url;

use super::made::MadeFiles;
use super::within_runtime;
use crate::home::{Failure, own_codecs, own_readers};

/// What the lines for the heads of pages are called.
const HEAD: &str = "head.html";

/// Memory for icons that are looked at.
const MEMORY: Bytes = Bytes::mb(1_000);

const MAKE_EXAMPLES: &str = "\
Examples:
  brisk-margin icons make mark.svg --out ./icons --name \"Tarnlight Observatory\" --color '#12304f'
  brisk-margin icons make mark.png --small star.svg --prefix /icons/ --out ./public/icons --json";

const CHECK_EXAMPLES: &str = "\
Examples:
  brisk-margin icons check https://tarnlight.example/
  brisk-margin icons check http://localhost:8000/ --allow http://localhost:9000 --json";

/// Icons of a site.
#[derive(Args)]
pub struct IconsCommand {
    #[command(subcommand)]
    command: What,
}

#[derive(Subcommand)]
enum What {
    /// Makes every icon file of one master, with the manifest and the lines for pages
    #[command(after_help = MAKE_EXAMPLES)]
    Make(Box<Make>),
    /// Fetches the icons that pages name, and tells what is wrong and what is missing
    ///
    /// Only the hosts and ports of the given addresses are reached, and those of --allow. Exit code 1 where something is
    /// wrong or missing.
    #[command(after_help = CHECK_EXAMPLES)]
    Check(Check),
}

#[derive(Args)]
struct Make {
    /// The master: a drawing (SVG), or a picture of at least 512 px
    master: PathBuf,
    /// Where the files go
    #[arg(long, value_name = "DIR", default_value = ".")]
    out: PathBuf,
    /// A simpler mark for small sizes
    #[arg(long, value_name = "FILE")]
    small: Option<PathBuf>,
    /// The drawing that a dark theme shows instead
    #[arg(long, value_name = "FILE")]
    dark: Option<PathBuf>,
    /// What the site is called
    #[arg(long, default_value = "")]
    name: String,
    /// The line on the sharing picture, below the name
    #[arg(long, default_value = "")]
    line: String,
    /// The colour around its pages where it is installed
    #[arg(long, value_name = "#RRGGBB", default_value_t = Colour::WHITE)]
    color: Colour,
    /// The ground of files that need one, and while it starts
    #[arg(long, value_name = "#RRGGBB", default_value_t = Colour::WHITE)]
    background: Colour,
    /// Where the files will be, from the root of the site
    #[arg(long, default_value = "/")]
    prefix: String,
    /// The address of the site, for the sharing picture
    #[arg(long, value_name = "URL")]
    site: Option<Url>,
    /// Print one JSON object a line
    #[arg(long)]
    json: bool,
}

#[derive(Args)]
struct Check {
    /// Addresses of pages
    #[arg(required = true, value_name = "URL")]
    pages: Vec<Url>,
    /// Other hosts that may be reached, by an address
    #[arg(long, value_name = "URL")]
    allow: Vec<Url>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

/// A file that was made.
#[derive(Serialize)]
struct Line<'a> {
    file: &'a Path,
    #[serde(skip_serializing_if = "Option::is_none")]
    target: Option<IconTarget>,
    #[serde(skip_serializing_if = "Option::is_none")]
    width: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    height: Option<u32>,
    bytes: usize,
}

#[derive(Serialize)]
struct Failed<'a> {
    source: &'a Path,
    error: String,
}

impl IconsCommand {
    pub(super) fn run(self) -> ExitCode {
        let done = match &self.command {
            What::Make(make) => make.run(),
            What::Check(check) => within_runtime(check.run()),
        };
        match done {
            Ok(true) => ExitCode::SUCCESS,
            Ok(false) => ExitCode::FAILURE,
            Err(error) => {
                match &self.command {
                    What::Make(make) if make.json => {
                        let failed = Failed { source: &make.master, error: error.to_string() };
                        println!("{}", serde_json::to_string(&failed).expect("plain values"));
                    }
                    _ => eprintln!("brisk-margin: {error}"),
                }
                ExitCode::FAILURE
            }
        }
    }
}

impl Make {
    fn run(&self) -> Result<bool, Failure> {
        let design = IconDesign {
            name: self.name.clone(),
            line: self.line.clone(),
            colour: self.color,
            background: self.background,
            prefix: self.prefix.clone(),
            ..IconDesign::default()
        };
        design.check()?;
        let codecs = own_codecs()?;
        let master = read(&codecs, &self.master)?;
        let other =
            |path: &Option<PathBuf>| path.as_ref().map(|path| read(&codecs, path)).transpose();
        let (small, dark) = (other(&self.small)?, other(&self.dark)?);
        if let Some(side) = master.source_side() {
            let lacking: Vec<&str> =
                too_large_for(side).into_iter().map(IconTarget::file_name).collect();
            if !lacking.is_empty() {
                let names = lacking.join(", ");
                eprintln!("brisk-margin: {side} px are too few for {names}: they are blurred");
            }
        }
        let icons = Icons {
            design: &design,
            master: &master,
            small: small.as_ref(),
            dark: dark.as_ref(),
            want: USUAL,
        };
        let files = icons.files(&codecs, &never)?;
        let made: Vec<MadeIcon> = files.iter().map(|file| file.made.clone()).collect();
        let site = self.site.as_ref().map(|site| site.origin().ascii_serialization());
        let head = snippet(&design, &made, site.as_deref()).join("\n") + "\n";
        let mut folder = MadeFiles::open(&self.out)?;
        for IconFile { made, size, bytes, .. } in &files {
            let path = folder.write(&made.file_name, bytes)?;
            self.tell(&path, Some((made.target, size.width, size.height)), bytes.len());
        }
        for (name, text) in [(MANIFEST, manifest(&design, &made)), (HEAD, head)] {
            let path = folder.write(name, text.as_bytes())?;
            self.tell(&path, None, text.len());
        }
        Ok(true)
    }

    fn tell(&self, file: &Path, of: Option<(IconTarget, u32, u32)>, bytes: usize) {
        let (target, width, height) = match of {
            Some((target, width, height)) => (Some(target), Some(width), Some(height)),
            None => (None, None, None),
        };
        if self.json {
            let line = Line { file, target, width, height, bytes };
            println!("{}", serde_json::to_string(&line).expect("plain values"));
            return;
        }
        let words = target.map_or("", IconTarget::words);
        println!("{:>8} B  {}  {words}", bytes, file.display());
    }
}

/// The square of the picture in `file`, around its middle.
fn read(codecs: &Codecs, file: &Path) -> Result<Master, Failure> {
    let told = |error: &dyn std::fmt::Display| format!("{}: {error}", file.display());
    let bytes = std::fs::read(file).map_err(|error| told(&error))?;
    let original = Original::open(codecs, &bytes).map_err(|error| told(&error))?;
    let square = usual_square(original.facts().size, FocalPoint::CENTRE);
    Ok(Master::read(&original, square).map_err(|error| told(&error))?)
}

impl Check {
    async fn run(&self) -> Result<bool, Failure> {
        let reader = measuring::file_reader(own_codecs()?);
        let mut rules = Plan::for_page(self.pages[0].as_str(), reader.clone())?.rules;
        for page in &self.pages {
            rules.allowed.extend(Plan::for_page(page.as_str(), reader.clone())?.rules.allowed);
        }
        rules.allowed.extend(self.allow.iter().filter_map(Authority::of));
        let pool = WorkPool::new(1, MEMORY, own_readers()?);
        let report = check_icons(&self.pages, rules, &pool).await?;
        if self.json {
            println!("{}", serde_json::to_string(&report)?);
        } else {
            tell(&report);
        }
        Ok(report.is_fine())
    }
}

fn tell(report: &IconReport) {
    for CheckedIcon { found, words, troubles, .. } in &report.icons {
        let sizes: Vec<String> = found.sizes.iter().map(ToString::to_string).collect();
        println!("{}  {words}  {}", found.address, sizes.join(", "));
        for trouble in troubles {
            println!("    {}; {}", trouble.words, trouble.mend);
        }
    }
    report.unread.iter().for_each(|one| println!("{}: {}", one.page, one.reason));
    report.silent.iter().for_each(|page| println!("{page} names no icon, though other pages do"));
    report.manifest.iter().for_each(|reason| println!("{reason}"));
    for lack in &report.lacks {
        println!("missing for {}; {} mends it", lack.words, lack.mend.file_name());
    }
    if report.are_many {
        println!("so many icons are named that nobody can tell which one is shown");
    }
}

//! `measure`: the slots of pages, without a database.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::hidden::HiddenIn;
use brisk_margin_core::layout::{Boxes, LayoutWidth};
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place::ServedFile;
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::units::{ByDensity, Bytes, Density};
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::measured::{FoundPlace, PageIcon};
use brisk_margin_site::plan::Plan;
use brisk_margin_work::measuring;
use clap::Args;
use serde::Serialize;

use super::terminal::Watched;
use crate::home::{Failure, own_codecs};

const EXAMPLES: &str = "\
Examples:
  brisk-margin measure https://tarnlight.example/visit.html
  brisk-margin measure http://localhost:8000/ http://localhost:8000/team --width 390,1280 --json";

/// Measures the places of pages that show pictures, in headless Chromium.
///
/// Only the hosts and ports of the given addresses are reached. Exit code 1, with the reason on
/// standard error, where a page could not be measured.
#[derive(Args)]
#[command(after_help = EXAMPLES)]
pub struct Measure {
    /// Addresses of pages
    #[arg(required = true, value_name = "URL")]
    pages: Vec<String>,
    /// Layout widths in CSS px, with commas
    #[arg(long, value_delimiter = ',', default_value = "390,820,1280,1920",
          value_parser = clap::value_parser!(u32).range(160..=7_680))]
    width: Vec<u32>,
    /// Print one JSON object a line
    #[arg(long)]
    json: bool,
}

/// A line of the answer.
#[derive(Serialize)]
struct Line<'a> {
    page: &'a str,
    selector: &'a str,
    kind: PlaceKind,
    boxes: &'a Boxes,
    files: BTreeMap<u32, ByDensity<File<'a>>>,
    fit: ObjectFit,
    position: &'a str,
    above_fold: bool,
    lcp: bool,
    /// What has to open before it is seen.
    hidden_in: Option<HiddenIn>,
}

/// A file as a line tells of it.
#[derive(Serialize)]
struct File<'a> {
    url: &'a str,
    width: Option<u32>,
    height: Option<u32>,
    format: Option<&'a str>,
    bytes: Bytes,
}

impl<'a> From<&'a ServedFile> for File<'a> {
    fn from(file: &'a ServedFile) -> Self {
        let (width, height) = file.size.unzip();
        Self { url: &file.url, width, height, format: file.format.as_deref(), bytes: file.bytes }
    }
}

fn files_at<'a>((&width, at): (&u32, &'a ByDensity<ServedFile>)) -> (u32, ByDensity<File<'a>>) {
    (width, at.iter().map(|(&density, file)| (density, File::from(file))).collect())
}

impl Measure {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let reader = measuring::file_reader(own_codecs()?);
        let mut plan = Plan::for_page(&self.pages[0], reader.clone())?;
        let widths: BTreeSet<u32> = self.width.iter().copied().collect();
        plan.widths = widths.into_iter().map(LayoutWidth::of).collect();
        for page in &self.pages {
            plan.rules.allowed.extend(Plan::for_page(page, reader.clone())?.rules.allowed);
        }
        let measurer = Measurer::start(plan).await?;
        let mut failed = 0;
        let watched = Watched::of(self.pages.len());
        for address in &self.pages {
            watched.now(address.clone());
            let measured = measurer.page(address).await;
            watched.one_more();
            watched.print(|| match measured {
                Ok(page) => {
                    page.places.iter().for_each(|place| self.print(&page.address, place));
                    page.icons.iter().for_each(|icon| self.print_icon(&page.address, icon));
                }
                Err(error) => {
                    eprintln!("brisk-margin: {error}");
                    failed += 1;
                }
            });
        }
        drop(watched);
        for (host, example) in measurer.refused() {
            eprintln!("brisk-margin: {host} was not entered and not reached ({example})");
        }
        match failed {
            0 => Ok(()),
            _ => {
                Err(format!("{failed} of {} pages could not be measured", self.pages.len()).into())
            }
        }
    }

    fn print_icon(&self, page: &str, icon: &PageIcon) {
        if !self.json {
            println!("{}\n  {} {}", icon.selector, icon.rel, icon.file.url);
            return;
        }
        // It has no box, and the browser takes it at any width.
        let at_any: ByDensity<File<'_>> =
            [(Density::ONE, File::from(&icon.file))].into_iter().collect();
        let line = Line {
            page,
            selector: &icon.selector,
            kind: PlaceKind::Icon,
            boxes: &Boxes::new(),
            files: [(0, at_any)].into(),
            fit: ObjectFit::Contain,
            position: "50% 50%",
            above_fold: false,
            lcp: false,
            hidden_in: None,
        };
        println!("{}", serde_json::to_string(&line).expect("plain values"));
    }

    fn print(&self, page: &str, place: &FoundPlace) {
        if self.json {
            let line = Line {
                page,
                selector: &place.selector,
                kind: place.kind,
                boxes: &place.details.boxes,
                files: place.details.files.iter().map(files_at).collect(),
                fit: place.details.painting,
                position: &place.details.position,
                above_fold: place.details.above_fold,
                lcp: place.details.lcp,
                hidden_in: place.details.hidden_in,
            };
            println!("{}", serde_json::to_string(&line).expect("plain values"));
            return;
        }
        let boxes: Vec<String> = place
            .details
            .boxes
            .iter()
            .map(|(viewport, size)| format!("{viewport}: {} × {}", size.width, size.height))
            .collect();
        let hidden =
            place.details.hidden_in.map_or_else(String::new, |at| format!(" ({})", at.words()));
        println!("{}\n  {}{hidden}", place.selector, boxes.join(" · "));
    }
}

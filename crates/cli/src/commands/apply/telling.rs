//! What `apply` tells of what it did.

use std::time::Duration;

use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_work::applying::Applied;
use brisk_margin_work::publishing::ChangedPlace;
use brisk_margin_work::publishing::places::LeftPlace;
use brisk_margin_work::publishing::proof::Weight;
use serde::Serialize;

/// The two screens that stand for all: a phone and a plain desktop.
const SCREENS: [(u32, f64); 2] = [(390, 2.0), (1_280, 1.0)];

/// A place that offers other files.
#[derive(Serialize)]
struct ChangedLine<'a> {
    page: &'a str,
    selector: &'a str,
    source: &'a str,
    files: Vec<FileLine<'a>>,
    before: Bytes,
    after: Bytes,
    single: bool,
    as_promised: bool,
}

#[derive(Serialize)]
struct FileLine<'a> {
    file: &'a str,
    width: u32,
    bytes: Bytes,
}

/// A place that is left.
#[derive(Serialize)]
struct LeftLine<'a> {
    page: &'a str,
    selector: &'a str,
    left: &'a str,
    reason: String,
}

/// The sum.
#[derive(Serialize)]
struct SumLine {
    changed: usize,
    left: usize,
    written: usize,
    encodes: usize,
    kept: usize,
    weights: Vec<WeightLine>,
    before: Bytes,
    after: Bytes,
    millis: u64,
}

#[derive(Serialize)]
struct WeightLine {
    width: u32,
    density: Density,
    before: Bytes,
    after: Bytes,
}

/// Prints all of it: as JSON, an object a line, or for a person.
pub(super) fn tell(applied: &Applied, taken: Duration, as_json: bool) {
    let sum = SumLine::of(applied, taken);
    if as_json {
        for place in &applied.outcome.changed {
            print_json(&ChangedLine::of(place));
        }
        for place in &applied.outcome.left {
            print_json(&LeftLine::of(place));
        }
        print_json(&sum);
        return;
    }
    let mut page = "";
    for place in &applied.outcome.changed {
        heading(&mut page, &place.page);
        let (before, after) = place.weight;
        let single =
            if place.is_single { " (one format: the layout needs the element alone)" } else { "" };
        println!("  {}: {before} → {after}{single}", place.source);
    }
    page = "";
    for place in &applied.outcome.left {
        heading(&mut page, &place.page);
        println!("  {} {}", place.selector, place.reason.words());
    }
    for weight in &sum.weights {
        let (before, after) = (weight.before, weight.after);
        println!("pictures at {} px, {}x: {before} → {after}", weight.width, weight.density.get());
    }
    println!(
        "{} changed, {} left; {} encoded, {} from before; {:.1} s",
        counted(sum.changed, "place"),
        sum.left,
        counted(sum.encodes, "file"),
        sum.kept,
        taken.as_secs_f64()
    );
}

/// `1 place`, `3 places`.
pub(super) fn counted(count: usize, of: &str) -> String {
    format!("{count} {of}{}", if count == 1 { "" } else { "s" })
}

fn heading<'a>(last: &mut &'a str, page: &'a str) {
    if *last != page {
        println!("{page}");
        *last = page;
    }
}

fn print_json(line: &impl Serialize) {
    println!("{}", serde_json::to_string(line).expect("plain values"));
}

impl<'a> ChangedLine<'a> {
    fn of(place: &'a ChangedPlace) -> Self {
        let files = place.files.iter();
        let files =
            files.map(|(file, width, bytes)| FileLine { file, width: *width, bytes: *bytes });
        Self {
            page: &place.page,
            selector: &place.selector,
            source: &place.source,
            files: files.collect(),
            before: place.weight.0,
            after: place.weight.1,
            single: place.is_single,
            as_promised: place.is_as_promised,
        }
    }
}

impl<'a> LeftLine<'a> {
    fn of(place: &'a LeftPlace) -> Self {
        Self {
            page: &place.page,
            selector: &place.selector,
            left: place.reason.name(),
            reason: place.reason.words(),
        }
    }
}

impl SumLine {
    fn of(applied: &Applied, taken: Duration) -> Self {
        let weights = weights(&applied.outcome.weights);
        let screens =
            weights.iter().filter(|weight| SCREENS.contains(&(weight.width, weight.density.get())));
        let (before, after) = screens.fold((Bytes(0), Bytes(0)), |sums, weight| {
            (sums.0 + weight.before, sums.1 + weight.after)
        });
        Self {
            changed: applied.outcome.changed.len(),
            left: applied.outcome.left.len(),
            written: applied.outcome.files.len(),
            encodes: applied.encoded.0,
            kept: applied.encoded.1,
            weights,
            before,
            after,
            millis: taken.as_millis() as u64,
        }
    }
}

/// All pages together, at each layout width and density.
fn weights(of_pages: &[Weight]) -> Vec<WeightLine> {
    let mut sums: Vec<WeightLine> = Vec::new();
    for Weight { width, density, before, after, .. } in of_pages {
        match sums.iter_mut().find(|sum| sum.width == *width && sum.density == *density) {
            Some(sum) => {
                sum.before = sum.before + *before;
                sum.after = sum.after + *after;
            }
            None => sums.push(WeightLine {
                width: *width,
                density: *density,
                before: *before,
                after: *after,
            }),
        }
    }
    sums.sort_by(|a, b| {
        (a.width, a.density.get()).partial_cmp(&(b.width, b.density.get())).expect("figures")
    });
    sums
}

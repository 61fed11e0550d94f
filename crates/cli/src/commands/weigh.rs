//! `weigh`: what pages transfer and how long that takes, without a database.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::spread::Spread;
use brisk_margin_core::load::{
    Connection, LoadTimes, PageRequests, PageWeight, Protocol, Request, Timing, load,
    load_throttled,
};
use brisk_margin_core::units::{Bytes, Density, Millis};
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::har;
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::page::Came;
use brisk_margin_site::plan::Plan;
use brisk_margin_work::measuring;
use chrono::{SecondsFormat, Utc};
use clap::Args;
use serde::Serialize;

use super::terminal::Watched;
use super::within_runtime;
use crate::home::{Failure, own_codecs};

/// How often a page is loaded in the browser: the middle one counts.
const LOADS: usize = 9;

const EXAMPLES: &str = "\
Examples:
  brisk-margin weigh https://tarnlight.example/ --connection 1600/150
  brisk-margin weigh before.har after.har --connection 400/400,9000/85 --json
  brisk-margin weigh http://localhost:8000/ --browser --connection 400/400 --json
  brisk-margin weigh http://localhost:8000/ --http2 --budget-bytes 500000 --budget-ms 2500";

/// Weighs pages: what each transfers, and how long that takes on connections, by a model of the network and the
/// browser.
///
/// An address is opened in headless Chromium, which reaches only the hosts and ports of the given addresses; a HAR file
/// is read. Exit code 1 where a page is over a budget or could not be weighed.
#[derive(Args)]
#[command(after_help = EXAMPLES)]
pub struct Weigh {
    /// Addresses of pages, or HAR files
    #[arg(required = true, value_name = "URL|FILE")]
    pages: Vec<String>,
    /// Connections, with commas: kbit/s and ms there and back, and where it matters how many ms servers think
    #[arg(long, value_delimiter = ',', default_value = "1600/150", value_name = "KBIT/MS[/MS]")]
    connection: Vec<Connection>,
    /// The layout width in CSS px
    #[arg(long, default_value_t = 390, value_parser = clap::value_parser!(u32).range(160..=7_680))]
    width: u32,
    /// Device pixels per CSS pixel
    #[arg(long, default_value = "2", value_parser = density)]
    density: Density,
    /// Model hosts that speak HTTP/2 over TLS, whatever they speak now
    #[arg(long)]
    http2: bool,
    /// Most bytes of a page, without what is lazy
    #[arg(long, value_name = "N")]
    budget_bytes: Option<u64>,
    /// Most milliseconds until the largest paint (LCP), on every connection
    #[arg(long, value_name = "N")]
    budget_ms: Option<u32>,
    /// Load each address nine times in the browser as well, which throttles itself to each connection, and hold the
    /// model without hand-shakes and slow start against that
    #[arg(long)]
    browser: bool,
    /// Write a HAR file for each page and connection into this folder
    #[arg(long, value_name = "DIR")]
    har: Option<PathBuf>,
    /// Print one JSON object a line
    #[arg(long)]
    json: bool,
}

fn density(text: &str) -> Result<Density, String> {
    let density = text.parse().map_err(|_| "a number from 0.5 to 4".to_owned())?;
    Density::new(density).map_err(|error| error.to_string())
}

/// A page on a connection.
#[derive(Serialize)]
struct Line<'a> {
    page: &'a str,
    connection: Connection,
    bytes: PageWeight,
    #[serde(flatten)]
    times: LoadTimes,
    /// What a real browser told, where it was asked.
    #[serde(skip_serializing_if = "Option::is_none")]
    browser: Option<InBrowser>,
    /// The budgets that it is over, and by how much.
    overruns: Vec<Overrun>,
    requests: Vec<RequestLine<'a>>,
}

/// A page as a browser that throttles itself loaded it, in ms, and the model of the same.
#[derive(Serialize)]
struct InBrowser {
    loads: usize,
    lcp: Spread,
    all_files: Spread,
    /// The most of all loads.
    layout_shift: f64,
    /// What the model tells of a browser that throttles itself.
    modelled: LoadTimes,
    /// By how much its LCP is off, as a share of the browser's.
    lcp_error: f64,
}

impl InBrowser {
    /// Nothing where the browser told no paint.
    fn new(came: &[Came], requests: &PageRequests, connection: Connection) -> Option<Self> {
        let modelled = load_throttled(requests, connection).times;
        let lcp = Spread::of(came.iter().filter_map(|came| came.largest).collect())?;
        Some(Self {
            loads: came.len(),
            lcp,
            all_files: Spread::of(came.iter().map(Came::last_file).collect())?,
            layout_shift: came.iter().map(|came| came.shift).fold(0.0, f64::max),
            modelled,
            lcp_error: lcp.error_of(modelled.lcp.get()),
        })
    }
}

#[derive(Serialize)]
#[serde(rename_all = "lowercase")]
enum Overrun {
    Bytes(u64),
    Ms(f64),
}

#[derive(Serialize)]
struct RequestLine<'a> {
    #[serde(flatten)]
    request: &'a Request,
    timing: Option<Timing>,
}

/// A page that was not weighed.
#[derive(Serialize)]
struct Failed<'a> {
    page: &'a str,
    error: String,
}

struct Weighed {
    name: String,
    requests: PageRequests,
    /// How it came in the browser, by the connections; nothing where that was not asked.
    came: Vec<Vec<Came>>,
}

impl Weigh {
    pub(super) fn run(self) -> ExitCode {
        match within_runtime(self.weigh()) {
            Ok(true) => ExitCode::SUCCESS,
            Ok(false) => ExitCode::FAILURE,
            Err(error) => {
                eprintln!("brisk-margin: {error}");
                ExitCode::FAILURE
            }
        }
    }

    /// Weighs all; tells whether all went well.
    async fn weigh(&self) -> Result<bool, Failure> {
        if let Some(folder) = &self.har {
            std::fs::create_dir_all(folder)?;
        }
        let (addresses, files): (Vec<&String>, Vec<&String>) = self
            .pages
            .iter()
            .partition(|page| page.starts_with("http:") || page.starts_with("https:"));
        let mut is_well = true;
        for file in files {
            match read(Path::new(file)) {
                Ok(pages) => {
                    for page in pages {
                        is_well &= self.tell(page)?;
                    }
                }
                Err(error) => is_well &= self.tell_failure(file, &*error),
            }
        }
        if !addresses.is_empty() {
            is_well &= self.weigh_addresses(&addresses).await?;
        }
        Ok(is_well)
    }

    async fn weigh_addresses(&self, addresses: &[&String]) -> Result<bool, Failure> {
        let reader = measuring::file_reader(own_codecs()?);
        let mut plan = Plan::for_page(addresses[0], reader.clone())?;
        plan.widths = vec![LayoutWidth::of(self.width)];
        plan.densities = vec![self.density];
        for address in addresses {
            plan.rules.allowed.extend(Plan::for_page(address, reader.clone())?.rules.allowed);
        }
        let measurer = Measurer::start(plan).await?;
        let watched = Watched::of(addresses.len());
        let mut is_well = true;
        for address in addresses {
            watched.now((*address).clone());
            let measured = self.measured(&measurer, address).await;
            watched.one_more();
            is_well &= watched.print(|| match measured {
                Ok(weighed) => self.tell(weighed),
                Err(error) => Ok(self.tell_failure(address, &error)),
            })?;
        }
        drop(watched);
        for (host, example) in measurer.refused() {
            eprintln!(
                "brisk-margin: {host} was not entered, and what it sends is not counted ({example})"
            );
        }
        Ok(is_well)
    }

    /// What an address transfers, and how it came in the browser where that is asked.
    async fn measured(&self, measurer: &Measurer, address: &str) -> Result<Weighed, MeasureError> {
        let page = measurer.page_at_widths(address).await?;
        let requests = page.requests.into_values().next().unwrap_or_default();
        let mut came = Vec::new();
        for &connection in self.connection.iter().filter(|_| self.browser) {
            came.push(measurer.timed(address, connection, LOADS).await?);
        }
        Ok(Weighed { name: address.to_owned(), requests, came })
    }

    /// Prints a page on each connection; tells whether it keeps its budgets.
    fn tell(&self, weighed: Weighed) -> Result<bool, Failure> {
        let Weighed { name, requests: as_it_is, came: in_browser } = weighed;
        let requests = match self.http2 {
            true => as_it_is.clone().over(Protocol::Http2),
            false => as_it_is.clone(),
        };
        let mut keeps = true;
        for (n, &connection) in self.connection.iter().enumerate() {
            // The browser met the host as it is.
            let browser = in_browser.get(n);
            let browser = browser.and_then(|came| InBrowser::new(came, &as_it_is, connection));
            let came = load(&requests, connection);
            let bytes = PageWeight::of(&requests);
            let line = Line {
                page: &name,
                connection,
                bytes,
                times: came.times,
                browser,
                overruns: self.overruns(bytes.total, came.times.lcp),
                requests: requests
                    .0
                    .iter()
                    .zip(&came.timings)
                    .map(|(request, &timing)| RequestLine { request, timing })
                    .collect(),
            };
            keeps &= line.overruns.is_empty();
            if let Some(folder) = &self.har {
                let now = Utc::now().to_rfc3339_opts(SecondsFormat::Millis, true);
                let archive = har::written(&name, &now, &requests, &came);
                let path = folder.join(file_name(&name, connection));
                std::fs::write(&path, serde_json::to_vec_pretty(&archive)?)?;
            }
            line.print(self.json);
        }
        Ok(keeps)
    }

    fn overruns(&self, bytes: Bytes, lcp: Millis) -> Vec<Overrun> {
        let over = |budget: u64| bytes.get().checked_sub(budget).filter(|over| *over > 0);
        let late = |budget: u32| Some(lcp.get() - f64::from(budget)).filter(|late| *late > 0.0);
        let bytes = self.budget_bytes.and_then(over).map(Overrun::Bytes);
        bytes.into_iter().chain(self.budget_ms.and_then(late).map(Overrun::Ms)).collect()
    }

    /// Prints why a page was not weighed.
    fn tell_failure(&self, page: &str, error: &dyn std::error::Error) -> bool {
        match self.json {
            true => {
                let failed = Failed { page, error: error.to_string() };
                println!("{}", serde_json::to_string(&failed).expect("plain values"));
            }
            false => eprintln!("brisk-margin: {page}: {error}"),
        }
        false
    }
}

impl Line<'_> {
    fn print(&self, as_json: bool) {
        if as_json {
            println!("{}", serde_json::to_string(self).expect("plain values"));
            return;
        }
        let PageWeight { total, picture, lazy, requests, .. } = self.bytes;
        println!("{}\n  {}", self.page, self.connection);
        println!("  {total} in {requests} requests, pictures {picture}, lazy {lazy}");
        let LoadTimes { first_paint, lcp, last_picture, end } = self.times;
        println!("  first paint {first_paint}, LCP {lcp}, last picture {last_picture}, all {end}");
        if let Some(InBrowser { loads, lcp, all_files, layout_shift, modelled, lcp_error }) =
            &self.browser
        {
            println!(
                "  in the browser, throttled, {loads} loads: LCP {lcp} ms, all files {all_files} ms, layout shift \
                 {layout_shift:.2}; modelled without hand-shakes and slow start: LCP {} ({:+.0} %)",
                modelled.lcp,
                lcp_error * 100.0
            );
        }
        for overrun in &self.overruns {
            match overrun {
                Overrun::Bytes(bytes) => println!("  {} over the budget", Bytes(*bytes)),
                Overrun::Ms(ms) => println!("  LCP {ms:.0} ms over the budget"),
            }
        }
    }
}

fn read(file: &Path) -> Result<Vec<Weighed>, Failure> {
    let archive = std::fs::read(file)?;
    let pages = har::read(&archive)?.into_iter();
    Ok(pages
        .map(|page| Weighed { name: page.title, requests: page.requests, came: Vec::new() })
        .collect())
}

/// What the archive of a page on a connection is called.
fn file_name(page: &str, connection: Connection) -> String {
    let name: String = page.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let name: String = name.trim_matches('-').chars().take(80).collect();
    format!("{name}-{}.har", String::from(connection).replace('/', "-"))
}

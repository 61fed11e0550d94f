//! `brisk-margin-bench`: figures of this machine, as ratios against a reference in the same run.

mod confinement;
mod encoding;
mod framing;
mod layouts;
mod library;
mod loads;
mod measuring;
mod runs;

use std::path::PathBuf;
use std::process::ExitCode;

use brisk_margin_cli::home::{Failure, Home};
use clap::{Parser, Subcommand};

/// Measures this machine
#[derive(Parser)]
#[command(name = "brisk-margin-bench", version)]
struct CommandLine {
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// The library's list with very many pictures, against the bare query. Wants a database and a
    /// data folder of its own, and leaves the made-up pictures in it
    Library {
        #[command(flatten)]
        home: Home,
        /// How many pictures there are at least
        #[arg(long, default_value_t = 100_000)]
        rows: u32,
        /// How often each list is asked for
        #[arg(long, default_value_t = 60)]
        times: usize,
    },
    /// The lists of pages and slots of a very large site. Wants a database and a data folder of its
    /// own, and leaves the made-up pages in it
    Layouts {
        #[command(flatten)]
        home: Home,
        /// How many pages there are
        #[arg(long, default_value_t = 5_000)]
        pages: u32,
        /// How often each list is asked for
        #[arg(long, default_value_t = 20)]
        times: usize,
    },
    /// Frames a picture of 50 megapixels with five edits for 12 slots at 4 layout widths, and draws
    /// its previews. Wants a database and a data folder of its own
    Framing {
        #[command(flatten)]
        home: Home,
        /// How often the focal point is moved
        #[arg(long, default_value_t = 40)]
        times: usize,
    },
    /// Pages measured, against the same browser opening them as often without scrolling
    Measuring {
        /// Addresses of pages
        #[arg(required = true, value_name = "URL")]
        pages: Vec<String>,
        /// All pages that the first one links to, without the comparison
        #[arg(long)]
        site: bool,
    },
    /// A run over many pictures, against the bare core making the same files. Wants a database and a
    /// data folder of its own, and leaves the pictures in it
    Runs {
        #[command(flatten)]
        home: Home,
        /// How many pictures
        #[arg(long, default_value_t = 1_000)]
        pictures: u32,
        /// Two files of each picture only, so that very many can be made
        #[arg(long)]
        light: bool,
        /// Keeps blobs in a store that speaks S3, in a process beside it
        #[arg(long)]
        buckets: bool,
        /// So many more workers in processes of their own
        #[arg(long, default_value_t = 0)]
        more_workers: usize,
        /// Times the plan and the queries of a run over so many made-up pictures instead
        #[arg(long, conflicts_with = "pictures")]
        rows: Option<u32>,
    },
    /// Pages loaded by a browser over a shaped link, against the load model. Takes root
    Loads(loads::Loads),
    /// Serves a folder in a namespace
    #[command(hide = true)]
    LoadsHost { folder: PathBuf },
    /// Loads a page in a namespace
    #[command(hide = true)]
    LoadsBrowser { address: String, times: usize },
    /// Measures the link of a namespace
    #[command(hide = true)]
    LoadsLink { bytes: u64 },
    /// Ladders, bytes, encodes and memory, against a general-purpose library on the same pictures
    Encoding(encoding::Encoding),
    /// Pictures read and encoded in confined processes, against the same in one process
    Confinement {
        /// How often each picture is done both ways
        #[arg(long, default_value_t = 3)]
        rounds: usize,
    },
    /// Decodes and encodes for the process that started it
    #[command(hide = true)]
    Codec,
}

fn main() -> ExitCode {
    tracing_subscriber::fmt().with_writer(std::io::stderr).with_max_level(LEVEL).init();
    let done = match CommandLine::parse().what {
        What::Library { home, rows, times } => within_runtime(library::run(home, rows, times)),
        What::Layouts { home, pages, times } => within_runtime(layouts::run(home, pages, times)),
        What::Framing { home, times } => within_runtime(framing::run(home, times)),
        What::Measuring { pages, site } => within_runtime(measuring::run(pages, site)),
        What::Runs { home, rows: Some(rows), .. } => within_runtime(runs::rows(home, rows)),
        What::Runs { buckets: true, .. } => within_runtime(runs::beside_buckets()),
        What::Runs { home, pictures, light, more_workers, .. } => {
            within_runtime(runs::work(home, pictures, light, more_workers))
        }
        What::Loads(loads) => within_runtime(loads.run()),
        What::LoadsHost { folder } => within_runtime(loads::serve(folder)),
        What::LoadsBrowser { address, times } => within_runtime(loads::browse(&address, times)),
        What::LoadsLink { bytes } => loads::measure_link(bytes),
        What::Encoding(encoding) => encoding.run(),
        What::Confinement { rounds } => confinement::run(rounds),
        What::Codec => return brisk_margin_codec_pool::child::run(),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("brisk-margin-bench: {error}");
            ExitCode::FAILURE
        }
    }
}

const LEVEL: tracing_subscriber::filter::LevelFilter =
    tracing_subscriber::filter::LevelFilter::WARN;

fn within_runtime(work: impl Future<Output = Result<(), Failure>>) -> Result<(), Failure> {
    tokio::runtime::Runtime::new()?.block_on(work)
}

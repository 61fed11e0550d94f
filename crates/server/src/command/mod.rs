//! The subcommands of the binary.

mod bench;
mod fit;
mod host;
mod made;
mod measure;
mod seed;
mod serve;

pub use serve::routes;

use std::path::PathBuf;
use std::process::ExitCode;

use brisk_margin_core::units::Bytes;
use brisk_margin_store::Store;
use clap::{Args, Parser, Subcommand};

use crate::app::App;
use crate::codecs::{self, Processes};
use crate::folder::DataFolder;
use crate::workshop::Workshop;

/// Finds the size a picture must have, makes the file for it, and shows what was saved.
#[derive(Parser)]
#[command(name = "brisk-margin", version)]
struct CommandLine {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serves the application on loopback
    Serve(serve::Serve),
    /// Fills the library with the pictures of the Tarnlight Observatory
    Seed(seed::Seed),
    /// Makes the files of pictures for a slot, without a database
    Fit(fit::Fit),
    /// Measures the slots of pages, without a database
    Measure(measure::Measure),
    /// Serves a folder as a stand-in for a customer's web host
    Host(host::Host),
    /// Writes the Tarnlight Observatory's website into a folder
    DemoSite {
        /// The folder
        folder: PathBuf,
    },
    /// Prepares a data folder, or says why it cannot be used
    Folder(FolderCommand),
    /// Measures this machine
    Bench(bench::Bench),
    /// Decodes and encodes for the process that started it
    #[command(hide = true)]
    Codec,
    /// Prints the document that describes the API
    Openapi,
}

impl Command {
    /// Whether it handles files that somebody else made.
    const fn meets_pictures(&self) -> bool {
        matches!(
            self,
            Self::Serve(_) | Self::Seed(_) | Self::Fit(_) | Self::Measure(_) | Self::Bench(_)
        )
    }
}

/// Has C code run in processes of this program.
fn keep_codecs_apart() {
    match std::env::current_exe() {
        Ok(program) => Processes::install(&program),
        Err(error) => tracing::error!("codecs run in this process: {error}"),
    }
}

/// Prepares a data folder.
#[derive(Args)]
struct FolderCommand {
    /// The folder
    #[arg(long)]
    data: PathBuf,
    /// Move an old one aside first
    #[arg(long)]
    fresh: bool,
}

/// Where rows and blobs are kept.
#[derive(Args)]
struct Home {
    /// The data folder
    #[arg(long)]
    data: PathBuf,
    /// The address of the PostgreSQL database
    #[arg(long, env = "BRISK_MARGIN_DATABASE_URL", hide_env_values = true)]
    database: String,
    /// Memory for pictures in work, in MB
    #[arg(long, default_value_t = 1_500)]
    memory: u64,
}

type Failure = Box<dyn std::error::Error>;

impl Home {
    async fn open(&self) -> Result<App, Failure> {
        let folder = DataFolder::open(&self.data)?;
        let store = Store::open(&self.database, &folder.blobs()).await?;
        let seats = std::thread::available_parallelism().map_or(2, usize::from);
        Ok(App::new(store, Workshop::new(seats, Bytes::mb(self.memory)), folder))
    }
}

/// Runs the command line; 0 where all went well, 1 where something failed, 2 for wrong use.
pub fn run() -> ExitCode {
    let filter = tracing_subscriber::EnvFilter::try_from_default_env()
        .unwrap_or_else(|_| "warn,brisk_margin_server=info".into());
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    let command = CommandLine::parse().command;
    if command.meets_pictures() {
        keep_codecs_apart();
    }
    let done = match command {
        Command::Serve(serve) => within_runtime(serve.run()),
        Command::Seed(seed) => within_runtime(seed.run()),
        Command::Fit(fit) => return fit.run(),
        Command::Measure(measure) => within_runtime(measure.run()),
        Command::Bench(bench) => within_runtime(bench.run()),
        Command::Host(host) => within_runtime(host.run()),
        Command::DemoSite { folder } => {
            brisk_margin_demo::site::write(&folder, brisk_margin_demo::Scene::draw)
                .map_err(Failure::from)
        }
        Command::Folder(folder) => prepare(&folder),
        Command::Codec => return codecs::child::run(),
        Command::Openapi => {
            println!("{}", crate::api::document());
            Ok(())
        }
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("brisk-margin: {error}");
            ExitCode::FAILURE
        }
    }
}

fn within_runtime(work: impl Future<Output = Result<(), Failure>>) -> Result<(), Failure> {
    tokio::runtime::Runtime::new()?.block_on(work)
}

fn prepare(command: &FolderCommand) -> Result<(), Failure> {
    if !command.fresh {
        DataFolder::open(&command.data)?;
    } else if let (_, Some(aside)) = DataFolder::fresh(&command.data)? {
        println!("The old data folder is now {}", aside.display());
    }
    Ok(())
}

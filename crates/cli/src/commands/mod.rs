//! The subcommands of the binary.

mod apply;
mod backup;
mod blobs;
mod fit;
mod host;
mod icons;
mod made;
mod measure;
mod run;
mod seed;
mod serve;
mod shell;
mod site;
mod terminal;
mod weigh;
mod worker;

use std::io::IsTerminal;
use std::path::PathBuf;
use std::process::ExitCode;

use brisk_margin_site::chromium;
use brisk_margin_work::data_folder::DataFolder;
use clap::{Args, CommandFactory, Parser, Subcommand};

use crate::home::{self, Failure};

const EXAMPLES: &str = "\
Examples:
  brisk-margin serve --data ./data
  brisk-margin apply ./site --out ./light
  brisk-margin measure https://tarnlight.example/visit.html
  brisk-margin fit dome.jpg --slot 912x344 --density 1,2 --format webp,jpeg --out ./made
  brisk-margin completions bash > ~/.local/share/bash-completion/completions/brisk-margin

`brisk-margin COMMAND --help` tells more, with examples. NO_COLOR is respected.";

/// Finds the size a picture must have, makes the file for it, and shows what was saved.
#[derive(Parser)]
#[command(name = "brisk-margin", version, after_help = EXAMPLES)]
struct CommandLine {
    #[command(subcommand)]
    command: Command,
    /// Read files even where the system refuses to confine the processes that do
    #[arg(long, global = true, env = "BRISK_MARGIN_ALLOW_UNCONFINED")]
    allow_unconfined: bool,
    /// Let sites have this program make files, as in /usr/bin/cjxl; give it once for each
    #[arg(
        long = "encoder-program",
        global = true,
        value_name = "PATH",
        env = "BRISK_MARGIN_ENCODER_PROGRAMS",
        value_delimiter = ':'
    )]
    encoder_programs: Vec<String>,
    /// Measure pages in a browser without its sandbox, where the system forbids that
    #[arg(long, global = true, env = "BRISK_MARGIN_BROWSER_WITHOUT_SANDBOX")]
    browser_without_sandbox: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Serves the application on loopback
    Serve(serve::Serve),
    /// Does the long work of servers with the same database and blobs
    Worker(worker::Worker),
    /// Adds a site, or changes its settings
    Site(site::SiteCommand),
    /// Makes the files of many pictures, by a server that runs
    Run(run::Run),
    /// Fills the library with the pictures in a folder
    Seed(seed::Seed),
    /// Makes the files of pictures for a slot, without a database
    Fit(fit::Fit),
    /// Makes a site's folder lighter, without a database
    Apply(apply::Apply),
    /// Measures the slots of pages, without a database
    Measure(measure::Measure),
    /// Weighs pages and models how long they take, without a database
    Weigh(weigh::Weigh),
    /// Makes and checks the icons of a site, without a database
    Icons(icons::IconsCommand),
    /// Serves a folder as a stand-in for a customer's web host
    Host(host::Host),
    /// Writes a backup of an installation to a folder, while it runs
    Backup(backup::BackupCommand),
    /// Brings back an installation from a backup, into an empty database
    Restore(backup::Restore),
    /// Reads every file that a row speaks of, and says which are missing or damaged
    Verify(backup::Verify),
    /// Moves the files of an installation to another store
    Blobs(blobs::BlobsCommand),
    /// Prepares a data folder, or says why it cannot be used
    Folder(FolderCommand),
    /// Decodes and encodes for the process that started it
    #[command(hide = true)]
    Codec,
    /// Reads an archive for the process that started it
    #[command(hide = true)]
    ReadArchive,
    /// Becomes a program from outside, for the process that started it
    #[command(hide = true)]
    RunProgram {
        /// What it is told
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        arguments: Vec<String>,
    },
    /// Prints what completes commands in a shell
    Completions(shell::Completions),
    /// Writes a manual page for each command
    Manual(shell::Manual),
    /// Prints the document that describes the API of a site
    Openapi {
        /// That of the installation instead
        #[arg(long)]
        installation: bool,
    },
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

/// Runs the command line; 0 where all went well, 1 where something failed, 2 for wrong use.
pub fn run() -> ExitCode {
    let filter = tracing_subscriber::EnvFilter::try_from_default_env()
        .unwrap_or_else(|_| "warn,brisk_margin_api=info,brisk_margin_work=info".into());
    let coloured = std::io::stderr().is_terminal() && std::env::var_os("NO_COLOR").is_none();
    let log = tracing_subscriber::fmt().with_env_filter(filter).with_ansi(coloured);
    let log = log.with_writer(std::io::stderr);
    match std::env::var("BRISK_MARGIN_LOG").as_deref() {
        Ok("json") => log.json().with_span_list(false).init(),
        _ => log.init(),
    }
    end_with_the_pipe();
    let CommandLine { command, allow_unconfined, encoder_programs, browser_without_sandbox } =
        CommandLine::parse();
    home::allow_programs(encoder_programs);
    if browser_without_sandbox {
        chromium::start_without_sandbox();
    }
    if allow_unconfined {
        home::allow_unconfined();
    }
    let done = match command {
        Command::Serve(serve) => within_runtime(serve.run()),
        Command::Worker(worker) => within_runtime(worker.run()),
        Command::Site(site) => within_runtime(site.run()),
        Command::Run(run) => within_runtime(run.run()),
        Command::Seed(seed) => within_runtime(seed.run()),
        Command::Fit(fit) => return fit.run(),
        Command::Apply(apply) => return apply.run(),
        Command::Measure(measure) => within_runtime(measure.run()),
        Command::Weigh(weigh) => return weigh.run(),
        Command::Icons(icons) => return icons.run(),
        Command::Host(host) => within_runtime(host.run()),
        Command::Backup(backup) => within_runtime(backup.run()),
        Command::Restore(restore) => within_runtime(restore.run()),
        Command::Verify(verify) => within_runtime(verify.run()),
        Command::Blobs(blobs) => within_runtime(blobs.run()),
        Command::Folder(folder) => prepare(&folder),
        Command::Completions(completions) => {
            completions.run(CommandLine::command());
            Ok(())
        }
        Command::Manual(manual) => manual.run(CommandLine::command()),
        Command::Codec => return brisk_margin_codec_pool::child::run(),
        Command::RunProgram { arguments } => {
            return brisk_margin_codec_pool::child::run_program(&arguments);
        }
        Command::ReadArchive => return brisk_margin_codec_pool::child::read_archive(),
        Command::Openapi { installation } => {
            let document = match installation {
                true => brisk_margin_api::installation_document(),
                false => brisk_margin_api::site_document(),
            };
            println!("{document}");
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

/// Ends quietly where nobody reads what is printed any more, as in `brisk-margin … | head`.
fn end_with_the_pipe() {
    /// What shells tell of a program that a closed pipe ended.
    const PIPE: i32 = 128 + 13;
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let told = panic.payload_as_str().unwrap_or_default();
        if told.starts_with("failed printing to stdout") {
            std::process::exit(PIPE);
        }
        usual(panic);
    }));
}

fn within_runtime<T>(work: impl Future<Output = Result<T, Failure>>) -> Result<T, Failure> {
    let runtime = tokio::runtime::Runtime::new()?;
    let done = runtime.block_on(work);
    // What a thread still does belongs to nobody any more: the end does not wait for it.
    runtime.shutdown_background();
    done
}

fn prepare(command: &FolderCommand) -> Result<(), Failure> {
    if !command.fresh {
        DataFolder::open(&command.data)?;
    } else if let (_, Some(aside)) = DataFolder::fresh(&command.data)? {
        println!("The old data folder is now {}", aside.display());
    }
    Ok(())
}

//! `blobs`: the files of an installation moved to another store.

use brisk_margin_core::units::Bytes;
use brisk_margin_store::blobs::{BlobAddress, Blobs, Copied, Copying, copy};
use clap::{Args, Subcommand};
use serde::Serialize;

use super::terminal::Watched;
use crate::home::Failure;

const EXAMPLES: &str = "\
Examples:
  brisk-margin blobs copy ./data/blobs s3://pictures/tarnlight
  brisk-margin blobs copy s3://pictures/tarnlight /mnt/backup/blobs --json";

/// Looks after the files of an installation.
#[derive(Args)]
pub struct BlobsCommand {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Copies all files from one place to another; what is there already is left as it is
    ///
    /// Run it while servers and workers go on, stop them, run it once more for what came since,
    /// and start them again with --blobs TO. Nothing is deleted at FROM.
    Copy(Copy),
}

#[derive(Args)]
#[command(after_help = EXAMPLES)]
struct Copy {
    /// A folder, or s3://BUCKET/PREFIX
    from: BlobAddress,
    /// Another one
    to: BlobAddress,
    /// Print what came of it as JSON
    #[arg(long)]
    json: bool,
}

/// What came of all files.
#[derive(Default, Serialize)]
pub(super) struct Sum {
    pub(super) copied: u64,
    pub(super) bytes: u64,
    pub(super) there_before: u64,
    pub(super) failed: u64,
}

impl BlobsCommand {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let Command::Copy(Copy { from, to, json }) = self.command;
        if let BlobAddress::Folder(folder) = &from
            && !folder.is_dir()
        {
            return Err(format!("there is no folder {}", folder.display()).into());
        }
        let mut sum = Sum::default();
        let watched = Watched::of_unknown();
        let (from, to) = (Blobs::open(&from)?, Blobs::open(&to)?);
        copy(&from, &to, Copying::All, |copied| sum.add(copied, &watched)).await?;
        drop(watched);
        if json {
            println!("{}", serde_json::to_string(&sum)?);
        } else {
            let Sum { copied, there_before, .. } = sum;
            println!("{copied} files copied ({}), {there_before} were there", Bytes(sum.bytes));
        }
        match sum.failed {
            0 => Ok(()),
            failed => Err(format!("{failed} files could not be copied").into()),
        }
    }
}

impl Sum {
    pub(super) fn add(&mut self, copied: Copied, watched: &Watched) {
        match copied {
            Copied::Now { bytes } => {
                self.copied += 1;
                self.bytes += bytes;
            }
            Copied::Before => self.there_before += 1,
            Copied::Not { key, error } => {
                self.failed += 1;
                watched.print(|| eprintln!("{key}: {error}"));
            }
        }
        watched.now(format!("{} files copied ({})", self.copied, Bytes(self.bytes)));
    }
}

//! `backup`, `restore` and `verify`: an installation kept safe in a folder, brought back from there, and checked.

use std::path::PathBuf;

use brisk_margin_core::units::Bytes;
use brisk_margin_store::{BlobAddress, Blobs};
use brisk_margin_work::backups::verifying::{Finding, Repair, verify};
use brisk_margin_work::backups::{self, Backup};
use brisk_margin_work::data_folder::DataFolder;
use clap::Args;
use serde::Serialize;

use super::blobs::Sum;
use super::terminal::Watched;
use crate::home::{Failure, Kept};

const BACKUP_EXAMPLES: &str = "\
Examples:
  brisk-margin backup /mnt/backup --data ./data
  brisk-margin restore /mnt/backup --data ./new --database postgres://margin@127.0.0.1/new";

/// Writes a backup of an installation to a folder.
#[derive(Args)]
#[command(after_help = BACKUP_EXAMPLES)]
pub struct BackupCommand {
    /// The folder; files that an earlier backup brought there are not copied again
    #[arg(value_name = "DIR")]
    folder: PathBuf,
    #[command(flatten)]
    kept: Kept,
    /// Print what came of it as JSON
    #[arg(long)]
    json: bool,
}

/// Brings back an installation from a backup.
#[derive(Args)]
#[command(after_help = BACKUP_EXAMPLES)]
pub struct Restore {
    /// The folder with the backup; the newest one in it is taken
    #[arg(value_name = "DIR")]
    folder: PathBuf,
    #[command(flatten)]
    kept: Kept,
    /// Print what came of it as JSON
    #[arg(long)]
    json: bool,
}

/// Reads every file that a row speaks of, and holds it against its hash.
#[derive(Args)]
pub struct Verify {
    /// Have files that can be made again made again, and take others from the backup
    #[arg(long)]
    repair: bool,
    /// The folder with a backup that has what is missing or damaged
    #[arg(long, value_name = "DIR", requires = "repair")]
    from: Option<PathBuf>,
    #[command(flatten)]
    kept: Kept,
    /// Print what came of it as JSON
    #[arg(long)]
    json: bool,
}

/// A backup, and the files that were copied for it.
#[derive(Serialize)]
struct Done {
    #[serde(flatten)]
    backup: Backup,
    #[serde(flatten)]
    files: Sum,
}

impl Done {
    fn say(&self, words: &str, json: bool) -> Result<(), Failure> {
        if json {
            println!("{}", serde_json::to_string(self)?);
            return Ok(());
        }
        let Sum { copied, bytes, there_before, .. } = self.files;
        let made = self.backup.made_at.format("%Y-%m-%d %H:%M:%S");
        println!(
            "{words} of {made} UTC: {copied} files copied ({}), {there_before} were there",
            Bytes(bytes)
        );
        Ok(())
    }
}

impl BackupCommand {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let folder = DataFolder::open(&self.kept.data)?;
        let installation = self.kept.installation(&folder).await?;
        let (watched, mut files) = (Watched::of_unknown(), Sum::default());
        watched.now("The database is written");
        let tell = |copied| files.add(copied, &watched);
        let address = &self.kept.database;
        let backup = backups::backup(&installation, address, &self.folder, tell).await?;
        drop(watched);
        Done { backup, files }.say("Backup", self.json)
    }
}

impl Restore {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let (watched, mut files) = (Watched::of_unknown(), Sum::default());
        let tell = |copied| files.add(copied, &watched);
        let folder = DataFolder::open(&self.kept.data)?;
        let (address, blobs) = (&self.kept.database, self.kept.blobs(&folder)?);
        let backup = backups::restore(&self.folder, address, &blobs, tell).await?;
        // Brings tables of an older version up to date.
        self.kept.installation(&folder).await?;
        drop(watched);
        Done { backup, files }.say("Restored the backup", self.json)
    }
}

impl Verify {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let folder = DataFolder::open(&self.kept.data)?;
        let installation = self.kept.installation(&folder).await?;
        let from = match &self.from {
            Some(folder) if !folder.join("blobs").is_dir() => {
                return Err(format!("{} holds no backup", folder.display()).into());
            }
            Some(folder) => Some(Blobs::open(&BlobAddress::Folder(folder.join("blobs")))?),
            None => None,
        };
        let repair = match (&from, self.repair) {
            (Some(backup), _) => Repair::From { backup },
            (None, true) => Repair::Forget,
            (None, false) => Repair::None,
        };
        let watched = Watched::of(0);
        watched.now("Files are read");
        let verified = verify(&installation, repair, |done, all| watched.of_all(done, all)).await?;
        drop(watched);
        if self.json {
            println!("{}", serde_json::to_string(&verified)?);
        } else {
            for Finding { hash, of, what, repaired } in &verified.findings {
                let done = repaired.map(|done| format!("; {done}")).unwrap_or_default();
                println!("{of}: the file {hash} is {what}{done}");
            }
            println!("{} files are whole", verified.whole);
        }
        match verified.left() {
            0 => Ok(()),
            left => Err(format!(
                "{left} files are missing or damaged; --repair --from DIR takes them from a backup"
            )
            .into()),
        }
    }
}

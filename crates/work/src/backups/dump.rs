//! The database written to a file and read from one, by PostgreSQL's own programs.

use std::io;
use std::path::{Path, PathBuf};
use std::process::{Output, Stdio};

use thiserror::Error;
use tokio::process::Command;
use url::Url;

/// Where Debian puts those of each version.
const VERSIONS: &str = "/usr/lib/postgresql";

/// Why the database was not written or read.
#[derive(Debug, Error)]
pub enum DumpError {
    /// The program is not there.
    #[error("there is no {0} here: install PostgreSQL's client programs (postgresql-client)")]
    Missing(&'static str),
    /// The address is none that it understands.
    #[error("the database's address cannot be used: write it as postgres://USER@HOST:PORT/NAME")]
    Address,
    /// It did not start.
    #[error("{program} did not start: {source}")]
    NotStarted {
        /// Its name.
        program: &'static str,
        /// What the system said.
        source: io::Error,
    },
    /// It refused.
    #[error("{program} did not do it: {words}")]
    Refused {
        /// Its name.
        program: &'static str,
        /// Its words.
        words: String,
    },
}

/// Writes all tables of the database at `address` as they are at one moment to a new file.
///
/// # Errors
/// [`DumpError`].
pub(super) async fn write(address: &str, file: &Path) -> Result<(), DumpError> {
    let mut command = Command::new(found("pg_dump")?);
    command.args(["--format=custom", "--no-owner", "--no-privileges", "--file"]).arg(file);
    run("pg_dump", command, address).await
}

/// Reads what [`write`] wrote into the empty database at `address`: all of it or nothing.
///
/// # Errors
/// [`DumpError`].
pub(super) async fn read(address: &str, file: &Path) -> Result<(), DumpError> {
    let mut command = Command::new(found("pg_restore")?);
    command
        .args(["--single-transaction", "--exit-on-error", "--no-owner", "--no-privileges"])
        .args(["--no-comments", "--jobs=1"])
        .arg(file);
    run("pg_restore", command, address).await
}

async fn run(program: &'static str, mut command: Command, address: &str) -> Result<(), DumpError> {
    let mut url = Url::parse(address).map_err(|_| DumpError::Address)?;
    // Every user of the machine sees what a program is called with.
    let password = url
        .password()
        .map(|text| percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned());
    url.set_password(None).map_err(|()| DumpError::Address)?;
    if let Some(password) = password {
        command.env("PGPASSWORD", password);
    }
    command.arg("--dbname").arg(url.as_str());
    command.stdin(Stdio::null()).kill_on_drop(true);
    let done = command.output().await;
    let Output { status, stderr, .. } =
        done.map_err(|source| DumpError::NotStarted { program, source })?;
    if status.success() {
        return Ok(());
    }
    let words = String::from_utf8_lossy(&stderr).trim().to_owned();
    Err(DumpError::Refused { program, words })
}

/// The newest there is: it reads every older server, and no newer one.
fn found(program: &'static str) -> Result<PathBuf, DumpError> {
    let mut versions: Vec<(u32, PathBuf)> = std::fs::read_dir(VERSIONS)
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|entry| {
            let version = entry.file_name().to_str()?.parse().ok()?;
            Some((version, entry.path().join("bin").join(program)))
        })
        .filter(|(_, path)| path.exists())
        .collect();
    versions.sort();
    let in_path = || {
        let folders = std::env::var_os("PATH")?;
        std::env::split_paths(&folders)
            .map(|folder| folder.join(program))
            .find(|path| path.exists())
    };
    versions.pop().map(|(_, path)| path).or_else(in_path).ok_or(DumpError::Missing(program))
}

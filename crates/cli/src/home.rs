//! Where an installation keeps its things, and how it is opened.

use std::collections::BTreeSet;
use std::io;
use std::path::PathBuf;
use std::sync::{Arc, OnceLock};
use std::time::Duration;

use brisk_margin_archive::ArchiveReader;
use brisk_margin_codec_pool::{ArchiveProcesses, Limits, Processes, Unconfined};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_store::{BlobAddress, Blobs, Installation};
use brisk_margin_work::data_folder::DataFolder;
use brisk_margin_work::jobs::runner::{JobRunner, PATIENCE};
use brisk_margin_work::sites::{SiteServices, Sites};
use brisk_margin_work::work_pool::{Readers, WorkPool};
use clap::Args;

/// Why a command failed, in words for whoever called it.
pub type Failure = Box<dyn std::error::Error>;

/// Where rows and blobs are kept.
#[derive(Args)]
pub struct Kept {
    /// The data folder
    #[arg(long)]
    pub data: PathBuf,
    /// The address of the PostgreSQL database
    #[arg(long, env = "BRISK_MARGIN_DATABASE_URL", hide_env_values = true)]
    pub database: String,
    /// Where blobs are kept: a folder, or s3://BUCKET/PREFIX with AWS_ENDPOINT_URL, AWS_REGION,
    /// AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY in the environment; “blobs” in the data folder
    /// where nothing is given
    #[arg(long, env = "BRISK_MARGIN_BLOBS")]
    pub blobs: Option<BlobAddress>,
}

/// An installation, and what its processes may use.
#[derive(Args)]
pub struct Home {
    /// Where it is kept.
    #[command(flatten)]
    pub kept: Kept,
    /// Memory for pictures in work, in MB
    #[arg(long, default_value_t = 1_500)]
    pub memory: u64,
    /// After so many seconds without a sign of life others take over what this process has in hand
    #[arg(long, env = "BRISK_MARGIN_PATIENCE", default_value_t = PATIENCE.as_secs(),
          value_parser = clap::value_parser!(u64).range(2..=3_600))]
    pub patience: u64,
    /// Answer figures for Prometheus on this port of loopback; 0 takes any free one
    #[arg(long, value_name = "PORT", env = "BRISK_MARGIN_METRICS_PORT")]
    pub metrics_port: Option<u16>,
}

impl Kept {
    /// Opens the blob store, which lies in `folder` where nothing else was given.
    ///
    /// # Errors
    /// Where it cannot be used.
    pub fn blobs(&self, folder: &DataFolder) -> Result<Blobs, Failure> {
        let address = self.blobs.clone().unwrap_or_else(|| BlobAddress::Folder(folder.blobs()));
        Ok(Blobs::open(&address)?)
    }

    /// Opens rows and blobs.
    ///
    /// # Errors
    /// Where one of them cannot be used.
    pub async fn installation(&self, folder: &DataFolder) -> Result<Installation, Failure> {
        Ok(Installation::open(&self.database, self.blobs(folder)?).await?)
    }
}

impl Home {
    /// Does the jobs of `sites`.
    pub fn runner(&self, sites: &Sites) -> JobRunner {
        JobRunner::new(sites).with_patience(Duration::from_secs(self.patience))
    }

    /// Opens it. No measured page may reach its database.
    ///
    /// # Errors
    /// Where the folder or the database cannot be used.
    pub async fn open(&self) -> Result<Sites, Failure> {
        self.open_beside(None).await
    }

    /// Opens it for an application that listens on `port`, which no measured page may reach.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub async fn open_beside(&self, port: Option<u16>) -> Result<Sites, Failure> {
        let mut own_ports: BTreeSet<u16> = port.into_iter().collect();
        own_ports.insert(brisk_margin_store::database_port(&self.kept.database)?);
        let folder = DataFolder::open(&self.kept.data)?;
        let installation = self.kept.installation(&folder).await?;
        let workers = std::thread::available_parallelism().map_or(2, usize::from);
        let pool = WorkPool::new(workers, Bytes::mb(self.memory), own_readers()?);
        Ok(Sites::new(installation, pool, folder, own_ports))
    }

    /// Opens it for commands that are about its first site, which is added where there is none.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub async fn open_first(&self) -> Result<SiteServices, Failure> {
        let sites = self.open().await?;
        let site = match sites.all().await?.into_iter().next() {
            Some(site) => site,
            None => sites.installation().add_site("Site").await?,
        };
        Ok(sites.services(&site).await?)
    }
}

/// This program while it runs, also where another version took its place meanwhile (proc(5), `/proc/pid/exe`).
const RUNNING: &str = "/proc/self/exe";

/// Whether codec processes work where the system refuses to confine them: said once, for all of this process.
static UNCONFINED: OnceLock<Unconfined> = OnceLock::new();

/// The programs from outside that sites may have run: said once, for all of this process.
static PROGRAMS: OnceLock<Vec<String>> = OnceLock::new();

/// Lets sites have `programs` run.
pub(crate) fn allow_programs(programs: Vec<String>) {
    let _ = PROGRAMS.set(programs);
}

/// Lets codec processes work where the system refuses to confine them.
pub(crate) fn allow_unconfined() {
    let _ = UNCONFINED.set(Unconfined::Allowed);
}

fn unconfined() -> Unconfined {
    UNCONFINED.get().copied().unwrap_or_default()
}

fn own_program() -> io::Result<PathBuf> {
    let running = PathBuf::from(RUNNING);
    if running.exists() { Ok(running) } else { std::env::current_exe() }
}

/// Codecs and readers of archives in confined processes of this program, which must answer to `codec`
/// and `read-archive`.
///
/// # Errors
/// As [`own_codecs`].
pub fn own_readers() -> Result<Readers, Failure> {
    let archives = ArchiveProcesses::new(&own_program()?, unconfined());
    Ok(Readers { codecs: own_codecs()?, archives: ArchiveReader::remote(Arc::new(archives)) })
}

/// Codecs in confined processes of this program, which must answer to `codec`.
///
/// # Errors
/// Where the system refuses to confine them, and nobody allowed that.
pub fn own_codecs() -> Result<Codecs, Failure> {
    let processes = Processes::new(&own_program()?, Limits::default(), unconfined())
        .with_programs(PROGRAMS.get().cloned().unwrap_or_default());
    let confinement = processes.confinement().map_err(|error| {
        format!("{error}; --allow-unconfined works all the same, with less protection against hostile files")
    })?;
    if !confinement.is_whole() {
        tracing::warn!("{confinement}");
    }
    Ok(Codecs::remote(Arc::new(processes)))
}

//! Where an installation keeps its things, and how it is opened.

use std::collections::BTreeSet;
use std::path::PathBuf;

use brisk_margin_api::App;
use brisk_margin_codec_pool::Processes;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_store::Store;
use brisk_margin_work::data_folder::DataFolder;
use brisk_margin_work::work_pool::WorkPool;
use clap::Args;

/// Why a command failed, in words for whoever called it.
pub type Failure = Box<dyn std::error::Error>;

/// Where rows and blobs are kept.
#[derive(Args)]
pub struct Home {
    /// The data folder
    #[arg(long)]
    pub data: PathBuf,
    /// The address of the PostgreSQL database
    #[arg(long, env = "BRISK_MARGIN_DATABASE_URL", hide_env_values = true)]
    pub database: String,
    /// Memory for pictures in work, in MB
    #[arg(long, default_value_t = 1_500)]
    pub memory: u64,
}

impl Home {
    /// Opens it.
    ///
    /// # Errors
    /// Where the folder or the database cannot be used.
    pub async fn open(&self) -> Result<App, Failure> {
        self.open_for(BTreeSet::new(), None).await
    }

    /// Opens it for an application that listens on `own_ports`, for the site whose first page is
    /// at `site`.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub async fn open_for(
        &self,
        own_ports: BTreeSet<u16>,
        site: Option<String>,
    ) -> Result<App, Failure> {
        let folder = DataFolder::open(&self.data)?;
        let store = Store::open(&self.database, &folder.blobs()).await?;
        let workers = std::thread::available_parallelism().map_or(2, usize::from);
        let pool = WorkPool::new(workers, Bytes::mb(self.memory), own_codecs());
        Ok(App::new(store, pool, folder, own_ports, site))
    }
}

/// Codecs in processes of this program, which must answer to `codec`.
pub fn own_codecs() -> Codecs {
    std::env::current_exe().map_or_else(
        |error| {
            tracing::error!("codecs run in this process: {error}");
            Codecs::in_process()
        },
        |program| Processes::codecs(&program),
    )
}

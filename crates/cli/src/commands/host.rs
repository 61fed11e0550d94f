//! `host`: a folder served as a customer's web host would serve it.

use std::net::Ipv4Addr;
use std::path::PathBuf;

use brisk_margin_site::host::{self, Faults};
use clap::Args;
use tokio::net::TcpListener;

use crate::home::Failure;

/// Serves a folder on loopback, as a stand-in for a customer's web host.
#[derive(Args)]
pub struct Host {
    /// The folder with the site
    folder: PathBuf,
    /// The port; 0 takes any free one
    #[arg(long, default_value_t = 4811)]
    port: u16,
    /// Formats that the host refuses, by extension, several with commas
    #[arg(long, value_delimiter = ',')]
    refuse: Vec<String>,
    /// Formats that the host sends with a wrong content type
    #[arg(long, value_delimiter = ',')]
    mistype: Vec<String>,
}

impl Host {
    pub(super) async fn run(self) -> Result<(), Failure> {
        if !self.folder.is_dir() {
            return Err(format!("{} is no folder", self.folder.display()).into());
        }
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, self.port)).await;
        let listener = listener.map_err(|error| {
            format!("port {} cannot be used ({error}); give another with --port", self.port)
        })?;
        println!("The site is at http://{}/", listener.local_addr()?);
        let faults = Faults { refused: self.refuse, mistyped: self.mistype };
        Ok(axum::serve(listener, host::router(&self.folder, faults)).await?)
    }
}

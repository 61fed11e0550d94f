//! `site`: a site added, or its settings changed, without a browser.

use std::path::PathBuf;

use brisk_margin_work::measuring::Wish;
use clap::Args;

use super::seed::site_named;
use crate::home::{Failure, Home};

/// Adds a site, or changes what is given of the one that has this name.
#[derive(Args)]
pub struct SiteCommand {
    #[command(flatten)]
    home: Home,
    /// The site's name
    name: String,
    /// The address of its first page
    #[arg(long, value_name = "URL")]
    address: Option<String>,
    /// The folder that holds its files; only publications write there
    #[arg(long, value_name = "DIR")]
    folder: Option<PathBuf>,
    /// Add pictures by themselves that are put into that folder
    #[arg(long, requires = "folder")]
    watch: bool,
    /// Have a server or worker measure it, unless it was measured before
    #[arg(long)]
    measure: bool,
}

impl SiteCommand {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let sites = self.home.open().await?;
        let site = site_named(&sites, &self.name).await?;
        let folder = self.folder.map(std::path::absolute).transpose()?;
        let folder = folder.map(|folder| folder.to_string_lossy().into_owned());
        let settings = site.store.change_site(|settings| {
            settings.watches |= self.watch;
            settings.folder = folder.or(settings.folder.take());
            settings.address = self.address.or(settings.address.take());
        });
        let settings = settings.await?;
        // Jobs that ended are forgotten after a while; pages are not.
        let was_measured = !site.store.summed_pages().await?.is_empty();
        if let Some(address) = settings.address.clone().filter(|_| self.measure && !was_measured) {
            let wish = Wish { address, whole_site: true };
            site.measuring.start(wish, &settings).await?;
        }
        println!("{}", site.site.slug);
        Ok(())
    }
}

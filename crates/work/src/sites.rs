//! The sites of an installation, each with services of its own. What costs memory is shared: the work
//! pool, and pixels and previews that may be asked for again.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use brisk_margin_store::installation::{Installation, Site};
use brisk_margin_store::{Store, StoreError};
use tokio::sync::Mutex;
use uuid::Uuid;

use crate::data_folder::DataFolder;
use crate::events::Events;
use crate::folder_watch::FolderWatch;
use crate::icons::IconWork;
use crate::intake::{Intake, IntakeError};
use crate::layouts::LayoutSummaries;
use crate::making::Maker;
use crate::making::pyramids::PreviewAtlases;
use crate::measuring::Measuring;
use crate::uploads::{UploadError, Uploads};
use crate::work_pool::WorkPool;

/// The sites of an installation. Clones share the services of each.
#[derive(Clone)]
pub struct Sites {
    installation: Installation,
    pool: WorkPool,
    folder: DataFolder,
    own_ports: Arc<BTreeSet<u16>>,
    events: Events,
    /// Whose caches all others share.
    first: Arc<Mutex<Option<Maker>>>,
    open: Arc<Mutex<HashMap<Uuid, SiteServices>>>,
}

/// The services of a site. Clones are handles on the same ones.
#[derive(Clone)]
pub struct SiteServices {
    /// The site.
    pub site: Site,
    /// Rows and blobs.
    pub store: Store,
    /// Makes files and previews.
    pub maker: Maker,
    /// Takes files into the library.
    pub intake: Intake,
    /// Uploads that can be resumed.
    pub uploads: Uploads,
    /// Icons of the site.
    pub icons: IconWork,
    /// Measuring of pages.
    pub measuring: Measuring,
    /// Pages and slots, summed up.
    pub layouts: LayoutSummaries,
    /// The site's own folder, where it is watched.
    pub folder_watch: FolderWatch,
    /// Previews that are about to be fetched.
    pub atlases: PreviewAtlases,
    /// What is told of changes.
    pub events: Events,
}

impl Sites {
    /// The sites of `installation`, worked on in `pool`, with uploads spooled in `folder`. No
    /// measured page may reach `own_ports` of this machine. Listens to changes from now on.
    pub fn new(
        installation: Installation,
        pool: WorkPool,
        folder: DataFolder,
        own_ports: BTreeSet<u16>,
    ) -> Self {
        let events = Events::of(&installation);
        let own_ports = Arc::new(own_ports);
        let (first, open) = Default::default();
        Self { installation, pool, folder, own_ports, events, first, open }
    }

    /// The installation.
    pub const fn installation(&self) -> &Installation {
        &self.installation
    }

    /// Where pictures are worked on.
    pub const fn pool(&self) -> &WorkPool {
        &self.pool
    }

    /// Where uploads are spooled.
    pub const fn folder(&self) -> &DataFolder {
        &self.folder
    }

    /// What is told of changes.
    pub const fn events(&self) -> &Events {
        &self.events
    }

    /// The services of `site`.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn services(&self, site: &Site) -> Result<SiteServices, StoreError> {
        let mut open = self.open.lock().await;
        if let Some(services) = open.get(&site.id) {
            return Ok(services.clone());
        }
        let store = self.installation.store(site).await?;
        let pool = &self.pool;
        let mut first = self.first.lock().await;
        let maker = match first.as_ref() {
            Some(first) => first.of_another_site(store.clone()),
            None => first.insert(Maker::new(store.clone(), pool.clone())).clone(),
        };
        let intake = Intake::new(store.clone(), pool.clone(), self.folder.clone());
        let own_ports = BTreeSet::clone(&self.own_ports);
        let services = SiteServices {
            site: site.clone(),
            icons: IconWork::new(maker.clone()),
            maker,
            uploads: Uploads::new(intake.clone()),
            measuring: Measuring::new(store.clone(), pool.clone(), own_ports),
            layouts: LayoutSummaries::new(store.clone()),
            folder_watch: FolderWatch::new(intake.clone()),
            atlases: PreviewAtlases::default(),
            events: self.events.clone(),
            intake,
            store,
        };
        open.insert(site.id, services.clone());
        Ok(services)
    }

    /// The services of the site whose addresses begin with `slug`; nothing where there is none, or
    /// it was removed.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn named(&self, slug: &str) -> Result<Option<SiteServices>, StoreError> {
        self.living(self.installation.site(slug).await?).await
    }

    /// The services of the site in `schema`; nothing where there is none, or it was removed.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn in_schema(&self, schema: &str) -> Result<Option<SiteServices>, StoreError> {
        self.living(self.installation.site_in(schema).await?).await
    }

    async fn living(&self, site: Option<Site>) -> Result<Option<SiteServices>, StoreError> {
        match site.filter(|site| site.removed_at.is_none()) {
            Some(site) => Ok(Some(self.services(&site).await?)),
            None => Ok(None),
        }
    }

    /// Every site that was not removed.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn all(&self) -> Result<Vec<Site>, StoreError> {
        let mut sites = self.installation.sites().await?;
        sites.retain(|site| site.removed_at.is_none());
        Ok(sites)
    }

    /// Forgets uploads that nobody went on with, at any site, and what stopped processes left.
    ///
    /// # Errors
    /// Those of disk and database.
    pub async fn clear_uploads(&self) -> Result<(), UploadError> {
        self.folder.clear_spool().map_err(IntakeError::Disk)?;
        let mut known = HashSet::new();
        for site in self.installation.sites().await.map_err(IntakeError::Store)? {
            let services = self.services(&site).await.map_err(IntakeError::Store)?;
            known.extend(services.uploads.keep_recent().await?);
        }
        Ok(self.folder.clear_uploads(&known).map_err(IntakeError::Disk)?)
    }
}

//! What handlers share: the services of the application.

use std::collections::BTreeSet;

use brisk_margin_store::Store;
use brisk_margin_work::background::{self, Wake};
use brisk_margin_work::data_folder::DataFolder;
use brisk_margin_work::events::Events;
use brisk_margin_work::folder_watch::FolderWatch;
use brisk_margin_work::intake::Intake;
use brisk_margin_work::layouts::LayoutSummaries;
use brisk_margin_work::making::Maker;
use brisk_margin_work::making::pyramids::PreviewAtlases;
use brisk_margin_work::measuring::Measuring;
use brisk_margin_work::removal;
use brisk_margin_work::uploads::Uploads;
use brisk_margin_work::work_pool::WorkPool;

/// The running application's services. Clones are handles on the same ones.
#[derive(Clone)]
pub struct App {
    /// Rows and blobs.
    pub store: Store,
    /// Makes files and previews.
    pub maker: Maker,
    /// Takes files into the library.
    pub intake: Intake,
    /// Uploads that can be resumed.
    pub uploads: Uploads,
    /// Measuring of pages.
    pub measuring: Measuring,
    /// Pages and slots, summed up.
    pub layouts: LayoutSummaries,
    /// The site's own folder, where one is watched.
    pub folder_watch: FolderWatch,
    /// Previews that are about to be fetched.
    pub atlases: PreviewAtlases,
    /// Told of changes.
    pub events: Events,
    /// Wakes up the work in the background.
    pub wake: Wake,
    /// The address of the site's first page, where it was given.
    pub site: Option<String>,
}

impl App {
    /// The services of an application that keeps its things in `store` and `folder`. No measured
    /// page may reach `own_ports` of this machine.
    pub fn new(
        store: Store,
        pool: WorkPool,
        folder: DataFolder,
        own_ports: BTreeSet<u16>,
        site: Option<String>,
    ) -> Self {
        let (events, wake) = (Events::default(), Wake::default());
        let intake = Intake::new(store.clone(), pool.clone(), folder, events.clone(), wake.clone());
        Self {
            maker: Maker::new(store.clone(), pool.clone(), events.clone()),
            uploads: Uploads::new(intake.clone()),
            measuring: Measuring::new(store.clone(), pool, events.clone(), own_ports),
            layouts: LayoutSummaries::new(store.clone()),
            folder_watch: FolderWatch::new(intake.clone()),
            atlases: PreviewAtlases::default(),
            intake,
            store,
            events,
            wake,
            site,
        }
    }

    /// Starts what goes on in the background, for as long as the application runs.
    pub fn spawn_background(&self) {
        background::spawn(&self.maker, &self.wake);
        background::follow_layouts(&self.maker, &self.wake);
        removal::spawn(&self.store, &self.events);
    }
}

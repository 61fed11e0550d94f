//! What handlers share: the services of the application.

use std::collections::BTreeSet;

use brisk_margin_store::Store;
use brisk_margin_work::data_folder::DataFolder;
use brisk_margin_work::events::Events;
use brisk_margin_work::folder_watch::FolderWatch;
use brisk_margin_work::intake::Intake;
use brisk_margin_work::jobs::runner::JobRunner;
use brisk_margin_work::layouts::LayoutSummaries;
use brisk_margin_work::making::Maker;
use brisk_margin_work::making::pyramids::PreviewAtlases;
use brisk_margin_work::measuring::Measuring;
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
    /// What is told of changes.
    pub events: Events,
    /// The address of the site's first page, where it was given.
    pub site: Option<String>,
}

impl App {
    /// The services of an application that keeps its things in `store` and `folder`. No measured
    /// page may reach `own_ports` of this machine. Listens to changes from now on.
    pub fn new(
        store: Store,
        pool: WorkPool,
        folder: DataFolder,
        own_ports: BTreeSet<u16>,
        site: Option<String>,
    ) -> Self {
        let intake = Intake::new(store.clone(), pool.clone(), folder);
        Self {
            maker: Maker::new(store.clone(), pool.clone()),
            uploads: Uploads::new(intake.clone()),
            measuring: Measuring::new(store.clone(), pool, own_ports),
            layouts: LayoutSummaries::new(store.clone()),
            folder_watch: FolderWatch::new(intake.clone()),
            atlases: PreviewAtlases::default(),
            events: Events::of(&store),
            intake,
            store,
            site,
        }
    }

    /// Does jobs with these services.
    pub fn job_runner(&self) -> JobRunner {
        let (events, maker) = (self.events.clone(), self.maker.clone());
        JobRunner::new(events, maker, self.measuring.clone(), self.layouts.clone())
    }
}

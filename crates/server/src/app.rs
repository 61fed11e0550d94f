//! What every request shares.

use std::collections::BTreeSet;
use std::sync::Arc;

use brisk_margin_store::Store;
use tokio::sync::{Notify, broadcast};

use crate::copies::{Copies, Sheets};
use crate::folder::DataFolder;
use crate::measuring::Measuring;
use crate::uploads::Writing;
use crate::watching::Watching;
use crate::workshop::Workshop;

/// The running application. Clones are handles on the same one.
#[derive(Clone)]
pub struct App {
    /// Rows and blobs.
    pub store: Store,
    /// Where pictures are decoded and encoded.
    pub workshop: Workshop,
    folder: Arc<DataFolder>,
    changes: broadcast::Sender<Change>,
    /// Reduced copies for previews.
    pub copies: Copies,
    /// Sheets of previews that are about to be fetched.
    pub sheets: Sheets,
    /// Measuring of pages, one at a time.
    pub measuring: Measuring,
    /// Uploads that are being written.
    pub writing: Writing,
    /// The site's own folder, where one is watched.
    pub watching: Watching,
    /// Told when there are pictures to be looked at or judged again.
    pub to_look_at: Arc<Notify>,
    own_ports: BTreeSet<u16>,
    site: Option<String>,
}

/// Something that an open list or page may want to show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// A picture arrived, or its focal point moved.
    Pictures,
    /// A file was made.
    Variants,
    /// A page was measured, or a slot changed.
    Layouts,
    /// Measuring went on.
    Measuring,
}

impl App {
    /// An application that keeps its things in `store` and `folder`.
    pub fn new(store: Store, workshop: Workshop, folder: DataFolder) -> Self {
        // A listener that falls this far behind is told to look at everything again.
        let (changes, _) = broadcast::channel(64);
        Self {
            store,
            workshop,
            folder: Arc::new(folder),
            changes,
            copies: Copies::default(),
            sheets: Sheets::default(),
            measuring: Measuring::default(),
            writing: Writing::default(),
            watching: Watching::default(),
            to_look_at: Arc::default(),
            own_ports: BTreeSet::new(),
            site: None,
        }
    }

    /// The same, for a site whose first page is at `site`.
    pub fn with_site(self, site: Option<String>) -> Self {
        Self { site, ..self }
    }

    /// The address of the site's first page, where it was given.
    pub fn site(&self) -> Option<&str> {
        self.site.as_deref()
    }

    /// The same, with ports of this machine that no measured page may reach.
    pub fn with_own_ports(self, own_ports: BTreeSet<u16>) -> Self {
        Self { own_ports, ..self }
    }

    /// Ports of this machine that no measured page may reach: the application's own and its
    /// database's.
    pub fn own_ports(&self) -> &BTreeSet<u16> {
        &self.own_ports
    }

    /// Its data folder.
    pub fn folder(&self) -> &DataFolder {
        &self.folder
    }

    /// Tells whoever listens.
    pub fn tell(&self, change: Change) {
        // Nobody listening is fine.
        let _ = self.changes.send(change);
    }

    /// Everything that is told from now on.
    pub fn listen(&self) -> broadcast::Receiver<Change> {
        self.changes.subscribe()
    }
}

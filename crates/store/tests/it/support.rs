//! A store of its own for each test.

use std::path::Path;

use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::site::ImportAction;
use brisk_margin_store::pictures::{Arrival, NewPicture, Origin, Picture};
use brisk_margin_store::{BlobAddress, Blobs, Installation, Store};
use brisk_margin_testing::pictures::jpeg_facts;
use tempfile::TempDir;

pub struct Home {
    pub installation: Installation,
    pub store: Store,
    /// The address of the database as the site sees it.
    pub database: String,
    pub folder: TempDir,
}

/// The blob store in `folder`.
pub fn blobs_in(folder: &Path) -> Blobs {
    Blobs::open(&BlobAddress::Folder(folder.to_owned())).unwrap()
}

pub async fn home() -> Home {
    let folder = tempfile::tempdir().unwrap();
    home_with(blobs_in(folder.path()), folder).await
}

/// One whose bytes are kept in `blobs`.
pub async fn home_with(blobs: Blobs, folder: TempDir) -> Home {
    let database = brisk_margin_testing::database().await;
    let installation = Installation::open(&database, blobs).await.unwrap();
    let site = installation.add_site("Tarnlight").await.unwrap();
    let store = installation.store(&site).await.unwrap();
    let database = brisk_margin_testing::of_schema(&database, &site.schema);
    Home { installation, store, database, folder }
}

/// A picture of 1,200 by 800 pixels whose file is `bytes`.
pub async fn picture(store: &Store, bytes: &'static [u8]) -> Picture {
    let facts = jpeg_facts(Size::new(1200, 800));
    let new = NewPicture {
        name: "moor.jpg",
        folder: "",
        origin: Origin::Upload,
        facts: &facts,
        embedded: &EmbeddedMetadata::default(),
        import_action: &ImportAction::List,
    };
    match store.add_picture(bytes.into(), new).await.unwrap() {
        Arrival::New(picture) => picture,
        other => panic!("{other:?}"),
    }
}

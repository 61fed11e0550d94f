//! A store of its own for each test.

use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::site::ImportAction;
use brisk_margin_store::pictures::{Arrival, NewPicture, Origin, Picture};
use brisk_margin_store::{Installation, Store};
use brisk_margin_testing::pictures::jpeg_facts;
use tempfile::TempDir;

pub struct Home {
    pub installation: Installation,
    pub store: Store,
    /// The address of the database as the site sees it.
    pub database: String,
    pub folder: TempDir,
}

pub async fn home() -> Home {
    let database = brisk_margin_testing::database().await;
    let folder = tempfile::tempdir().unwrap();
    let installation = Installation::open(&database, folder.path()).await.unwrap();
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

//! A store of its own for each test.

use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::site::ImportAction;
use brisk_margin_store::Store;
use brisk_margin_store::pictures::{Arrival, NewPicture, Origin, Picture};
use brisk_margin_testing::pictures::jpeg_facts;
use tempfile::TempDir;

pub struct Home {
    pub store: Store,
    pub database: String,
    pub folder: TempDir,
}

pub async fn home() -> Home {
    let database = brisk_margin_testing::database().await;
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&database, folder.path()).await.unwrap();
    Home { store, database, folder }
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

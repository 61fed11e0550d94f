//! Troubles that pass, and those that stay.

use brisk_margin_store::{BlobHash, Installation};

use crate::support::{home, picture};

#[tokio::test]
async fn a_database_that_is_away_is_a_trouble_that_passes() {
    let folder = tempfile::tempdir().unwrap();
    // Nothing listens on the first port.
    let away = Installation::open("postgres://nobody@127.0.0.1:1/none", folder.path()).await;
    assert!(away.err().unwrap().is_transient());
}

#[tokio::test]
async fn bytes_that_nobody_speaks_of_go_and_others_stay() {
    let home = home().await;
    let kept = picture(&home.store, b"moor").await;
    let gone = picture(&home.store, b"path").await;
    brisk_margin_testing::execute(
        &home.database,
        &format!("UPDATE pictures SET removed_at = now() WHERE id = '{}'", gone.id),
    )
    .await;
    let later = chrono::Utc::now() + chrono::Duration::minutes(1);
    assert_eq!(home.store.forget_removed(later).await.unwrap(), 1);
    assert_eq!(home.installation.delete_unused_bytes(later).await.unwrap(), 1);
    let bytes = home.store.blobs();
    assert_eq!(bytes.length(&BlobHash::of(b"path")).await.unwrap(), None);
    assert_eq!(&bytes.get(&kept.hash).await.unwrap()[..], b"moor");
    assert!(home.folder.path().exists());
}

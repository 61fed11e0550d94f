//! Troubles that pass, and those that stay.

use brisk_margin_store::Installation;

use crate::support::blobs_in;

#[tokio::test]
async fn a_database_that_is_away_is_a_trouble_that_passes() {
    let folder = tempfile::tempdir().unwrap();
    // Nothing listens on the first port.
    let blobs = blobs_in(folder.path());
    let away = Installation::open("postgres://nobody@127.0.0.1:1/none", blobs).await;
    assert!(away.err().unwrap().is_transient());
}

//! Who changes many pictures at once with others waits, and is not turned away.

use brisk_margin_core::status::PictureStatus;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::{ChangeSet, FieldChange, ListPage, Picture, RefreshedStatus};
use brisk_margin_testing::made_up;

use crate::support::{Home, home};

const ROUNDS: usize = 12;

fn titled(pictures: &[Picture], title: String) -> ChangeSet {
    let change = FieldChange { title: Some(title), ..FieldChange::default() };
    let pictures = pictures.iter().map(|picture| (picture.id, change.clone())).collect();
    ChangeSet { pictures, ..ChangeSet::default() }
}

fn judged(pictures: &[Picture]) -> Vec<RefreshedStatus> {
    let judge = |picture: &Picture| RefreshedStatus {
        id: picture.id,
        revision: picture.revision,
        uses: 0,
        today: Bytes(1),
        status: PictureStatus { possible: None, short: None, issues: Vec::new() },
    };
    // In another order than that of their ids.
    pictures.iter().rev().map(judge).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 4)]
async fn those_who_change_the_same_pictures_at_once_wait_for_each_other() {
    let home: Home = home().await;
    made_up::add_pictures(&home.database, 400).await.unwrap();
    let page = ListPage { limit: 400, ..ListPage::default() };
    let (pictures, _) = home.store.pictures(&page).await.unwrap();
    let judged = judged(&pictures);
    let edit = async |who: &str| {
        for round in 0..ROUNDS {
            let titles = titled(&pictures, format!("{who} {round}"));
            home.store.edit("titles", &titles).await.unwrap();
        }
    };
    let judge = async || {
        for _ in 0..ROUNDS {
            home.store.keep_status(&judged).await.unwrap();
        }
    };
    tokio::join!(edit("one"), judge(), edit("two"), judge());
    let (pictures, _) = home.store.pictures(&page).await.unwrap();
    let last = format!(" {}", ROUNDS - 1);
    assert!(
        pictures.iter().all(|picture| picture.description.title.ends_with(&last)),
        "the last of one holds"
    );
}

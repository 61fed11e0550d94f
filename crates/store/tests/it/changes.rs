//! What is told of a change, and what it makes stale.

use std::collections::BTreeSet;
use std::time::Duration;

use brisk_margin_store::changes::{ChangeKind, Listener, Told};
use brisk_margin_testing::{end_connections, execute};
use tokio::time::timeout;
use uuid::Uuid;

use crate::support::{Home, blobs_in, home, picture};

/// What is told of a kind until nothing is told any more.
async fn told(listener: &mut Listener, kind: ChangeKind) -> Vec<Option<BTreeSet<Uuid>>> {
    let mut found = Vec::new();
    while let Ok(told) = timeout(Duration::from_millis(300), listener.next()).await {
        if let Told::Changed(changed) = told.unwrap()
            && changed.kind == kind
        {
            found.push(changed.ids);
        }
    }
    found
}

async fn stale(home: &Home) -> Vec<Uuid> {
    while home.store.take_stale_notes().await.unwrap() {}
    let stale = home.store.stale_pictures(100).await.unwrap();
    stale.into_iter().map(|picture| picture.id).collect()
}

/// Counts every picture as worked out.
async fn settle(home: &Home) {
    let settle = "DELETE FROM stale_pictures; UPDATE pictures SET status_revision = revision";
    execute(&home.database, settle).await;
}

#[tokio::test]
async fn a_change_is_told_with_its_ids_once_it_is_committed() {
    let home = home().await;
    let mut listener = home.installation.listen(7).await.unwrap();
    let one = picture(&home.store, b"one").await;
    let heard = told(&mut listener, ChangeKind::Pictures).await;
    assert_eq!(heard, [Some([one.id].into())]);

    execute(&home.database, "BEGIN; UPDATE pictures SET title = 'Dome'; ROLLBACK").await;
    assert_eq!(told(&mut listener, ChangeKind::Pictures).await, [], "it was never so");
    execute(&home.database, "UPDATE pictures SET title = 'Dome' WHERE name = 'none'").await;
    assert_eq!(told(&mut listener, ChangeKind::Pictures).await, [], "no row changed");
    home.store.tell(ChangeKind::Folder).await.unwrap();
    assert_eq!(told(&mut listener, ChangeKind::Folder).await, [None]);
}

#[tokio::test]
async fn of_many_rows_only_the_kind_is_told() {
    let home = home().await;
    brisk_margin_testing::made_up::add_pictures(&home.database, 300).await.unwrap();
    let mut listener = home.installation.listen(7).await.unwrap();
    execute(&home.database, "UPDATE pictures SET title = 'Dome'").await;
    assert_eq!(told(&mut listener, ChangeKind::Pictures).await, [None]);
}

#[tokio::test]
async fn a_listener_whose_connection_broke_is_told_that_it_missed_some() {
    let home = home().await;
    let mut listener = home.installation.listen(7).await.unwrap();
    end_connections(&home.database).await;
    assert_eq!(listener.next().await.unwrap(), Told::MissedSome);
    let id = picture(&home.store, b"one").await.id;
    let heard = told(&mut listener, ChangeKind::Pictures).await;
    assert_eq!(heard, [Some([id].into())], "and hears what comes after");
}

#[tokio::test]
async fn what_a_change_makes_untrue_is_stale_and_nothing_else() {
    let home = home().await;
    let (one, two, three) = (
        picture(&home.store, b"one").await.id,
        picture(&home.store, b"two").await.id,
        picture(&home.store, b"three").await.id,
    );
    // The settings are written whole.
    home.store.change_site(|_| {}).await.unwrap();
    settle(&home).await;
    assert!(stale(&home).await.is_empty());

    // A slot with two places: one has a picture placed, the other serves one as it is.
    let hash = home.store.picture(two).await.unwrap().unwrap().hash;
    let places = format!(
        "INSERT INTO slots (id, name, kind, selector, fit, boxes, rendered, densities, created_at)
             VALUES (md5('slot')::uuid, 'card', 'card', 'img', 'cover', '{{}}', '{{}}', '[1]', now());
         INSERT INTO pages (id, address, title, heights, breakpoints, measured_at)
             VALUES (md5('page')::uuid, 'http://tarn.example/', '', '{{}}', '[]', now());
         INSERT INTO places (id, slot_id, page_id, selector, uncertain, details, picture_id) VALUES
             (gen_random_uuid(), md5('slot')::uuid, md5('page')::uuid, 'a', false, '{{}}', '{one}'),
             (gen_random_uuid(), md5('slot')::uuid, md5('page')::uuid, 'b', false,
                 '{{\"files\": {{\"390\": {{\"1\": {{\"hash\": \"{}\"}}}}}}}}', NULL)",
        hash.as_str()
    );
    execute(&home.database, &places).await;
    let used: BTreeSet<Uuid> = [one, two].into();
    assert_eq!(BTreeSet::from_iter(stale(&home).await), used, "where they are used");
    settle(&home).await;

    execute(&home.database, "UPDATE slots SET budget = 9000").await;
    assert_eq!(BTreeSet::from_iter(stale(&home).await), used, "a slot's budget");
    settle(&home).await;

    execute(&home.database, "DELETE FROM places WHERE selector = 'a'").await;
    assert_eq!(stale(&home).await, [one], "a place that is gone");
    settle(&home).await;

    let (low, high) = (one.min(three), one.max(three));
    let alike = format!("INSERT INTO alike (one, other, distance) VALUES ('{low}', '{high}', 2)");
    execute(&home.database, &alike).await;
    assert_eq!(BTreeSet::from_iter(stale(&home).await), [one, three].into(), "a look-alike");
    settle(&home).await;

    let removed = format!("UPDATE pictures SET removed_at = now() WHERE id = '{three}'");
    execute(&home.database, &removed).await;
    assert_eq!(stale(&home).await, [one], "that is removed");
    settle(&home).await;

    home.store.change_site(|site| site.name = "Tarnlight".to_owned()).await.unwrap();
    assert!(stale(&home).await.is_empty(), "the site's name decides nothing");
    home.store.change_site(|site| site.ceiling = 900).await.unwrap();
    assert_eq!(stale(&home).await.len(), 3, "the largest width decides for all");
}

#[tokio::test]
async fn processes_that_start_at_once_bring_the_tables_up_to_date_once() {
    let database = brisk_margin_testing::database().await;
    let folder = tempfile::tempdir().unwrap();
    let open = || brisk_margin_store::Installation::open(&database, blobs_in(folder.path()));
    let opened = tokio::join!(open(), open(), open());
    for installation in [opened.0, opened.1, opened.2] {
        installation.unwrap().ping().await.unwrap();
    }
}

#[tokio::test]
async fn a_start_that_is_broken_off_while_it_changes_tables_is_begun_again() {
    let database = brisk_margin_testing::database().await;
    let folder = tempfile::tempdir().unwrap();
    for pause in [5, 20, 45, 80, 130, 200] {
        let open = brisk_margin_store::Installation::open(&database, blobs_in(folder.path()));
        let broken = timeout(Duration::from_millis(pause), open);
        let _ = broken.await;
        // As the end of the process would: nothing of it goes on.
        end_connections(&database).await;
    }
    let opened =
        brisk_margin_store::Installation::open(&database, blobs_in(folder.path())).await.unwrap();
    let site = opened.add_site("Tarnlight").await.unwrap();
    let store = opened.store(&site).await.unwrap();
    let kept = picture(&store, b"one").await;
    assert_eq!(store.picture(kept.id).await.unwrap().unwrap().name, "moor.jpg");
}

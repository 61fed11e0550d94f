//! What goes when nothing speaks of it, and what stays.

use brisk_margin_store::spoken_bytes::Role;
use brisk_margin_store::{BlobHash, Keep};
use brisk_margin_testing::execute;
use bytes::Bytes;
use chrono::{TimeDelta, Utc};

use crate::support::{home, picture};

#[tokio::test]
async fn bytes_that_nobody_speaks_of_go_and_others_stay() {
    let home = home().await;
    let kept = picture(&home.store, b"moor").await;
    let gone = picture(&home.store, b"path").await;
    let made = Bytes::from_static(b"small");
    for hash in [&kept.hash, &gone.hash] {
        for keep in [Keep::WithSource, Keep::ForAWhile] {
            let blobs = home.store.blobs();
            blobs.put_derived(hash, "small", keep, made.clone()).await.unwrap();
        }
    }
    let remove = format!("UPDATE pictures SET removed_at = now() WHERE id = '{}'", gone.id);
    execute(&home.database, &remove).await;
    let later = Utc::now() + TimeDelta::minutes(1);
    assert_eq!(home.store.forget_removed(later).await.unwrap(), 1);
    assert_eq!(home.installation.delete_unused_bytes(later).await.unwrap(), 1);
    let bytes = home.store.blobs();
    assert_eq!(bytes.length(&BlobHash::of(b"path")).await.unwrap(), None);
    assert_eq!(&bytes.get(&kept.hash).await.unwrap()[..], b"moor");
    for keep in [Keep::WithSource, Keep::ForAWhile] {
        assert_eq!(bytes.derived(&gone.hash, "small", keep).await.unwrap(), None);
        assert!(bytes.derived(&kept.hash, "small", keep).await.unwrap().is_some());
    }
    let folder = home.folder.path();
    assert!(!folder.join("derived").join(gone.hash.as_str()).exists(), "nothing is left behind");
}

#[tokio::test]
async fn bytes_that_no_row_ever_spoke_of_go_after_two_days() {
    let home = home().await;
    let kept = picture(&home.store, b"moor").await;
    // As of a process that ended before it wrote the row.
    let blobs = home.store.blobs();
    let lost = blobs.put(Bytes::from_static(b"path")).await.unwrap();
    let (earlier, later) = (Utc::now() - TimeDelta::minutes(1), Utc::now() + TimeDelta::minutes(1));
    let installation = &home.installation;
    let note = async |then| {
        let mut noted = 0;
        for part in 0..=u8::MAX {
            noted += installation.note_unused_bytes(part, then).await.unwrap();
        }
        noted
    };
    assert_eq!(note(earlier).await, 0, "it is young");
    assert_eq!(note(later).await, 1);
    assert_eq!(note(later).await, 0, "noted before");
    assert_eq!(installation.delete_unused_bytes(earlier).await.unwrap(), 0, "noted just now");
    assert!(blobs.length(&lost).await.unwrap().is_some());
    // Whoever stores the same now has them.
    let stored = picture(&home.store, b"path").await;
    assert_eq!(installation.delete_unused_bytes(later).await.unwrap(), 0);
    assert_eq!(&blobs.get(&stored.hash).await.unwrap()[..], b"path");
    assert_eq!(&blobs.get(&kept.hash).await.unwrap()[..], b"moor");

    let lost = blobs.put(Bytes::from_static(b"hut")).await.unwrap();
    assert_eq!(note(later).await, 1);
    assert_eq!(installation.delete_unused_bytes(later).await.unwrap(), 1);
    assert_eq!(blobs.length(&lost).await.unwrap(), None);
}

#[tokio::test]
async fn many_go_in_several_turns_and_leave_no_empty_folders() {
    let home = home().await;
    let kept = picture(&home.store, b"moor").await;
    let blobs = home.store.blobs();
    for n in 0..150_u32 {
        blobs.put(Bytes::copy_from_slice(&n.to_le_bytes())).await.unwrap();
    }
    let later = Utc::now() + TimeDelta::minutes(1);
    for part in 0..=u8::MAX {
        home.installation.note_unused_bytes(part, later).await.unwrap();
    }
    assert_eq!(home.installation.delete_unused_bytes(later).await.unwrap(), 150);
    assert_eq!(&blobs.get(&kept.hash).await.unwrap()[..], b"moor");
    // The folder of what is kept, and the mark.
    assert_eq!(std::fs::read_dir(home.folder.path()).unwrap().count(), 2);
}

#[tokio::test]
async fn a_logo_is_spoken_of_as_long_as_it_lies_on_a_picture() {
    let home = home().await;
    let moor = picture(&home.store, b"moor").await;
    let logo = home.store.blobs().put(Bytes::from_static(b"logo")).await.unwrap();
    let edits = format!(
        "{{\"edits\": {{\"version\": 1, \"steps\": [{{\"kind\": \"logo\", \"image\": \"{}\"}}]}}}}",
        logo.as_str()
    );
    let lay = format!(
        "INSERT INTO steps (id, picture_id, adjustments, summary, made_at)
         VALUES (gen_random_uuid(), '{}', '{edits}', 'a logo', now())",
        moor.id
    );
    execute(&home.database, &lay).await;
    let spoken = home.installation.spoken_bytes().await.unwrap();
    let found: Vec<_> = spoken.iter().map(|one| (&one.hash, one.role)).collect();
    assert!(found.contains(&(&logo, Role::Logo)) && found.contains(&(&moor.hash, Role::Original)));
    assert_eq!(found.len(), 2, "{spoken:?}");
}

//! What holds of every blob store, on local disk and in a bucket, and what goes wrong with them.

use std::fs;
use std::path::PathBuf;
use std::time::Duration;

use brisk_margin_store::blobs::{Copied, Copying, copy};
use brisk_margin_store::{BlobAddress, BlobError, BlobHash, Blobs, Keep};
use brisk_margin_testing::Buckets;
use bytes::Bytes;
use chrono::{TimeDelta, Utc};
use tempfile::TempDir;

use crate::support::{blobs_in, home_with, picture};

/// A store, and where its files lie.
struct Kept {
    blobs: Blobs,
    files: PathBuf,
    _folder: TempDir,
    buckets: Option<Buckets>,
}

fn on_disk() -> Kept {
    let folder = tempfile::tempdir().unwrap();
    let files = folder.path().to_owned();
    Kept { blobs: blobs_in(&files), files, _folder: folder, buckets: None }
}

async fn in_a_bucket() -> Kept {
    let buckets = Buckets::start().await;
    let blobs = opened(&buckets, None);
    let files = buckets.folder().join("pictures");
    Kept { blobs, files, _folder: tempfile::tempdir().unwrap(), buckets: Some(buckets) }
}

fn opened(buckets: &Buckets, secret: Option<&str>) -> Blobs {
    let address: BlobAddress = buckets.address("pictures").parse().unwrap();
    Blobs::open_with(&address, buckets.settings(secret)).unwrap()
}

async fn everywhere() -> [Kept; 2] {
    [on_disk(), in_a_bucket().await]
}

impl Kept {
    fn file(&self, hash: &BlobHash) -> PathBuf {
        self.files.join(&hash.as_str()[..2]).join(hash.as_str())
    }

    fn files_below(&self, part: &str) -> usize {
        let folder = fs::read_dir(self.files.join(part));
        folder.map_or(0, |entries| {
            let below = |entry: fs::DirEntry| match entry.path().is_dir() {
                true => self
                    .files_below(entry.path().strip_prefix(&self.files).unwrap().to_str().unwrap()),
                false => 1,
            };
            entries.map(|entry| below(entry.unwrap())).sum()
        })
    }
}

#[tokio::test]
async fn bytes_come_back_unchanged_and_are_kept_once() {
    for kept in everywhere().await {
        let blobs = &kept.blobs;
        // Larger than what is held in memory, and than a part of a transfer.
        let large = Bytes::from((0..3_000_000_u32).map(|n| (n % 251) as u8).collect::<Vec<_>>());
        for data in [Bytes::from_static(b"dome"), Bytes::new(), large] {
            let hash = blobs.put(data.clone()).await.unwrap();
            assert_eq!(hash, BlobHash::of(&data));
            assert_eq!(blobs.put(data.clone()).await.unwrap(), hash);
            assert!(blobs.get(&hash).await.unwrap() == data);
            assert_eq!(blobs.length(&hash).await.unwrap().unwrap().get(), data.len() as u64);
        }
        assert_eq!(kept.files_below(""), 3);
    }
}

#[tokio::test]
async fn what_was_made_of_others_is_kept_beside_them() {
    for kept in everywhere().await {
        let (blobs, source) = (&kept.blobs, BlobHash::of(b"dome"));
        for (keep, other) in
            [(Keep::WithSource, Keep::ForAWhile), (Keep::ForAWhile, Keep::WithSource)]
        {
            assert_eq!(blobs.derived(&source, "small", keep).await.unwrap(), None);
            let made = Bytes::from(format!("{keep:?}"));
            blobs.put_derived(&source, "small", keep, made.clone()).await.unwrap();
            assert_eq!(blobs.derived(&source, "small", keep).await.unwrap(), Some(made));
            let of_other = blobs.derived(&source, "small", other).await.unwrap();
            assert!(of_other.is_none_or(|found| *found == *format!("{other:?}").as_bytes()));
            assert_eq!(blobs.derived(&source, "large", keep).await.unwrap(), None);
        }
        let before = Utc::now() - TimeDelta::minutes(1);
        let part = u8::from_str_radix(&source.as_str()[..2], 16).unwrap();
        assert_eq!(blobs.delete_passing(part, before).await.unwrap(), 0, "it is young");
        let after = Utc::now() + TimeDelta::minutes(1);
        assert_eq!(blobs.delete_passing(part ^ 1, after).await.unwrap(), 0, "another part");
        assert_eq!(blobs.delete_passing(part, after).await.unwrap(), 1);
        assert!(blobs.derived(&source, "small", Keep::WithSource).await.unwrap().is_some());
    }
}

#[tokio::test]
async fn damaged_and_missing_bytes_are_told_and_mended_by_storing_them_again() {
    for kept in everywhere().await {
        let blobs = &kept.blobs;
        let large = Bytes::from(vec![7; 600_000]);
        for data in [Bytes::from_static(b"dome"), large] {
            let hash = blobs.put(data.clone()).await.unwrap();
            let mut other = data.to_vec();
            other[1] ^= 1;
            for wrong in [&other[..], &data[..2]] {
                fs::write(kept.file(&hash), wrong).unwrap();
                let error = blobs.get(&hash).await.unwrap_err();
                assert!(matches!(&error, BlobError::Damaged(of) if *of == hash), "{error}");
                assert!(!error.is_transient(), "no other time will find them sound");
                blobs.put(data.clone()).await.unwrap();
                assert!(blobs.get(&hash).await.unwrap() == data);
            }
            fs::remove_file(kept.file(&hash)).unwrap();
            let error = blobs.get(&hash).await.unwrap_err();
            assert!(matches!(error, BlobError::Missing(_)) && !error.is_transient(), "{error}");
            assert_eq!(blobs.length(&hash).await.unwrap(), None);
            blobs.put(data.clone()).await.unwrap();
            assert!(blobs.get(&hash).await.unwrap() == data);
        }
    }
}

#[tokio::test]
async fn bytes_that_cannot_be_read_may_be_read_later() {
    let kept = on_disk();
    let hash = kept.blobs.put(Bytes::from_static(b"dome")).await.unwrap();
    // A folder in their place cannot be read, not even by root.
    fs::remove_file(kept.file(&hash)).unwrap();
    fs::create_dir(kept.file(&hash)).unwrap();
    fs::write(kept.file(&hash).join("in the way"), "").unwrap();
    let error = kept.blobs.get(&hash).await.unwrap_err();
    assert!(!matches!(error, BlobError::Damaged(_)), "{error}");
}

#[tokio::test]
async fn a_bucket_that_is_busy_is_asked_again_and_one_that_is_slow_is_waited_for() {
    let kept = in_a_bucket().await;
    let buckets = kept.buckets.as_ref().unwrap();
    buckets.be_busy(2);
    let hash = kept.blobs.put(Bytes::from_static(b"dome")).await.unwrap();
    buckets.be_busy(2);
    assert_eq!(&kept.blobs.get(&hash).await.unwrap()[..], b"dome");
    buckets.be_slow(Duration::from_millis(400));
    assert_eq!(&kept.blobs.get(&hash).await.unwrap()[..], b"dome");
}

#[tokio::test]
async fn a_bucket_that_refuses_or_is_away_is_a_trouble_that_passes_and_loses_nothing() {
    let kept = in_a_bucket().await;
    let hash = kept.blobs.put(Bytes::from_static(b"dome")).await.unwrap();
    let buckets = kept.buckets.unwrap();
    buckets.be_busy(1_000);
    let error = kept.blobs.get(&hash).await.unwrap_err();
    assert!(error.is_transient(), "{error}");
    buckets.be_busy(0);
    let refused = opened(&buckets, Some("another secret"));
    for error in [
        refused.get(&hash).await.unwrap_err(),
        refused.put(Bytes::from_static(b"dome")).await.unwrap_err(),
        refused.put(Bytes::from_static(b"moor")).await.unwrap_err(),
    ] {
        assert!(error.is_transient() && !error.is_lost(), "{error}");
    }
    assert_eq!(&kept.blobs.get(&hash).await.unwrap()[..], b"dome");
}

#[tokio::test]
async fn an_installation_lives_in_a_bucket_and_shares_it_with_no_other() {
    let buckets = Buckets::start().await;
    let home = home_with(opened(&buckets, None), tempfile::tempdir().unwrap()).await;
    let moor = picture(&home.store, b"moor").await;
    assert_eq!(&home.store.blobs().get(&moor.hash).await.unwrap()[..], b"moor");
    assert_eq!(fs::read_dir(home.folder.path()).unwrap().count(), 0);

    let other = brisk_margin_testing::database().await;
    let other = brisk_margin_store::Installation::open(&other, opened(&buckets, None)).await;
    let error = other.err().unwrap();
    assert!(error.to_string().contains("belongs to another installation"), "{error}");
    assert!(!error.is_transient());
}

#[tokio::test]
async fn a_copy_goes_on_where_it_was_broken_off_and_tells_what_cannot_be_copied() {
    let (from, to) = (on_disk(), in_a_bucket().await);
    let folder = tempfile::tempdir().unwrap();
    let home = home_with(from.blobs.clone(), folder).await;
    let pictures = [picture(&home.store, b"moor").await, picture(&home.store, b"path").await];
    let [moor, path] = pictures.map(|picture| picture.hash);
    let made = |keep| from.blobs.put_derived(&moor, "small", keep, Bytes::from_static(b"m"));
    made(Keep::WithSource).await.unwrap();
    made(Keep::ForAWhile).await.unwrap();
    fs::write(from.file(&path), "bath").unwrap();

    let mut told = Vec::new();
    copy(&from.blobs, &to.blobs, Copying::All, |copied| told.push(copied)).await.unwrap();
    let failed = told.iter().filter_map(|copied| match copied {
        Copied::Not { key, error } => Some((key.as_str(), error)),
        _ => None,
    });
    let failed: Vec<_> = failed.collect();
    assert!(matches!(failed[..], [(key, BlobError::Damaged(_))] if key.contains(path.as_str())));
    assert_eq!(told.len(), 3, "what passes is left out");
    assert!(!to.files.join("installation").exists(), "it is not whole");

    fs::write(from.file(&path), "path").unwrap();
    told.clear();
    copy(&from.blobs, &to.blobs, Copying::All, |copied| told.push(copied)).await.unwrap();
    let now = told.iter().filter(|copied| matches!(copied, Copied::Now { .. })).count();
    assert_eq!((now, told.len()), (1, 3), "{told:?}");

    // The same rows, with their bytes in the bucket.
    let database = home.database.split('?').next().unwrap().to_owned();
    let moved = brisk_margin_store::Installation::open(&database, to.blobs.clone()).await.unwrap();
    let store = moved.store(&moved.sites().await.unwrap()[0]).await.unwrap();
    assert_eq!(&store.blobs().get(&moor).await.unwrap()[..], b"moor");
    let small = store.blobs().derived(&moor, "small", Keep::WithSource).await.unwrap();
    assert_eq!(small, Some(Bytes::from_static(b"m")));

    // And not into what belongs to others.
    let theirs = in_a_bucket().await;
    let _theirs = home_with(theirs.blobs.clone(), tempfile::tempdir().unwrap()).await;
    let refused = copy(&from.blobs, &theirs.blobs, Copying::All, |_| {}).await.unwrap_err();
    assert!(matches!(refused, BlobError::OfAnother { .. }), "{refused}");
}

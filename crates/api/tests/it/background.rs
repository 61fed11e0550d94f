//! What happens to pictures in the background, also where the machine is at fault.

use std::path::PathBuf;

use serde_json::Value;

use crate::support::Api;
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png};

/// Where the bytes of picture `id` lie.
async fn file_of(api: &Api, id: &str) -> PathBuf {
    let picture = api.picture(id).await;
    let hash = picture["hash"].as_str().unwrap();
    api.blobs().join(&hash[..2]).join(hash)
}

#[tokio::test]
async fn a_disk_that_cannot_be_read_marks_no_picture_and_stops_no_other() {
    let api = Api::start().await;
    let lost = api.taken("dome.jpg", &gradient_jpeg(300, 200)).await;
    let other = api.taken("moor.png", &gradient_png(200, 300)).await;
    let file = file_of(&api, &lost).await;
    let aside = file.with_extension("aside");
    // A link to itself: the system refuses to open it, whoever asks.
    std::fs::rename(&file, &aside).unwrap();
    std::os::unix::fs::symlink(&file, &file).unwrap();

    let left = api.work().await;
    let (waiting, done) = (api.picture(&lost).await, api.picture(&other).await);
    assert_eq!(left, 1);
    assert_eq!((&waiting["analysis"], &waiting["analysis_failed"]), (&Value::Null, &Value::Null));
    assert!(done["analysis"].is_object(), "{done}");

    std::fs::remove_file(&file).unwrap();
    std::fs::rename(&aside, &file).unwrap();
    // Its pause is over.
    api.execute("UPDATE jobs SET due_at = now() WHERE state = 'waiting'").await;
    assert_eq!(api.work().await, 0);
    assert!(api.picture(&lost).await["analysis"].is_object());
}

#[tokio::test]
async fn bytes_that_are_gone_are_told_once_and_not_tried_for_ever() {
    let api = Api::start().await;
    let lost = api.taken("dome.jpg", &gradient_jpeg(300, 200)).await;
    std::fs::remove_file(file_of(&api, &lost).await).unwrap();
    assert_eq!(api.work().await, 0);
    let picture = api.picture(&lost).await;
    assert!(picture["analysis_failed"].is_string(), "{picture}");
}

#[tokio::test]
async fn a_row_that_cannot_be_read_stops_no_other() {
    let api = Api::start().await;
    let strange = api.taken("dome.jpg", &gradient_jpeg(300, 200)).await;
    let other = api.taken("moor.png", &gradient_png(200, 300)).await;
    // As a newer version may have written it.
    let unreadable = format!("UPDATE pictures SET format = 'holograph' WHERE id = '{strange}'");
    api.execute(&unreadable).await;
    api.work().await;
    let done = api.picture(&other).await;
    assert!(done["analysis"].is_object(), "{done}");
    assert!(done["issues"].as_array().is_some_and(|issues| !issues.is_empty()), "{done}");
}

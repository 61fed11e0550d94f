//! What happens to pictures in the background, also where the machine is at fault.

use std::path::PathBuf;
use std::time::Duration;

use brisk_margin_work::jobs::JobFailure;
use brisk_margin_work::jobs::runner::JobRunner;
use serde_json::{Value, json};

use crate::support::Api;
use axum::http::StatusCode;
use brisk_margin_testing::Buckets;
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

#[tokio::test]
async fn a_job_that_panics_or_hangs_costs_its_attempt_and_is_done_at_the_next() {
    let api = Api::start().await;
    let picture = api.taken("dome.jpg", &gradient_jpeg(300, 200)).await;
    let other = api.taken("moor.png", &gradient_png(200, 300)).await;
    let runner = JobRunner::new(&api.sites);
    let job = async || {
        let due = api.sites.installation().due_job().await.unwrap().unwrap();
        api.sites.installation().job(due).await.unwrap().unwrap()
    };
    let told = async |id: uuid::Uuid| {
        let job = api.sites.installation().job(id).await.unwrap().unwrap();
        (job.state.name(), job.attempts, job.reason.unwrap_or_default())
    };

    let first = job().await.id;
    let panic = |_| async { panic!("a bug in the work") };
    runner.run_by(first, None, panic).await.unwrap();
    let (state, attempts, reason) = told(first).await;
    assert_eq!((state, attempts), ("waiting", 1));
    assert!(reason.contains("a bug in the work"), "{reason}");

    let second = job().await.id;
    assert_ne!(second, first, "the first one pauses");
    let hang = |_| std::future::pending::<Result<(), JobFailure>>();
    runner.run_by(second, Some(Duration::from_millis(50)), hang).await.unwrap();
    let (state, _, reason) = told(second).await;
    assert_eq!(state, "waiting");
    assert!(reason.contains("did not end within"), "{reason}");

    api.execute("UPDATE public.jobs SET due_at = now() WHERE state = 'waiting'").await;
    assert_eq!(api.work().await, 0);
    for id in [picture, other] {
        assert!(api.picture(&id).await["analysis"].is_object());
    }
}

#[tokio::test]
async fn an_upload_is_refused_while_the_bucket_is_busy_and_taken_afterwards() {
    let buckets = Buckets::start().await;
    let api = Api::in_buckets(&buckets).await;
    buckets.be_busy(1_000);
    let file = gradient_jpeg(300, 200);
    let refused = api.upload("dome.jpg", &file).await;
    assert_eq!(refused.status, StatusCode::SERVICE_UNAVAILABLE, "{}", refused.text());
    let words = refused.json()["detail"].as_str().unwrap().to_owned();
    assert!(words.contains("try again"), "{words}");
    assert_eq!(api.get("/api/pictures").await.json()["pictures"], json!([]));

    buckets.be_busy(0);
    let picture = api.taken("dome.jpg", &file).await;
    buckets.be_busy(3);
    api.work().await;
    assert!(api.picture(&picture).await["analysis"].is_object(), "it was asked again");
    let original = api.get(&format!("/api/pictures/{picture}/original")).await;
    assert_eq!(original.body, file);
}

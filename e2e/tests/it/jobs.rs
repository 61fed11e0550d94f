//! Long work when processes end: told to, or at any moment; two servers and two workers at once.

use std::collections::BTreeSet;
use std::time::{Duration, Instant};

use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::{http, web_host};
use brisk_margin_testing::Buckets;
use brisk_margin_testing::pictures::gradient_jpeg;
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};

/// Rounds of kills; more are asked for by an environment variable.
pub fn rounds() -> u32 {
    let asked = std::env::var("BRISK_MARGIN_TEST_KILLS").ok();
    asked.map_or(20, |rounds| rounds.parse().expect("a number of rounds"))
}

/// A number below `limit` that differs from round to round and is the same in each run.
pub fn moment(round: u32, limit: u64) -> Duration {
    let mixed = u64::from(round + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 33;
    Duration::from_millis(mixed % limit)
}

/// Uploads a file; what it is refused with otherwise.
async fn upload(application: &Application, name: &str, bytes: Vec<u8>) -> Result<(), String> {
    let form = Form::new().part("file", Part::bytes(bytes).file_name(name.to_owned()));
    let request = http::client().post(application.url("/api/pictures")).multipart(form);
    let answer = request.send().await.map_err(|error| format!("{name}: {error:?}"))?;
    match answer.status().as_u16() {
        201 => Ok(()),
        status => Err(format!("{name}: {status} {}", answer.text().await.unwrap_or_default())),
    }
}

/// How often each job of a kind was begun.
async fn begun(home: &Home, kind: &str) -> Vec<i64> {
    let sql = format!("SELECT claim::bigint AS number FROM jobs WHERE kind = '{kind}'");
    brisk_margin_testing::numbers(home.database(), &sql).await
}

#[tokio::test(flavor = "multi_thread")]
async fn two_servers_and_two_workers_do_everything_once() {
    let home = Home::empty().await;
    let (one, two) = (home.serve_with(&["--no-workers"]), home.serve_with(&["--no-workers"]));
    let _workers = [home.worker(), home.worker()];
    for n in 0..30 {
        let server = if n % 2 == 0 { &one } else { &two };
        upload(server, &format!("{n}.jpg"), gradient_jpeg(300 + n, 200)).await.unwrap();
    }
    two.until_all_is_done(30).await;
    assert_eq!(begun(&home, "analyse").await, [1; 30]);
    let shown = |picture: &Value| picture["issues"].as_array().map(Vec::len);
    let list = one.json("/api/pictures?limit=500").await;
    assert!(list["pictures"].as_array().unwrap().iter().all(|picture| shown(picture) > Some(0)));
}

#[tokio::test(flavor = "multi_thread")]
async fn machines_that_share_a_bucket_and_no_folder_work_for_one_site() {
    let buckets = Buckets::start().await;
    let here = Home::empty().await.in_buckets(&buckets);
    let (there, third) = (here.elsewhere(), here.elsewhere());
    let server = here.serve_with(&["--no-workers"]);
    let _worker = there.worker();
    let file = gradient_jpeg(900, 600);
    upload(&server, "dome.jpg", file.clone()).await.unwrap();
    server.until_all_is_done(1).await;

    let other = third.serve_with(&["--no-workers"]);
    let id = other.json("/api/pictures").await["pictures"][0]["id"].as_str().unwrap().to_owned();
    let wish = json!({
        "slot": {"width": 200, "height": 100, "fit": "cover"}, "density": 1,
        "format": "jpeg", "quality": 60,
    });
    let made = http::client().post(server.url(&format!("/api/pictures/{id}/variants")));
    let made: Value = made.json(&wish).send().await.unwrap().json().await.unwrap();
    let variant = made["id"].as_str().unwrap_or_else(|| panic!("{made}"));
    let variant = format!("/api/variants/{variant}/file");
    for (path, bytes) in [
        (format!("/api/pictures/{id}/original"), file.len()),
        (variant, made["margin"]["weight"].as_u64().unwrap() as usize),
    ] {
        let answer = http::client().get(other.url(&path)).send().await.unwrap();
        assert_eq!(answer.bytes().await.unwrap().len(), bytes, "{path}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn without_workers_nothing_is_done_until_one_comes() {
    let home = Home::empty().await;
    let server = home.serve_with(&["--no-workers"]);
    upload(&server, "dome.jpg", gradient_jpeg(300, 200)).await.unwrap();
    let waiting = json!([{
        "kind": "analyse", "words": "Analysing pictures", "running": 0, "waiting": 1, "failed": 0,
    }]);
    assert_eq!(server.json("/api/jobs").await["kinds"], waiting);
    let _worker = home.worker();
    server.until_all_is_done(1).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn kills_of_server_and_worker_at_random_moments_lose_no_work() {
    let home = Home::empty().await;
    for round in 0..rounds() {
        let server = home.serve_with(&["--no-workers"]);
        let worker = home.worker();
        for n in 0..3 {
            let width = 300 + round * 3 + n;
            let name = format!("{width}.jpg");
            upload(&server, &name, gradient_jpeg(width, 200)).await.unwrap();
        }
        tokio::time::sleep(moment(round, 400)).await;
        if round % 2 == 0 {
            server.kill();
            worker.kill();
        } else {
            worker.kill();
            server.kill();
        }
    }
    let server = home.serve();
    server.until_all_is_done(3 * rounds() as usize).await;
    let failed = server.json("/api/jobs").await["jobs"].clone();
    let failed = failed.as_array().unwrap().iter().filter(|job| job["state"] == "failed").count();
    assert_eq!(failed, 0);
}

/// For how long the database is away; longer where an environment variable says so.
fn away() -> Duration {
    let asked = std::env::var("BRISK_MARGIN_TEST_AWAY").ok();
    Duration::from_secs(asked.map_or(5, |seconds| seconds.parse().expect("a number of seconds")))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_is_away_under_load_costs_time_and_nothing_else() {
    let mut home = Home::empty().await;
    home.says_little = true;
    let server = home.serve_with(&["--no-workers"]);
    let _worker = home.worker();
    for n in 0..10 {
        upload(&server, &format!("{n}.jpg"), gradient_jpeg(300 + n, 200)).await.unwrap();
    }
    brisk_margin_testing::set_answering(home.database(), false).await;
    let form = Form::new().part("file", Part::bytes(gradient_jpeg(500, 200)).file_name("no.jpg"));
    let refused = http::client().post(server.url("/api/pictures")).multipart(form).send().await;
    assert!(refused.unwrap().status().is_server_error(), "nothing is accepted that is not kept");
    tokio::time::sleep(away()).await;
    brisk_margin_testing::set_answering(home.database(), true).await;

    let after = upload(&server, "after.jpg", gradient_jpeg(400, 200)).await;
    assert_eq!(after, Ok(()), "it goes on by itself");
    server.until_all_is_done(11).await;
    let jobs = server.json("/api/jobs").await;
    let failed = jobs["jobs"].as_array().unwrap().iter().filter(|job| job["state"] == "failed");
    assert_eq!(failed.count(), 0, "{jobs:#}");
}

#[tokio::test(flavor = "multi_thread")]
async fn told_to_end_a_worker_gives_its_job_back_and_another_goes_on_where_it_was() {
    let home = Home::empty().await;
    let folder = tempfile::tempdir().unwrap();
    // More is left than can be done in the time that a worker has to end.
    let host = web_host::slow_tarnlight(folder.path(), Duration::from_millis(1_200)).await;
    let server = home.serve_with(&["--no-workers"]);
    let worker = home.worker();
    let wish = json!({"address": format!("{host}/index.html"), "whole_site": true});
    let answer = http::client().post(server.url("/api/measurements"));
    let answer = answer.body(wish.to_string()).header("content-type", "application/json");
    assert_eq!(answer.send().await.unwrap().status(), 202);
    let measured = async || server.json("/api/measurements/latest").await;
    let end = Instant::now() + Duration::from_secs(90);
    while measured().await["done"].as_u64() < Some(2) {
        assert!(Instant::now() < end, "{:#}", measured().await);
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let told = Instant::now();
    worker.terminate();
    assert!(told.elapsed() < Duration::from_secs(10), "{:?}", told.elapsed());
    let report = measured().await;
    assert_eq!((&report["running"], &report["problems"]), (&json!(true), &json!([])), "{report:#}");
    let done = report["done"].as_u64().unwrap();
    assert!(done < 7, "it was stopped in its middle");
    let pages = async || -> BTreeSet<(String, String)> {
        let layouts = server.json("/api/layouts").await;
        let page = |page: &Value| (page["id"].to_string(), page["measured_at"].to_string());
        layouts["pages"].as_array().unwrap().iter().map(page).collect()
    };
    let before = pages().await;

    let _worker = home.worker();
    server.until_measured().await;
    let report = measured().await;
    assert_eq!((&report["done"], &report["known"]), (&json!(7), &json!(7)), "{report:#}");
    let after = pages().await;
    assert!(after.is_superset(&before), "no page was measured twice: {before:#?} {after:#?}");
}

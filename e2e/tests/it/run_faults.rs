//! Runs when machines fail: each result comes once, and nothing that was made is lost or forgotten.

use std::time::{Duration, Instant};

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home, Process};
use brisk_margin_e2e::small_disk::{ReadOnly, SmallDisk};
use brisk_margin_testing::Buckets;
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::{Value, json};

use crate::jobs::{moment, rounds};

/// A library whose pictures get two files each for a slot that was typed by hand.
struct Library {
    pictures: Vec<String>,
    slot: String,
}

impl Library {
    async fn of(application: &Application, pictures: u32) -> Self {
        let rule = json!({"formats": ["webp", "jpeg"], "densities": [1]});
        application.put("/api/output-rules", &rule).await;
        let slot = json!({"name": "Card", "kind": "card", "fit": "cover",
            "boxes": {"390": [300, 200]}});
        let slot = application.post("/api/slots", &slot).await["id"].as_str().unwrap().to_owned();
        let mut ids = Vec::new();
        for n in 0..pictures {
            let file = encoded(&spots(n, 480, 320), Format::Jpeg, 97);
            ids.push(application.upload(&format!("p{n}.jpg"), file).await);
        }
        Self { pictures: ids, slot }
    }

    async fn start(&self, application: &Application) -> String {
        let run = json!({"which": {"ids": self.pictures}, "slots": [self.slot]});
        application.post("/api/runs", &run).await["id"].as_str().unwrap().to_owned()
    }

    /// How many files there are.
    async fn files(&self, application: &Application) -> u64 {
        let mut all = 0;
        for id in &self.pictures {
            let picture = application.json(&format!("/api/pictures/{id}")).await;
            all += picture["variants"].as_array().unwrap().len() as u64;
        }
        all
    }

    /// Each set is made once, and taken back without a rest.
    async fn is_made_once_and_taken_back(&self, application: &Application, run: &str) {
        let told = application.json(&format!("/api/runs/{run}")).await;
        let sets = self.pictures.len() as u64;
        assert_eq!((&told["done"], &told["failed"]), (&json!(sets), &json!(0)), "{told:#}");
        assert_eq!(told["files"], json!(2 * sets));
        assert_eq!(self.files(application).await, 2 * sets, "each file once");
        application.post(&format!("/api/runs/{run}/take-back"), &json!({})).await;
        assert_eq!(self.files(application).await, 0, "also of what was begun before a fault");
    }
}

/// Waits until the run tells what is waited for; at most two minutes.
async fn until(
    application: &Application,
    run: &str,
    what: &str,
    is_so: impl Fn(&Value) -> bool,
) -> Value {
    let end = Instant::now() + Duration::from_secs(120);
    loop {
        let told = application.json(&format!("/api/runs/{run}")).await;
        if is_so(&told) {
            return told;
        }
        assert!(Instant::now() < end, "{what}: {told:#}");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

fn is_done(run: &Value) -> bool {
    run["state"] == "done"
}

#[tokio::test(flavor = "multi_thread")]
async fn kills_of_server_and_workers_at_random_moments_make_each_result_once() {
    let home = Home::empty().await;
    let mut server = home.serve_with(&["--no-workers"]);
    let mut workers = [home.worker(), home.worker()];
    let library = Library::of(&server, 8).await;
    let mut run = library.start(&server).await;
    for round in 0..rounds() {
        tokio::time::sleep(moment(round, 900)).await;
        match round % 3 {
            0 => {
                server.kill();
                server = home.serve_with(&["--no-workers"]);
            }
            victim => {
                let place = victim as usize - 1;
                let old = std::mem::replace(&mut workers[place], home.worker());
                old.kill();
            }
        }
        if is_done(&server.json(&format!("/api/runs/{run}")).await) {
            library.is_made_once_and_taken_back(&server, &run).await;
            run = library.start(&server).await;
        }
    }
    until(&server, &run, "it ends", is_done).await;
    library.is_made_once_and_taken_back(&server, &run).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn two_workers_share_a_run_and_the_same_run_twice_makes_nothing_twice() {
    let home = Home::empty().await;
    let server = home.serve_with(&["--no-workers"]);
    let _workers = [home.worker(), home.worker()];
    let library = Library::of(&server, 16).await;
    let run = library.start(&server).await;
    until(&server, &run, "it ends", is_done).await;
    let sql = "SELECT count(DISTINCT job) AS number FROM run_items";
    let jobs = brisk_margin_testing::numbers(&home.site_database().await, sql).await;
    assert_eq!(jobs, [2], "each worker had some in hand");
    library.is_made_once_and_taken_back(&server, &run).await;

    let (one, other) = tokio::join!(library.start(&server), library.start(&server));
    for run in [&one, &other] {
        let told = until(&server, run, "both end", is_done).await;
        assert_eq!(told["failed"], 0, "{told:#}");
    }
    assert_eq!(library.files(&server).await, 32);
    for run in [&one, &other] {
        server.post(&format!("/api/runs/{run}/take-back"), &json!({})).await;
    }
    assert_eq!(library.files(&server).await, 0);
}

/// Has `worker` hang in the middle of a transaction that writes, where it holds rows that others want: the
/// worst moment. Where it is never met there, at any other.
async fn hang_in_a_transaction(home: &Home, worker: &Process) {
    let sql = "SELECT count(*) AS number FROM pg_stat_activity WHERE datname = current_database()
        AND state = 'idle in transaction' AND backend_xid IS NOT NULL";
    for _ in 0..300 {
        worker.hang(true);
        // What others have under way ends meanwhile.
        tokio::time::sleep(Duration::from_millis(30)).await;
        if brisk_margin_testing::numbers(home.database(), sql).await != [0] {
            return;
        }
        worker.hang(false);
        tokio::time::sleep(Duration::from_millis(3)).await;
    }
    worker.hang(true);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_worker_that_hangs_is_replaced_and_what_it_does_later_is_not_heard() {
    let home = Home::empty().await.with_patience(2);
    let server = home.serve_with(&["--no-workers"]);
    let hung = home.worker();
    let library = Library::of(&server, 12).await;
    let run = library.start(&server).await;
    until(&server, &run, "it begins", |told| told["done"].as_u64() > Some(0)).await;
    hang_in_a_transaction(&home, &hung).await;
    let _other = home.worker();
    until(&server, &run, "it goes on without it", is_done).await;
    hung.hang(false);
    tokio::time::sleep(Duration::from_secs(2)).await;
    library.is_made_once_and_taken_back(&server, &run).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_full_and_a_read_only_disk_hold_a_run_up_until_they_are_mended() {
    let home = Home::empty().await;
    let Some(disk) = SmallDisk::mounted(home.data.path(), 40) else { return };
    let server = home.serve();
    let library = Library::of(&server, 8).await;
    let ballast = disk.fill_but(30_000);
    let run = library.start(&server).await;
    let held = until(&server, &run, "it says that the disk is full", |told| {
        told["held"].as_str().is_some_and(|why| why.contains("the disk is full"))
    })
    .await;
    assert_eq!((&held["state"], &held["failed"]), (&json!("running"), &json!(0)));
    std::fs::remove_file(ballast).unwrap();
    until(&server, &run, "it goes on when there is room", is_done).await;
    library.is_made_once_and_taken_back(&server, &run).await;

    // Other files, since the bytes of those are still there.
    server.put("/api/output-rules", &json!({"formats": ["webp", "jpeg"], "densities": [2]})).await;
    let only_read = ReadOnly::over(&home.data.path().join("data/blobs"));
    let run = library.start(&server).await;
    until(&server, &run, "it says that it waits", |told| told["held"].is_string()).await;
    drop(only_read);
    until(&server, &run, "it goes on when it can be written", is_done).await;
    library.is_made_once_and_taken_back(&server, &run).await;
    server.kill();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_is_away_and_a_busy_bucket_cost_a_run_time_and_nothing_else() {
    let buckets = Buckets::start().await;
    let mut home = Home::empty().await.in_buckets(&buckets);
    home.says_little = true;
    let server = home.serve();
    let library = Library::of(&server, 10).await;
    let run = library.start(&server).await;
    until(&server, &run, "it begins", |told| told["done"].as_u64() > Some(0)).await;
    buckets.be_busy(30);
    until(&server, &run, "it goes on", |told| told["done"].as_u64() > Some(3)).await;
    brisk_margin_testing::set_answering(home.database(), false).await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    brisk_margin_testing::set_answering(home.database(), true).await;
    until(&server, &run, "it ends", is_done).await;
    library.is_made_once_and_taken_back(&server, &run).await;
}

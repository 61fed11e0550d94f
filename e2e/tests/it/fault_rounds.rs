//! Fault after fault while pictures arrive, pages are measured and files are made: nothing that was accepted is lost, and
//! nothing half-written is in view.
//!
//! `BRISK_MARGIN_TEST_FAULT_ROUNDS=100 bin/test fault_rounds` goes on for longer.

use std::collections::BTreeMap;
use std::process::Command;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::Router;
use axum::response::Html;
use axum::routing::get;
use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home, Process, program};
use brisk_margin_e2e::http::{bytes_at, client};
use brisk_margin_e2e::processes::{browsers, children, kill};
use brisk_margin_e2e::small_disk::{ReadOnly, SmallDisk};
use brisk_margin_e2e::web_host::serve;
use brisk_margin_testing::Buckets;
use brisk_margin_testing::pictures::{encoded, spots};
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};

use crate::measuring::TURN;

/// How long all may take to be as before, once a fault is over.
const MENDED_WITHIN: Duration = Duration::from_secs(60);

/// What goes wrong.
#[derive(Debug, Clone, Copy)]
enum Fault {
    ServerKilled,
    WorkerKilled,
    CodecsKilled,
    BrowserKilled,
    DatabaseAway,
    DiskFull,
    FolderReadOnly,
    BlobsBusy,
}

use Fault::{
    BlobsBusy, BrowserKilled, CodecsKilled, DatabaseAway, DiskFull, FolderReadOnly, ServerKilled,
    WorkerKilled,
};

const ON_DISK: [Fault; 7] = [
    ServerKilled,
    DatabaseAway,
    WorkerKilled,
    DiskFull,
    CodecsKilled,
    FolderReadOnly,
    BrowserKilled,
];
const IN_BUCKETS: [Fault; 4] = [BlobsBusy, ServerKilled, BlobsBusy, WorkerKilled];

/// Pictures that were accepted, by their names.
type Accepted = Arc<Mutex<BTreeMap<String, Vec<u8>>>>;

/// A server and a worker, to which things happen.
struct World {
    home: Home,
    address: String,
    server: Option<Application>,
    worker: Option<Process>,
    disk: Option<SmallDisk>,
    buckets: Option<Buckets>,
    accepted: Accepted,
    site: String,
}

impl World {
    async fn new(mut home: Home, disk: Option<SmallDisk>, buckets: Option<Buckets>) -> Self {
        home.says_little = true;
        let server = home.serve_with(&["--no-workers"]);
        let worker = home.worker();
        let page = "<!doctype html><title>Moor</title><a href=/walks>walks</a><h1>Moor</h1>";
        let router = Router::new()
            .route("/", get(move || async move { Html(page) }))
            .route("/walks", get(move || async move { Html(page) }));
        let site = serve(router).await;
        let (address, accepted) = (server.address.clone(), Accepted::default());
        let (server, worker) = (Some(server), Some(worker));
        Self { home, address, server, worker, disk, buckets, accepted, site }
    }

    fn url(&self, path: &str) -> String {
        self.server.as_ref().expect("it runs between faults").url(path)
    }

    /// Uploads one picture after the other until it is told to stop, whatever happens meanwhile.
    fn load(&self, goes_on: &Arc<AtomicBool>) -> tokio::task::JoinHandle<()> {
        let (url, accepted) = (self.url("/api/pictures"), Arc::clone(&self.accepted));
        let goes_on = Arc::clone(goes_on);
        tokio::spawn(async move {
            let mut n = 0;
            while goes_on.load(Ordering::Relaxed) {
                let (name, file) = (format!("{n:05}.jpg"), picture(n));
                let part = Part::bytes(file.clone()).file_name(name.clone());
                let sent = client().post(&url).multipart(Form::new().part("file", part)).send();
                match sent.await {
                    Ok(answer) if answer.status() == 201 => {
                        accepted.lock().unwrap().insert(name, file);
                    }
                    // It may be in or not: nobody was told that it is.
                    _ => tokio::time::sleep(Duration::from_millis(50)).await,
                }
                n += 1;
            }
        })
    }

    async fn suffer(&mut self, fault: Fault) {
        // One that cannot reach its blobs does not start, and says so.
        self.buckets.iter().for_each(|buckets| buckets.be_busy(0));
        let pause = |millis| tokio::time::sleep(Duration::from_millis(millis));
        match fault {
            ServerKilled => {
                self.server.take().unwrap().kill();
                pause(100).await;
                self.server = Some(self.home.serve_again(&self.address));
            }
            WorkerKilled => {
                self.worker.take().unwrap().kill();
                pause(100).await;
                self.worker = Some(self.home.worker());
            }
            CodecsKilled => {
                children(&self.parents(), "codec").into_iter().for_each(kill);
            }
            BrowserKilled => {
                let until = Instant::now() + Duration::from_secs(3);
                while Instant::now() < until && browsers(&self.parents()).is_empty() {
                    pause(20).await;
                }
                browsers(&self.parents()).into_iter().for_each(kill);
            }
            DatabaseAway => {
                brisk_margin_testing::set_answering(self.home.database(), false).await;
                pause(800).await;
                brisk_margin_testing::set_answering(self.home.database(), true).await;
            }
            DiskFull => {
                let ballast = self.disk.as_ref().expect("a disk of its own").fill_but(2_000);
                pause(800).await;
                std::fs::remove_file(ballast).unwrap();
            }
            FolderReadOnly => {
                let only_read = ReadOnly::over(&self.home.data.path().join("data/blobs"));
                pause(800).await;
                drop(only_read);
            }
            BlobsBusy => self.buckets.as_ref().expect("buckets").be_busy(12),
        }
    }

    /// Server and worker, by their numbers.
    fn parents(&self) -> [u32; 2] {
        [self.server.as_ref().unwrap().pid(), self.worker.as_ref().unwrap().0.id()]
    }

    /// Waits until one picture more is taken, and checks that all that were accepted are there.
    async fn is_mended(&self, round: usize, fault: Fault) {
        let before = self.accepted.lock().unwrap().len();
        let until = Instant::now() + MENDED_WITHIN;
        while self.accepted.lock().unwrap().len() <= before {
            assert!(Instant::now() < until, "nothing is taken after {fault:?} in round {round}");
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        let accepted: Vec<String> = self.accepted.lock().unwrap().keys().cloned().collect();
        let there = self.pictures().await;
        for name in accepted {
            assert!(there.contains_key(&name), "{name} is lost after {fault:?} in round {round}");
        }
    }

    /// The ids of all pictures, by their names.
    async fn pictures(&self) -> BTreeMap<String, String> {
        let mut all = BTreeMap::new();
        let mut after = String::new();
        loop {
            let page = self.url(&format!("/api/pictures?limit=500&sort=name{after}"));
            let list: Value = serde_json::from_slice(&bytes_at(page).await).unwrap();
            for picture in list["pictures"].as_array().unwrap() {
                let text = |name: &str| picture[name].as_str().unwrap().to_owned();
                all.insert(text("name"), text("id"));
            }
            match list["next"].as_str() {
                Some(next) => after = format!("&after={next}"),
                None => return all,
            }
        }
    }

    async fn goes_through(&mut self, faults: &[Fault], rounds: usize) {
        let goes_on = Arc::new(AtomicBool::new(true));
        let load = self.load(&goes_on);
        for round in 0..rounds {
            let wish = json!({"address": self.site, "whole_site": true}).to_string();
            let measure = client().post(self.url("/api/measurements")).body(wish);
            let _ = measure.header("content-type", "application/json").send().await;
            // Each time at another moment of what goes on.
            tokio::time::sleep(Duration::from_millis(round as u64 * 137 % 700)).await;
            let fault = faults[round % faults.len()];
            self.suffer(fault).await;
            self.is_mended(round, fault).await;
        }
        goes_on.store(false, Ordering::Relaxed);
        load.await.unwrap();
        self.is_whole().await;
    }

    /// Has tried again what so many faults hit that it was set aside, as a person would: ten times the whole program, or
    /// twice the codec on one picture or the browser on one page.
    async fn tries_again(&self) {
        let server = self.server.as_ref().unwrap();
        let jobs = server.json("/api/jobs").await["jobs"].as_array().unwrap().clone();
        for job in jobs.iter().filter(|job| job["state"] == "failed") {
            let reason = job["reason"].as_str().unwrap();
            let hit = ["the program ended", "the codec crashed", "broke down in the browser"];
            assert!(hit.iter().any(|hit| reason.contains(hit)), "{job:#}");
            let retry = format!("/api/jobs/{}/retry", job["id"].as_str().unwrap());
            server.post(&retry, &serde_json::json!({})).await;
        }
    }

    /// All work comes to its end, every picture has the bytes that were sent, and every row its bytes.
    async fn is_whole(&self) {
        let server = self.server.as_ref().unwrap();
        let there = self.pictures().await;
        self.tries_again().await;
        server.until_all_is_done(there.len()).await;
        let accepted = std::mem::take(&mut *self.accepted.lock().unwrap());
        for (name, file) in accepted {
            let original = self.url(&format!("/api/pictures/{}/original", there[&name]));
            assert!(bytes_at(original).await == file, "{name} is not what was sent");
        }
        let jobs = server.json("/api/jobs").await;
        assert!(!jobs.to_string().contains("\"failed\":1"), "{jobs:#}");
        if self.buckets.is_none() {
            let mut verify = Command::new(program());
            verify.arg("verify").arg("--data").arg(self.home.data.path().join("data"));
            verify.env("BRISK_MARGIN_DATABASE_URL", self.home.database());
            let done = verify.output().unwrap();
            assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stdout));
        }
    }
}

fn picture(seed: u32) -> Vec<u8> {
    encoded(&spots(seed, 90 + seed % 60, 60), Format::Jpeg, 80)
}

fn rounds() -> usize {
    let said = std::env::var("BRISK_MARGIN_TEST_FAULT_ROUNDS").ok();
    said.and_then(|said| said.parse().ok()).unwrap_or(20)
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_that_was_accepted_is_lost_whatever_goes_wrong() {
    let _turn = TURN.lock().await;
    let home = Home::empty().await.with_patience(2);
    let Some(disk) = SmallDisk::mounted(home.data.path(), 100) else { return };
    let mut world = World::new(home, Some(disk), None).await;
    world.goes_through(&ON_DISK, rounds() * 4 / 5).await;
    // Before the disk that they are on.
    drop((world.server.take(), world.worker.take()));
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_that_was_accepted_is_lost_where_the_blob_store_fails_now_and_then() {
    let buckets = Buckets::start().await;
    let home = Home::empty().await.with_patience(2).in_buckets(&buckets);
    let mut world = World::new(home, None, Some(buckets)).await;
    world.goes_through(&IN_BUCKETS, rounds().div_ceil(5)).await;
}

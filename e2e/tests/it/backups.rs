//! An installation backed up while people work on it, brought back elsewhere, and checked.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home, program};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::{Value, json};

fn run(command: &str, home: &Home, arguments: &[&str]) -> Output {
    let mut brisk_margin = Command::new(program());
    let data = home.data.path().join("data");
    brisk_margin.arg(command).arg("--data").arg(data).args(arguments);
    brisk_margin.env("BRISK_MARGIN_DATABASE_URL", home.database()).output().unwrap()
}

fn told(done: &Output) -> Value {
    let words = String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "{words}");
    serde_json::from_slice(&done.stdout).unwrap()
}

fn picture(seed: u32) -> Vec<u8> {
    encoded(&spots(seed, 120, 80), Format::Jpeg, 85)
}

async fn names(application: &Application) -> Vec<String> {
    let list = application.json("/api/pictures?limit=500&sort=name").await;
    let names = list["pictures"].as_array().unwrap().iter();
    names.map(|picture| picture["name"].as_str().unwrap().to_owned()).collect()
}

/// The file in which blob `hash` is kept.
fn blob(home: &Home, hash: &str) -> PathBuf {
    home.data.path().join("data/blobs").join(&hash[..2]).join(hash)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_backup_under_load_comes_back_with_every_byte() {
    let home = Home::empty().await;
    let application = Arc::new(home.serve());
    for n in 0..20 {
        application.upload(&format!("before-{n:02}.jpg"), picture(n)).await;
    }
    let made = application.upload("dome.jpg", picture(99)).await;
    let slot = json!({"width": 60.0, "height": 40.0, "fit": "cover"});
    let wish = json!({"slot": slot, "density": 1.0, "format": "webp", "quality": 70});
    application.post(&format!("/api/pictures/{made}/variants"), &wish).await;
    application.until_all_is_done(21).await;
    let before = names(&application).await;

    // Others go on with their work meanwhile.
    let goes_on = Arc::new(AtomicBool::new(true));
    let (uploads, going) = (Arc::clone(&application), Arc::clone(&goes_on));
    let load = tokio::spawn(async move {
        let mut n = 100;
        while going.load(Ordering::Relaxed) {
            uploads.upload(&format!("meanwhile-{n}.jpg"), picture(n)).await;
            n += 1;
        }
    });
    let safe = tempfile::tempdir().unwrap();
    let folder = safe.path().join("safe");
    let first = back_up(&home, &folder).await;
    assert!(first["copied"].as_u64().unwrap() >= 22, "{first}");
    let second = back_up(&home, &folder).await;
    assert!(second["there_before"].as_u64() >= first["copied"].as_u64(), "{first} then {second}");
    goes_on.store(false, Ordering::Relaxed);
    load.await.unwrap();

    let elsewhere = Home::without_sites().await;
    told(&run("restore", &elsewhere, &[folder.to_str().unwrap(), "--json"]));
    let verified = told(&run("verify", &elsewhere, &["--json"]));
    assert_eq!(verified["findings"], json!([]));
    let again = elsewhere.serve();
    let there = names(&again).await;
    assert!(before.iter().all(|name| there.contains(name)), "{before:?} is not all in {there:?}");
    let known = names(&application).await;
    assert!(there.iter().all(|name| known.contains(name)), "{there:?} has what never was");
    let list = again.json("/api/pictures?limit=500").await;
    for shown in list["pictures"].as_array().unwrap() {
        let address = format!("/api/pictures/{}/original", shown["id"].as_str().unwrap());
        let bytes = brisk_margin_e2e::http::bytes_at(again.url(&address)).await;
        assert_eq!(bytes, brisk_margin_e2e::http::bytes_at(application.url(&address)).await);
    }
    // A database in use is left as it is.
    let refused = run("restore", &elsewhere, &[folder.to_str().unwrap()]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("empty one only"));
    again.terminate();
}

async fn back_up(home: &Home, folder: &Path) -> Value {
    let data = home.data.path().join("data");
    let mut command = tokio::process::Command::new(program());
    command.arg("backup").arg(folder).arg("--json").arg("--data").arg(data);
    told(&command.env("BRISK_MARGIN_DATABASE_URL", home.database()).output().await.unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn damage_is_found_and_mended_from_a_backup() {
    let home = Home::empty().await;
    let application = home.serve();
    for n in 0..3 {
        application.upload(&format!("moor-{n}.jpg"), picture(n)).await;
    }
    application.until_all_is_done(3).await;
    application.terminate();
    let safe = tempfile::tempdir().unwrap();
    back_up(&home, safe.path()).await;
    let store = home.store().await;
    let hashes: Vec<String> =
        [0, 1].map(|n| brisk_margin_store::BlobHash::of(&picture(n)).as_str().to_owned()).into();
    drop(store);
    std::fs::write(blob(&home, &hashes[0]), "not what it was").unwrap();
    std::fs::remove_file(blob(&home, &hashes[1])).unwrap();

    let found = run("verify", &home, &["--json"]);
    assert!(!found.status.success());
    let found: Value = serde_json::from_slice(&found.stdout).unwrap();
    let mut what: Vec<_> = found["findings"].as_array().unwrap().iter().collect();
    what.sort_by_key(|one| one["of"].as_str().unwrap().to_owned());
    let what: Vec<_> =
        what.iter().map(|one| (&one["of"], &one["what"], &one["repaired"])).collect();
    let null = Value::Null;
    assert_eq!(
        what,
        [
            (&json!("tarnlight: moor-0.jpg"), &json!("damaged"), &null),
            (&json!("tarnlight: moor-1.jpg"), &json!("missing"), &null),
        ]
    );
    // An original cannot be made again: without a backup it stays as it is.
    assert!(!run("verify", &home, &["--repair"]).status.success());
    let from = safe.path().to_str().unwrap();
    told(&run("verify", &home, &["--json", "--repair", "--from", from]));
    for (n, hash) in [0, 1].into_iter().zip(&hashes) {
        assert_eq!(std::fs::read(blob(&home, hash)).unwrap(), picture(n));
    }
}

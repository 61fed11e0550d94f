//! `brisk-margin measure` as a script uses it.

use std::process::{Command, Output};

use brisk_margin_e2e::application::program;
use brisk_margin_e2e::web_host::tarnlight;
use serde_json::Value;

async fn measure(arguments: &[&str]) -> Output {
    let mut command = Command::new(program());
    command.arg("measure").args(arguments);
    tokio::task::spawn_blocking(move || command.output().unwrap()).await.unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_is_told_place_by_place_and_a_silent_one_fails() {
    let folder = tempfile::tempdir().unwrap();
    let address = tarnlight(folder.path()).await;
    let page = format!("{address}/people.html");
    let output = measure(&[&page, "--width", "390,1280", "--json"]).await;
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let text = String::from_utf8(output.stdout).unwrap();
    let lines: Vec<Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    // The mark, nine people, the banner, and the icon.
    assert_eq!(lines.len(), 12);
    let mark = &lines[0];
    assert_eq!(mark["page"], page);
    assert_eq!((&mark["kind"], &mark["above_fold"]), (&"header".into(), &true.into()));
    assert_eq!(mark["boxes"]["390"], serde_json::json!([84.0, 60.0]));
    assert_eq!(mark["files"]["1280"]["2"]["width"], 1200);
    assert_eq!(lines[11]["kind"], "icon");
    for key in ["selector", "fit", "position", "lcp"] {
        assert!(mark.get(key).is_some(), "{key} is missing");
    }

    let silent = measure(&["http://127.0.0.1:9/", "--json"]).await;
    assert_eq!(silent.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&silent.stderr).contains("does not answer"));
    assert_eq!(measure(&["not an address"]).await.status.code(), Some(1));
    assert_eq!(measure(&[&page, "--width", "0"]).await.status.code(), Some(2));
}

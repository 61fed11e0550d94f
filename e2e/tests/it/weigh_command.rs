//! `brisk-margin weigh` as a build server uses it.

use std::process::{Command, Output};

use brisk_margin_e2e::application::program;
use brisk_margin_e2e::web_host::tarnlight;
use serde_json::Value;

async fn weigh(arguments: &[&str]) -> Output {
    let mut command = Command::new(program());
    command.arg("weigh").args(arguments);
    tokio::task::spawn_blocking(move || command.output().unwrap()).await.unwrap()
}

fn lines(output: &Output) -> Vec<Value> {
    let text = String::from_utf8_lossy(&output.stdout);
    text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_is_weighed_held_against_budgets_and_written_as_an_archive() {
    let folder = tempfile::tempdir().unwrap();
    let address = tarnlight(folder.path()).await;
    let page = format!("{address}/people.html");
    let archives = folder.path().join("archives");
    let archives = archives.to_str().unwrap();
    let output = weigh(&[
        &page,
        "--connection",
        "1600/150,30000/40",
        "--http2",
        "--json",
        "--har",
        archives,
    ])
    .await;
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let told = lines(&output);
    assert_eq!(told.len(), 2, "one for each connection");
    let [slow, fast] = [&told[0], &told[1]];
    let requests = slow["requests"].as_array().unwrap();
    let sent = |name: &str| {
        requests.iter().filter(|r| r["address"].as_str().unwrap().ends_with(name)).count()
    };
    assert_eq!((sent("people.html"), sent("site.css"), sent("banner.jpg")), (1, 1, 1));
    let served = std::fs::metadata(folder.path().join("media/banner.jpg")).unwrap().len();
    let banner =
        requests.iter().find(|r| r["address"].as_str().unwrap().ends_with("banner.jpg")).unwrap();
    let bytes = banner["bytes"].as_u64().unwrap();
    assert!(bytes > served && bytes < served + 1_000, "its file and a head: {bytes} for {served}");
    assert!(banner["discovery"]["layout"].is_object(), "its style sheet names it");
    let time = |line: &Value, which: &str| line[which].as_f64().unwrap();
    for line in [slow, fast] {
        assert!(
            time(line, "first_paint") <= time(line, "lcp")
                && time(line, "lcp") <= time(line, "end")
        );
    }
    let gain = time(slow, "lcp") / time(fast, "lcp");
    assert!(gain > 3.0, "its delay alone is nearly four times as long: {gain}");

    // What was written says the same when it is read.
    let archive = std::fs::read_dir(archives).unwrap().next().unwrap().unwrap().path();
    let again = weigh(&[archive.to_str().unwrap(), "--connection", "1600/150", "--json"]).await;
    assert_eq!(lines(&again)[0]["bytes"]["total"], slow["bytes"]["total"]);

    let over = weigh(&[&page, "--budget-bytes", "100000", "--budget-ms", "500", "--json"]).await;
    assert_eq!(over.status.code(), Some(1), "over its budgets");
    let overruns = &lines(&over)[0]["overruns"];
    assert_eq!(overruns.as_array().unwrap().len(), 2, "{overruns}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_real_browser_is_asked_beside_the_model() {
    let folder = tempfile::tempdir().unwrap();
    let address = tarnlight(folder.path()).await;
    let page = format!("{address}/people.html");
    let output = weigh(&[&page, "--connection", "9000/85,30000/40", "--browser", "--json"]).await;
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let told = lines(&output);
    let browsers: Vec<&Value> = told.iter().map(|line| &line["browser"]).collect();
    for browser in &browsers {
        assert_eq!(browser["loads"], 9, "{browser}");
        let lcp = |which: &str| browser["lcp"][which].as_f64().unwrap();
        assert!(lcp("least") <= lcp("median") && lcp("median") <= lcp("most"), "{browser}");
        assert!(browser["all_files"]["median"].as_f64().unwrap() > 0.0, "{browser}");
    }
    let last = |n: usize| browsers[n]["all_files"]["median"].as_f64().unwrap();
    assert!(last(0) > last(1), "it really was slower: {} and {} ms", last(0), last(1));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_weighed_says_why_and_stops_no_other() {
    let folder = tempfile::tempdir().unwrap();
    let broken = folder.path().join("broken.har");
    std::fs::write(&broken, "<html>").unwrap();
    let good = folder.path().join("good.har");
    let entry = serde_json::json!({
        "request": {"url": "https://tarn.example/"},
        "response": {"status": 200, "bodySize": 5000, "content": {"mimeType": "text/html"}},
    });
    std::fs::write(
        &good,
        serde_json::json!({"log": {"version": "1.2", "entries": [entry]}}).to_string(),
    )
    .unwrap();
    let output = weigh(&[broken.to_str().unwrap(), good.to_str().unwrap(), "--json"]).await;
    assert_eq!(output.status.code(), Some(1));
    let told = lines(&output);
    assert!(told[0]["error"].as_str().unwrap().contains("no HAR file"));
    assert_eq!(told[1]["bytes"]["total"], 5_000);
    let silent = weigh(&["http://127.0.0.1:9/"]).await;
    assert_eq!(silent.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&silent.stderr).contains("does not answer"));
    assert_eq!(weigh(&["x.har", "--connection", "fast"]).await.status.code(), Some(2));
}

//! Pages measured again by themselves: what became heavier is told with the file that did it.

use std::path::Path;
use std::time::{Duration, Instant};

use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_e2e::web_host::serve;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_testing::pictures::gradient_jpeg;
use brisk_margin_testing::{execute, numbers};
use serde_json::{Value, json};

const PAGE: &str = r#"<!doctype html><html><head><meta charset="utf-8"><title>Hut</title></head><body>
<img src="hut.jpg" width="360" height="240" alt="The hut">
<img src="path.jpg" width="180" height="120" alt="The path"></body></html>"#;

fn put(folder: &Path, name: &str, width: u32) -> u64 {
    let bytes = gradient_jpeg(width, width * 2 / 3);
    std::fs::write(folder.join(name), &bytes).unwrap();
    bytes.len() as u64
}

async fn heavier(application: &Application) -> Vec<Value> {
    let margins = application.json("/api/margins?width=390").await;
    margins["heavier"].as_array().unwrap().clone()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_that_became_heavier_meanwhile_is_told_with_the_file_that_did_it() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("index.html"), PAGE).unwrap();
    let before = put(folder.path(), "hut.jpg", 400);
    put(folder.path(), "path.jpg", 200);
    let address = serve(host::router(folder.path(), Faults::default())).await;
    let home = Home::empty().await;
    let application = home.serve();
    let wish = json!({"address": format!("{address}/index.html"), "whole_site": true});
    application.post("/api/measurements", &wish).await;
    application.until_measured().await;
    assert!(heavier(&application).await.is_empty());

    let daily = json!({"watch": {"is_on": true, "at": 240, "days": 1}});
    assert_eq!(application.change("/api/site", &daily).await["watch"], daily["watch"]);
    let after = put(folder.path(), "hut.jpg", 2_400);
    // Night falls.
    execute(home.database(), "UPDATE jobs SET due_at = now() WHERE kind = 'watch'").await;
    let end = Instant::now() + Duration::from_secs(120);
    let told = loop {
        let told = heavier(&application).await;
        if !told.is_empty() {
            break told;
        }
        assert!(Instant::now() < end, "nothing became heavier");
        tokio::time::sleep(Duration::from_millis(200)).await;
    };
    let [page] = &told[..] else { panic!("{told:#?}") };
    assert_eq!(page["page_name"], "Hut");
    let [grown] = &page["grown"].as_array().unwrap()[..] else { panic!("{page:#}") };
    assert!(grown["address"].as_str().unwrap().ends_with("hut.jpg"));
    let more = grown["after"].as_u64().unwrap() - grown["before"].as_u64().unwrap();
    assert!(more.abs_diff(after - before) < 500, "{more}");
    application.until_measured().await;
    assert_eq!(application.json("/api/measurements/latest").await["heavier"], 1);

    // As people see it: on the home, on the page's own and in the history.
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/margins?width=390")).await.unwrap();
    browser.until("it is told", &shows("Became heavier")).await;
    browser.until("with its file", &shows("hut.jpg")).await;
    browser.labelled("History").await.click().await.unwrap();
    let rows = "return document.querySelectorAll('.done-table tbody tr').length === 2";
    browser.until("both weights stand there", rows).await;
    browser.focus(".history-chart").await;
    browser.find(".history-chart").await.send_keys("\u{E014}").await.unwrap();
    browser.until("a weight is told by key", &shows("Measured: 1 page")).await;
    let mut barriers = Vec::new();
    crate::barriers::check_both(&browser, "the history of weights", &mut barriers).await;
    assert_eq!(barriers, [""; 0]);
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;

    // Switched off, no further one comes.
    let off = json!({"watch": {"is_on": false, "at": 240, "days": 1}});
    application.change("/api/site", &off).await;
    execute(home.database(), "UPDATE jobs SET due_at = now() WHERE kind = 'watch'").await;
    application.until_all_is_done(0).await;
    let left = "SELECT count(*) AS number FROM jobs WHERE kind = 'watch' AND state = 'waiting'";
    let end = Instant::now() + Duration::from_secs(60);
    while numbers(home.database(), left).await != [0] {
        assert!(Instant::now() < end, "another one waits");
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    application.kill();
}

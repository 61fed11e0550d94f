//! A run over a filter: forecast, started, paused, resumed, its results looked at and taken back.

use std::time::Duration;

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::{Browser, ENTER, shows};
use brisk_margin_e2e::web_host::tarnlight;
use brisk_margin_testing::pictures::{encoded, gradient_jpeg, spots};
use serde_json::json;

const STATE: &str = "document.querySelector('[data-testid=run-state]')?.textContent";

#[tokio::test(flavor = "multi_thread")]
async fn a_run_is_forecast_paused_checked_refused_and_repeated_for_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let site = tarnlight(folder.path()).await;
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let measured = json!({"address": format!("{site}/people.html"), "whole_site": false});
    application.post("/api/measurements", &measured).await;
    application.until_measured().await;
    // One that its pages show, and one that none does; the first is placed in the slot of the people.
    let portrait = application.upload("portrait.jpg", gradient_jpeg(1200, 1200)).await;
    application.upload("unused.jpg", gradient_jpeg(640, 400)).await;
    let layouts = application.json("/api/layouts").await;
    let slots = layouts["slots"].as_array().unwrap();
    for slot in slots.iter().take(3) {
        let placed = json!({"picture_id": portrait});
        let slot = slot["id"].as_str().unwrap();
        application.post(&format!("/api/slots/{slot}/placement"), &placed).await;
    }

    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser
        .until("both are there", "return document.querySelectorAll('.grid-row').length === 2")
        .await;
    let estimated = "return [...document.querySelectorAll('.grid-row')]
        .some((row) => row.innerText.includes('portrait') && row.innerText.includes('~'))";
    browser.until("what it could save is known", estimated).await;
    browser.focus(".grid").await;
    browser.find(".grid").await.send_keys("\u{E009}a").await.unwrap();
    browser.labelled("Run…").await.click().await.unwrap();
    browser.find("[data-testid=forecast]").await;
    browser.until("what is skipped is told", &shows("1 picture: used in no slot")).await;
    browser.type_into("Name", "People").await;
    browser.labelled("Start run").await.click().await.unwrap();
    browser.until("it runs", &format!("return {STATE} === 'running'")).await;
    browser.labelled("Pause").await.click().await.unwrap();
    browser.until("it is paused", &format!("return {STATE} === 'paused'")).await;
    browser.labelled("Resume").await.click().await.unwrap();
    let done = format!("return {STATE} === 'done'");
    browser.until_within(Duration::from_secs(180), "it is done", &done).await;
    let made = application.json("/api/runs").await[0]["done"].as_u64().unwrap();
    let rows = format!("return document.querySelectorAll('tr[data-state=done]').length === {made}");
    browser.until("each has its row", &rows).await;
    let scores = "return [...document.querySelectorAll('tr[data-state=done] td:nth-child(4)')]
        .map((cell) => Number(cell.textContent))";
    let scores: Vec<f64> = serde_json::from_value(browser.run(scores, vec![]).await).unwrap();
    assert!(scores.is_sorted() && scores[0] > 0.0, "the lowest first: {scores:?}");

    // By keyboard to the first of them, and to the bench, where it can be judged; back, and refused.
    browser.find("body").await.send_keys("n").await.unwrap();
    let focused = "return document.activeElement.matches('[data-result]')";
    browser.until("the first result has the focus", focused).await;
    browser.client.active_element().await.unwrap().send_keys(ENTER).await.unwrap();
    browser.until("it is on the bench", "return location.pathname.includes('/bench/')").await;
    browser.client.back().await.unwrap();
    browser.until("the results are there again", &rows).await;
    browser.click("tr[data-state=done] button").await;
    let refused = format!(
        "return document.querySelectorAll('tr[data-state=done]').length === {}
            && document.querySelectorAll('tr[data-state=taken-back]').length === 1",
        made - 1
    );
    browser.until("one is taken back", &refused).await;

    // The others at their worst spots, by keyboard: the first is good, the second is refused, and not.
    let check = "const link = [...document.querySelectorAll('a')]
        .find((one) => one.textContent.startsWith('Check ')); link?.click(); return !!link;";
    browser.until("they can be checked", check).await;
    let cards = "document.querySelectorAll('[data-check]').length";
    let left = made - 1;
    browser.until("each has its place", &format!("return {cards} === {left}")).await;
    browser.find("body").await.send_keys("n").await.unwrap();
    let focused = "return document.activeElement.matches('[data-check]')";
    browser.until("the first one has the focus", focused).await;
    browser.client.active_element().await.unwrap().send_keys("k").await.unwrap();
    let fewer = format!("return {cards} === {}", left - 1);
    browser.until("it is approved", &fewer).await;
    browser.until("the next one has the focus", focused).await;
    browser.client.active_element().await.unwrap().send_keys("r").await.unwrap();
    let fewest = format!("return {cards} === {}", left - 2);
    browser.until("it is refused", &fewest).await;
    browser.until("that is told", &shows("Refused: the files of")).await;
    browser.find("body").await.send_keys("u").await.unwrap();
    browser.until_within(Duration::from_secs(60), "it is made again", &fewer).await;

    // The same again makes what was taken back, and nothing else.
    let run = json!({"which": {"filter": {}}, "name": "Again"});
    let again = application.post("/api/runs", &run).await["id"].as_str().unwrap().to_owned();
    browser.client.goto(&application.url(&format!("/runs/{again}"))).await.unwrap();
    browser.until_within(Duration::from_secs(120), "it is done", &done).await;
    let told = application.json(&format!("/api/runs/{again}")).await;
    assert_eq!(told["done"], json!(1), "{told:#}");
    browser.until("the others say why", &shows("all files are there already")).await;
    browser.client.goto(&application.url("/runs")).await.unwrap();
    browser
        .until(
            "both are listed",
            "return document.querySelectorAll('.done-table tbody tr').length === 2",
        )
        .await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_whose_server_is_killed_again_and_again_ends_with_each_result_once() {
    let folder = tempfile::tempdir().unwrap();
    let site = tarnlight(folder.path()).await;
    let home = Home::empty().await;
    let mut application = home.serve();
    let measured = json!({"address": format!("{site}/index.html"), "whole_site": false});
    application.post("/api/measurements", &measured).await;
    application.until_measured().await;
    let mut pictures = Vec::new();
    for n in 0..3u32 {
        let jpeg = encoded(&spots(n, 1000, 700), Format::Jpeg, 95);
        pictures.push(application.upload(&format!("p{n}.jpg"), jpeg).await);
    }
    let layouts = application.json("/api/layouts").await;
    let slots = layouts["slots"].as_array().unwrap().iter().filter(|slot| slot["places"] == 1);
    for (slot, picture) in slots.zip(&pictures) {
        let path = format!("/api/slots/{}/placement", slot["id"].as_str().unwrap());
        application.post(&path, &json!({"picture_id": picture})).await;
    }
    let run = json!({"which": {"filter": {}}, "name": "All"});
    let run = application.post("/api/runs", &run).await["id"].as_str().unwrap().to_owned();
    let path = format!("/api/runs/{run}");
    let mut kills = 0;
    for n in 0..600 {
        let told = application.json(&path).await;
        if told["state"] == "done" {
            break;
        }
        // Each time that something more is done, in the middle of what comes next.
        if kills < 2 && told["done"].as_u64() > Some(kills) {
            tokio::time::sleep(Duration::from_millis(300)).await;
            application.kill();
            application = home.serve();
            kills += 1;
        }
        assert!(n < 599, "it does not end: {told:#}");
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    let told = application.json(&path).await;
    assert_eq!((&told["failed"], &told["waiting"]), (&json!(0), &json!(0)), "{told:#}");
    let variants = async || {
        let mut all = 0;
        for id in &pictures {
            let picture = application.json(&format!("/api/pictures/{id}")).await;
            all += picture["variants"].as_array().unwrap().len() as u64;
        }
        all
    };
    assert_eq!(told["files"].as_u64(), Some(variants().await), "each file once");
    application.post(&format!("{path}/take-back"), &json!({})).await;
    assert_eq!(variants().await, 0, "also of what was begun before a kill");
}

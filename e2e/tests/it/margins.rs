//! Where to start, and what was gained: pages ranked, another connection, a page's requests, a budget, the largest gain.

use std::time::{Duration, Instant};

use brisk_margin_e2e::application::Application;
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_site::host::Faults;
use serde_json::{Value, json};

use crate::barriers::check_both;
use crate::publish::made;

const SUM: &str = "document.querySelector('[data-testid=margins-sum]')?.textContent ?? ''";

/// What all pages transfer at a layout width.
async fn transferred(application: &Application) -> u64 {
    let margins = application.json("/api/margins?width=390").await;
    margins["saving"]["before"].as_u64().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_are_ranked_a_budget_is_set_and_what_was_published_is_lighter() {
    let folder = tempfile::tempdir().unwrap();
    let (_home, application, _site) = made(folder.path(), Faults::default()).await;
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/")).await.unwrap();
    browser.until("the pages are ranked", &format!("return {SUM}.startsWith('2 pages')")).await;
    let before = transferred(&application).await;

    // The same pages over a slow connection are late.
    browser.choose("Connection", "0.4 Mbit/s · 400 ms").await;
    let late = format!("return {SUM}.includes('2 over the time budget')");
    browser.until("both pages are late", &late).await;
    browser.choose("Layout width", "1280 px").await;
    browser
        .until("it stands in the address", "return location.search.includes('width=1280')")
        .await;
    let mut barriers = Vec::new();
    check_both(&browser, "margins", &mut barriers).await;

    // One page: its requests, by key, and as a table.
    browser.labelled("Walks").await.click().await.unwrap();
    browser.find(".waterfall-chart canvas").await;
    browser.focus(".waterfall-chart").await;
    browser.find(".waterfall-chart").await.send_keys("\u{E015}\u{E015}").await.unwrap();
    browser.until("a request is told", &shows("found at")).await;
    browser.labelled("Table").await.click().await.unwrap();
    browser.until("its files are listed", &shows("style sheet, blocks")).await;
    check_both(&browser, "a page's margins", &mut barriers).await;
    assert_eq!(barriers, [""; 0]);

    // A budget, and the overrun that it makes.
    let budgets = async |kb: &str, ms: &str| {
        browser.type_into("Byte budget, KB", kb).await;
        browser.type_into("Time budget, ms", ms).await;
        browser.labelled("Save").await.click().await.unwrap();
    };
    budgets("900", "60000").await;
    browser
        .until("it keeps to those", "return document.querySelector('.tally .overrun') === null")
        .await;
    budgets("20", "900").await;
    let over = "return document.querySelector('.tally .overrun') !== null";
    browser.until("the overrun is told", over).await;
    let arose =
        "return document.querySelector('[aria-label=\"Overruns that arose\"]')?.textContent";
    let told = format!("{arose}?.includes('1 page over budget now:Walks by') === true");
    browser.until("it is told in the tally of every screen when it arises", &told).await;
    let is_walks = |page: &&Value| page["name"] == "Walks";
    let margins = application.json("/api/margins?width=1280").await;
    let walks = margins["pages"].as_array().unwrap().iter().find(is_walks).unwrap().clone();
    assert_eq!(walks["bytes"]["budget"], json!(20_000));

    // One key from the largest gain.
    browser.find("body").await.send_keys("gm").await.unwrap();
    browser.find(".gains li").await;
    browser.until("also on other screens", &told).await;
    browser.labelled("Seen").await.click().await.unwrap();
    browser.until("until somebody saw it", &format!("{arose} === undefined")).await;
    let gain =
        application.json("/api/margins?connection=400/400&width=1280").await["gains"][0].clone();
    browser.find("body").await.send_keys("n").await.unwrap();
    let there = format!(
        "return location.pathname.endsWith('/bench/{}')",
        gain["picture"].as_str().unwrap()
    );
    browser.until("its picture is on the bench", &there).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;

    publish(&application).await;
    let after = transferred(&application).await;
    assert!(after * 4 < before, "{before} bytes became {after}");
    application.kill();
}

/// Publishes all that is made, and waits until the site was measured again.
async fn publish(application: &Application) {
    let id = application.post("/api/publications", &json!({})).await["id"].clone();
    let one = format!("/api/publications/{}", id.as_str().unwrap());
    let until = async |state: &str| {
        let end = Instant::now() + Duration::from_secs(120);
        while application.json(&one).await["state"] != state {
            assert!(Instant::now() < end, "it does not become {state}");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    };
    until("ready").await;
    application.post(&format!("{one}/publish"), &json!({})).await;
    until("published").await;
    tokio::time::sleep(Duration::from_millis(500)).await;
    application.until_measured().await;
}

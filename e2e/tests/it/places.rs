//! Addresses hold the place, lines do not wrap where the window is narrow, and a server that was away
//! is told of and missed nothing.

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::json;

async fn upload(application: &Application, name: &'static str, seed: u32) {
    let bytes = encoded(&spots(seed, 300, 200), Format::Jpeg, 90);
    application.upload(name, bytes).await;
}

const ROWS: &str = "return document.querySelectorAll('.grid-row').length";

#[tokio::test(flavor = "multi_thread")]
async fn a_view_is_found_again_and_a_server_that_was_away_missed_nothing() {
    let home = Home::empty().await;
    let application = home.serve();
    for (seed, name) in ["heather.jpg", "dome.jpg", "dome-2.jpg"].into_iter().enumerate() {
        upload(&application, name, seed as u32).await;
    }
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.until("all are there", &format!("{ROWS} === 3")).await;

    // What is searched for, and what is selected, is there on coming back from a picture.
    browser.type_into("Search the library", "dome").await;
    browser.until("two are found", &format!("{ROWS} === 2")).await;
    browser.click(".grid-row input[type=checkbox]").await;
    browser.focus(".grid").await;
    browser.find(".grid").await.send_keys("\u{E007}").await.unwrap();
    browser.find(".picture-sheet").await;
    let titled = "return /^dome.* · Library · Tarnlight · Brisk Margin$/.test(document.title)";
    browser.until("the page is called by the picture and the site", titled).await;
    browser.client.back().await.unwrap();
    let same = "return location.search.includes('q=dome')
            && document.querySelectorAll('.grid-row').length === 2
            && document.querySelectorAll('.grid-row[aria-selected=true]').length === 1
            && document.querySelector('[aria-label=\"Search the library\"]').value === 'dome'";
    browser.until("the list is as it was left", same).await;
    browser.client.refresh().await.unwrap();
    browser.until("a reload shows the same", &format!("{ROWS} === 2")).await;

    // Away, and back where it was.
    let address = application.address.clone();
    application.kill();
    browser.until("it is told", &shows("The server cannot be reached.")).await;
    let application = home.serve_again(&address);
    upload(&application, "dome-3.jpg", 9).await;
    browser.until("what came meanwhile is there", &format!("{ROWS} === 3")).await;
    let over = "return !document.body.innerText.includes('The server cannot be reached.')";
    browser.until("nothing is told any more", over).await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn no_line_of_controls_is_wider_than_a_narrow_window() {
    let home = Home::empty().await;
    let application = home.serve();
    upload(&application, "a-picture-with-a-very-long-name-that-somebody-wrote-in-full.jpg", 1)
        .await;
    let boxes = json!({"390": [358, 200], "1280": [600, 300]});
    let slot = json!({"name": "Poster", "kind": "text", "fit": "cover", "boxes": boxes});
    application.post("/api/slots", &slot).await;
    let picture = application.json("/api/pictures").await["pictures"][0]["id"].clone();
    let picture = picture.as_str().unwrap();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1024, 700, downloads.path()).await;
    browser.viewport(1024, 700).await;
    for (address, there) in [
        ("/library".to_owned(), ".grid-row"),
        ("/library?view=pictures".to_owned(), ".contact-picture"),
        ("/layouts".to_owned(), ".slot-row"),
        ("/runs/new".to_owned(), ".empty h2"),
        (format!("/library/{picture}"), ".picture-sheet"),
        (format!("/bench/{picture}?step=frame"), ".plate"),
        (format!("/bench/{picture}?step=encode"), ".encode-bar"),
    ] {
        browser.client.goto(&application.url(&address)).await.unwrap();
        browser.find(there).await;
        let wide =
            "return [document.documentElement, ...document.querySelectorAll('.top, .bar, .tally')]
            .filter((one) => one.scrollWidth > one.clientWidth + 1)
            .map((one) => `${one.className || 'page'}: ${one.scrollWidth} in ${one.clientWidth}`)";
        assert_eq!(browser.run(wide, vec![]).await, json!([]), "{address}");
    }
    // What can be done with a selection is in reach, whatever the tally has to tell.
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.click(".grid-row input[type=checkbox]").await;
    browser.find(".tally .ant-btn-primary").await;
    let last =
        "return document.querySelector('.tally .ant-btn-primary').getBoundingClientRect().right";
    assert!(browser.run(last, vec![]).await.as_f64().unwrap() <= 1024.0);
    browser.close().await;
}

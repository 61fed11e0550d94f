//! The first question of every job: what size does it have to be?

use std::time::{Duration, Instant};

use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::Browser;
use brisk_margin_e2e::web_host::tarnlight;
use brisk_margin_testing::pictures::gradient_jpeg;
use reqwest::multipart::{Form, Part};
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn a_page_is_measured_and_a_wasteful_slot_gets_another_picture() {
    let folder = tempfile::tempdir().unwrap();
    let site = tarnlight(folder.path()).await;
    let large = gradient_jpeg(4000, 3000);
    std::fs::write(folder.path().join("media/tarnlight-mark.png"), &large).unwrap();
    let home = Home::empty().await;
    let application = home.serve();
    application.upload("mark-small.jpg", gradient_jpeg(336, 240)).await;

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/layouts")).await.unwrap();
    let address = browser.find("input[aria-label='Address of a page']").await;
    address.send_keys(&format!("{site}/people.html")).await.unwrap();
    browser.find(".bar input[type=checkbox]").await.click().await.unwrap();
    browser.labelled("Measure").await.click().await.unwrap();
    measured(&browser).await;

    // The page stands at all four widths, its slots as boxes with the pictures in them.
    let columns = "return document.querySelectorAll('.column').length === 4";
    browser.until("every width stands there", columns).await;
    let row = browser.find("[data-slot^='Header'] .row-button").await;
    row.click().await.unwrap();
    browser.until("the waste is told", &issues_say("more pixels than any screen uses")).await;
    let lit = "return document.querySelectorAll('.place[aria-pressed=true]').length";
    assert_eq!(browser.run(lit, vec![]).await, 4, "the slot is lit at every width");

    let search = browser.find("input[aria-label='Picture to place']").await;
    search.send_keys("mark-small").await.unwrap();
    let option = browser.find(".ant-select-item-option[title*='mark-small']").await;
    option.click().await.unwrap();
    browser.labelled("Place it here").await.click().await.unwrap();
    browser.until("the state is another", &issues_say("fits")).await;
    let places = application.json("/api/occurrences").await;
    let placed = places.as_array().unwrap().iter();
    assert_eq!(placed.filter(|place| place["picture_id"].is_string()).count(), 1);
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_site_that_comes_as_files_is_measured_like_any_other() {
    let home = Home::empty().await;
    let application = home.serve();
    let page = "<!doctype html><title>Offline</title><img src=../p.jpg style='width:200px'>";
    let part = |bytes: Vec<u8>, path: &str| Part::bytes(bytes).file_name(path.to_owned());
    let form = Form::new()
        .part("file", part(page.into(), "mysite/deep/index.html"))
        .part("file", part(gradient_jpeg(900, 600), "mysite/p.jpg"));
    let post = async |form: Form| {
        let request =
            brisk_margin_e2e::http::client().post(application.url("/api/measurements/files"));
        request.multipart(form).send().await.unwrap()
    };
    let climbing = Form::new().part("file", part(page.into(), "../../index.html"));
    assert_eq!(post(climbing).await.status(), 422);
    assert_eq!(post(form).await.status(), 202);
    application.until_measured().await;
    let layouts = application.json("/api/layouts").await;
    assert_eq!(layouts["pages"][0]["address"], "files:mysite/mysite/deep/index.html");
    let place = &application.json("/api/occurrences").await[0];
    assert_eq!(place["boxes"]["390"], json!([200.0, 133.328125]));
    assert_eq!(
        (&place["today"]["width"], &place["issues"][0]["kind"]),
        (&json!(900), &json!("too-large"))
    );
}

fn issues_say(text: &str) -> String {
    let issues = "document.querySelector('[data-testid=issues]')?.textContent";
    format!("return {issues}.includes({})", json!(text))
}

/// Measuring takes longer than anything else on the page.
async fn measured(browser: &Browser) {
    let end = Instant::now() + Duration::from_secs(90);
    let shown = "return document.querySelector('[data-testid=measured]') !== null";
    while browser.run(shown, vec![]).await != true {
        let told = "the page was not measured; it says:";
        assert!(Instant::now() < end, "{told}\n{}", browser.text().await);
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
}

//! Two people at one picture: neither wipes what the other saved.

use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::json;

const UNSAVED: &str = "return document.querySelector('[data-testid=work-state]')?.textContent
    === 'Unsaved changes'";

async fn rotated(browser: &Browser) {
    browser.click("[aria-label='Rotate right']").await;
    browser.until("the change is noted", UNSAVED).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn who_saves_second_is_shown_both_and_chooses() {
    let home = Home::empty().await;
    let application = home.serve();
    let id = application.upload("dome.jpg", gradient_jpeg(900, 600)).await;
    let downloads = tempfile::tempdir().unwrap();
    let (one, other) = (
        Browser::open(1280, 800, downloads.path()).await,
        Browser::open(1280, 800, downloads.path()).await,
    );
    let bench = application.url(&format!("/bench/{id}?step=frame"));
    for browser in [&one, &other] {
        browser.client.goto(&bench).await.unwrap();
        browser.find(".plate canvas").await;
    }
    rotated(&one).await;
    one.labelled("Save").await.click().await.unwrap();
    one.until("it is saved", &shows("Saved dome.jpg")).await;

    // The other one is told at once, and loses nothing of what is done meanwhile.
    other.until("it is told", &shows("There is a newer version.")).await;
    other.click("[aria-label='Flip left to right']").await;
    other.until("the change is noted", UNSAVED).await;
    other.labelled("Save").await.click().await.unwrap();
    other.until("both are shown", &shows("Somebody else saved this picture")).await;
    let saved = application.json(&format!("/api/pictures/{id}")).await;
    assert_eq!(saved["shown_width"], 600, "nothing was overwritten unasked");

    let beside = other.labelled("Save yours as a new picture").await;
    beside.click().await.unwrap();
    other.type_into("Name", "Dome, flipped").await;
    other.labelled("Make the new picture").await.click().await.unwrap();
    other.until("it is made", &shows("Made Dome, flipped")).await;
    let list = application.json("/api/pictures?sort=name").await;
    let sizes: Vec<_> = list["pictures"]
        .as_array()
        .unwrap()
        .iter()
        .map(|picture| (picture["shown_width"].clone(), picture["shown_height"].clone()))
        .collect();
    assert_eq!(sizes.len(), 2);
    assert!(
        sizes.contains(&(json!(600), json!(900))) && sizes.contains(&(json!(900), json!(600))),
        "{sizes:?}"
    );
    one.close().await;
    other.close().await;
}

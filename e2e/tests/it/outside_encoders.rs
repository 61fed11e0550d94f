//! A further format by a program from outside: set up in the site's settings, tried, chosen in the rule, and shown by
//! Chromium.

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::{Value, json};

const PROGRAMS: [&str; 4] =
    ["--encoder-program", "/usr/bin/cjxl", "--encoder-program", "/usr/bin/djxl"];

async fn settings(browser: &Browser) {
    browser.labelled("Site settings").await.click().await.unwrap();
    browser.find("[aria-label='Encoders from outside']").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_program_makes_a_further_format_that_chromium_shows() {
    let home = Home::empty().await;
    let application = home.serve_with(&PROGRAMS);
    let photograph = encoded(&spots(4, 900, 600), Format::Jpeg, 92);
    let picture = application.upload("moor.jpg", photograph).await;
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();

    settings(&browser).await;
    browser.labelled("Add an encoder").await.click().await.unwrap();
    browser.type_into("Name of the encoder", "Moor XL").await;
    browser.type_into("Without loss; empty where it always loses something", "{in}").await;
    browser.labelled("Try it on a picture").await.click().await.unwrap();
    // What is wrong is told beside the form, and nothing that was typed is gone.
    browser.until("what is missing is told", &shows("put {out} among them")).await;
    let lossless = "{in} {out} -d 0";
    browser.type_into("Without loss; empty where it always loses something", lossless).await;
    browser.click("form[aria-label=Encoder] input[type=checkbox]").await;
    browser.type_into("Its words for a JPEG", "{in} {out} --lossless_jpeg=1").await;
    browser.choose("Program for the way back", "/usr/bin/djxl").await;
    browser.labelled("Try it on a picture").await.click().await.unwrap();
    let tried = "return document.querySelector('[aria-label=\"What it made\"]')?.innerText";
    let tried: Value = browser.until("it was tried", tried).await;
    let tried = tried.as_str().unwrap();
    for told in ["moor.jpg", "score", "WebP", "the same pixels", "every byte came back"] {
        assert!(tried.contains(told), "{tried}");
    }
    browser.labelled("Keep").await.click().await.unwrap();
    browser.until("it is kept", &shows("makes JPEG XL by /usr/bin/cjxl")).await;

    // Now it can be chosen, and the trial's band is painted by this very browser.
    let rule = json!({"formats": ["jxl", "jpeg"], "densities": [1]});
    application.put("/api/output-rules", &rule).await;
    browser.client.goto(&application.url(&format!("/bench/{picture}?step=encode"))).await.unwrap();
    browser.type_into("Slot width in CSS px", "450").await;
    browser.type_into("Slot height in CSS px", "300").await;
    let painted = "const bands = [...document.querySelectorAll('.band canvas')];
        return bands.length >= 2 && bands.every((canvas) => canvas.dataset.paints === 'file')";
    browser.until("both are painted", painted).await;
    browser.until("it is named", &shows("JPEG XL")).await;

    // Its own words where it is shown, and back again after it was removed.
    browser.client.goto(&application.url("/library")).await.unwrap();
    settings(&browser).await;
    browser.click("[aria-label='Remove Moor XL']").await;
    browser.until("it is gone", &shows("what it made stays")).await;
    assert!(kept(&application).await.is_empty());
    browser.find("body").await.send_keys("u").await.unwrap();
    browser.find("[aria-label='Remove Moor XL']").await;
    assert_eq!(kept(&application).await, ["Moor XL"]);
    // The words without a file were refused, which a browser notes.
    let complaints = browser.complaints().await;
    assert!(complaints.iter().all(|told| told.contains("encoders/try")), "{complaints:?}");
    browser.close().await;
    application.terminate();

    // A server that runs no programs says so, and what to do.
    let application = home.serve();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    settings(&browser).await;
    browser.until("it is told", &shows("--encoder-program")).await;
    browser.close().await;
    application.terminate();
}

async fn kept(application: &Application) -> Vec<String> {
    let body = application.json("/api/encoders").await;
    let encoders = body["encoders"].as_array().unwrap().clone();
    encoders.iter().map(|encoder| encoder["name"].as_str().unwrap().to_owned()).collect()
}

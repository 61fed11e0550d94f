//! The first job anybody does: a picture dropped, fitted to its slot, judged, downloaded.

use std::path::Path;
use std::time::Duration;

use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_testing::pictures::gradient_jpeg;
use fantoccini::Locator;
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn from_a_dropped_picture_to_its_file() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/")).await.unwrap();
    browser.until("the home asks for a page", &shows("No page measured yet")).await;
    browser.find("body").await.send_keys("gl").await.unwrap();
    browser.until("the empty library is shown", &shows("No pictures yet")).await;

    // Two acts: drop, open.
    browser.drop_file("Dome at dusk.jpg", &gradient_jpeg(1600, 1200)).await;
    browser.find("li[data-stage=taken]").await;
    browser.labelled("Open on the bench").await.click().await.unwrap();

    // The third: type the slot.
    browser.type_into("Slot width in CSS px", "912").await;
    browser.type_into("Slot height in CSS px", "344").await;
    browser.until("the size is told", &test_text("output", "912 × 344 px")).await;
    browser.until("the cuts are told", &test_text("cuts", "298 top · 298 bottom px")).await;
    check_frame(&browser, 298.0 / 1200.0, 604.0 / 1200.0).await;

    // The subject is higher up: the frame follows the focal point.
    browser.focus(".focal").await;
    let focal = browser.find(".focal").await;
    focal.send_keys("\u{E008}\u{E013}\u{E013}\u{E013}\u{E008}").await.unwrap();
    browser.until("the frame moved up", &test_text("cuts", "596 bottom px")).await;
    check_frame(&browser, 0.0, 604.0 / 1200.0).await;

    browser.segment("By hand").await;
    browser.choose("Format", "JPEG").await;
    browser.type_into("Quality, 1 to 100", "85").await;
    // The fourth: make it.
    browser.type_into("Quality, 1 to 100", "\u{E007}").await;
    browser.find("[data-testid=proof-result][data-shown='912x344']").await;
    browser.find("[data-testid=proof-original][data-shown='912x344']").await;

    let picture = application.json("/api/pictures").await["pictures"][0].clone();
    let bench = format!("/api/pictures/{}/bench", picture["id"].as_str().unwrap());
    let focal = application.json(&bench).await["adjustments"]["focal"].clone();
    assert_eq!(focal, json!({"x": 0.5, "y": 0.2}), "the focal point is kept on the bench");
    let variant = &picture["variants"][0];
    let after = variant["saving"]["after"].as_u64().unwrap();
    let told = browser.find("[data-testid=saving]").await.text().await.unwrap();
    let figure = brisk_margin_core::units::Bytes(after).to_string();
    assert!(told.contains(&figure), "“{told}” does not tell {figure}");

    browser.labelled("Download").await.click().await.unwrap();
    let file = downloaded(downloads.path(), "dome-at-dusk-912x344.jpg").await;
    assert_eq!(file.len() as u64, after);
    let pixels = Codecs::in_process().decode(Format::Jpeg, &file).unwrap();
    assert_eq!(pixels.size(), Size::new(912, 344));
    check_canvas(&browser, pixels.data()).await;

    hold_for_the_original(&browser).await;

    browser.type_into("Slot width in CSS px", "3000").await;
    browser.until("the shortfall is told", &test_text("shortfall", "Too small:")).await;
    browser.until("it is not enlarged", &test_text("output", "1600 × 183 px")).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
    application.kill();

    // What was made is there after a restart.
    let application = home.serve();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.find("[data-name='Dome at dusk.jpg']").await;
    // Enter opens the picture's own page from the list.
    browser.focus(".grid").await;
    browser.find(".grid").await.send_keys("\u{E007}").await.unwrap();
    browser.until("its file is there", &shows("dome-at-dusk-912x344.jpg")).await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_no_picture_is_refused_in_place_and_the_rest_goes_on() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1024, 700, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.find(".empty").await;
    browser.drop_file("note.jpg", b"Buy red lamps for the star walk.").await;
    browser.drop_file("dome.jpg", &gradient_jpeg(60, 40)).await;
    let refused = browser.find("li[data-stage=refused]").await.text().await.unwrap();
    assert!(refused.contains("not a picture"), "{refused}");
    browser.find("li[data-stage=taken]").await;
    browser.drop_file("same.jpg", &gradient_jpeg(60, 40)).await;
    browser.find("li[data-stage=there]").await;
    browser.find("[data-name='dome.jpg']").await;
    let list = application.json("/api/pictures").await;
    assert_eq!(list["pictures"].as_array().unwrap().len(), 1);
    browser.close().await;
}

/// A script that is true once the element of that test name holds `text`.
fn test_text(name: &str, text: &str) -> String {
    format!(
        "return document.querySelector('[data-testid={name}]')?.textContent.includes({})",
        json!(text)
    )
}

/// Checks where the frame is drawn, as fractions of the picture's height.
async fn check_frame(browser: &Browser, top: f64, height: f64) {
    let script = "const plate = document.querySelector('.plate').getBoundingClientRect();
        const frame = document.querySelector('[data-testid=frame]').getBoundingClientRect();
        return [(frame.top - plate.top) / plate.height, frame.height / plate.height];";
    let found = browser.run(script, vec![]).await;
    let near = |value: &Value, wanted: f64| (value.as_f64().unwrap() - wanted).abs() < 0.003;
    assert!(near(&found[0], top) && near(&found[1], height), "{found}, not [{top}, {height}]");
}

/// Holds what the canvas shows against the file's own pixels, 912 across: one picture pixel is
/// one device pixel.
async fn check_canvas(browser: &Browser, pixels: &[u8]) {
    let script = "const canvas = document.querySelector('[data-testid=proof-result]');
        const [left, top] = canvas.dataset.origin.split(',').map(Number);
        const context = canvas.getContext('2d');
        return [[0, 0], [100, 40], [300, 150], [200, 99]].map(([x, y]) =>
            [x, y, ...context.getImageData(x + left, y + top, 1, 1).data]);";
    let shown = browser.run(script, vec![]).await;
    for point in shown.as_array().unwrap() {
        let number = |n: usize| point[n].as_u64().unwrap();
        let at = (number(1) * 912 + number(0)) as usize * 3;
        for channel in 0..3 {
            let difference = number(2 + channel).abs_diff(pixels[at + channel].into());
            // Two decoders may round differently.
            assert!(difference <= 3, "{point} against {:?}", &pixels[at..at + 3]);
        }
    }
}

async fn hold_for_the_original(browser: &Browser) {
    let in_place = browser.client.find(Locator::Css("[title='in place']")).await.unwrap();
    in_place.click().await.unwrap();
    browser.run("document.activeElement.blur()", vec![]).await;
    let press = |kind: &str| format!("dispatchEvent(new KeyboardEvent('{kind}', {{ key: 'o' }}))");
    let label = "return document.querySelector('[data-testid=proof-result]').ariaLabel";
    browser.run(&press("keydown"), vec![]).await;
    browser.until("the original is shown", &format!("{label}.startsWith('Original')")).await;
    browser.run(&press("keyup"), vec![]).await;
    browser.until("the result is back", &format!("{label}.startsWith('Result')")).await;
}

/// The bytes of a download, once it is complete.
async fn downloaded(folder: &Path, name: &str) -> Vec<u8> {
    for _ in 0..200 {
        // The browser writes under another name until it is done.
        if let Ok(bytes) = std::fs::read(folder.join(name)) {
            return bytes;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let there: Vec<_> = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()).collect();
    panic!("{name} did not arrive; there is {there:?}");
}

//! Encode: the worst spot is looked at, a trial under a weight is added, and becomes the rule.

use std::path::Path;
use std::time::Duration;

use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_testing::pictures::{encoded, moving};
use fantoccini::actions::{InputSource, KeyAction, KeyActions};
use serde_json::{Value, json};

/// Light with much grain, which no format makes small, and a part without.
fn moor() -> Vec<u8> {
    let mut state = 5u32;
    let mut grain = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 26) as u8
    };
    let pixels = (0..900u32).flat_map(|y| (0..1_400u32).map(move |x| (x, y)));
    let data = pixels.flat_map(|(x, y)| {
        let light = (60 + x / 20 + y / 30) as u8;
        match x < 400 {
            true => [light, light, 150 - light / 3],
            false => [light + grain(), light + grain(), 150 - light / 3 + grain()],
        }
    });
    encoded(&Raster::new(Size::new(1_400, 900), Channels::Rgb, data.collect()), Format::Jpeg, 95)
}

/// A browser in which `file` was dropped into the empty library, opened on the bench and given a slot of `size` in
/// CSS px.
async fn tried(
    application: &Application,
    downloads: &Path,
    name: &str,
    file: &[u8],
    [width, height]: [u32; 2],
) -> Browser {
    let browser = Browser::open(1280, 800, downloads).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.until("the empty library is shown", &shows("No pictures yet")).await;
    browser.drop_file(name, file).await;
    browser.find("li[data-stage=taken]").await;
    browser.labelled("Open on the bench").await.click().await.unwrap();
    browser.type_into("Slot width in CSS px", &width.to_string()).await;
    browser.type_into("Slot height in CSS px", &height.to_string()).await;
    browser
}

#[tokio::test(flavor = "multi_thread")]
async fn the_worst_spot_a_trial_under_a_weight_and_the_rule() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    // Typing the slot is all it takes: every format is tried.
    let browser = tried(&application, downloads.path(), "moor.jpg", &moor(), [700, 450]).await;
    browser.until("a trial is there", "return document.querySelectorAll('.band').length > 0").await;
    let three = "return document.querySelectorAll('.band').length >= 3
        && document.querySelector('[data-testid=trial-progress]').textContent === ''";
    browser.until("three formats were tried", three).await;
    let weights = band_bytes(&browser).await;
    assert!(weights.is_sorted(), "the lightest first: {weights:?}");
    // The bands show the place where the lightest differs most.
    let spot = test_text(&browser, "spot").await;
    assert!(spot.starts_with("spot 1 of"), "{spot}");
    let painted = "return [...document.querySelectorAll('.band canvas')]
        .every((canvas) => canvas.dataset.paints === 'file')";
    browser.until("every band is painted", painted).await;
    let file = pixels(&browser).await;

    // The next worst spot, and the original in place of the file while a key is held.
    browser.find("body").await.send_keys("n").await.unwrap();
    browser.until("another spot is told", &starts("spot", "spot 2 of")).await;
    let second = pixels(&browser).await;
    assert_ne!(second, file, "another place is shown");
    browser.find("body").await.send_keys("d").await.unwrap();
    let mapped = painted.replace("'file'", "'differences'");
    browser.until("the differences are painted", &mapped).await;
    browser.find("body").await.send_keys("d").await.unwrap();
    browser.until("the files are painted again", painted).await;
    key(&browser, "keydown").await;
    browser.until("the original is painted", &painted.replace("'file'", "'original'")).await;
    assert_ne!(pixels(&browser).await, second);
    key(&browser, "keyup").await;

    // A trial under 60 KB, in the format of the lightest.
    browser.type_into("Kilobytes of the trial", "60").await;
    browser.labelled("Try").await.click().await.unwrap();
    let chosen =
        "return Number(document.querySelector('.band[data-chosen=true]')?.dataset.bytes) > 30000";
    browser.until("the new trial is chosen", chosen).await;
    let bytes = browser
        .run(
            "return Number(document.querySelector('.band[data-chosen=true]').dataset.bytes)",
            vec![],
        )
        .await;
    assert!((51_000.0..=60_000.0).contains(&bytes.as_f64().unwrap()), "{bytes} bytes");
    let told = test_text(&browser, "choice").await;
    assert!(told.contains("saves") && told.contains("Mbit/s"), "{told}");

    browser.labelled("Use for this picture").await.click().await.unwrap();
    browser.until("the picture has a rule", RULE).await;
    browser.find("body").await.send_keys("u").await.unwrap();
    browser.until("it was taken back", &shows("is as it was")).await;
    let usual = "return !document.querySelector('[data-testid=rule-words]')
        .textContent.includes('picture')";
    browser.until("the usual rule holds", usual).await;
    browser.labelled("Use for this picture").await.click().await.unwrap();
    browser.until("the picture has a rule again", RULE).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
    application.kill();

    // Coming back costs nothing: what was tried is there at once.
    let application = home.serve();
    let picture = application.json("/api/pictures").await["pictures"][0]["id"].clone();
    let body = json!({"slot": {"width": 700, "height": 450, "fit": "cover"}, "density": 1});
    let path = format!("/api/pictures/{}/proof", picture.as_str().unwrap());
    let request = brisk_margin_e2e::http::client().post(application.url(&path));
    let request = request.header("content-type", "application/json").body(body.to_string());
    let proof: Value =
        serde_json::from_str(&request.send().await.unwrap().text().await.unwrap()).unwrap();
    assert!(proof["trials"].as_array().unwrap().len() >= 4, "{proof}");
    assert_eq!(proof["decision"]["settled"]["by"], "picture");
}

#[tokio::test(flavor = "multi_thread")]
async fn every_frame_of_what_moves_is_proved_the_worst_first() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = tried(&application, downloads.path(), "mist.webp", &moving(), [300, 200]).await;
    let both = "return document.querySelectorAll('.band').length === 2
        && document.querySelector('[data-testid=trial-progress]').textContent === ''";
    browser.until("both formats that move were tried", both).await;
    browser.until("the worst frame is told", &starts("spot", "frame 2 of 3, the worst")).await;
    let painted = |what: &str| {
        format!("return document.querySelector('.band canvas').dataset.paints === '{what}'")
    };
    browser.until("the frame of the file is painted", &painted("file")).await;
    let worst = pixels(&browser).await;
    key(&browser, "keydown").await;
    browser.until("the original's frame is painted", &painted("original")).await;
    assert_ne!(pixels(&browser).await, worst, "that of the original is another");
    key(&browser, "keyup").await;
    browser.until("the file's is painted again", &painted("file")).await;

    browser.find("body").await.send_keys("n").await.unwrap();
    let next = "const text = document.querySelector('[data-testid=spot]').textContent;
        return /^frame [13] of 3, at/.test(text)";
    browser.until("the next worst is told", next).await;
    // Along time, with the keys of the slider.
    pressed(&browser, '\u{e011}').await;
    browser.until("the first frame is told", &starts("spot", "frame 1 of 3, at 0.00 s")).await;
    pressed(&browser, '\u{e014}').await;
    browser.until("the worst is told again", &starts("spot", "frame 2 of 3, the worst")).await;
    let again = async || pixels(&browser).await == worst;
    for _ in 0..100 {
        if again().await {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    assert!(again().await, "the frame is shown as before");
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

/// Presses a key on the slider of frames.
async fn pressed(browser: &Browser, key: char) {
    browser.focus("[aria-label='Frame shown']").await;
    let press = KeyActions::new("keys".to_owned())
        .then(KeyAction::Down { value: key })
        .then(KeyAction::Up { value: key });
    browser.client.perform_actions(press).await.unwrap();
}

const RULE: &str = "return document.querySelector('[data-testid=rule-words]')
    .textContent.includes(\"by the picture's rule\")";

fn starts(name: &str, text: &str) -> String {
    format!(
        "return document.querySelector('[data-testid={name}]').textContent.startsWith('{text}')"
    )
}

async fn test_text(browser: &Browser, name: &str) -> String {
    let script = format!("return document.querySelector('[data-testid={name}]').textContent");
    browser.run(&script, vec![]).await.as_str().unwrap().to_owned()
}

async fn band_bytes(browser: &Browser) -> Vec<u64> {
    let script =
        "return [...document.querySelectorAll('.band')].map((band) => Number(band.dataset.bytes))";
    let found = browser.run(script, vec![]).await;
    found.as_array().unwrap().iter().map(|bytes| bytes.as_u64().unwrap()).collect()
}

/// A sum over the first band that hardly any other picture has.
async fn pixels(browser: &Browser) -> Value {
    let script = "const canvas = document.querySelector('.band canvas');
        const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
        let sum = 0;
        for (let n = 0; n < data.length; n += 1) sum = (sum * 31 + data[n]) % 1000000007;
        return sum;";
    browser.run(script, vec![]).await
}

async fn key(browser: &Browser, kind: &str) {
    let script = format!("dispatchEvent(new KeyboardEvent('{kind}', {{ key: 'o' }}))");
    browser.run(&script, vec![]).await;
}

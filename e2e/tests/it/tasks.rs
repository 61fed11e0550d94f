//! What people do most, by mouse and by keyboard, with the acts that it takes; docs/tasks.md has the table.

use std::path::Path;
use std::time::Duration;

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, ENTER, shows};
use brisk_margin_e2e::hands::{CONTROL, Hands};
use brisk_margin_e2e::web_host::tarnlight;
use brisk_margin_testing::pictures::{encoded, gradient_jpeg, spots};
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};

/// The pixels of a picture as it is shown now.
async fn shown(application: &Application, picture: &str) -> (u64, u64) {
    let picture = application.json(&format!("/api/pictures/{picture}")).await;
    (picture["shown_width"].as_u64().unwrap(), picture["shown_height"].as_u64().unwrap())
}

async fn frame(browser: &Browser, application: &Application, picture: &str) {
    browser.client.goto(&application.url(&format!("/bench/{picture}?step=frame"))).await.unwrap();
    browser.find(".plate canvas").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_square_crop_a_turn_and_a_focal_point() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let by_mouse = application.upload("dome.jpg", gradient_jpeg(1600, 1000)).await;
    let by_keys = application.upload("moor.jpg", gradient_jpeg(1500, 1000)).await;

    frame(&browser, &application, &by_mouse).await;
    let mut hands = Hands::of(&browser);
    hands.segment("Crop").await;
    hands.segment("Square").await;
    hands.until("it is told what comes out", &told("1000 × 1000 px")).await;
    hands.press("Apply crop").await;
    hands.until("it can be saved", SAVABLE).await;
    hands.press("Save").await;
    hands.until("it is saved", &shows("Saved dome.jpg")).await;
    hands.took("a square crop, by mouse", 4);
    assert_eq!(shown(&application, &by_mouse).await, (1000, 1000));

    frame(&browser, &application, &by_keys).await;
    let mut hands = Hands::of(&browser);
    hands.key("c").await;
    hands.key("s").await;
    hands.until("it is told what comes out", &told("1000 × 1000 px")).await;
    hands.key(ENTER).await;
    hands.until("it can be saved", SAVABLE).await;
    hands.key(&format!("{CONTROL}s")).await;
    hands.until("it is saved", &shows("Saved moor.jpg")).await;
    hands.took("a square crop, by keyboard", 4);
    assert_eq!(shown(&application, &by_keys).await, (1000, 1000));

    // A free crop by dragging, told while it is drawn.
    let dragged = application.upload("path.jpg", gradient_jpeg(1200, 800)).await;
    frame(&browser, &application, &dragged).await;
    let mut hands = Hands::of(&browser);
    hands.segment("Crop").await;
    hands
        .until("it can be drawn", "return document.querySelector('.plate').dataset.tool === 'crop'")
        .await;
    drag(&browser, (0.25, 0.25), (0.75, 0.75)).await;
    hands.did();
    hands.until("it is told what comes out", &told("Comes out at")).await;
    hands.key(ENTER).await;
    hands.until("it can be saved", SAVABLE).await;
    hands.press("Save").await;
    hands.until("it is saved", &shows("Saved path.jpg")).await;
    hands.took("a free crop, by mouse", 4);
    let (width, height) = shown(&application, &dragged).await;
    assert!(width.abs_diff(600) < 12 && height.abs_diff(400) < 12, "{width} × {height}");

    let mut hands = Hands::of(&browser);
    hands.click("[aria-label='Rotate right']").await;
    hands.until("it can be saved", SAVABLE).await;
    hands.press("Save").await;
    hands.until("it is turned", &saved_as(&application, &dragged, height, width)).await;
    hands.took("rotated and saved, by mouse", 3);
    let mut hands = Hands::of(&browser);
    hands.key("r").await;
    hands.until("it can be saved", SAVABLE).await;
    hands.key(&format!("{CONTROL}s")).await;
    hands.until("it is turned on", &saved_as(&application, &dragged, width, height)).await;
    hands.took("rotated and saved, by keyboard", 3);

    // One focal point, and the slot on a phone and a desktop beside it.
    let boxes = json!({"390": [358, 200], "1280": [900, 300]});
    let slot = json!({"name": "Poster", "kind": "text", "fit": "cover", "boxes": boxes});
    let slot = application.post("/api/slots", &slot).await["id"].as_str().unwrap().to_owned();
    let address = format!("/bench/{dragged}?step=frame&slot={slot}");
    browser.client.goto(&application.url(&address)).await.unwrap();
    browser.find(".plate canvas").await;
    let mut hands = Hands::of(&browser);
    drag(&browser, (0.1, 0.1), (0.1, 0.1)).await;
    hands.did();
    let both = "return document.querySelectorAll('.slots-pane canvas').length >= 2
        && document.querySelector('[data-testid=work-state]').textContent === 'Unsaved changes'";
    hands.until("both screens are framed by it", both).await;
    hands.took("a focal point seen on two screens", 2);
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn texts_and_duplicates() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let jpeg = |seed| encoded(&spots(seed, 600, 400), Format::Jpeg, 90);
    for (seed, name) in ["a.jpg", "b.jpg", "c.jpg"].into_iter().enumerate() {
        application.upload(name, jpeg(seed as u32)).await;
    }
    browser.client.goto(&application.url("/library?view=write&sort=name")).await.unwrap();
    browser
        .until("writing has the focus", "return document.activeElement.matches('.describe')")
        .await;
    let mut hands = Hands::of(&browser);
    for words in ["The dome at dusk", "A path through heather", "The moon"] {
        // The first letter opens the cell.
        hands.text(&words[..1]).await;
        browser.find(".describe input").await.send_keys(&words[1..]).await.unwrap();
        hands.text(ENTER).await;
        hands.until("it is closed", "return !document.querySelector('.describe input')").await;
    }
    hands.until("all are saved", &shows("The moon")).await;
    hands.took("three pictures described", 9);
    let list = application.json("/api/pictures?sort=name").await;
    assert_eq!(list["pictures"][0]["description"]["alt"], "The dome at dusk");

    // The same picture once more, saved otherwise.
    let twin = encoded(&spots(1, 600, 400), Format::Jpeg, 70);
    application.upload("twin.jpg", twin).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    let alike = application.url("/api/alike");
    let compared = format!(
        "return fetch('{alike}').then((answer) => answer.json()).then((all) => all.length > 0)"
    );
    browser.until("it was compared", &compared).await;
    let mut hands = Hands::of(&browser);
    hands.press("Look-alikes").await;
    hands.press("Keep this one").await;
    hands.until("they are one", &shows("No two pictures look the same")).await;
    hands.took("duplicates found and merged", 3);
    browser.close().await;
}

/// A site with much to gain: its mark is as large as a camera's picture.
async fn wasteful_site(folder: &Path) -> String {
    let site = tarnlight(folder).await;
    let large = gradient_jpeg(4000, 3000);
    std::fs::write(folder.join("media/tarnlight-mark.png"), &large).unwrap();
    site
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_of_a_page_replaced_and_a_first_site() {
    let folder = tempfile::tempdir().unwrap();
    let site = wasteful_site(folder.path()).await;
    let home = Home::without_sites().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&format!("{}/", application.address)).await.unwrap();
    browser.find("h1").await;

    let mut hands = Hands::of(&browser);
    hands.field("Address of its first page", &format!("{site}/people.html")).await;
    hands.press("Add site and measure it").await;
    let drawn = "return document.querySelectorAll('.place').length > 3
        && document.body.innerText.includes('in pixels that no screen uses')";
    browser.until_within(Duration::from_secs(60), "its largest saving is drawn", drawn).await;
    hands.took("a first site to its largest saving", 3);

    let slug = browser.run("return location.pathname.split('/')[1]", vec![]).await;
    let api = format!("{}/api/sites/{}", application.address, slug.as_str().unwrap());
    let part =
        Form::new().part("file", Part::bytes(gradient_jpeg(1200, 900)).file_name("portrait.jpg"));
    let request = brisk_margin_e2e::http::client().post(format!("{api}/pictures"));
    assert_eq!(request.multipart(part).send().await.unwrap().status(), 201);
    let over = "return document.querySelector('[data-testid=measured]')";
    browser.until_within(Duration::from_secs(120), "measuring is over", over).await;

    let mut hands = Hands::of(&browser);
    hands.press("Next issue").await;
    browser.find("input[aria-label='Picture to place']").await;
    hands.field("Picture to place", "portrait").await;
    hands.click(".ant-select-item-option[title*='portrait']").await;
    hands.press("Place it here").await;
    hands.press("Fit its picture on the bench").await;
    browser.until_within(Duration::from_secs(60), "all was tried", TRIED).await;
    let judged = "return Number(document.querySelector('.band[data-chosen=true]').dataset.bytes)";
    let judged = browser.run(judged, vec![]).await;
    hands.press("Make the file").await;
    hands.until("the file is there", "return document.querySelector('.files tr[data-file]')").await;
    hands.took("a page's picture replaced at its slot's size", 6);
    let made = brisk_margin_e2e::http::bytes_at(format!("{api}/pictures?search=portrait")).await;
    let made: Value = serde_json::from_slice(&made).unwrap();
    let file = &made["pictures"][0]["variants"][0]["saving"]["after"];
    assert_eq!(file.as_f64(), judged.as_f64(), "the file is the trial that was judged");
    let weight = "return document.querySelector('[data-testid=saving] b').textContent";
    let weight = browser.run(weight, vec![]).await;
    assert!(!weight.as_str().unwrap().ends_with("MB"), "under 100 KB: {weight}");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn banners_and_a_credit() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let picture = application.upload("moor.jpg", gradient_jpeg(3000, 1200)).await;
    let boxes = json!({"390": [390, 160], "1280": [1280, 240]});
    let slot = json!({"name": "Night banner", "kind": "header", "fit": "exact", "boxes": boxes});
    let slot = application.post("/api/slots", &slot).await["id"].as_str().unwrap().to_owned();

    browser.client.goto(&application.url("/library")).await.unwrap();
    let mut hands = Hands::of(&browser);
    hands.press("New banner…").await;
    hands.search("For the slots", "Night banner").await;
    hands.press("Create banner").await;
    hands.until("it is on the bench", FINISHING).await;
    hands.choose("Add an edit", "Border").await;
    hands.until("it can be saved", SAVABLE).await;
    hands.press("Save").await;
    hands.until("it is saved", &shows("Saved Banner")).await;
    hands.took("a banner at exact pixels with a border", 7);
    let banner = saved_banner(&application).await;
    assert_eq!(
        (banner["shown_width"].as_u64(), banner["shown_height"].as_u64()),
        (Some(2560), Some(480))
    );
    assert_eq!(kinds(&application, &banner).await, ["border"]);

    browser.client.goto(&application.url("/library")).await.unwrap();
    let mut hands = Hands::of(&browser);
    hands.press("New banner…").await;
    hands.search("For the slots", "Night banner").await;
    hands.segment("a picture").await;
    hands.search("Picture of the background", "moor").await;
    hands.field("Text on it", "Star walks").await;
    hands.press("Create banner").await;
    hands.until("it is on the bench", FINISHING).await;
    hands.took("a header with text at its slot's size", 10);
    let header = saved_banner(&application).await;
    assert_ne!(header["id"], banner["id"]);
    assert_eq!(kinds(&application, &header).await, ["canvas", "text"]);
    let aspect = header["shown_width"].as_f64().unwrap() / header["shown_height"].as_f64().unwrap();
    assert!((aspect - 1280.0 / 240.0).abs() < 0.01, "{aspect}");

    let address = format!("/bench/{picture}?step=encode&pane=set&for={slot}");
    browser.client.goto(&application.url(&address)).await.unwrap();
    browser.find("[data-testid=set-state]").await;
    let mut hands = Hands::of(&browser);
    hands.press("Describe").await;
    hands.field("Creator", "Ada Fenn").await;
    hands.text(ENTER).await;
    hands.until("it is kept", &shows("Nothing was changed")).await;
    browser.client.back().await.unwrap();
    hands.did();
    hands.click(".set-pane .bar button").await;
    let made = "return [...document.querySelectorAll('.set-pane button')]
        .some((one) => one.textContent === 'All made')";
    browser.until_within(Duration::from_secs(120), "all are made", made).await;
    hands.press("Copy markup").await;
    hands.took("a picture into a page with its credit", 6);
    let markup = browser.find("[data-testid=markup]").await.text().await.unwrap();
    assert!(markup.contains("<figcaption") && markup.contains("Ada Fenn"), "{markup}");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn tasks_with_the_keyboard_alone() {
    let folder = tempfile::tempdir().unwrap();
    let site = wasteful_site(folder.path()).await;
    let home = Home::without_sites().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&format!("{}/", application.address)).await.unwrap();
    browser.find("h1").await;

    let mut hands = Hands::of(&browser);
    hands.reach("Address of its first page").await;
    hands.text(&format!("{site}/people.html{ENTER}")).await;
    let drawn = "return document.querySelectorAll('.place').length > 3";
    browser.until_within(Duration::from_secs(60), "it is measured", drawn).await;
    hands.took("a first site, by keyboard", 3);
    let over = "return document.querySelector('[data-testid=measured]')";
    browser.until_within(Duration::from_secs(120), "measuring is over", over).await;

    let slug = browser.run("return location.pathname.split('/')[1]", vec![]).await;
    let api = format!("{}/api/sites/{}", application.address, slug.as_str().unwrap());
    let jpeg = |quality| encoded(&spots(3, 900, 700), Format::Jpeg, quality);
    for (name, bytes) in [("portrait.jpg", jpeg(92)), ("twin.jpg", jpeg(70))] {
        let part = Form::new().part("file", Part::bytes(bytes).file_name(name));
        let request = brisk_margin_e2e::http::client().post(format!("{api}/pictures"));
        assert_eq!(request.multipart(part).send().await.unwrap().status(), 201);
    }

    let mut hands = Hands::of(&browser);
    hands.key("n").await;
    browser.find("input[aria-label='Picture to place']").await;
    hands.reach("Picture to place").await;
    hands.text("portrait").await;
    browser.find(".ant-select-item-option-active[title*='portrait']").await;
    hands.text(ENTER).await;
    hands.reach("Place it here").await;
    hands.text(ENTER).await;
    hands.reach("Fit its picture on the bench").await;
    hands.text(ENTER).await;
    browser.until_within(Duration::from_secs(60), "all was tried", TRIED).await;
    hands.reach("Make the file").await;
    hands.text(ENTER).await;
    hands.until("the file is there", "return document.querySelector('.files tr[data-file]')").await;
    hands.took("a page's picture replaced, by keyboard", 10);

    let library = format!("{}/{}/library", application.address, slug.as_str().unwrap());
    browser.client.goto(&library).await.unwrap();
    let compared = format!(
        "return fetch('{api}/alike').then((answer) => answer.json()).then((all) => all.length > 0)"
    );
    browser.until("it was compared", &compared).await;
    let mut hands = Hands::of(&browser);
    hands.reach("Look-alikes").await;
    hands.text(ENTER).await;
    browser.find(".pairs button").await;
    hands.reach("Keep this one").await;
    hands.text(ENTER).await;
    hands.until("they are one", &shows("No two pictures look the same")).await;
    hands.took("duplicates found and merged, by keyboard", 4);

    browser.client.goto(&library).await.unwrap();
    browser.find(".grid-row").await;
    let mut hands = Hands::of(&browser);
    hands.reach("New banner…").await;
    hands.text(ENTER).await;
    browser.find("#banner-slots").await;
    hands.reach("For the slots").await;
    hands.text("background").await;
    browser.find(".ant-select-item-option-active[title*='ackground']").await;
    hands.text(ENTER).await;
    hands.reach("Text on it").await;
    hands.text(&format!("Star walks{ENTER}")).await;
    hands.until("it is on the bench", FINISHING).await;
    hands.took("a header with text, by keyboard", 10);
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

/// The banner that was made last.
async fn saved_banner(application: &Application) -> Value {
    let banners =
        application.json("/api/pictures?search=Banner&sort=arrival&descending=true").await;
    banners["pictures"][0].clone()
}

/// The kinds of the edits with which a picture holds.
async fn kinds(application: &Application, picture: &Value) -> Vec<String> {
    let bench = format!("/api/pictures/{}/bench", picture["id"].as_str().unwrap());
    let holds = application.json(&bench).await["holds"].as_str().unwrap().to_owned();
    let step = application.json(&format!("/api/steps/{holds}")).await;
    let steps = step["edits"]["steps"].as_array().unwrap().clone();
    steps.iter().map(|step| step["kind"].as_str().unwrap().to_owned()).collect()
}

const TRIED: &str = "return document.querySelectorAll('.band').length >= 3
    && !document.querySelector('[data-testid=trial-progress]').textContent";

const FINISHING: &str = "return document.querySelector('[data-testid=shown]')?.dataset.shown";

const SAVABLE: &str = "return [...document.querySelectorAll('.bench-bar button')]
    .some((one) => one.textContent === 'Save' && !one.disabled)
    && document.querySelector('[data-testid=work-state]').textContent === 'Unsaved changes'";

/// A script that is true once the crop panel tells `words`.
fn told(words: &str) -> String {
    format!(
        "return document.querySelector('[data-testid=crop-told]')?.textContent.includes({})",
        json!(words)
    )
}

/// A script that is true once the picture holds with so many pixels.
fn saved_as(application: &Application, picture: &str, width: u64, height: u64) -> String {
    let address = application.url(&format!("/api/pictures/{picture}"));
    format!(
        "return fetch('{address}').then((answer) => answer.json())
            .then((one) => one.shown_width === {width} && one.shown_height === {height})"
    )
}

/// Drags over the picture on the bench between two of its points, as fractions of it.
async fn drag(browser: &Browser, from: (f64, f64), to: (f64, f64)) {
    let script = "const box = document.querySelector('.plate').getBoundingClientRect();
        const at = ([x, y], type) => document.querySelector('.plate').dispatchEvent(
            new PointerEvent(type, { bubbles: true, pointerId: 1, button: 0, isPrimary: true,
                clientX: box.x + x * box.width, clientY: box.y + y * box.height }));
        Element.prototype.setPointerCapture = () => {};
        const [from, to] = arguments;
        at(from, 'pointerdown');
        for (let n = 1; n <= 4; n += 1) {
            at([0, 1].map((k) => from[k] + (to[k] - from[k]) * n / 4), 'pointermove');
        }
        at(to, 'pointerup');";
    browser.run(script, vec![json!([from.0, from.1]), json!([to.0, to.1])]).await;
}

//! One picture made to fit all its places: framed, finished, stepped back, saved beside, placed.

use base64::Engine;
use brisk_margin_core::geometry::Rect;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::Browser;
use brisk_margin_e2e::web_host::tarnlight;
use brisk_margin_imaging::codec::png;
use brisk_margin_testing::pictures::{gradient, gradient_jpeg};
use fantoccini::Locator;
use serde_json::{Value, json};

fn text(value: &Value) -> String {
    value.as_str().unwrap_or_else(|| panic!("no text: {value}")).to_owned()
}

/// Measures the page of the guides and returns the place whose box is the widest.
async fn wide_place(application: &Application, site: &str) -> Value {
    let address = format!("{site}/people.html");
    application.post("/api/measurements", &json!({"address": address})).await;
    application.until_measured().await;
    let places = application.json("/api/occurrences").await;
    let aspect = |place: &Value| {
        let size = &place["boxes"]["1920"];
        size[0].as_f64().unwrap_or(0.0) / size[1].as_f64().unwrap_or(1.0)
    };
    let places = places
        .as_array()
        .unwrap()
        .iter()
        .filter(|place| place["boxes"].as_object().unwrap().len() == 4);
    places.max_by(|a, b| aspect(a).total_cmp(&aspect(b))).unwrap().clone()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wide_picture_is_framed_finished_stepped_back_and_saved_beside() {
    let folder = tempfile::tempdir().unwrap();
    let site = tarnlight(folder.path()).await;
    let home = Home::empty().await;
    let application = home.serve();
    let picture = application.upload("moor.jpg", gradient_jpeg(4000, 1600)).await;
    let place = wide_place(&application, &site).await;
    let slot = text(&place["slot_id"]);
    let body = json!({"picture_id": picture, "places": [place["id"]]});
    application.post(&format!("/api/slots/{slot}/placement"), &body).await;

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url(&format!("/bench/{picture}"))).await.unwrap();
    // All four boxes are in view together, painted.
    let painted =
        "return document.querySelectorAll('.slot-cell canvas[data-painted=yes]').length === 4";
    browser.until("four views are painted", painted).await;

    // One focal point moves them all.
    let before = framed(&browser).await;
    browser.focus(".focal").await;
    let focal = browser.find(".focal").await;
    focal.send_keys("\u{E008}\u{E013}\u{E013}\u{E008}").await.unwrap();
    browser.until("the step is noted", &state("Unsaved changes")).await;
    let first = "document.querySelectorAll('.slot-frame')[0].offsetTop";
    browser.until("the first frame goes up", &format!("return {first} < {}", before[1])).await;

    // One box is framed by hand, and only that one.
    browser.find(".slot-cell[data-viewport='820']").await.click().await.unwrap();
    browser.find("body").await.send_keys("h").await.unwrap();
    browser.focus(".frame-grip").await;
    let top = typed_top(&browser).await;
    let grip = browser.find(".frame-grip").await;
    grip.send_keys("\u{E008}\u{E015}\u{E008}").await.unwrap();
    browser
        .until(
            "one is by hand",
            "return document.querySelectorAll('.slot-cell[data-hand=true]').length === 1",
        )
        .await;
    let lower = format!("return {TYPED_TOP} === {}", top + 10.0);
    browser.until("Shift and an arrow key move it by 10 px of the picture", &lower).await;

    browser.labelled("Finish").await.click().await.unwrap();
    add(&browser, "Border").await;
    browser.find("[data-kind=border]").await;
    add(&browser, "Text").await;
    let words = browser.find("[data-kind=text] textarea").await;
    words.clear().await.unwrap();
    words.send_keys("Star walks every clear Friday").await.unwrap();
    browser
        .until("its contrast is told", "return !!document.querySelector('[data-kind=text] .issue-line')?.textContent.match(/contrast/i)")
        .await;
    browser.until("all is noted", &state("Unsaved changes")).await;

    // Undone twice: the words, then the text; the border stays.
    for _ in 0..2 {
        undo(&browser).await;
    }
    browser.until("the text is gone", "return !document.querySelector('[data-kind=text]') && !!document.querySelector('[data-kind=border]')").await;

    browser.choose_in_menu("More…", "Save as new…").await;
    let name = browser.find("#beside-name").await;
    name.clear().await.unwrap();
    name.send_keys("Moor with a border").await.unwrap();
    browser.find(".place-boxes input").await.click().await.unwrap();
    browser.labelled("Make the new picture").await.click().await.unwrap();
    browser.until("the new one lies on the bench", "return document.querySelector('.bench-name')?.textContent.includes('Moor with a border')").await;

    let placed = application.json("/api/occurrences").await;
    let place =
        placed.as_array().unwrap().iter().find(|one| one["id"] == place["id"]).unwrap().clone();
    let made = text(&place["picture_id"]);
    assert_ne!(made, picture);
    let bench = application.json(&format!("/api/pictures/{made}/bench")).await;
    assert_eq!(bench["adjustments"]["edits"]["steps"][0]["kind"], "border");
    assert_eq!(bench["adjustments"]["edits"]["steps"].as_array().unwrap().len(), 1);
    assert!(bench["adjustments"]["crops"][&slot]["820"].is_object(), "{bench}");
    // The picture that it was made from holds as it did.
    assert_eq!(application.json(&format!("/api/pictures/{picture}")).await["is_edited"], false);

    browser.client.goto(&application.url("/layouts")).await.unwrap();
    let shown = format!("return !!document.querySelector('.place img[src*=\"{made}\"]')");
    browser.until("it is shown on its page", &shown).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

/// Where the four frames are drawn: the top of the first, and of that at 820.
async fn framed(browser: &Browser) -> Value {
    let script = "const frames = [...document.querySelectorAll('.slot-frame')];
        return [frames.length, frames[0].offsetTop, frames[1].offsetTop];";
    browser.run(script, vec![]).await
}

/// How far from the top the chosen frame begins, as the page has it.
const TYPED_TOP: &str =
    "Number(document.querySelector(\"input[aria-label='Frame, px from the top']\").value)";

/// How far from the top the chosen frame begins, as the figures tell it.
async fn typed_top(browser: &Browser) -> f64 {
    browser.find("input[aria-label='Frame, px from the top']").await;
    browser.run(&format!("return {TYPED_TOP}"), vec![]).await.as_f64().unwrap()
}

fn state(words: &str) -> String {
    format!(
        "return document.querySelector('[data-testid=work-state]')?.textContent === {}",
        json!(words)
    )
}

async fn undo(browser: &Browser) {
    let before =
        browser.run("return document.querySelector('.edit-list')?.innerHTML ?? ''", vec![]).await;
    browser.labelled("Undo").await.click().await.unwrap();
    let changed =
        format!("return (document.querySelector('.edit-list')?.innerHTML ?? '') !== {before}");
    browser.until("something was undone", &changed).await;
}

async fn add(browser: &Browser, edit: &str) {
    let field = browser.find("input[aria-label='Add an edit']").await;
    field.send_keys("\u{E015}").await.unwrap();
    let path = format!("//*[contains(@class, 'select-item-option')][.='{edit}']");
    let option = browser.client.wait().for_element(Locator::XPath(&path)).await.unwrap();
    option.click().await.unwrap();
}

/// The part of a picture whose colours tell where they are, as a browser shows it in a box.
#[tokio::test(flavor = "multi_thread")]
async fn chromium_paints_what_the_object_position_promises() {
    let home = Home::empty().await;
    let application = home.serve();
    // One step of red and green a pixel.
    let source = gradient(255, 170);
    let picture = application.upload("signs.png", png::encode_fast(&source).unwrap()).await;
    let boxes = json!({"390": [200.0, 140.0], "820": [220.0, 132.0], "1280": [300.0, 175.0]});
    let slot = json!({"name": "teaser", "kind": "card", "fit": "cover", "boxes": boxes});
    let slot = text(&application.post("/api/slots", &slot).await["id"]);
    let work = json!({
        "focal": {"x": 0.9, "y": 0.1},
        "keep_area": {"x": 0.0, "y": 0.3, "width": 0.3, "height": 0.4},
    });
    let asked = json!({"adjustments": work, "slots": [slot]});
    let framings = application.post(&format!("/api/pictures/{picture}/framings"), &asked).await;
    let framing = &framings["slots"][0];
    assert_eq!(framing["cropping"], "browser", "{framing}");
    let rect = |value: &Value| {
        let side = |key: &str| value[key].as_u64().unwrap() as u32;
        Rect { x: side("x"), y: side("y"), width: side("width"), height: side("height") }
    };
    let file = png::encode_fast(&source.crop(rect(&framing["file"]))).unwrap();
    let file = base64::engine::general_purpose::STANDARD.encode(file);
    let css = text(&framing["css"]);

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    for width in framing["widths"].as_array().unwrap() {
        let viewport = width["viewport"].as_u64().unwrap() as u32;
        browser.viewport(viewport, 800).await;
        let page = format!(
            "<style>body{{margin:0}}{css}</style><img style='display:block;width:{}px;height:{}px' \
             src='data:image/png;base64,{file}'>",
            width["size"][0], width["size"][1],
        );
        let page = base64::engine::general_purpose::STANDARD.encode(page);
        browser.client.goto(&format!("data:text/html;base64,{page}")).await.unwrap();
        browser.until("it is painted", "return document.querySelector('img')?.complete").await;
        let image = browser.find("img").await.screenshot().await.unwrap();
        let painted = png::decode(&image).unwrap();
        let crop = rect(&width["crop"]);
        let (each, size) = (painted.channels().count(), painted.size());
        let at = |x: u32, y: u32| {
            let start = (y * size.width + x) as usize * each;
            (f64::from(painted.data()[start]), f64::from(painted.data()[start + 1]))
        };
        // Green has 255 steps on 170 pixels.
        let place = |(red, green): (f64, f64)| (red, green * 170.0 / 255.0);
        let (left, top) = place(at(0, 0));
        let (right, bottom) = place(at(size.width - 1, size.height - 1));
        let ends = [
            (left, f64::from(crop.x)),
            (top, f64::from(crop.y)),
            (right, f64::from(crop.x + crop.width - 1)),
            (bottom, f64::from(crop.y + crop.height - 1)),
        ];
        for (painted, framed) in ends {
            assert!((painted - framed).abs() <= 1.5, "{ends:?} at {viewport}");
        }
    }
    browser.close().await;
}

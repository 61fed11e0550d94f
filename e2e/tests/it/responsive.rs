//! The responsive set: made, its markup copied, and each screen downloads what was promised.

use std::time::Duration;

use axum::Router;
use axum::response::Html;
use axum::routing::get;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::Browser;
use brisk_margin_e2e::web_host;
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::{Value, json};

/// Viewports with the width and the height that they give a slot, in CSS px.
type Boxes = [(u32, f64, f64); 3];

/// Slots by name, with their boxes: one that changes its shape, one that never does, one that
/// changes it so little that the browser crops, and one that a style sheet fills.
const SLOTS: [(&str, Boxes); 4] = [
    ("hero", [(390, 179.0, 150.0), (820, 394.0, 200.0), (1_280, 564.0, 240.0)]),
    ("card", [(390, 358.0, 179.0), (820, 386.0, 193.0), (1_280, 270.0, 135.0)]),
    ("teaser", [(390, 358.0, 220.0), (820, 386.0, 220.0), (1_280, 365.5, 220.0)]),
    ("background", [(390, 390.0, 150.0), (820, 410.0, 200.0), (1_280, 640.0, 240.0)]),
];

/// Adds the picture, described, and the slots; returns their numbers.
async fn stocked(application: &Application) -> (String, Vec<String>) {
    let picture = application.upload("dome.jpg", gradient_jpeg(1000, 700)).await;
    let fields = json!({
        "alt": "The \"dome\" & its <hill>", "caption": "At dusk", "creator": "Ada Fenn",
    });
    let described = json!({"pictures": {&picture: fields}});
    let describe = brisk_margin_e2e::http::client().patch(application.url("/api/pictures"));
    let describe = describe.header("content-type", "application/json").body(described.to_string());
    assert_eq!(describe.send().await.unwrap().status(), 200);
    // AVIF takes long on a busy machine, and is chosen as any other.
    let rule = json!({"formats": ["webp", "jpeg"]});
    let said = brisk_margin_e2e::http::client().put(application.url("/api/output-rules"));
    let said = said.header("content-type", "application/json").body(rule.to_string());
    assert_eq!(said.send().await.unwrap().status(), 200);
    let mut slots = Vec::new();
    for (name, boxes) in SLOTS {
        let boxes: serde_json::Map<String, Value> =
            boxes.iter().map(|(v, w, h)| (v.to_string(), json!([w, h]))).collect();
        let kind = if name == "background" { name } else { "card" };
        let new = json!({"name": name, "kind": kind, "fit": "cover", "boxes": boxes});
        let slot = application.post("/api/slots", &new).await;
        slots.push(slot["id"].as_str().unwrap().to_owned());
    }
    (picture, slots)
}

/// A web host with the files of a set and, below any path, a page that shows its markup in its boxes.
async fn hosted(application: &Application, name: &str, set: &Value, markup: &str) -> String {
    let (_, boxes) = SLOTS.iter().find(|(slot, _)| *slot == name).unwrap();
    let style: String = boxes
        .iter()
        .map(|(v, w, h)| {
            format!(
                "@media (min-width: {v}px) {{ img, .background {{ width: {w}px; height: {h}px }} }}\n"
            )
        })
        .collect();
    let own = "img { object-fit: cover } .background { background: center / cover }";
    let body = match name {
        "background" => format!("<style>{markup}</style><body><div class=background></div>"),
        _ => format!("<body>{markup}"),
    };
    let page = format!("<!doctype html><title>{name}</title><style>{own}\n{style}</style>{body}");
    // Each screen has addresses of its own, so that no file is preferred for being there already.
    let mut router = Router::new().route("/{screen}/", get(move || async move { Html(page) }));
    for file in files(set) {
        let variant = file["made"]["variant"].as_str().unwrap();
        let address = application.url(&format!("/api/variants/{variant}/file"));
        let bytes = brisk_margin_e2e::http::bytes_at(address).await;
        let path = format!("/{{screen}}/{}", file["name"].as_str().unwrap());
        router = router.route(&path, get(move || async move { bytes }));
    }
    web_host::serve(router).await
}

fn files(set: &Value) -> impl Iterator<Item = &Value> {
    let steps =
        set["parts"].as_array().unwrap().iter().flat_map(|p| p["steps"].as_array().unwrap());
    steps.flat_map(|step| step["files"].as_array().unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_set_is_made_its_markup_copied_and_chromium_chooses_what_was_promised() {
    let home = Home::empty().await;
    let application = home.serve();
    let (picture, slots) = stocked(&application).await;
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let address = format!("/bench/{picture}?step=encode&slot={}", slots[0]);
    browser.client.goto(&application.url(&address)).await.unwrap();
    // The slot of the address is the one that is encoded for.
    browser.segment("Whole set").await;
    let planned = "return document.querySelector('[data-testid=set-state]')?.textContent
        .startsWith('0 of ')";
    browser.until("the set is planned", planned).await;
    let make = "const button = [...document.querySelectorAll('.set-pane button')]
        .find((one) => one.textContent.startsWith('Make ')); button?.click(); return !!button;";
    browser.until("the files are wanted", make).await;
    browser
        .until_within(
            Duration::from_secs(120),
            "every file is made",
            "return [...document.querySelectorAll('.set-pane button')]
        .some((one) => one.textContent === 'All made')",
        )
        .await;
    browser.labelled("Copy markup").await.click().await.unwrap();
    // Where nobody may write to the clipboard, it is selected instead.
    let copied = "const pane = document.querySelector('[aria-label=Markup]');
        return pane.querySelector('[role=status]').textContent === 'copied'
            ? pane.querySelector('pre').textContent : getSelection().toString()";
    let copied = browser.until("the markup is copied or selected", copied).await;
    assert_eq!(browser.complaints().await, [""; 0]);

    for ((name, boxes), slot) in SLOTS.iter().zip(&slots) {
        let asked = json!({"slot": slot});
        application.post(&format!("/api/pictures/{picture}/set/files"), &asked).await;
        let set = loop {
            let set = application.post(&format!("/api/pictures/{picture}/set"), &asked).await;
            if !["waiting", "running"].contains(&set["job"]["state"].as_str().unwrap_or("waiting"))
            {
                break set;
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        };
        assert_eq!(set["made"], set["files"], "{name}: {:#}", set["job"]);
        let markup = set["markup"].as_str().unwrap();
        if *name == "hero" {
            assert_eq!(copied.as_str().unwrap().trim(), markup.trim());
            assert!(set["parts"].as_array().unwrap().len() > 1, "a shape of its own");
        }
        let cropping = set["cropping"].as_str().unwrap();
        assert_eq!(cropping == "browser", *name == "teaser", "{name}: {cropping}");
        let host = hosted(&application, name, &set, markup).await;
        let promised = set["downloads"].as_array().unwrap();
        assert_eq!(promised.len(), boxes.len() * 2, "every layout width at both densities");
        for screen in promised {
            let (viewport, density) = (screen["viewport"].as_u64().unwrap(), &screen["density"]);
            let density = density.as_f64().unwrap();
            browser.screen(viewport as u32, 800, density).await;
            browser.client.goto(&format!("{host}/{viewport}-{density}/")).await.unwrap();
            let chosen = browser.until("the picture is loaded", LOADED).await;
            let chosen = chosen.as_str().unwrap().rsplit('/').next().unwrap().to_owned();
            let at = format!("{name} at {viewport} px, {density}x");
            assert_eq!(chosen, screen["file"].as_str().unwrap(), "{at}: {markup}");
            if *name == "background" {
                continue;
            }
            let read = browser.run(ATTRIBUTES, vec![]).await;
            assert_eq!(read["alt"], "The \"dome\" & its <hill>");
            assert_eq!(read["caption"], "At dusk Ada Fenn");
            // The file is that wide, not less: nobody sees it blurred.
            assert_eq!(read["width"], screen["width"], "{at}");
        }
    }
    browser.close().await;
}

/// The address of the file that the page shows, in an element or behind one.
const LOADED: &str = "const image = document.querySelector('img');
    if (image) return image.complete && image.currentSrc;
    const files = performance.getEntriesByType('resource').map((one) => one.name);
    const pictures = files.filter((name) => /[.](webp|jpg)$/.test(name));
    return pictures.length === 1 && pictures[0];";

const ATTRIBUTES: &str = "const image = document.querySelector('img');
    const probe = new Image(); probe.src = image.currentSrc;
    return probe.decode().then(() => ({
        alt: image.alt, width: probe.naturalWidth,
        caption: document.querySelector('figcaption').textContent,
    }));";

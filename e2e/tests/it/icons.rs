//! From one master to a site's icons: made, published, loaded by Chromium, checked, touched up, taken back.

use std::fs;
use std::path::Path;
use std::time::Duration;

use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::icon::design::usual_square;
use brisk_margin_demo::site::MEDIA;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_e2e::files::seen;
use brisk_margin_e2e::hands::Hands;
use brisk_margin_e2e::web_host::serve;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::master::Master;
use brisk_margin_imaging::icon::served::is_enlarged;
use brisk_margin_imaging::icon::small::small;
use brisk_margin_imaging::original::Original;
use brisk_margin_site::host::{self, Faults};
use serde_json::{Value, json};

const LONG: Duration = Duration::from_secs(60);

pub(crate) const MARK: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="512" height="512" viewBox="0 0 512 512">
<path d="M60 370a196 196 0 0 1 392 0z" fill="none" stroke="#12304f" stroke-width="24"/>
<path d="M226 190v160h60V190" fill="none" stroke="#12304f" stroke-width="24"/>
<rect x="40" y="400" width="432" height="44" fill="#12304f"/></svg>"##;

const INDEX: &str = "<!doctype html>\n<html lang=en>\n<head>\n  <meta charset=utf-8>\n  <title>Tarn</title>\n  \
    <link rel='shortcut icon' href=old.png>\n  <link rel=stylesheet href=s.css>\n</head>\n<body><h1>Tarn</h1></body>\n</html>\n";
const VISIT: &str =
    "<!doctype html><html lang=en><head><title>Visit</title></head><body><p>x</p></body></html>";

/// A site of two pages that is served, and an application that knows its folder and has the mark.
async fn known(folder: &Path) -> (Home, Application, String) {
    for (name, text) in [
        ("index.html", INDEX),
        ("visit.html", VISIT),
        ("part.html", "<p>a part</p>"),
        ("s.css", ""),
    ] {
        fs::write(folder.join(name), text).unwrap();
    }
    let site = serve(host::router(folder, Faults::default())).await;
    let home = Home::empty().await;
    let application = home.serve();
    let address = format!("{site}/index.html");
    let settings = json!({"folder": folder.to_str().unwrap(), "address": address});
    application.change("/api/site", &settings).await;
    application.post("/api/measurements", &json!({"address": address, "whole_site": false})).await;
    application.until_measured().await;
    application.upload("dome-mark.svg", MARK.as_bytes().to_vec()).await;
    (home, application, site)
}

#[tokio::test(flavor = "multi_thread")]
async fn from_a_master_to_icons_that_are_published_loaded_checked_and_taken_back() {
    let folder = tempfile::tempdir().unwrap();
    let (_home, application, site) = known(folder.path()).await;
    let before = seen(folder.path());
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.find(".grid-row").await;

    let mut hands = Hands::of(&browser);
    hands.key("gi").await;
    hands.search("Master", "dome-mark").await;
    hands.field("Name of the site", "Tarnlight Observatory").await;
    browser
        .until(
            "small sizes are drawn",
            "return document.querySelectorAll('[data-testid^=small-]').length === 5",
        )
        .await;
    browser.until("helps are proposed", &shows("Thicken strokes")).await;
    hands.press("Make files").await;
    browser.until_within(LONG, "they are made", &shows("9 files made")).await;
    hands.press("Publish…").await;
    browser
        .until_within(LONG, "it is prepared", &shows("would change: 2 pages, 10 files added"))
        .await;
    browser.segment("Left as they are 1").await;
    browser.until("a part of a page has no head", &shows("part.html")).await;
    hands.press("Publish now").await;
    browser.until_within(LONG, "it is published", &shows("check what it serves now")).await;
    hands.press("check what it serves now").await;
    hands.press("Check").await;
    browser.until_within(LONG, "it is checked", &shows("on 1 page")).await;
    hands.took("From a master to published and checked", 12);
    assert!(!browser.text().await.contains("Missing:"), "{}", browser.text().await);
    // This host says nothing of keeping, which is told of all; nothing else is wrong.
    let report = &application.json("/api/icons").await["checked"]["report"];
    let icons = report["icons"].as_array().unwrap();
    assert_eq!(icons.len(), 10, "the drawing as an icon and in the manifest: {report}");
    for icon in icons {
        let kinds: Vec<&str> = icon["troubles"]
            .as_array()
            .unwrap()
            .iter()
            .map(|one| one["kind"].as_str().unwrap())
            .collect();
        assert_eq!(kinds, ["not-kept"], "{icon}");
    }

    let page = fs::read_to_string(folder.path().join("index.html")).unwrap();
    assert!(page.contains("\n  <link rel=\"manifest\" href=\"/site.webmanifest\">\n"), "{page}");
    assert!(!page.contains("old.png") && page.contains("s.css"), "{page}");

    let visitor = Browser::open(800, 600, downloads.path()).await;
    visitor.client.goto(&format!("{site}/index.html")).await.unwrap();
    installable(&visitor).await;
    loaded(&visitor).await;
    assert_eq!(visitor.complaints().await, [""; 0]);
    visitor.close().await;

    browser.client.back().await.unwrap();
    browser.labelled("Take back").await.click().await.unwrap();
    browser.until_within(LONG, "it is taken back", &shows("; taken back")).await;
    assert_eq!(seen(folder.path()), before, "every byte and time as before");
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

/// Chromium reads the manifest without a warning, and has nothing against the icons.
async fn installable(visitor: &Browser) {
    let manifest = visitor.ask("Page.getAppManifest", json!({})).await;
    assert!(manifest["url"].as_str().unwrap().ends_with("/site.webmanifest"), "{manifest}");
    assert_eq!(manifest["errors"], json!([]), "{manifest}");
    let against = visitor.ask("Page.getInstallabilityErrors", json!({})).await;
    let icons: Vec<&Value> = against["installabilityErrors"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|error| error["errorId"].as_str().unwrap().contains("icon"))
        .collect();
    assert!(icons.is_empty(), "{icons:?}");
}

/// Each icon that the page and its manifest name is there with the pixels that it is said to have.
async fn loaded(visitor: &Browser) {
    let script = "return (async () => {
        const size = (address) => new Promise((done) => {
            const image = new Image();
            image.onload = () => done([image.naturalWidth, image.naturalHeight]);
            image.onerror = () => done(null);
            image.src = address;
        });
        const named = [...document.querySelectorAll('link[rel*=icon]')].map((link) => [link.href, link.sizes.value]);
        const manifest = await (await fetch(document.querySelector('link[rel=manifest]').href)).json();
        named.push(...manifest.icons.map((icon) => [new URL(icon.src, location.href).href, icon.sizes]));
        return Promise.all(named.map(async ([address, sizes]) => [address, sizes, await size(address)]));
    })()";
    let icons = visitor.run(script, vec![]).await;
    let icons = icons.as_array().unwrap();
    assert_eq!(icons.len(), 9, "{icons:?}");
    for icon in icons {
        let (name, said, has) = (icon[0].as_str().unwrap(), icon[1].as_str().unwrap(), &icon[2]);
        assert!(has.is_array(), "{name} does not load");
        // An ICO is said to have one of its sizes, and shows another.
        if let Some((side, _)) = said.split_once('x').filter(|_| !name.ends_with(".ico")) {
            let side: u32 = side.parse().unwrap();
            assert_eq!(has, &json!([side, side]), "{name}");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn pixels_are_touched_up_by_keyboard_and_stay_when_the_master_changes() {
    let home = Home::empty().await;
    let application = home.serve();
    let mark = application.upload("dome-mark.svg", MARK.as_bytes().to_vec()).await;
    let other = MARK.replace("196 196", "180 196");
    let other = application.upload("other-mark.svg", other.into_bytes()).await;
    let design = json!({"design": {"master": mark}, "version": 0});
    application.put("/api/icons", &design).await;
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/icons")).await.unwrap();
    browser.focus(".pixel-grid").await;
    let colour = "return document.querySelector('.pixel-grid [data-x=\"2\"][data-y=\"1\"]').style.background";
    let clear = browser.run(colour, vec![]).await;
    let grid = browser.find(".pixel-grid").await;
    let (right, down) = ("\u{E014}", "\u{E015}");
    grid.send_keys(&format!("{right}{right}{down} ")).await.unwrap();
    browser
        .until(
            "the pixel is set",
            &format!("{colour} === 'rgb(18, 48, 79)'").replace("return return", "return"),
        )
        .await;
    grid.send_keys("\u{E009}z").await.unwrap();
    let undone = format!("{colour} === {clear}");
    browser.until("it is undone", &undone).await;
    browser.find(".pixel-grid").await.send_keys(" ").await.unwrap();
    browser.choose_in_menu("More", "Save without making files").await;
    browser
        .until("it is saved", "return !document.body.innerText.includes('Unsaved changes')")
        .await;
    let saved = application.json("/api/icons").await;
    let pixels = &saved["design"]["touch_ups"]["16"]["pixels"];
    assert_eq!(pixels, &json!([{"x": 2, "y": 1, "colour": "#12304f"}]), "{saved}");

    // With another master they are laid on again, and that is told.
    browser.type_into("Master", "other-mark").await;
    browser
        .click(".ant-select-dropdown:not(.ant-select-dropdown-hidden) [title*='other-mark']")
        .await;
    browser.until("it is told", &shows("The icon changed since it was touched up")).await;
    browser.until("the pixel is still set", &format!("{colour} === 'rgb(18, 48, 79)'")).await;
    browser.labelled("They fit").await.click().await.unwrap();
    browser
        .until(
            "nothing more is told",
            "return !document.body.innerText.includes('The icon changed')",
        )
        .await;

    // Somebody else saved meanwhile: who comes second is told, and keeps what was decided.
    let theirs = json!({"design": {"master": other, "name": "Theirs"}, "version": 1});
    let mut put = saved.clone();
    put["design"] = theirs["design"].clone();
    let put = json!({"design": put["design"], "version": saved["version"]});
    application.put("/api/icons", &put).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[test]
fn every_demo_master_is_more_readable_with_helps_than_scaled_down() {
    let codecs = Codecs::in_process();
    let names = [
        "tarnlight-mark.png",
        "plan.png",
        "half-moon.jpg",
        "veil-nebula.png",
        "hire-1.jpg",
        "guide-1.jpg",
    ];
    for name in names {
        let medium = MEDIA.iter().find(|medium| medium.name == name).unwrap();
        let bytes = medium.bytes(|scene| scene.draw());
        let original = Original::open(&codecs, &bytes).unwrap();
        let square = usual_square(original.facts().size, FocalPoint::CENTRE);
        let master = Master::read(&original, square).unwrap();
        let at_16 = small(&master, 16, &[]);
        let best = |two: [brisk_margin_core::icon::legibility::Legibility; 2]| {
            two.map(|one| one.score).into_iter().fold(0.0, f64::max)
        };
        let (plain, helped) = (best(at_16.plain_legibility), best(at_16.legibility));
        println!("{name}: {plain:.0} → {helped:.0}, {:?}", at_16.helps);
        assert!(helped > plain, "{name}: {plain} → {helped}");
        assert!(!is_enlarged(&master.at(192)), "{name} was made smaller, not larger");
    }
}

//! Every screen, in both themes, without what keeps people out.

use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::Browser;
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::json;

/// Each screen by its name, its address and what is there once it is drawn.
fn screens(
    picture: &str,
    slot: &str,
    runs: &[String; 2],
) -> Vec<(&'static str, String, &'static str)> {
    let [run, other] = runs;
    vec![
        ("margins", "/margins".into(), ".empty h2"),
        ("library", "/library".into(), ".grid-row"),
        ("contact sheet", "/library?view=pictures".into(), ".contact-picture"),
        ("text grid", "/library?view=write".into(), ".grid.describe .grid-row"),
        ("nothing found", "/library?q=nothing-has-this-name".into(), ".empty h2"),
        ("look-alikes", "/library/alike".into(), ".empty h2, .pairs li"),
        ("changes", "/library/changes".into(), ".empty h2, .changes"),
        ("runs", "/runs".into(), ".empty h2, .done-table"),
        ("a new run, of nothing", "/runs/new".into(), ".empty h2"),
        ("a new run", format!("/runs/new?slot={slot}"), "[data-testid=forecast]"),
        ("a run", format!("/runs/{run}"), "tr[data-state=done]"),
        ("results to check", format!("/runs/{run}/check"), "[data-check]"),
        ("two runs", format!("/runs/{run}/against/{other}"), ".run-sum"),
        ("icons", "/icons".into(), ".empty h2"),
        ("icons, served", "/icons?view=served".into(), "#served-address"),
        ("publish", "/publish".into(), ".empty h2, [data-testid=ready]"),
        ("picture", format!("/library/{picture}"), ".picture-sheet"),
        ("layouts", "/layouts".into(), ".place, .slots"),
        ("frame", format!("/bench/{picture}?step=frame"), ".plate"),
        (
            "finish",
            format!("/bench/{picture}?step=finish"),
            ".edit-list, [aria-label='Add an edit']",
        ),
        ("encode", format!("/bench/{picture}?step=encode&for=size"), ".encode-bar"),
        ("nowhere", "/nothing-here".into(), ".empty h1"),
    ]
}

#[tokio::test(flavor = "multi_thread")]
async fn no_screen_has_a_barrier_in_either_theme() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.find(".empty").await;
    let mut found = Vec::new();
    check(&browser, "empty library", &mut found).await;
    browser.drop_file("Dome at dusk.jpg", &gradient_jpeg(1600, 1200)).await;
    browser.find("li[data-stage=taken]").await;
    check(&browser, "uploads", &mut found).await;
    let boxes = json!({"390": [358, 200], "1280": [600, 300]});
    let slot = json!({"name": "Poster", "kind": "text", "fit": "cover", "boxes": boxes});
    let slot = application.post("/api/slots", &slot).await["id"].as_str().unwrap().to_owned();
    let picture = application.json("/api/pictures").await["pictures"][0]["id"].clone();
    let picture = picture.as_str().unwrap();
    let runs =
        [run(&application, picture, &slot, 1).await, run(&application, picture, &slot, 2).await];
    for (name, address, there) in screens(picture, &slot, &runs) {
        browser.client.goto(&application.url(&address)).await.unwrap();
        browser.find(there).await;
        check_both(&browser, name, &mut found).await;
    }
    for (name, button) in [("settings", "Site settings"), ("background", "Background")] {
        browser.client.goto(&application.url("/library")).await.unwrap();
        browser.find(".grid-row").await;
        browser.labelled(button).await.click().await.unwrap();
        browser.find(".ant-drawer-body").await;
        check_both(&browser, name, &mut found).await;
    }
    assert!(found.is_empty(), "{} barriers:\n{}", found.len(), found.join("\n"));
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

/// A run over a picture for a slot at a density, once it is done.
async fn run(application: &Application, picture: &str, slot: &str, density: u8) -> String {
    let rule = json!({"formats": ["jpeg"], "densities": [density]});
    application.put("/api/output-rules", &rule).await;
    application.run_to_its_end(&json!({"which": {"ids": [picture]}, "slots": [slot]})).await
}

/// Checks a screen as it is, and in the other theme.
pub(crate) async fn check_both(browser: &Browser, screen: &str, found: &mut Vec<String>) {
    for (theme, other) in [("light", "Dark theme"), ("dark", "Light theme")] {
        check(browser, &format!("{screen}, {theme}"), found).await;
        let press = format!(
            "[...document.querySelectorAll('.top button')]
                .find((one) => one.textContent === '{other}').click()"
        );
        browser.run(&press, vec![]).await;
    }
}

async fn check(browser: &Browser, screen: &str, found: &mut Vec<String>) {
    let barriers = browser.barriers().await;
    found.extend(barriers.into_iter().map(|barrier| format!("{screen}: {barrier}")));
}

//! `brisk-margin icons` as a script uses it, on sites of all kinds.

use std::fs;
use std::path::Path;
use std::process::Output;

use axum::Router;
use axum::http::header;
use axum::response::Html;
use axum::routing::get;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_e2e::application::program;
use brisk_margin_e2e::web_host::serve;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png};
use serde_json::Value;
use tokio::process::Command;

use crate::icons::MARK;

async fn icons(folder: &Path, arguments: &[&str]) -> Output {
    let mut command = Command::new(program());
    command.current_dir(folder).arg("icons").args(arguments);
    command.output().await.unwrap()
}

fn json(output: &Output) -> Value {
    let text = String::from_utf8_lossy(&output.stdout);
    serde_json::from_str(&text)
        .unwrap_or_else(|_| panic!("{text}{}", String::from_utf8_lossy(&output.stderr)))
}

/// What is wrong with each icon, by its address.
fn troubles(report: &Value) -> Vec<(String, Vec<String>)> {
    let icons = report["icons"].as_array().unwrap();
    let kinds = |icon: &Value| {
        let troubles = icon["troubles"].as_array().unwrap().iter();
        troubles.map(|one| one["kind"].as_str().unwrap().to_owned()).collect()
    };
    icons.iter().map(|icon| (icon["address"].as_str().unwrap().to_owned(), kinds(icon))).collect()
}

fn of<'a>(all: &'a [(String, Vec<String>)], ending: &str) -> &'a [String] {
    let found = all.iter().find(|(address, _)| address.ends_with(ending));
    &found.unwrap_or_else(|| panic!("{ending} is not in {all:#?}")).1
}

fn lacks(report: &Value) -> Vec<&str> {
    report["lacks"].as_array().unwrap().iter().map(|one| one["lack"].as_str().unwrap()).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_made_is_found_fine_and_never_takes_the_place_of_another_file() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("mark.svg"), MARK).unwrap();
    let made = [
        "make",
        "mark.svg",
        "--out",
        "site",
        "--name",
        "Tarn \"Light\"",
        "--prefix",
        "/",
        "--json",
    ];
    let output = icons(folder.path(), &made).await;
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let text = String::from_utf8(output.stdout).unwrap();
    let lines: Vec<Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(lines.len(), 11, "nine files, the manifest and the lines for pages");
    for line in &lines {
        let file = fs::read(folder.path().join(line["file"].as_str().unwrap())).unwrap();
        assert_eq!(line["bytes"], file.len());
    }
    let again = icons(folder.path(), &made).await;
    assert_eq!(String::from_utf8(again.stdout).unwrap(), text, "the same once more");

    let site = folder.path().join("site");
    let head = fs::read_to_string(site.join("head.html")).unwrap();
    let sharing = "<meta property=\"og:image\" content=\"/sharing-1200x630.png\">";
    fs::write(
        site.join("index.html"),
        format!("<html><head>{head}{sharing}</head><p>x</p></html>"),
    )
    .unwrap();
    let address = serve(host::router(&site, Faults::default())).await;
    let report = json(&icons(folder.path(), &["check", &address, "--json"]).await);
    assert_eq!(report["lacks"], serde_json::json!([]), "{report}");
    let all = troubles(&report);
    assert_eq!(all.len(), 10, "the drawing as an icon and in the manifest: {all:?}");
    assert!(all.iter().all(|(_, kinds)| kinds == &["not-kept"]), "{all:?}");

    fs::write(site.join("icon-96.png"), "mine").unwrap();
    let refused = icons(folder.path(), &made).await;
    assert_eq!(refused.status.code(), Some(1));
    assert_eq!(fs::read(site.join("icon-96.png")).unwrap(), b"mine");
    let failed = icons(folder.path(), &["make", "none.svg", "--json"]).await;
    assert_eq!(failed.status.code(), Some(1));
    assert!(json(&failed)["error"].as_str().unwrap().contains("none.svg"));
    fs::write(
        folder.path().join("empty.svg"),
        "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>",
    )
    .unwrap();
    let empty = json(&icons(folder.path(), &["make", "empty.svg", "--json"]).await);
    assert!(empty["error"].as_str().unwrap().contains("transparent all over"), "{empty}");
}

#[tokio::test(flavor = "multi_thread")]
async fn every_fault_of_a_sites_icons_is_told_with_its_mend() {
    let png = |side: u32| {
        let bytes = gradient_png(side, side);
        get(move || async move {
            (
                [(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "max-age=604800")],
                bytes,
            )
        })
    };
    let data = format!("data:image/png;base64,{}", STANDARD.encode(gradient_png(16, 16)));
    let many: String = (0..16).map(|n| format!("<link rel=icon href=/many/{n}.png>")).collect();
    let page = format!(
        "<html><head><link rel=icon href=/good.png sizes=48x48><link rel=icon href='{data}'>
         <link rel=icon href=/page.ico><link rel=icon href=/gone.png><link rel=icon href=/other.png sizes=64x64>
         <link rel=icon href=/typed.png><link rel=icon href=/typed.png><link rel=icon href=/tall.jpg>
         <link rel=icon href=http://127.0.0.1:9/away.png><link rel=apple-touch-icon href=/good.png>
         <link rel=manifest href=/m.json>{many}</head><p>x</p></html>"
    );
    let typed = gradient_png(32, 32);
    let typed = get(move || async move { ([(header::CONTENT_TYPE, "text/plain")], typed) });
    let tall = gradient_jpeg(60, 90);
    let tall = get(move || async move { ([(header::CONTENT_TYPE, "image/jpeg")], tall) });
    let router = Router::new()
        .route("/", get(move || async move { Html(page) }))
        .route("/bare", get(|| async { Html("<html><head></head><p>no icon</p></html>") }))
        .route("/good.png", png(48))
        .route("/other.png", png(48))
        .route("/many/{n}", png(16))
        .route("/page.ico", get(|| async { Html("<p>Nothing was found") }))
        .route("/typed.png", typed)
        .route("/tall.jpg", tall)
        .route("/m.json", get(|| async { "{ \"icons\": [ }" }));
    let address = serve(router).await;
    let folder = tempfile::tempdir().unwrap();
    let bare = format!("{address}/bare");
    let output = icons(folder.path(), &["check", &address, &bare, "--json"]).await;
    assert_eq!(output.status.code(), Some(1));
    let report = json(&output);
    let all = troubles(&report);
    assert!(of(&all, "/good.png").is_empty(), "{all:?}");
    assert!(
        all.iter().any(|(address, kinds)| address.starts_with("data:") && kinds.is_empty()),
        "{all:?}"
    );
    assert_eq!(of(&all, "/page.ico"), ["no-picture"]);
    assert_eq!(of(&all, "/gone.png"), ["status"]);
    assert_eq!(of(&all, "/other.png"), ["other-pixels"]);
    assert_eq!(of(&all, "/typed.png"), ["wrong-type", "named-twice", "not-kept"]);
    assert_eq!(of(&all, "/tall.jpg"), ["no-square", "not-kept"]);
    assert_eq!(of(&all, "/away.png"), ["elsewhere"]);
    let touch = report["icons"].as_array().unwrap().iter().find(|icon| icon["named_as"] == "touch");
    assert_eq!(
        touch.unwrap()["troubles"][0]["kind"],
        "small",
        "48 px are too few for a home screen"
    );
    assert_eq!(report["are_many"], true);
    assert_eq!(report["silent"], serde_json::json!([bare]));
    assert!(report["manifest"].as_str().unwrap().contains("is no manifest"), "{report}");
    assert!(lacks(&report).contains(&"manifest"));

    // Without any icon, and with one that only browsers ask for.
    let bare = json(&icons(folder.path(), &["check", &bare, "--json"]).await);
    assert!(lacks(&bare).contains(&"tabs"), "{bare}");
    let asked = Router::new()
        .route("/", get(|| async { Html("<html><head></head><p>x</p></html>") }))
        .route("/favicon.ico", png(32));
    let asked = serve(asked).await;
    let asked = json(&icons(folder.path(), &["check", &asked, "--json"]).await);
    assert!(!lacks(&asked).contains(&"tabs"), "{asked}");
    assert_eq!(asked["icons"][0]["named_by"][0]["by"], "well-known");
    let silent = icons(folder.path(), &["check", "http://127.0.0.1:9/", "--json"]).await;
    assert_eq!(silent.status.code(), Some(1));
    assert_eq!(json(&silent)["unread"][0]["reason"], "the host does not answer");
}

//! Packages: what was made, to be carried to a site elsewhere.

use std::io::{Cursor, Read};

use axum::http::StatusCode;
use brisk_margin_core::publication::package::Manifest;
use serde_json::json;
use zip::ZipArchive;

use crate::runs::{Library, library};

#[tokio::test]
async fn a_package_has_every_file_that_its_list_and_its_markup_name() {
    let Library { api, heavy, light, unused } = library().await;
    let described = json!({"pictures": {heavy.clone(): {"creator": "A. Tarn", "alt": "A dome"}}});
    api.patch("/api/pictures", &described).await;
    let all = json!({"which": {"ids": [heavy, light, unused]}});
    let nothing = api.post("/api/package", &all).await;
    assert_eq!(nothing.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(nothing.text().contains("by a run"), "{}", nothing.text());

    api.post("/api/runs", &json!({"which": {"filter": {}}})).await;
    api.work().await;
    let answer = api.post("/api/package", &all).await;
    assert_eq!(answer.header("content-type"), "application/zip");
    let mut archive = ZipArchive::new(Cursor::new(answer.body)).unwrap();
    let mut text = |name: &str| {
        let mut bytes = Vec::new();
        archive.by_name(name).unwrap().read_to_end(&mut bytes).unwrap();
        bytes
    };
    let manifest: Manifest = serde_json::from_slice(&text("manifest.json")).unwrap();
    assert_eq!(manifest.sets.len(), 2, "the one that no slot shows has none");
    for set in &manifest.sets {
        assert!(set.files.len() >= 4, "two formats at two densities: {set:#?}");
        let markup = String::from_utf8(text(&set.markup)).unwrap();
        for file in &set.files {
            assert_eq!(text(&file.path).len() as u64, file.bytes.get(), "{}", file.path);
            let name = file.path.rsplit('/').next().unwrap();
            assert!(markup.contains(name), "{name} is offered: {markup}");
        }
    }
    let sheet = String::from_utf8(text("contact-sheet.html")).unwrap();
    assert_eq!(sheet.matches("<figure>").count(), 2);
    let credits = String::from_utf8(text("credits.txt")).unwrap();
    assert_eq!(credits, "heavy.jpg: A. Tarn\n");
}

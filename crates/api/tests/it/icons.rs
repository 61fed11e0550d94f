//! Icons of a site, as a client meets them.

use std::fs;
use std::io::{Cursor, Read};

use axum::http::StatusCode;
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png};
use serde_json::{Value, json};
use zip::ZipArchive;

use crate::support::Api;

const MARK: &str = "<svg xmlns='http://www.w3.org/2000/svg' width='64' height='64'>\
    <path d='M8 48a24 24 0 0 1 48 0z' fill='#12304f'/><rect x='4' y='50' width='56' height='8' fill='#12304f'/></svg>";

async fn saved(api: &Api, design: Value, version: u32) -> Value {
    let answer = api.put("/api/icons", &json!({"design": design, "version": version})).await;
    assert_eq!(answer.status, StatusCode::OK, "{}", answer.text());
    answer.json()
}

#[tokio::test]
async fn a_design_is_saved_once_by_each_and_who_comes_second_is_told() {
    let api = Api::start().await;
    let mark = api.taken("mark.svg", MARK.as_bytes()).await;
    let first = saved(&api, json!({"master": mark, "name": "Tarn"}), 0).await;
    assert_eq!((&first["version"], &first["made"]), (&json!(1), &Value::Null));
    for version in [0, 7] {
        let late = json!({"design": {"name": "Late"}, "version": version});
        let late = api.put("/api/icons", &late).await;
        assert_eq!(late.status, StatusCode::CONFLICT, "{}", late.text());
    }
    assert_eq!(api.get("/api/icons").await.json()["design"]["name"], "Tarn");
    let second = saved(&api, json!({"name": "Light"}), 1).await;
    assert_eq!(second["version"], 2);
    for bad in [
        json!({"prefix": "../"}),
        json!({"name": "x".repeat(99)}),
        json!({"settings": {"touch": {"margin": 60, "background": "transparent", "corner": 0, "is_small": false}}}),
        json!({"touch_ups": {"20": {"pixels": []}}}),
        json!({"colour": "red"}),
        json!({"margins": 4}),
    ] {
        let refused = api.put("/api/icons", &json!({"design": bad, "version": 2})).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{bad}");
    }
}

#[tokio::test]
async fn looks_are_told_before_anything_is_saved_with_what_is_wrong_with_a_master() {
    let api = Api::start().await;
    let mark = api.taken("mark.svg", MARK.as_bytes()).await;
    let photo = api.taken("moor.jpg", &gradient_jpeg(300, 200)).await;
    let looks = api.post("/api/icons/looks", &json!({"master": mark})).await.json();
    assert_eq!(looks["small"].as_array().unwrap().len(), 5);
    assert_eq!(looks["files"].as_array().unwrap().len(), 9, "a drawing among them");
    let small = api.post("/api/icons/looks", &json!({"master": photo})).await.json();
    assert_eq!(small["files"].as_array().unwrap().len(), 8);
    let notes = small["notes"].to_string();
    assert!(notes.contains("not square") && notes.contains("icon-512.png"), "{notes}");
    assert_eq!(small["square"], json!({"x": 50, "y": 0, "width": 200, "height": 200}));

    let refused = async |design: Value| {
        let answer = api.post("/api/icons/looks", &design).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{design}");
        answer.json()["detail"].as_str().unwrap().to_owned()
    };
    assert!(refused(json!({})).await.contains("choose the picture"));
    let outside =
        json!({"master": photo, "square": {"x": 150, "y": 0, "width": 200, "height": 200}});
    assert!(refused(outside).await.contains("inside its 300 × 200 px"));
    assert!(refused(json!({"master": photo, "dark": mark})).await.contains("SVG drawings"));
    let even = "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'><rect width='9' height='9'/></svg>";
    let even = api.taken("even.svg", even.as_bytes()).await;
    assert!(refused(json!({"master": even})).await.contains("one colour"));
    api.post("/api/pictures/remove", &json!({"ids": [photo]})).await;
    let gone = refused(json!({"master": "01a22123-8693-75a2-bac0-0c982a3ee24f"})).await;
    assert!(gone.contains("not in the library any more"), "{gone}");
}

#[tokio::test]
async fn files_are_made_packed_and_published_into_every_head_and_come_back() {
    let api = Api::start().await;
    let folder = tempfile::tempdir().unwrap();
    let old = "<html><head><title>Walks</title><link rel=icon href=old.ico></head><p>x</p></html>";
    fs::write(folder.path().join("walks.html"), old).unwrap();
    fs::write(folder.path().join("favicon.ico"), "old").unwrap();
    api.patch("/api/site", &json!({"folder": folder.path().to_str().unwrap()})).await;

    let nothing = api.get("/api/icons/package").await;
    assert_eq!(nothing.status, StatusCode::UNPROCESSABLE_ENTITY);
    let mark = api.taken("mark.svg", MARK.as_bytes()).await;
    saved(&api, json!({"master": mark, "name": "Tarn"}), 0).await;
    let made = api.post("/api/icons/files", &json!({})).await.json();
    assert_eq!(made["made"]["is_current"], true, "{made}");
    let files = made["made"]["files"].as_array().unwrap();
    assert_eq!(files.len(), 9);
    for file in files {
        let path = format!("/api/icons/files/{}", file["file_name"].as_str().unwrap());
        let answer = api.get(&path).await;
        assert_eq!(answer.body.len() as u64, file["bytes"].as_u64().unwrap(), "{path}");
        assert_eq!(answer.header("content-type"), file["media_type"].as_str().unwrap());
    }
    let package = api.get("/api/icons/package").await;
    let mut archive = ZipArchive::new(Cursor::new(package.body)).unwrap();
    assert_eq!(archive.len(), 11);
    let mut head = String::new();
    archive.by_name("head.html").unwrap().read_to_string(&mut head).unwrap();
    assert!(head.contains("href=\"/favicon.ico\""), "{head}");

    let begun = api.post("/api/publications", &json!({"icons": true, "name": "Icons"})).await;
    assert_eq!(begun.status, StatusCode::ACCEPTED, "{}", begun.text());
    let id = begun.json()["id"].as_str().unwrap().to_owned();
    api.work().await;
    let ready = api.get(&format!("/api/publications/{id}")).await.json();
    assert_eq!(ready["state"], "ready", "{ready}");
    assert_eq!((&ready["sums"]["pages"], &ready["sums"]["replaced"]), (&json!(1), &json!(1)));
    assert_eq!(
        fs::read_to_string(folder.path().join("walks.html")).unwrap(),
        old,
        "nothing is written yet"
    );
    api.post(&format!("/api/publications/{id}/publish"), &json!({})).await;
    api.work().await;
    let page = fs::read_to_string(folder.path().join("walks.html")).unwrap();
    assert!(page.contains("/favicon.ico") && !page.contains("old.ico"), "{page}");
    assert!(fs::metadata(folder.path().join("favicon.ico")).unwrap().len() > 100);

    // Once more, it changes nothing.
    let again = api.post("/api/publications", &json!({"icons": true})).await.json();
    api.work().await;
    let again =
        api.get(&format!("/api/publications/{}", again["id"].as_str().unwrap())).await.json();
    assert_eq!(again["report"]["files"], json!([]), "{again}");

    api.post(&format!("/api/publications/{id}/take-back"), &json!({})).await;
    api.work().await;
    assert_eq!(fs::read_to_string(folder.path().join("walks.html")).unwrap(), old);
    assert_eq!(fs::read_to_string(folder.path().join("favicon.ico")).unwrap(), "old");
    assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 2);
}

#[tokio::test]
async fn what_was_made_of_another_design_is_told_and_a_small_master_is_no_fault() {
    let api = Api::start().await;
    let tiny = api.taken("tiny.png", &gradient_png(8, 8)).await;
    saved(&api, json!({"master": tiny}), 0).await;
    let made = api.post("/api/icons/files", &json!({})).await;
    assert_eq!(made.status, StatusCode::OK, "{}", made.text());
    let changed = saved(&api, json!({"master": tiny, "name": "Other"}), 1).await;
    assert_eq!(changed["made"]["is_current"], false);
    let silent = api.post("/api/icons/check", &json!({})).await;
    assert_eq!(silent.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(silent.text().contains("no page of the site is known yet"), "{}", silent.text());
}

#[tokio::test]
async fn a_check_is_no_save_and_a_publication_needs_files() {
    let api = Api::start().await;
    let silent = json!({"address": "http://127.0.0.1:9/"});
    let checked = api.post("/api/icons/check", &silent).await.json();
    assert_eq!(checked["checked"]["is_fine"], false, "{checked}");
    assert_eq!(checked["checked"]["report"]["unread"][0]["reason"], "the host does not answer");
    assert_eq!(checked["version"], 0, "nobody saved anything");
    let saved = saved(&api, json!({"name": "Tarn"}), 0).await;
    assert_eq!((&saved["version"], &saved["checked"]["is_fine"]), (&json!(1), &json!(false)));
    for address in ["visit.html", "ftp://tarnlight.example/"] {
        let wrong = api.post("/api/icons/check", &json!({"address": address})).await;
        assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY, "{address}");
    }

    let folder = tempfile::tempdir().unwrap();
    api.patch("/api/site", &json!({"folder": folder.path().to_str().unwrap()})).await;
    let early = api.post("/api/publications", &json!({"icons": true})).await;
    assert_eq!(early.status, StatusCode::UNPROCESSABLE_ENTITY, "{}", early.text());
    assert!(early.text().contains("no icon files were made yet"), "{}", early.text());
}

#[tokio::test]
async fn files_go_where_the_design_says_that_they_were_made_by() {
    let api = Api::start().await;
    let folder = tempfile::tempdir().unwrap();
    let page = "<html><head><title>Walks</title></head><p>x</p></html>";
    fs::write(folder.path().join("walks.html"), page).unwrap();
    let settings = json!({"folder": folder.path().to_str().unwrap(), "address": "http://127.0.0.1:9/walks.html"});
    api.patch("/api/site", &settings).await;
    let mark = api.taken("mark.svg", MARK.as_bytes()).await;
    saved(&api, json!({"master": mark, "prefix": "/img/icons/"}), 0).await;
    api.post("/api/icons/files", &json!({})).await;
    saved(&api, json!({"master": mark, "prefix": "/elsewhere/"}), 1).await;
    let begun = api.post("/api/publications", &json!({"icons": true})).await.json();
    assert_eq!(begun["wish"]["folder"], "img/icons", "{begun}");
    api.work().await;
    let id = begun["id"].as_str().unwrap();
    api.post(&format!("/api/publications/{id}/publish"), &json!({})).await;
    api.work().await;
    let page = fs::read_to_string(folder.path().join("walks.html")).unwrap();
    let picture = "content=\"http://127.0.0.1:9/img/icons/sharing-1200x630.png\"";
    assert!(page.contains(picture) && !page.contains("elsewhere"), "{page}");
    assert!(folder.path().join("img/icons/site.webmanifest").exists());
}

//! Several sites in one installation: added, removed and restored, and never mixed.

use std::time::Duration;

use axum::http::StatusCode;
use brisk_margin_testing::pictures::gradient_jpeg;
use chrono::{TimeDelta, Utc};
use serde_json::{Value, json};

use crate::support::pages::page;
use crate::support::{Answer, Api, form, form_bytes, request};

/// Adds a site and returns its slug.
async fn added(api: &Api, new: Value) -> String {
    let answer = api.post("/api/sites", &new).await;
    assert_eq!(answer.status, StatusCode::CREATED, "{}", answer.text());
    answer.json()["slug"].as_str().unwrap().to_owned()
}

async fn upload_to(api: &Api, slug: &str, name: &str, bytes: &[u8]) -> String {
    let mut request = form(form_bytes(name, bytes));
    *request.uri_mut() = format!("/api/sites/{slug}/pictures").parse().unwrap();
    let answer = api.send(request).await;
    assert!(answer.status.is_success(), "{}", answer.text());
    answer.json()["id"].as_str().unwrap().to_owned()
}

async fn names_at(api: &Api, slug: &str) -> Vec<String> {
    crate::support::names_of(&api.get(&format!("/api/sites/{slug}/pictures")).await.json())
}

#[tokio::test]
async fn a_site_is_added_by_its_address_or_its_folder_and_called_after_it() {
    let api = Api::start().await;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("tea-room");
    std::fs::create_dir(&path).unwrap();
    let path = path.to_str().unwrap();
    let by_folder = added(&api, json!({"folder": path, "watches": true})).await;
    assert_eq!(by_folder, "tea-room");
    let site = api.get(&format!("/api/sites/{by_folder}/site")).await.json();
    assert_eq!((&site["folder"], &site["watches"]), (&json!(path), &json!(true)));
    let by_address = json!({"address": "https://www.tarnlight.example/"});
    assert_eq!(added(&api, by_address.clone()).await, "tarnlight-example");
    assert_eq!(added(&api, json!({"name": "Tea Room"})).await, "tea-room-2", "the name is taken");
    assert_eq!(added(&api, json!({"name": "API"})).await, "api-2", "and this one is ours");

    for (wrong, words) in [
        (json!({"name": " "}), "an address, a folder, or a name"),
        (json!({"folder": "srv/www"}), "whole path"),
        (json!({"folder": "/nowhere/at/all"}), "see that it is there"),
        (json!({"name": "Hut", "like": "nobody"}), "no site “nobody”"),
    ] {
        let refused = api.post("/api/sites", &wrong).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{wrong}");
        assert!(refused.text().contains(words), "{}", refused.text());
    }
    assert_eq!(api.get("/api/sites").await.json().as_array().unwrap().len(), 5);
}

#[tokio::test]
async fn no_two_sites_have_one_address() {
    let api = Api::start().await;
    let address = json!({"address": "https://www.tarnlight.example/"});
    let first = added(&api, address.clone()).await;
    let taken = |answer: &Answer| {
        assert_eq!(answer.status, StatusCode::CONFLICT, "{}", answer.text());
        assert!(answer.text().contains("another site has this address"), "{}", answer.text());
    };
    taken(&api.post("/api/sites", &address).await);
    assert_eq!(api.get("/api/sites").await.json().as_array().unwrap().len(), 2);

    let second = added(&api, json!({"name": "Tea Room"})).await;
    let of_second = format!("/api/sites/{second}/site");
    taken(&api.patch(&of_second, &address).await);
    let settings = api.get(&of_second).await.json();
    assert_eq!(settings["address"], json!(null));

    // It is free once its site is removed, which does not come back beside another one.
    api.delete(&format!("/api/sites/{first}")).await;
    assert_eq!(api.patch(&of_second, &address).await.status, StatusCode::OK);
    taken(&api.post(&format!("/api/sites/{first}/restore"), &json!({})).await);
    let moved = json!({"address": "https://tea.example/"});
    assert_eq!(api.patch(&of_second, &moved).await.status, StatusCode::OK);
    let restored = api.post(&format!("/api/sites/{first}/restore"), &json!({})).await;
    assert_eq!(restored.status, StatusCode::NO_CONTENT, "{}", restored.text());
}

#[tokio::test]
async fn what_belongs_to_a_site_is_not_found_at_another() {
    let api = Api::start().await;
    let here = api.app.site.slug.clone();
    let there = added(&api, json!({"name": "Tea Room"})).await;
    let picture = api.taken("dome.jpg", &gradient_jpeg(600, 400)).await;
    api.work().await;
    let wish = json!({
        "slot": {"width": 200, "height": 100, "fit": "cover"}, "density": 1,
        "format": "jpeg", "quality": 60,
    });
    let variant = api.post(&format!("/api/pictures/{picture}/variants"), &wish).await.json();
    let variant = variant["id"].as_str().unwrap_or_else(|| panic!("{variant}")).to_owned();
    let boxes = json!({"390": [358, 220]});
    let new = json!({"name": "card", "kind": "card", "fit": "cover", "boxes": boxes});
    let slot = api.post("/api/slots", &new).await.json()["id"].as_str().unwrap().to_owned();
    api.store.keep_page(page("https://tarnlight.example/", Vec::new())).await.unwrap();
    let page = api.store.pages().await.unwrap()[0].id.to_string();
    let jobs = api.get("/api/jobs").await.json();
    let job = jobs["jobs"][0]["id"].as_str().unwrap().to_owned();
    let before = api.get("/api/pictures").await.json();

    let document = api.get(&format!("/api/sites/{here}/openapi.json")).await.json();
    let mut asked = 0;
    for (path, methods) in document["paths"].as_object().unwrap() {
        if !path.contains('{') {
            continue;
        }
        let id = match path.split('/').nth(1).unwrap() {
            "variants" => &variant,
            "slots" => &slot,
            "jobs" => &job,
            "pages" => &page,
            _ => &picture,
        };
        let parts = path.split('/').map(|part| if part.starts_with('{') { id } else { part });
        let below = parts.collect::<Vec<_>>().join("/");
        for method in methods.as_object().unwrap().keys().map(|method| method.to_uppercase()) {
            for body in [json!({}), json!({"slot": slot}), wish.clone()] {
                let mut request = request(&method, &format!("/api/sites/{there}{below}"));
                let json = "application/json".parse().unwrap();
                request.headers_mut().insert("content-type", json);
                *request.body_mut() = body.to_string().into();
                let answer = api.send(request).await;
                let text = answer.text();
                let tells =
                    [&picture, &variant, &slot, &job, &page].iter().any(|id| text.contains(*id));
                assert!(
                    answer.status.is_client_error() || !tells,
                    "{method} {below} answers {}: {}",
                    answer.status,
                    answer.text()
                );
                asked += 1;
            }
        }
    }
    assert!(asked > 100, "{asked} requests");
    assert_eq!(api.get("/api/pictures").await.json(), before, "and nothing was changed");
    assert_eq!(names_at(&api, &there).await, [""; 0]);
    assert_eq!(api.get(&format!("/api/sites/{there}/jobs")).await.json()["jobs"], json!([]));
}

#[tokio::test]
async fn a_change_is_told_to_its_own_site_only() {
    let api = Api::start().await;
    let there = added(&api, json!({"name": "Tea Room"})).await;
    api.app.events.alive().await;
    let mut own = api.open("/api/events").await;
    let mut others = api.open(&format!("/api/sites/{there}/events")).await;
    api.taken("dome.jpg", &gradient_jpeg(60, 40)).await;
    let heard = String::from_utf8(own.next_chunk().await).unwrap();
    assert!(heard.contains("pictures"), "{heard}");
    let silent = tokio::time::timeout(Duration::from_millis(600), others.next_chunk()).await;
    assert!(silent.is_err(), "{silent:?}");
}

#[tokio::test]
async fn a_removed_site_rests_with_all_it_has_until_its_time_is_over() {
    let api = Api::start().await;
    let there = added(&api, json!({"name": "Tea Room"})).await;
    let file = gradient_jpeg(600, 400);
    upload_to(&api, &there, "terrace.jpg", &file).await;
    let own = gradient_jpeg(500, 300);
    upload_to(&api, &there, "cake.jpg", &own).await;
    let address = format!("/api/sites/{there}");
    assert_eq!(api.delete(&address).await.status, StatusCode::NO_CONTENT);
    assert_eq!(api.get(&format!("{address}/pictures")).await.status, StatusCode::NOT_FOUND);
    api.work().await;

    let restored = api.post(&format!("{address}/restore"), &json!({})).await;
    assert_eq!(restored.status, StatusCode::NO_CONTENT);
    assert_eq!(names_at(&api, &there).await.len(), 2);
    api.work().await;
    let list = api.get(&format!("{address}/pictures")).await.json();
    assert!(list["pictures"][0]["analysis"].is_object(), "what was to be done goes on: {list}");

    // The same bytes in two sites are stored once, and stay for the one that is left.
    api.taken("terrace.jpg", &file).await;
    let installation = api.sites.installation();
    let site = installation.site(&there).await.unwrap().unwrap();
    api.delete(&address).await;
    assert_eq!(installation.forget_sites(Utc::now() - TimeDelta::days(90)).await.unwrap(), 0);
    let later = Utc::now() + TimeDelta::minutes(1);
    assert_eq!(installation.forget_sites(later).await.unwrap(), 1);
    assert_eq!(installation.delete_unused_bytes(later).await.unwrap(), 1, "only its own");
    assert_eq!(installation.site(&site.slug).await.unwrap(), None);
    let id = api.get("/api/pictures").await.json()["pictures"][0]["id"].clone();
    let original = api.get(&format!("/api/pictures/{}/original", id.as_str().unwrap())).await;
    assert_eq!(original.body, file);
}

#[tokio::test]
async fn presets_and_the_rule_of_a_site_are_copied_to_another() {
    let api = Api::start().await;
    let here = api.app.site.slug.clone();
    let rule = json!({"formats": ["webp", "jpeg"], "want": {"by": "grade", "value": "fine"}});
    assert_eq!(api.put("/api/output-rules", &rule).await.status, StatusCode::OK);
    let there = added(&api, json!({"name": "Tea Room", "like": here})).await;
    let copied = api.get(&format!("/api/sites/{there}/output-rules")).await.json();
    assert_eq!(copied, api.get("/api/output-rules").await.json());

    // What a site says itself stays.
    let own = json!({"formats": ["png"]});
    let at = format!("/api/sites/{there}/output-rules");
    assert_eq!(api.put(&at, &own).await.status, StatusCode::OK);
    let copy = api.post(&format!("/api/sites/{there}/copy-presets"), &json!({"from": here})).await;
    assert_eq!(copy.status, StatusCode::NO_CONTENT);
    assert_eq!(api.get(&at).await.json()["formats"], json!(["png"]));
}

//! Who saves second is told, and overwrites nothing.

use axum::http::StatusCode;
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::{Value, json};

use crate::support::Api;

/// Saves `second` at `path` by somebody who saw what was there before `first`: told, and `first` stays.
async fn second_is_told(api: &Api, method: &str, path: &str, first: &Value, second: &Value) {
    let send = async |body: &Value| match method {
        "PUT" => api.put(path, body).await,
        "PATCH" => api.patch(path, body).await,
        _ => api.post(path, body).await,
    };
    let saved = send(first).await;
    assert!(saved.status.is_success(), "{path}: {} {}", saved.status, saved.json());
    let told = send(second).await;
    assert_eq!(told.status, StatusCode::CONFLICT, "{path}");
    assert_eq!(told.json()["type"], "urn:brisk-margin:problem:saved-meanwhile", "{path}");
}

#[tokio::test]
async fn who_saves_second_is_told_everywhere() {
    let api = Api::start().await;
    let edits = |left: i32| {
        let trim = json!({"kind": "canvas", "left": left, "top": 0, "right": 0, "bottom": 0, "ground": "transparent"});
        json!({"name": "Evening", "seen": null, "edits": {"version": 1, "steps": [trim]}})
    };
    let rule = |formats: &[&str], seen: Value| json!({"formats": formats, "seen": seen});
    let ask = "/api/output-rules";
    let said = api.get(ask).await.json();
    second_is_told(&api, "PUT", ask, &rule(&["png"], said.clone()), &rule(&["jpeg"], said)).await;
    let kept = api.get(ask).await.json();
    assert_eq!(kept["formats"], json!(["png"]));
    assert_eq!(api.put(ask, &rule(&["jpeg"], kept)).await.status, StatusCode::OK);

    let filter = |side: &str| json!({"name": "Large", "filter": {"search": side}, "seen": null});
    second_is_told(&api, "PUT", "/api/filters", &filter("dome"), &filter("moor")).await;
    let sizes = |width: f64| {
        let size = json!({"width": width, "height": null, "ratio": {"kind": "square"}});
        json!({"name": "Squares", "seen": null, "sizes": {"0": size}})
    };
    second_is_told(&api, "PUT", "/api/size-sets", &sizes(400.0), &sizes(300.0)).await;
    second_is_told(&api, "POST", "/api/finishes", &edits(-10), &edits(-20)).await;
    let slot =
        json!({"name": "Header", "kind": "header", "fit": "cover", "boxes": {"1280": [900, 300]}});
    let slot = api.post("/api/slots", &slot).await.json();
    let at = format!("/api/slots/{}", slot["id"].as_str().unwrap());
    let budget = |bytes: u32| json!({"budget": bytes, "seen": {"budget": 0}});
    second_is_told(&api, "PATCH", &at, &budget(40_000), &budget(50_000)).await;
    // What somebody else changed beside it does not matter.
    assert_eq!(
        api.patch(&at, &json!({"fit": "contain", "seen": {"fit": "cover"}})).await.status,
        200
    );
    let boxes = |width: u32| json!([{"slot_id": slot["id"], "boxes": {"1280": [width, 300]}, "seen": null}]);
    second_is_told(&api, "PUT", "/api/slots/boxes", &boxes(800), &boxes(700)).await;

    let site = api.get("/api/site").await.json();
    let ceiling = |side: u32| json!({"ceiling": side, "seen": {"ceiling": site["ceiling"]}});
    second_is_told(&api, "PATCH", "/api/site", &ceiling(900), &ceiling(1_000)).await;
    let initials = json!({"initials": "ab", "seen": {"initials": site["initials"]}});
    assert_eq!(api.patch("/api/site", &initials).await.status, StatusCode::OK);

    let collecting = |seen: Value| json!({"name": "Winter", "which": {"ids": []}, "seen": seen});
    let made = api.put("/api/collections", &collecting(json!([]))).await.json();
    let at = format!("/api/collections/{}", made["id"].as_str().unwrap());
    let called = |name: &str| json!({"name": name, "seen": "Winter"});
    second_is_told(&api, "PATCH", &at, &called("Frost"), &called("Snow")).await;
}

#[tokio::test]
async fn sizes_that_somebody_else_set_are_neither_overwritten_nor_taken_back() {
    let api = Api::start().await;
    let slot =
        json!({"name": "Header", "kind": "header", "fit": "cover", "boxes": {"1280": [900, 300]}});
    let slot = api.post("/api/slots", &slot).await.json()["id"].clone();
    let sizes = json!({"0": {"width": 400, "height": null, "ratio": {"kind": "square"}}});
    let set = json!({"name": "Squares", "seen": null, "sizes": sizes});
    let set = api.put("/api/size-sets", &set).await.json();
    let apply = format!("/api/size-sets/{}/apply", set["id"].as_str().unwrap());
    let wish = json!({"slots": [slot], "seen": {slot.as_str().unwrap(): null}});
    let hand = |width: u32, seen: Value| json!([{"slot_id": slot, "boxes": {"1280": [width, 300]}, "seen": seen}]);

    let back = api.post(&apply, &wish).await.json();
    assert_eq!(back[0]["seen"], json!({"1280": [400.0, 400.0]}), "taking back says what was set");
    let told = api.post(&apply, &wish).await;
    assert_eq!(told.status, StatusCode::CONFLICT, "somebody applied sizes since");

    let other = api.put("/api/slots/boxes", &hand(700, back[0]["seen"].clone())).await.json();
    assert_eq!(api.put("/api/slots/boxes", &back).await.status, StatusCode::CONFLICT);
    let now = async || api.get("/api/layouts").await.json()["slots"][0]["boxes"].clone();
    assert_eq!(now().await, json!({"1280": [700.0, 300.0]}), "theirs stays");
    assert_eq!(api.put("/api/slots/boxes", &other).await.status, StatusCode::OK);
    assert_eq!(now().await, json!({"1280": [400.0, 400.0]}));
}

#[tokio::test]
async fn two_who_add_to_a_collection_at_once_both_add() {
    let api = Api::start().await;
    let mut ids = Vec::new();
    for n in 0..8 {
        ids.push(api.taken(&format!("{n}.jpg"), &gradient_jpeg(60 + n, 40)).await);
    }
    let add = async |id: &String| {
        let wish = json!({"name": "Winter", "which": {"ids": [id]}, "add": true});
        assert_eq!(api.put("/api/collections", &wish).await.status, StatusCode::OK);
    };
    futures::future::join_all(ids.iter().map(add)).await;
    let shelves = api.get("/api/shelves").await.json();
    assert_eq!(shelves["collections"][0]["pictures"], 8, "{shelves:#}");
}

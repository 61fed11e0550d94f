//! A picture cropped, rotated and straightened through the API, with or without a slot.

use crate::support::{Answer, Api};
use axum::http::StatusCode;
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::{Value, json};

async fn on_the_bench() -> (Api, String, Value) {
    let api = Api::start().await;
    let picture = api.taken("dome.jpg", &gradient_jpeg(1600, 1000)).await;
    let bench = api.get(&format!("/api/pictures/{picture}/bench")).await.json();
    (api, picture, bench["adjustments"].clone())
}

async fn post(api: &Api, picture: &str, what: &str, body: Value) -> Answer {
    api.post(&format!("/api/pictures/{picture}/{what}"), &body).await
}

async fn canvas(api: &Api, picture: &str, adjustments: &Value) -> Value {
    let asked = json!({"adjustments": adjustments, "slots": []});
    post(api, picture, "framings", asked).await.json()["canvas"].clone()
}

#[tokio::test]
async fn a_crop_without_a_slot_is_brought_to_its_shape_and_turns_with_the_picture() {
    let (api, picture, plain) = on_the_bench().await;
    let focal = json!({"adjustments": plain, "focal": [1500, 500]});
    let plain = post(&api, &picture, "aim", focal).await.json();

    let square = json!({"adjustments": plain, "aspect": 1});
    let square = post(&api, &picture, "trim", square).await.json();
    assert_eq!(square["crop"], json!({"x": 600, "y": 0, "width": 1000, "height": 1000}));
    assert_eq!(square["cuts"]["left"], 600);
    assert_eq!(square["cut_percent"], 37.5);

    let crop = json!({"x": 100, "y": 50, "width": 800, "height": 9});
    let typed = json!({"adjustments": plain, "crop": crop, "aspect": 2, "holding": "width"});
    let typed = post(&api, &picture, "trim", typed).await.json();
    assert_eq!(typed["crop"], json!({"x": 100, "y": 50, "width": 800, "height": 400}));
    let cropped = typed["adjustments"].clone();
    assert_eq!(canvas(&api, &picture, &cropped).await, json!({"width": 800, "height": 400}));

    let turn = |adjustments: &Value, by: &str| json!({"adjustments": adjustments, "by": by});
    let turned = post(&api, &picture, "rotate", turn(&cropped, "clockwise")).await.json();
    assert_eq!(canvas(&api, &picture, &turned).await, json!({"width": 400, "height": 800}));
    let back = post(&api, &picture, "rotate", turn(&turned, "counter-clockwise")).await.json();
    assert_eq!(back, cropped, "turned back, it is as it was");
}

#[tokio::test]
async fn a_line_makes_the_picture_level_and_nonsense_is_refused_in_words() {
    let (api, picture, plain) = on_the_bench().await;
    let level = json!({"adjustments": plain, "from": [0, 500], "to": [1000, 517.5]});
    let level = post(&api, &picture, "straighten", level).await.json();
    assert_eq!(level["edits"]["steps"][0]["kind"], "straighten");
    assert_eq!(level["edits"]["steps"][0]["degrees"], -1.0);

    let dot = json!({"adjustments": plain, "from": [5, 5], "to": [6, 5]});
    let refused = post(&api, &picture, "straighten", dot).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().contains("too short"), "{}", refused.text());
    let nothing = json!({"adjustments": plain, "crop": {"x": 0, "y": 0, "width": 0, "height": 9}});
    let refused = post(&api, &picture, "trim", nothing).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
}

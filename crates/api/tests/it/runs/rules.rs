//! A rule that is chosen for a run: what it makes of pictures' own rules, and how that goes again.

use serde_json::{Value, json};

use super::{Library, files_of, id_of, items, library};
use crate::support::Api;

async fn rule_of(api: &Api, picture: &str) -> Value {
    let rule = api.get(&format!("/api/output-rules?picture={picture}")).await.json();
    let said = rule.as_object().unwrap().clone().into_iter().filter(|(_, value)| !value.is_null());
    said.collect::<serde_json::Map<_, _>>().into()
}

async fn say(api: &Api, picture: &str, rule: &Value) {
    let said = api.put(&format!("/api/output-rules?picture={picture}"), rule).await;
    assert_eq!(said.status, 200, "{:#}", said.json());
}

async fn formats_of(api: &Api, picture: &str) -> Vec<String> {
    let picture = api.picture(picture).await;
    let made = picture["variants"].as_array().unwrap().iter();
    let mut formats: Vec<_> =
        made.map(|file| file["format"].as_str().unwrap().to_owned()).collect();
    formats.sort_unstable();
    formats.dedup();
    formats
}

async fn run(api: &Api, wish: &Value) -> String {
    let started = api.post("/api/runs", wish).await;
    assert_eq!(started.status, 201, "{:#}", started.json());
    api.work().await;
    id_of(&started.json())
}

async fn take_back(api: &Api, run: &str, back: &Value) -> Value {
    api.post(&format!("/api/runs/{run}/take-back"), back).await.json()
}

#[tokio::test]
async fn files_are_made_by_the_runs_rule_which_goes_when_it_is_taken_back() {
    let Library { api, heavy, light, .. } = library().await;
    let own = json!({"cap": {"kind": "at", "bytes": 400_000}});
    say(&api, &heavy, &own).await;
    let wish = json!({
        "which": {"ids": [heavy, light]}, "rule": {"formats": ["png"], "densities": [1]},
    });
    let forecast = api.post("/api/runs/forecast", &wish).await.json();
    assert_eq!(
        (&forecast["own_rule"], &forecast["rules"], &forecast["files"]),
        (&json!("PNG; at 1x"), &json!(2), &json!(2)),
        "{forecast:#}"
    );
    assert_eq!(rule_of(&api, &heavy).await, own, "nothing changes before it starts");

    let first = run(&api, &wish).await;
    assert_eq!(formats_of(&api, &light).await, ["png"]);
    let told = api.get(&format!("/api/runs/{first}")).await.json();
    assert_eq!((&told["rules"], &told["done"]), (&json!(2), &json!(2)), "{told:#}");
    assert_eq!(told["own_rule"]["formats"], json!(["png"]));
    let said = rule_of(&api, &heavy).await;
    assert_eq!((&said["formats"], &said["cap"]), (&json!(["png"]), &own["cap"]), "{said}");

    // The same again has nothing to do, and what holds now is what was made.
    let again = run(&api, &wish).await;
    let told = items(&api, &again).await;
    assert!(told.iter().all(|item| item["reason"] == "all files are there already"), "{told:#?}");

    let back = take_back(&api, &first, &json!({})).await;
    assert_eq!((&back["rules"], &back["rules_kept"]), (&json!(2), &json!(0)), "{back:#}");
    assert_eq!((rule_of(&api, &heavy).await, rule_of(&api, &light).await), (own, json!({})));
    assert_eq!(files_of(&api, &heavy).await, 0);
    // Taking back is undone.
    let places = json!({"places": back["places"]});
    api.post(&format!("/api/runs/{first}/again"), &places).await;
    api.work().await;
    assert_eq!(rule_of(&api, &light).await["formats"], json!(["png"]));
    assert_eq!(formats_of(&api, &light).await, ["png"]);
}

#[tokio::test]
async fn what_was_made_by_an_earlier_rule_is_made_anew_however_little_that_saves() {
    let Library { api, light, .. } = library().await;
    let only = json!({"ids": [light]});
    run(&api, &json!({"which": only})).await;
    let heavier = json!({"which": only, "rule": {"want": {"by": "quality", "value": 99}}});
    let forecast = api.post("/api/runs/forecast", &heavier).await.json();
    assert_eq!(forecast["sets"], 1, "{forecast:#}");
    let again = run(&api, &heavier).await;
    assert_eq!(api.get(&format!("/api/runs/{again}")).await.json()["done"], 1);
}

#[tokio::test]
async fn a_rule_that_somebody_changed_meanwhile_stays_and_is_told() {
    let Library { api, heavy, light, .. } = library().await;
    let of = |rule: Value| json!({"which": {"ids": [heavy, light]}, "rule": rule});
    let jpeg = run(&api, &of(json!({"formats": ["jpeg"]}))).await;
    let once = run(&api, &of(json!({"densities": [1]}))).await;
    let by_hand = json!({"formats": ["png"]});
    say(&api, &heavy, &by_hand).await;

    // Of the two runs the earlier one goes first: what the later one says still holds where nobody else spoke.
    let back = take_back(&api, &jpeg, &json!({})).await;
    assert_eq!((&back["rules"], &back["rules_kept"]), (&json!(1), &json!(1)), "{back:#}");
    assert_eq!(rule_of(&api, &heavy).await, by_hand);
    assert_eq!(rule_of(&api, &light).await, json!({"densities": [1.0]}));
    let back = take_back(&api, &once, &json!({})).await;
    assert_eq!((&back["rules"], &back["rules_kept"]), (&json!(1), &json!(1)), "{back:#}");
    assert_eq!((rule_of(&api, &heavy).await, rule_of(&api, &light).await), (by_hand, json!({})));
}

#[tokio::test]
async fn what_fails_or_is_cancelled_keeps_its_own_rule() {
    let Library { api, heavy, light, .. } = library().await;
    let png = json!({"formats": ["png"]});
    let wish = |picture: &str| json!({"which": {"ids": [picture]}, "rule": png});
    let waits = id_of(&api.post("/api/runs", &wish(&heavy)).await.json());
    api.post(&format!("/api/runs/{waits}/cancel"), &json!({})).await;
    let excluded = id_of(&api.post("/api/runs", &wish(&light)).await.json());
    say(&api, &light, &json!({"excluded": true})).await;
    api.work().await;
    assert_eq!(items(&api, &excluded).await[0]["reason"], "excluded by a rule");
    assert_eq!(rule_of(&api, &heavy).await, json!({}));
    assert_eq!(rule_of(&api, &light).await, json!({"excluded": true}));
}

#[tokio::test]
async fn a_rule_that_no_run_can_have_is_refused_with_the_reason() {
    let Library { api, heavy, .. } = library().await;
    for (rule, why) in [
        (json!({}), "says nothing"),
        (json!({"excluded": true}), "exclude pictures by their own rule"),
        (json!({"formats": ["webp"]}), "JPEG, PNG or GIF"),
        (json!({"name_pattern": "{title}"}), "does not name files"),
        (json!({"grade": "lean"}), "grade"),
    ] {
        let wish = json!({"which": {"ids": [heavy]}, "rule": rule});
        let refused = api.post("/api/runs/forecast", &wish).await;
        let detail = refused.json()["detail"].as_str().unwrap_or_default().to_owned();
        assert!(refused.status == 422 && detail.contains(why), "{rule}: {detail}");
    }
    let unknown = api.put("/api/output-rules", &json!({"grade": "lean"})).await;
    assert_eq!(unknown.status, 422, "what is not known is not left out in silence");
}

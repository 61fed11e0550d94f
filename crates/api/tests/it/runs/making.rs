//! A run as it goes on: paused, cancelled, taken back, with pictures and rules that change meanwhile.

use serde_json::{Value, json};

use super::{Library, files_of, id_of, items, library};

#[tokio::test]
async fn a_run_is_forecast_made_once_and_taken_back() {
    let Library { api, heavy, light, unused } = library().await;
    let all = json!({"which": {"filter": {}}, "name": "All of it"});
    let forecast = api.post("/api/runs/forecast", &all).await.json();
    assert_eq!((&forecast["pictures"], &forecast["sets"]), (&json!(2), &json!(2)), "{forecast:#}");
    assert_eq!(
        forecast["skipped"],
        json!([{"reason": "not-used", "words": "used in no slot", "pictures": 1}])
    );
    assert!(forecast["expected"]["about"].as_u64() < forecast["today"].as_u64());
    assert_eq!(files_of(&api, &heavy).await, 0, "nothing is made before it starts");

    let run = api.post("/api/runs", &all).await;
    assert_eq!(run.status, 201);
    let run = id_of(&run.json());
    api.work().await;
    let done = api.get(&format!("/api/runs/{run}")).await.json();
    assert_eq!(
        (&done["state"], &done["done"], &done["skipped"]),
        (&json!("done"), &json!(2), &json!(1))
    );
    assert_eq!(done["files"], forecast["files"], "as many as was told");
    assert!(done["after"].as_u64() < done["before"].as_u64(), "{done:#}");
    let made = files_of(&api, &heavy).await;
    assert!(made >= 4, "two formats at two densities: {made}");
    let told = items(&api, &run).await;
    assert!(told[0]["score"].as_f64() <= told[1]["score"].as_f64(), "the lowest score first");
    let best = api.get(&format!("/api/runs/{run}/items?order=saving")).await.json();
    let saved = |item: &Value| Some(item["before"].as_i64()? - item["after"].as_i64()?);
    assert!(saved(&best[0]) > saved(&best[1]), "the largest saving first: {best:#}");
    assert_eq!(saved(&best[2]), None, "what was skipped comes last");
    let skipped = told.iter().find(|item| item["picture"] == json!(unused)).unwrap();
    assert_eq!(skipped["reason"], "used in no slot");

    // Again it finds nothing to do, and says so.
    let again = id_of(&api.post("/api/runs", &all).await.json());
    api.work().await;
    let done = api.get(&format!("/api/runs/{again}")).await.json();
    assert_eq!((&done["done"], &done["skipped"]), (&json!(0), &json!(3)));
    let told = items(&api, &again).await;
    assert_eq!(told[0]["reason"], "all files are there already");

    // One is refused, then all is taken back; the originals stay.
    let told = items(&api, &run).await;
    let one = told.iter().find(|item| item["picture"] == json!(heavy)).unwrap();
    let back = format!("/api/runs/{run}/take-back");
    let refused = api.post(&back, &json!({"places": [one["place"]]})).await.json();
    assert_eq!(refused["sets"], 1);
    assert_eq!((files_of(&api, &heavy).await, files_of(&api, &light).await), (0, made));
    assert_eq!(api.post(&back, &json!({})).await.json()["sets"], 1);
    assert_eq!(files_of(&api, &light).await, 0);
    assert_eq!(api.post(&back, &json!({})).await.json()["sets"], 0, "there is nothing left of it");
    let told = api.get(&format!("/api/runs/{run}")).await.json();
    assert_eq!((&told["taken_back"], &told["done"]), (&json!(2), &json!(0)));
}

#[tokio::test]
async fn what_was_there_before_a_run_stays_when_it_is_taken_back() {
    let Library { api, heavy, .. } = library().await;
    let slots = api.get("/api/layouts").await.json();
    let asked = json!({"slot": slots["slots"][0]["id"]});
    api.post(&format!("/api/pictures/{heavy}/set/files"), &asked).await;
    api.work().await;
    let by_hand = files_of(&api, &heavy).await;
    let run = id_of(&api.post("/api/runs", &json!({"which": {"filter": {}}})).await.json());
    api.work().await;
    api.post(&format!("/api/runs/{run}/take-back"), &json!({})).await;
    assert_eq!(files_of(&api, &heavy).await, by_hand);
}

#[tokio::test]
async fn a_run_is_paused_goes_on_and_is_cancelled() {
    let Library { api, heavy, light, .. } = library().await;
    let run =
        id_of(&api.post("/api/runs", &json!({"which": {"ids": [heavy, light]}})).await.json());
    let act = async |act: &str| api.post(&format!("/api/runs/{run}/{act}"), &json!({})).await;
    assert_eq!(act("pause").await.json()["state"], "paused");
    assert_eq!(act("pause").await.status, 409, "it does not run");
    api.work().await;
    assert_eq!(files_of(&api, &heavy).await, 0, "nothing is made while it is paused");
    assert_eq!(act("resume").await.json()["state"], "running");
    api.work().await;
    assert_eq!(api.get(&format!("/api/runs/{run}")).await.json()["done"], 2);
    assert_eq!(act("cancel").await.status, 409, "it has ended");

    act("take-back").await;
    let run = id_of(&api.post("/api/runs", &json!({"which": {"ids": [heavy]}})).await.json());
    let cancelled = api.post(&format!("/api/runs/{run}/cancel"), &json!({})).await.json();
    assert_eq!((&cancelled["state"], &cancelled["skipped"]), (&json!("cancelled"), &json!(1)));
    api.work().await;
    let told = items(&api, &run).await;
    assert_eq!(told[0]["reason"], "cancelled before it began");
    assert_eq!(api.post(&format!("/api/runs/{run}/resume"), &json!({})).await.status, 409);
}

#[tokio::test]
async fn a_picture_that_is_removed_or_excluded_meanwhile_costs_itself_only() {
    let Library { api, heavy, light, .. } = library().await;
    let run =
        id_of(&api.post("/api/runs", &json!({"which": {"ids": [heavy, light]}})).await.json());
    api.post("/api/pictures/remove", &json!({"which": {"ids": [heavy]}})).await;
    api.put(&format!("/api/output-rules?picture={light}"), &json!({"excluded": true})).await;
    api.work().await;
    let mut reasons: Vec<String> = items(&api, &run)
        .await
        .iter()
        .map(|item| item["reason"].as_str().unwrap().to_owned())
        .collect();
    reasons.sort_unstable();
    assert_eq!(reasons, ["excluded by a rule", "removed from the library"]);
    assert_eq!(api.get(&format!("/api/runs/{run}")).await.json()["state"], "done");

    let nothing = json!({"which": {"ids": []}});
    assert_eq!(api.post("/api/runs", &nothing).await.status, 422);
    let missing = "/api/runs/00000000-0000-0000-0000-000000000000";
    assert_eq!(api.get(missing).await.status, 404);
}

#[tokio::test]
async fn what_a_later_run_completed_stays_when_the_earlier_one_is_taken_back() {
    let Library { api, heavy, .. } = library().await;
    let only = json!({"which": {"ids": [heavy]}});
    let first = id_of(&api.post("/api/runs", &only).await.json());
    api.work().await;
    let at_first = files_of(&api, &heavy).await;
    let more = json!({"formats": ["webp", "jpeg"], "densities": [1, 2, 3]});
    api.put("/api/output-rules", &more).await;
    let second = id_of(&api.post("/api/runs", &only).await.json());
    api.work().await;
    let of_both = files_of(&api, &heavy).await;
    assert!(of_both > at_first, "{of_both} after {at_first}");

    let back = async |run: &str| api.post(&format!("/api/runs/{run}/take-back"), &json!({})).await;
    let told = back(&first).await.json();
    assert_eq!(
        (&told["sets"], &told["files"], &told["kept"]),
        (&json!(1), &json!(0), &json!(at_first))
    );
    assert_eq!(files_of(&api, &heavy).await, of_both, "the second one counts on all");
    back(&second).await;
    assert_eq!(files_of(&api, &heavy).await, 0, "nothing counts on any of them now");
}

#[tokio::test]
async fn what_changes_while_a_run_waits_holds_when_its_turn_comes() {
    let Library { api, heavy, light, .. } = library().await;
    let run =
        id_of(&api.post("/api/runs", &json!({"which": {"ids": [heavy, light]}})).await.json());
    let focal = json!({"focal": {"x": 0.0, "y": 1.0}});
    api.patch(&format!("/api/pictures/{heavy}"), &focal).await;
    api.put("/api/output-rules", &json!({"formats": ["jpeg"], "densities": [1]})).await;
    let replaced = api.get("/api/layouts").await.json()["slots"][0]["id"].clone();
    api.work().await;
    let told = api.get(&format!("/api/runs/{run}")).await.json();
    assert_eq!((&told["done"], &told["failed"]), (&json!(2), &json!(0)), "{told:#}");
    assert_eq!(told["rule"]["formats"], json!(["webp", "jpeg"]), "as it was at the start");
    let set = api.post(&format!("/api/pictures/{heavy}/set"), &json!({"slot": replaced})).await;
    let set = set.json();
    assert_eq!(set["made"], set["files"], "the files are those that are wanted now");
    let picture = api.picture(&heavy).await;
    let made = picture["variants"].as_array().unwrap();
    assert!(made.iter().all(|file| file["format"] == "jpeg"), "{made:?}");
}

//! What a run would do, what starts one, and what is known to be made.

use brisk_margin_core::format::Format;
use brisk_margin_store::runs::{MadeSet, SetBasis};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::{Value, json};

use super::{Library, all_within, files_of, id_of, items, library, why};
use crate::support::Api;
use crate::support::pages::{page, serving};

#[tokio::test]
async fn limits_leave_pictures_for_later_and_say_so_before() {
    let Library { api, heavy, light, .. } = library().await;
    let forecast =
        async |limits: Value| api.post("/api/runs/forecast", &all_within(&limits)).await.json();
    let one = forecast(json!({"pictures": 1})).await;
    assert_eq!(one["pictures"], 1);
    assert_eq!(why(&one), [("beyond-count".to_owned(), 1), ("not-used".to_owned(), 1)]);
    let none = forecast(json!({"least_saving": 1_000_000_000})).await;
    assert_eq!((&none["sets"], &none["files"], &none["disk"]), (&json!(0), &json!(0), &json!(0)));
    assert_eq!(why(&none), [("not-used".to_owned(), 1), ("saves-little".to_owned(), 2)]);
    let few = forecast(json!({"bytes": 1})).await;
    assert_eq!((&few["sets"], &few["within_limits"]), (&json!(2), &json!(1)));
    assert_eq!(api.post("/api/runs/forecast", &all_within(&json!({"hours": 1}))).await.status, 422);

    // The larger saving has its turn, then the limit is reached.
    let run = id_of(&api.post("/api/runs", &all_within(&json!({"bytes": 1}))).await.json());
    api.work().await;
    let done = api.get(&format!("/api/runs/{run}")).await.json();
    assert_eq!((&done["state"], &done["limits"]["bytes"]), (&json!("done"), &json!(1)));
    let made = [files_of(&api, &heavy).await, files_of(&api, &light).await];
    assert!(made[0] > 0 || made[1] > 0, "{made:?}");
    let told = items(&api, &run).await;
    let reasons: Vec<&str> = told.iter().filter_map(|item| item["reason"].as_str()).collect();
    // Two are in hand at once.
    assert!(reasons.iter().all(|one| one.contains("limit") || one.contains("slot")), "{reasons:?}");
}

#[tokio::test]
async fn a_run_is_over_a_page_or_over_slots_whether_they_show_the_pictures_or_not() {
    let Library { api, heavy, light, unused } = library().await;
    let alone = api.taken("alone.jpg", &encoded(&spots(5, 700, 500), Format::Jpeg, 98)).await;
    let picture = api.picture(&alone).await;
    let place =
        serving("a", picture["hash"].as_str().unwrap(), picture["bytes"].as_u64().unwrap(), "");
    let other = api.store.keep_page(page("team.html", vec![place])).await.unwrap();
    api.work().await;
    let layouts = api.get("/api/layouts").await.json();
    let of_page = layouts["pages"].as_array().unwrap().iter();
    let team =
        of_page.clone().find(|page| page["address"].as_str().unwrap().ends_with("team.html"));
    let over_page = json!({"page": team.unwrap()["id"]});
    let forecast = api.post("/api/runs/forecast", &over_page).await.json();
    assert_eq!((&forecast["sets"], &forecast["skipped"]), (&json!(1), &json!([])), "{other:?}");
    let run = id_of(&api.post("/api/runs", &over_page).await.json());
    assert_eq!(items(&api, &run).await[0]["picture"], json!(alone));

    let slot = &layouts["slots"][0]["id"];
    let shown = api.post("/api/runs/forecast", &json!({"slots": [slot]})).await.json();
    assert_eq!(shown["pictures"], 3, "all that the slot shows");
    let chosen = json!({"slots": [slot], "which": {"ids": [unused, heavy, light]}});
    let forecast = api.post("/api/runs/forecast", &chosen).await.json();
    assert!(why(&forecast).iter().all(|(reason, _)| reason != "not-used"), "{forecast:#}");
    let both = json!({"slots": [slot], "page": over_page["page"]});
    assert_eq!(api.post("/api/runs/forecast", &both).await.status, 422);
    assert_eq!(api.post("/api/runs/forecast", &json!({})).await.status, 422);
    let missing =
        json!({"slots": ["00000000-0000-0000-0000-000000000000"], "which": {"filter": {}}});
    assert_eq!(api.post("/api/runs/forecast", &missing).await.status, 404);
}

#[tokio::test]
async fn a_run_in_the_sizes_of_a_preset_makes_a_slot_of_it_when_it_starts() {
    let Library { api, heavy, .. } = library().await;
    let preset = async |name: &str, sizes: Value| {
        let kept = api.put("/api/size-sets", &json!({"name": name, "sizes": sizes})).await;
        kept.json()["id"].clone()
    };
    let free = json!({"kind": "free"});
    let squares = async |width: u32| {
        let size = json!({"width": width, "height": null, "ratio": {"kind": "square"}});
        preset("Squares", json!({"0": size})).await
    };
    let slots = async || api.get("/api/layouts").await.json()["slots"].as_array().unwrap().clone();
    let measured = slots().await.len();

    let id = squares(160).await;
    let wish = json!({"presets": [id], "which": {"ids": [heavy]}});
    let forecast = api.post("/api/runs/forecast", &wish).await.json();
    assert_eq!(forecast["sets"], 1, "{forecast:#}");
    assert_eq!(forecast["measured"], 1, "a file of it was really made");
    assert_eq!(slots().await.len(), measured, "a forecast keeps nothing");
    let run = id_of(&api.post("/api/runs", &wish).await.json());
    api.work().await;
    let made = items(&api, &run).await;
    assert_eq!(
        (&made[0]["state"], &made[0]["slot_name"]),
        (&json!("done"), &json!("Squares")),
        "{made:#?}"
    );
    let widest = async || {
        let picture = api.get(&format!("/api/pictures/{heavy}")).await.json();
        let width = |file: &Value| file["width"].as_u64().unwrap();
        picture["variants"].as_array().unwrap().iter().map(width).max()
    };
    assert_eq!(widest().await, Some(320), "160 px at the density of 2");

    let again = api.post("/api/runs/forecast", &wish).await.json();
    assert_eq!(again["skipped"][0]["reason"], "unchanged", "{again:#}");

    // The preset that was changed goes on with its slot.
    assert_eq!(squares(200).await, id);
    api.post("/api/runs", &wish).await;
    api.work().await;
    assert_eq!(widest().await, Some(400));
    assert_eq!(slots().await.len(), measured + 1);

    let low = json!({"width": null, "height": 90, "ratio": free});
    let refused =
        json!({"presets": [preset("Low", json!({"0": low})).await], "which": {"ids": [heavy]}});
    let refused = api.post("/api/runs/forecast", &refused).await;
    assert_eq!(refused.status, 422);
    assert!(refused.text().contains("size preset Low: one of its sizes has no width"));
    let alone = api.post("/api/runs/forecast", &json!({"presets": [id]})).await;
    assert_eq!(alone.status, 422, "no page shows its pictures, so they have to be chosen");
}

#[tokio::test]
async fn what_is_unchanged_is_known_until_something_changes_that_decides_it() {
    let Library { api, heavy, light, .. } = library().await;
    let all = json!({"which": {"filter": {}}});
    api.post("/api/runs", &all).await;
    api.work().await;
    let sets = async || api.post("/api/runs/forecast", &all).await.json()["sets"].clone();
    let unchanged = api.post("/api/runs/forecast", &all).await.json();
    assert_eq!(why(&unchanged), [("not-used".to_owned(), 1), ("unchanged".to_owned(), 2)]);
    // A picture's own edits, its rule, the site's, and files that are taken back.
    let focal = json!({"focal": {"x": 0.1, "y": 0.9}});
    let moved = api.patch(&format!("/api/pictures/{heavy}"), &focal).await;
    assert!(moved.status.is_success());
    api.work().await;
    assert_eq!(sets().await, 1);
    let again = id_of(&api.post("/api/runs", &all).await.json());
    api.work().await;
    assert_eq!(sets().await, 0);
    api.put(&format!("/api/output-rules?picture={light}"), &json!({"densities": [1]})).await;
    assert_eq!(sets().await, 1);
    api.put("/api/output-rules", &json!({"formats": ["jpeg"], "densities": [1, 2]})).await;
    assert_eq!(sets().await, 2);
    api.put("/api/output-rules", &json!({"formats": ["webp", "jpeg"], "densities": [1, 2]})).await;
    api.post(&format!("/api/runs/{again}/take-back"), &json!({})).await;
    assert_eq!(sets().await, 2);
}

#[tokio::test]
async fn a_run_over_what_is_new_or_changed_starts_when_its_time_has_come() {
    let Library { api, heavy, .. } = library().await;
    let now = chrono::Local::now();
    let now = chrono::Timelike::hour(&now) * 60 + chrono::Timelike::minute(&now);
    let schedule = |from: u32, minutes: u32| json!({"schedule": {"is_on": true, "at": from % 1440, "minutes": minutes, "only_idle": true}});
    let runs = async || api.get("/api/runs").await.json().as_array().unwrap().clone();
    assert_eq!(api.patch("/api/site", &schedule(now, 0)).await.status, 422);
    // Not yet.
    api.patch("/api/site", &schedule(now + 60, 30)).await;
    api.work().await;
    assert_eq!(runs().await.len(), 0);
    // Now, for an hour that began a while ago.
    api.patch("/api/site", &schedule(now + 1430, 60)).await;
    api.work().await;
    let started = runs().await;
    assert_eq!(started.len(), 1);
    assert_eq!(
        (&started[0]["started_by"], &started[0]["state"], &started[0]["done"]),
        (&json!("schedule"), &json!("done"), &json!(2))
    );
    assert_eq!(started[0]["limits"]["minutes"], 60);
    // Nothing is new.
    api.patch("/api/site", &schedule(now + 1430, 60)).await;
    api.work().await;
    assert_eq!(runs().await.len(), 1);
    // One is changed.
    api.patch(&format!("/api/pictures/{heavy}"), &json!({"focal": {"x": 0.0, "y": 1.0}})).await;
    api.work().await;
    api.patch("/api/site", &schedule(now + 1430, 60)).await;
    api.work().await;
    let started = runs().await;
    assert_eq!((started.len(), &started[0]["done"]), (2, &json!(1)));
    // Switched off, it is over.
    let off = json!({"schedule": {"is_on": false, "at": 0, "minutes": 1440, "only_idle": false}});
    assert_eq!(api.patch("/api/site", &off).await.json()["schedule"]["is_on"], false);
}

#[tokio::test]
async fn pictures_that_arrive_are_made_by_one_run_where_pages_show_them() {
    let api = Api::start().await;
    api.put("/api/output-rules", &json!({"formats": ["jpeg"], "densities": [1]})).await;
    api.patch("/api/site", &json!({"import_action": {"do": "slots"}})).await;
    let files: Vec<Vec<u8>> =
        (1..=3).map(|n| encoded(&spots(n, 700, 500), Format::Jpeg, 98)).collect();
    // Two of them stand on a page that was measured before they came.
    let places = ["a", "b"].iter().zip(&files).map(|(selector, file)| {
        let hash = brisk_margin_store::BlobHash::of(file);
        serving(selector, hash.as_str(), file.len() as u64, "")
    });
    api.store.keep_page(page("walks.html", places.collect())).await.unwrap();
    for (n, file) in files.iter().enumerate() {
        api.taken(&format!("{n}.jpg"), file).await;
    }
    api.work().await;
    let runs = api.get("/api/runs").await.json();
    let runs = runs.as_array().unwrap();
    let done: u64 = runs.iter().map(|run| run["done"].as_u64().unwrap()).sum();
    assert_eq!(done, 2, "{runs:#?}");
    assert!(runs.iter().all(|run| run["started_by"] == "intake" && run["state"] == "done"));
    assert!(runs[0]["name"].as_str().unwrap().starts_with("Arrivals, "));
}

#[tokio::test]
async fn what_changes_while_its_files_are_made_is_looked_at_again() {
    let Library { api, heavy, .. } = library().await;
    let slot = api.get("/api/layouts").await.json()["slots"][0]["id"].as_str().unwrap().to_owned();
    let set = MadeSet { picture_id: heavy.parse().unwrap(), slot_id: slot.parse().unwrap() };
    // As a worker does it: what decides the files is asked first, and that they are there is noted last.
    let begun = async || api.store.set_basis(set).await.unwrap().unwrap();
    let is_known = async |basis: SetBasis| {
        api.store.note_made_set(set, &basis, "its files").await.unwrap();
        api.store.made_sets(&[set.picture_id]).await.unwrap().contains(&set)
    };

    let basis = begun().await;
    let boxes = json!([{"slot_id": slot, "boxes": {"390": [200, 150]}}]);
    assert!(api.put("/api/slots/boxes", &boxes).await.status.is_success());
    assert!(!is_known(basis).await, "the slot has another box");
    let basis = begun().await;
    let focal = json!({"focal": {"x": 0.2, "y": 0.2}});
    assert!(api.patch(&format!("/api/pictures/{heavy}"), &focal).await.status.is_success());
    assert!(!is_known(basis).await, "the picture is held elsewhere");
    let basis = begun().await;
    let told = json!({"pictures": {&heavy: {"alt": "Spots"}}});
    assert!(api.patch("/api/pictures", &told).await.status.is_success());
    assert!(is_known(basis).await, "what is told of it decides no file");
}

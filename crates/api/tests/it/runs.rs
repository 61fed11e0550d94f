//! Runs over many pictures, as a client meets them.

use crate::support::Api;
use crate::support::pages::{page, serving};
use brisk_margin_core::format::Format;
use brisk_margin_testing::pictures::{encoded, gradient_jpeg, spots};
use serde_json::{Value, json};

/// Three pictures: two that pages serve in a slot, and one that no slot shows.
pub struct Library {
    pub api: Api,
    pub heavy: String,
    pub light: String,
    pub unused: String,
}

pub async fn library() -> Library {
    let api = Api::start().await;
    let heavy = api.taken("heavy.jpg", &encoded(&spots(1, 900, 600), Format::Jpeg, 98)).await;
    let light = api.taken("light.jpg", &encoded(&spots(2, 800, 500), Format::Jpeg, 97)).await;
    let unused = api.taken("unused.jpg", &gradient_jpeg(400, 300)).await;
    let mut places = Vec::new();
    for (selector, picture) in [("a", &heavy), ("b", &light)] {
        let picture = api.picture(picture).await;
        let bytes = picture["bytes"].as_u64().unwrap();
        places.push(serving(selector, picture["hash"].as_str().unwrap(), bytes, ""));
    }
    api.store.keep_page(page("walks.html", places)).await.unwrap();
    let rule = json!({"formats": ["webp", "jpeg"], "densities": [1, 2]});
    api.put("/api/output-rules", &rule).await;
    api.work().await;
    Library { api, heavy, light, unused }
}

async fn files_of(api: &Api, picture: &str) -> usize {
    let picture = api.get(&format!("/api/pictures/{picture}")).await.json();
    picture["variants"].as_array().unwrap().len()
}

async fn items(api: &Api, run: &str) -> Vec<Value> {
    api.get(&format!("/api/runs/{run}/items")).await.json().as_array().unwrap().clone()
}

fn id_of(run: &Value) -> String {
    run["id"].as_str().unwrap().to_owned()
}

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

/// Everything in the library, with these limits.
fn all_within(limits: &Value) -> Value {
    json!({"which": {"filter": {}}, "limits": limits})
}

fn why(forecast: &Value) -> Vec<(String, u64)> {
    let skipped = forecast["skipped"].as_array().unwrap().iter();
    let mut reasons: Vec<_> = skipped
        .map(|one| (one["reason"].as_str().unwrap().to_owned(), one["pictures"].as_u64().unwrap()))
        .collect();
    reasons.sort_unstable();
    reasons
}

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
async fn results_are_checked_at_their_worst_spot_refused_and_made_again() {
    let Library { api, heavy, light, .. } = library().await;
    let run = id_of(&api.post("/api/runs", &json!({"which": {"filter": {}}})).await.json());
    api.work().await;
    let checks = async || api.get(&format!("/api/runs/{run}/checks")).await.json();
    let sheet = checks().await;
    let sheet = sheet.as_array().unwrap();
    assert_eq!(sheet.len(), 2);
    assert!(sheet[0]["score"].as_f64() <= sheet[1]["score"].as_f64(), "the lowest score first");
    for one in sheet {
        let (spot, size) = (&one["spot"]["place"], &one["size"]);
        let right = spot["x"].as_u64().unwrap() + spot["width"].as_u64().unwrap();
        assert!(right <= size["width"].as_u64().unwrap(), "{one:#}");
        let trial = one["trial"].as_str().unwrap();
        assert_eq!(api.get(&format!("/api/trials/{trial}/file")).await.status, 200);
    }
    let good = json!({"places": [sheet[0]["place"]], "approved": true});
    assert_eq!(api.post(&format!("/api/runs/{run}/approve"), &good).await.json()["sets"], 1);
    let bad = json!({"places": [sheet[1]["place"]]});
    api.post(&format!("/api/runs/{run}/take-back"), &bad).await;
    assert_eq!(checks().await, json!([]));
    let files = files_of(&api, &heavy).await + files_of(&api, &light).await;

    // What was refused by mistake is made again, and is to be looked at again.
    let again = api.post(&format!("/api/runs/{run}/again"), &bad).await.json();
    assert_eq!(again["sets"], 1);
    assert_eq!(api.get(&format!("/api/runs/{run}")).await.json()["state"], "running");
    api.work().await;
    let told = api.get(&format!("/api/runs/{run}")).await.json();
    assert_eq!(
        (&told["state"], &told["done"], &told["unchecked"]),
        (&json!("done"), &json!(2), &json!(1))
    );
    assert!(files_of(&api, &heavy).await + files_of(&api, &light).await > files);
    let approved = json!({"places": [sheet[0]["place"]], "approved": false});
    api.post(&format!("/api/runs/{run}/approve"), &approved).await;
    assert_eq!(checks().await.as_array().unwrap().len(), 2);
}

#[tokio::test]
async fn a_run_is_told_as_a_table_and_beside_another_one() {
    let Library { api, heavy, .. } = library().await;
    let only = json!({"which": {"filter": {}}, "name": "Gallery"});
    let first = id_of(&api.post("/api/runs", &only).await.json());
    api.work().await;
    let rule = json!({"formats": ["webp", "jpeg"], "densities": [1, 2],
        "want": {"by": "grade", "value": "fine"}});
    assert!(api.put("/api/output-rules", &rule).await.status.is_success());
    let second = id_of(&api.post("/api/runs", &only).await.json());
    api.work().await;

    let csv = api.get(&format!("/api/runs/{first}/results.csv")).await.text();
    let lines: Vec<&str> = csv.lines().collect();
    assert_eq!(lines.len(), 4, "{csv}");
    assert!(lines[0].starts_with("picture,slot,state,reason,before,expected,after,score,files"));
    assert!(lines.iter().any(|line| line.contains("used in no slot")), "{csv}");
    let whole = api.get(&format!("/api/runs/{first}/results.json")).await.json();
    assert_eq!(
        (&whole["run"]["name"], whole["items"].as_array().unwrap().len()),
        (&json!("Gallery"), 3)
    );
    let error = whole["run"]["forecast_error"].as_f64().unwrap();
    assert!(error.abs() < 0.5, "told after the run: {error}");
    assert_eq!(whole["run"]["rule"]["densities"], json!([1.0, 2.0]), "as it was then");

    let beside = api.get(&format!("/api/runs/{first}/against/{second}")).await.json();
    assert_eq!(beside["sets"], 2, "{beside:#}");
    let bytes = beside["bytes"].as_array().unwrap();
    assert!(bytes[0].as_u64() < bytes[1].as_u64(), "finer files weigh more");
    let score = beside["score"].as_array().unwrap();
    assert!(score[0].as_f64() < score[1].as_f64());
    assert!(beside["rows"].as_array().unwrap().iter().any(|row| row["picture"] == json!(heavy)));
    let missing = "/api/runs/00000000-0000-0000-0000-000000000000";
    assert_eq!(api.get(&format!("/api/runs/{first}/against/{}", &missing[10..])).await.status, 404);
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

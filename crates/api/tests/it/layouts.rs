//! Layouts through the API: slots recognised, kept, filled, listed.

use crate::support::Api;
use crate::support::pages::{card, page};
use axum::http::StatusCode;
use brisk_margin_core::place::Place;
use brisk_margin_store::layouts::{Changes, PlaceFilter};
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::{Value, json};

async fn places(api: &Api) -> Vec<Value> {
    api.get("/api/occurrences").await.json().as_array().unwrap().clone()
}

fn id(thing: &Value) -> &str {
    thing["id"].as_str().unwrap()
}

async fn slots(api: &Api) -> Vec<Value> {
    api.get("/api/layouts").await.json()["slots"].as_array().unwrap().clone()
}

#[tokio::test]
async fn cards_alike_are_one_slot_on_all_pages_and_others_are_asked_about() {
    let api = Api::start().await;
    let walks = page(
        "walks.html",
        vec![card("li:nth-of-type(1)", 365.0), card("li:nth-of-type(2)", 365.3)],
    );
    let changes = api.store.keep_page(walks).await.unwrap();
    assert_eq!(changes, Changes { new: 2, changed: 0, gone: 0, is_heavier: false });
    api.store.keep_page(page("hire.html", vec![card("li:nth-of-type(1)", 365.0)])).await.unwrap();
    api.store.keep_page(page("odd.html", vec![card("li:nth-of-type(1)", 500.0)])).await.unwrap();

    let slots = slots(&api).await;
    assert_eq!(slots.len(), 2);
    assert_eq!((&slots[0]["name"], &slots[0]["places"]), (&json!("Cards on 2 pages"), &json!(3)));
    let doubtful = api.get("/api/occurrences?uncertain=true").await.json();
    assert_eq!(doubtful.as_array().unwrap().len(), 1);
    assert_eq!(doubtful[0]["alike"]["slot_id"], slots[0]["id"]);
    assert_eq!(api.get("/api/layouts").await.json()["doubts"], 1);
    let apart = format!("/api/occurrences/{}/apart", id(&doubtful[0]));
    assert_eq!(api.post(&apart, &Value::Null).await.status, StatusCode::NO_CONTENT);
    assert_eq!(api.get("/api/layouts").await.json()["doubts"], 0);
    assert_eq!(slots[0]["worst"]["kind"], "too-large");
    assert_eq!(slots[0]["sources"][0]["widths"].as_array().unwrap().last(), Some(&json!(730)));
}

#[tokio::test]
async fn measuring_again_keeps_what_was_set_by_hand_and_tells_what_changed() {
    let api = Api::start().await;
    api.store
        .keep_page(page("walks.html", vec![card("a", 365.0), card("b", 365.0)]))
        .await
        .unwrap();
    let slot = slots(&api).await[0]["id"].as_str().unwrap().to_owned();
    let edit = json!({"name": "Walk cards", "budget": 33_000});
    assert_eq!(api.patch(&format!("/api/slots/{slot}"), &edit).await.status, StatusCode::OK);
    let none = json!({"name": " "});
    let unnamed = api.patch(&format!("/api/slots/{slot}"), &none).await.json();
    assert_eq!(unnamed["name"], "Star walks · cards (2)", "what is around it names it again");
    assert_eq!(api.patch(&format!("/api/slots/{slot}"), &edit).await.status, StatusCode::OK);
    let picture = api.taken("dome.jpg", &gradient_jpeg(1600, 1000)).await;
    let placement = json!({"picture_id": picture});
    let placed = api.post(&format!("/api/slots/{slot}/placement"), &placement).await.json();
    assert_eq!(placed["places"], 2);

    let again = page("walks.html", vec![card("a", 380.0), card("c", 380.0)]);
    let changes = api.store.keep_page(again).await.unwrap();
    assert_eq!(changes, Changes { new: 1, changed: 1, gone: 1, is_heavier: false });
    let slots = slots(&api).await;
    assert_eq!((&slots[0]["name"], &slots[0]["budget"]), (&json!("Walk cards"), &json!(33_000)));
    assert_eq!(slots[0]["boxes"]["1280"][0], 380.0);
    let places = places(&api).await;
    let kept = places.iter().find(|place| place["selector"] == "a");
    assert_eq!(kept.unwrap()["picture_id"], picture);
}

#[tokio::test]
async fn another_picture_changes_the_state_and_taking_it_out_brings_it_back() {
    let api = Api::start().await;
    api.store.keep_page(page("walks.html", vec![card("a", 365.0)])).await.unwrap();
    let issue = async || places(&api).await[0]["issues"][0]["kind"].as_str().map(str::to_owned);
    let slot = slots(&api).await[0]["id"].as_str().unwrap().to_owned();
    let path = format!("/api/slots/{slot}/placement");
    assert_eq!(issue().await.as_deref(), Some("too-large"));
    let large = api.taken("dome.jpg", &gradient_jpeg(1600, 1000)).await;
    api.post(&path, &json!({"picture_id": large})).await;
    assert_eq!(issue().await, None, "it fits");
    let small = api.taken("small.jpg", &gradient_jpeg(200, 120)).await;
    api.post(&path, &json!({"picture_id": small})).await;
    assert_eq!(issue().await.as_deref(), Some("enlarged"));
    api.post(&path, &json!({"picture_id": null})).await;
    assert_eq!(issue().await.as_deref(), Some("too-large"));
    let nobody = json!({"picture_id": "00000000-0000-7000-8000-000000000000"});
    assert_eq!(api.post(&path, &nobody).await.status, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn a_doubtful_match_is_joined_by_hand_and_split_again() {
    let api = Api::start().await;
    let walks = page("walks.html", vec![card("a", 365.0), card("b", 500.0)]);
    api.store.keep_page(walks).await.unwrap();
    let two = slots(&api).await;
    let join = json!({"slot_id": id(&two[0])});
    let joined = api.post(&format!("/api/slots/{}/join", id(&two[1])), &join).await;
    assert_eq!(joined.status, StatusCode::NO_CONTENT);
    let one = slots(&api).await;
    assert_eq!((one.len(), &one[0]["places"]), (1, &json!(2)));

    let places = places(&api).await;
    let odd = id(places.iter().find(|place| place["selector"] == "b").unwrap());
    let split = api.post(&format!("/api/occurrences/{odd}/split"), &Value::Null).await;
    assert_eq!(split.status, StatusCode::OK);
    let two = slots(&api).await;
    assert_eq!((two.len(), &two[1]["boxes"]["1280"][0]), (2, &json!(500.0)));
    let itself = json!({"slot_id": id(&two[0])});
    let same = api.post(&format!("/api/slots/{}/join", id(&two[0])), &itself).await;
    assert_eq!(same.status, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn slots_are_typed_listed_and_read_back() {
    let api = Api::start().await;
    let typed = json!({
        "name": "Poster", "kind": "text", "fit": "cover", "boxes": {"390": [358, 500]},
    });
    let made = api.post("/api/slots", &typed).await;
    assert_eq!(made.status, StatusCode::CREATED);
    assert_eq!(made.json()["by_hand"], true);
    let refused = json!({"name": "x", "kind": "text", "fit": "cover", "boxes": {"390": [0, 5]}});
    assert_eq!(api.post("/api/slots", &refused).await.status, StatusCode::UNPROCESSABLE_ENTITY);

    let csv = api.get("/api/slots.csv").await.text();
    assert!(csv.contains("Poster,text,cover,390,358.0,500.0,"), "{csv}");
    let list = api.get("/api/slots.json").await.json();
    let added = api.post("/api/slots/import", &list).await;
    assert_eq!(added.json()["added"], 1);
    assert_eq!(slots(&api).await.len(), 2);
    let broken = json!([{"name": "ok", "kind": "text", "fit": "cover", "boxes": {"390": [1, 1]}},
                        {"name": "", "kind": "text", "fit": "cover", "boxes": {}}]);
    assert_eq!(api.post("/api/slots/import", &broken).await.status, 422);
    assert_eq!(slots(&api).await.len(), 2, "a list is taken whole or not at all");
}

#[tokio::test]
async fn an_address_that_is_none_is_refused_before_a_browser_starts() {
    let api = Api::start().await;
    for address in ["visit.html", "file:///etc/passwd", "javascript:alert(1)", ""] {
        let answer = api.post("/api/measurements", &json!({"address": address})).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{address}");
    }
    assert_eq!(api.get("/api/measurements/latest").await.json(), Value::Null);
}

#[tokio::test]
async fn what_is_measured_already_is_not_wished_for_twice_and_anything_else_is() {
    let api = Api::start().await;
    let job = async |wish: Value| {
        let answer = api.post("/api/measurements", &wish).await;
        assert_eq!(answer.status, StatusCode::ACCEPTED, "{}", answer.text());
        answer.json()["job"].clone()
    };
    let address = "http://127.0.0.1:9/index.html";
    let page = job(json!({"address": address})).await;
    assert_eq!(job(json!({"address": address})).await, page);
    let site = job(json!({"address": address, "whole_site": true})).await;
    assert_ne!(site, page, "one page does not stand for all of them");
    let told = api.get(&format!("/api/jobs/{}", site.as_str().unwrap())).await.json();
    assert_eq!((&told["about"], &told["state"]), (&json!(address), &json!("waiting")));
}

#[tokio::test]
async fn the_site_keeps_its_layout_widths_and_allowed_hosts() {
    let api = Api::start().await;
    let site = api.get("/api/site").await.json();
    assert_eq!(site["widths"][0], json!({"width": 390, "height": 844}));
    let change = json!({
        "name": "Tarnlight", "allowed_hosts": ["http://pictures.example:8080"],
        "widths": [{"width": 1440, "height": 900}, {"width": 360}],
    });
    assert_eq!(api.patch("/api/site", &change).await.status, StatusCode::OK);
    let site = api.get("/api/site").await.json();
    assert_eq!(site["name"], "Tarnlight");
    assert_eq!(site["allowed_hosts"], json!(["http://pictures.example:8080"]));
    let widths = json!([{"width": 360, "height": 844}, {"width": 1440, "height": 900}]);
    assert_eq!(site["widths"], widths);
    for refused in [
        json!({"widths": [{"width": 12}]}),
        json!({"widths": []}),
        json!({"widths": [{"width": 390, "height": 800}, {"width": 390, "height": 700}]}),
        json!({"allowed_hosts": ["pictures.example"]}),
    ] {
        assert_eq!(api.patch("/api/site", &refused).await.status, 422, "{refused}");
    }
    assert_eq!(api.get("/api/site").await.json()["widths"], widths, "nothing was half changed");
}

#[tokio::test]
async fn a_set_of_sizes_sizes_many_slots_survives_measuring_and_is_taken_back() {
    let api = Api::start().await;
    let walks = || page("walks.html", vec![card("a", 365.0), card("b", 500.0)]);
    api.store.keep_page(walks()).await.unwrap();
    let set = json!({"name": "Squares", "sizes": {
        "0": {"width": 160, "ratio": {"kind": "square"}},
        "1000": {"width": 320, "ratio": {"kind": "typed", "across": 16, "down": 9}},
    }});
    let kept = api.put("/api/size-sets", &set).await.json();
    let both: Vec<Value> = slots(&api).await.iter().map(|slot| slot["id"].clone()).collect();
    let apply = format!("/api/size-sets/{}/apply", id(&kept));
    let before = api.post(&apply, &json!({"slots": both})).await.json();
    let sized = json!({"390": [160.0, 160.0], "1280": [320.0, 180.0]});
    for slot in slots(&api).await {
        assert_eq!((&slot["boxes"], &slot["boxes_by_hand"]), (&sized, &json!(true)));
    }

    let again = page("walks.html", vec![card("a", 366.0), card("b", 500.0)]);
    api.store.keep_page(again).await.unwrap();
    assert_eq!(slots(&api).await[0]["boxes"], sized, "measuring again keeps what was set by hand");
    assert_eq!(api.put("/api/slots/boxes", &before).await.status, StatusCode::OK);
    let measured = &slots(&api).await[0];
    assert_eq!(measured["boxes"]["1280"], json!([366.0, 220.0]));

    let nothing = json!({"name": "Nothing", "sizes": {"0": {"ratio": {"kind": "free"}}}});
    assert_eq!(api.put("/api/size-sets", &nothing).await.status, 422);
    let again =
        json!({"name": "Squares", "sizes": {"0": {"width": 90, "ratio": {"kind": "square"}}}});
    assert_eq!(api.put("/api/size-sets", &again).await.json()["id"], kept["id"]);
    let one = format!("/api/size-sets/{}", id(&kept));
    assert_eq!(api.delete(&one).await.status, StatusCode::NO_CONTENT);
    assert_eq!(api.delete(&one).await.status, StatusCode::NOT_FOUND);
    assert_eq!(api.get("/api/size-sets").await.json(), json!([]));
}

#[tokio::test]
async fn who_crops_is_changed_by_hand_and_back() {
    let api = Api::start().await;
    api.store.keep_page(page("walks.html", vec![card("a", 420.0)])).await.unwrap();
    let path = format!("/api/slots/{}", id(&slots(&api).await[0]));
    let slot = async |choice: &str| {
        api.patch(&path, &json!({"cropping": choice})).await;
        slots(&api).await[0].clone()
    };
    let art = slot("art-direction").await;
    assert_eq!(
        (&art["cropping"], &art["cropping_by_hand"]),
        (&json!("art-direction"), &json!(true))
    );
    let sources = |slot: &Value| slot["sources"].as_array().unwrap().len();
    assert_eq!((sources(&art), sources(&slot("browser").await)), (2, 1));
    let default = slot("by-shape").await;
    assert_eq!(
        (&default["cropping"], &default["cropping_by_hand"]),
        (&json!("browser"), &json!(false))
    );
}

#[tokio::test]
async fn a_page_tells_what_its_pictures_weigh_under_its_slots_budgets() {
    let api = Api::start().await;
    api.store
        .keep_page(page("walks.html", vec![card("a", 365.0), card("b", 365.0)]))
        .await
        .unwrap();
    let layouts = api.get("/api/layouts").await.json();
    let budget = layouts["slots"][0]["budget"].as_u64().unwrap();
    let margin = &layouts["pages"][0]["margin"];
    // Both cards show the same file, which is downloaded once.
    assert_eq!((&margin["budget"], &margin["weight"]), (&json!(2 * budget), &json!(2_000_000)));
}

#[tokio::test]
async fn a_place_keeps_its_picture_and_its_slot_on_its_spot_whatever_finds_it() {
    let api = Api::start().await;
    let at = |selector: &str, top: f64| {
        let mut place = card(selector, 365.0);
        place.details.positions = [(390, (16.0, top)), (1280, (16.0, top))].into();
        place
    };
    let dome = "main > ul > li > img:nth-of-type(1)";
    let hall = "main > ul > li > img:nth-of-type(2)";
    let walks = |one: &str, two: &str| page("walks.html", vec![at(one, 300.0), at(two, 600.4)]);
    api.store.keep_page(walks(dome, hall)).await.unwrap();
    let picture = api.taken("hall.jpg", &gradient_jpeg(900, 600)).await;
    let places = async || {
        let mut places = api.store.places(&PlaceFilter::default()).await.unwrap();
        places.sort_by(|a, b| a.details.positions[&390].1.total_cmp(&b.details.positions[&390].1));
        places
    };
    let before = places().await;
    let placed = json!({"picture_id": picture, "places": [before[1].id]});
    let slot = before[1].slot_id;
    let told = api.post(&format!("/api/slots/{slot}/placement"), &placed).await;
    assert_eq!(told.status, StatusCode::OK, "{}", told.text());

    // One of them is in an element of its own now, so that the other one has the first one's selector.
    let changes = api.store.keep_page(walks("main > ul > li > picture > img", dome)).await.unwrap();
    assert_eq!((changes.new, changes.gone), (0, 0));
    let after = places().await;
    assert_eq!(after[0].selector, "main > ul > li > picture > img");
    assert_eq!(after[1].selector, dome);
    let pictures: Vec<_> =
        after.iter().map(|place| place.picture_id.map(|id| id.to_string())).collect();
    assert_eq!(pictures, [None, Some(picture)]);
    let ids =
        |places: &[Place]| Vec::from_iter(places.iter().map(|place| (place.id, place.slot_id)));
    assert_eq!(ids(&after), ids(&before));
}

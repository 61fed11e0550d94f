//! Trials and output rules, as a client meets them.

use crate::support::Api;
use axum::http::StatusCode;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_testing::pictures::{encoded, gradient_jpeg};
use serde_json::{Value, json};

fn wish(more: Value) -> Value {
    let mut wish = json!({"slot": {"width": 300, "height": 200, "fit": "cover"}, "density": 1});
    wish.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    wish
}

fn grainy() -> Vec<u8> {
    let grain = (0..400 * 300u32).flat_map(|n| {
        let noise = (n.wrapping_mul(2_654_435_761) >> 27) as u8;
        let light = ((n % 400) / 2) as u8;
        [light.saturating_add(noise), 90 + noise, 160 - light / 2]
    });
    let raster = Raster::new(Size::new(400, 300), Channels::Rgb, grain.collect());
    encoded(&raster, Format::Jpeg, 95)
}

#[tokio::test]
async fn a_search_is_kept_and_coming_back_costs_nothing() {
    let api = Api::start().await;
    let id = api.taken("moor.jpg", &grainy()).await;
    let path = format!("/api/pictures/{id}/trials");
    let search = wish(json!({"format": "webp", "how": {"by": "rule", "want": null}}));
    let first = api.post(&path, &search).await.json();
    assert_eq!(first["outcome"]["kind"], "met", "{first}");
    assert!((1..=5).contains(&first["encodes"].as_u64().unwrap()));
    let settled = first["settled"].as_str().unwrap();
    let trials = first["proof"]["trials"].as_array().unwrap();
    let found = trials.iter().find(|trial| trial["id"] == settled).unwrap();
    assert!(found["score"].as_f64().unwrap() >= 70.0);
    assert!(!found["spots"].as_array().unwrap().is_empty());
    let weights: Vec<u64> =
        trials.iter().map(|trial| trial["margin"]["weight"].as_u64().unwrap()).collect();
    assert!(weights.is_sorted(), "the lightest first");
    let again = api.post(&path, &search).await.json();
    assert_eq!((&again["encodes"], &again["settled"]), (&json!(0), &first["settled"]));

    // The file has the bytes that were told, and its differences the file's size.
    let file = api.get(&format!("/api/trials/{settled}/file")).await;
    assert_eq!(file.body.len() as u64, found["margin"]["weight"].as_u64().unwrap());
    let map = api.get(&format!("/api/trials/{settled}/differences")).await;
    let map = brisk_margin_imaging::codec::png::decode(&map.body).unwrap();
    assert_eq!(map.size(), Size::new(300, 200));
    let reference = api.get(&format!("/api/trials/{settled}/reference")).await;
    let reference = brisk_margin_imaging::codec::png::decode(&reference.body).unwrap();
    assert_eq!(reference.size(), map.size());
}

#[tokio::test]
async fn what_older_encoders_made_is_made_anew_and_its_files_stay() {
    let api = Api::start().await;
    let id = api.taken("moor.jpg", &grainy()).await;
    let file = json!({"format": "jpeg", "quality": 60});
    let path = format!("/api/pictures/{id}/variants");
    let old = api.post(&path, &wish(file.clone())).await.json();
    let search = wish(json!({"format": "jpeg", "how": {"by": "bytes", "bytes": 9_000}}));
    api.post(&format!("/api/pictures/{id}/trials"), &search).await;
    let proof = async || {
        let proof = api.post(&format!("/api/pictures/{id}/proof"), &wish(json!({}))).await.json();
        proof["trials"].as_array().unwrap().len()
    };
    assert!(proof().await > 0);

    api.execute("UPDATE trials SET generation = generation - 1, bytes = 1").await;
    api.execute("UPDATE variants SET cache_key = 'of an older encoder'").await;
    assert_eq!(proof().await, 0, "nothing is told of files that are not made so any more");
    let made = api.post(&path, &wish(file)).await;
    assert_eq!(made.status, StatusCode::CREATED);
    assert_ne!(made.json()["id"], old["id"]);
    let kept = format!("/api/variants/{}/file", old["id"].as_str().unwrap());
    assert_eq!(api.get(&kept).await.status, StatusCode::OK);
}

#[tokio::test]
async fn files_for_dense_screens_may_lack_what_the_rule_allows_and_no_others() {
    let api = Api::start().await;
    let id = api.taken("moor.jpg", &grainy()).await;
    let weight = async |density: u32| {
        let slot = json!({"width": 150, "height": 100, "fit": "cover"});
        let search = json!({"slot": slot, "density": density, "format": "webp",
            "how": {"by": "rule", "want": null}});
        let tried = api.post(&format!("/api/pictures/{id}/trials"), &search).await.json();
        let trials = tried["proof"]["trials"].as_array().unwrap();
        let trial = trials.iter().find(|trial| trial["id"] == tried["settled"]).unwrap();
        (trial["margin"]["weight"].as_u64().unwrap(), trial["score"].as_f64().unwrap())
    };
    let before = [weight(1).await, weight(2).await];
    let rule = json!({"dense_allowance": 15});
    assert_eq!(api.put("/api/output-rules", &rule).await.status, StatusCode::OK);
    let after = [weight(1).await, weight(2).await];
    assert_eq!(after[0], before[0], "one pixel for each is judged as before");
    assert!(after[1].0 < before[1].0, "{before:?} {after:?}");
    assert!(after[1].1 >= 55.0, "{after:?}");
    let most = json!({"dense_allowance": 30});
    let refused = api.put("/api/output-rules", &most).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.json()["detail"].as_str().unwrap().contains("0 to 20 points"));
}

#[tokio::test]
async fn a_trial_can_be_asked_for_by_its_bytes_and_becomes_the_rule() {
    let api = Api::start().await;
    let id = api.taken("moor.jpg", &grainy()).await;
    let path = format!("/api/pictures/{id}/trials");
    let light = wish(json!({"format": "jpeg", "how": {"by": "bytes", "bytes": 9_000}}));
    let tried = api.post(&path, &light).await.json();
    let trials = tried["proof"]["trials"].as_array().unwrap();
    let trial = trials.iter().find(|trial| trial["id"] == tried["settled"]).unwrap();
    assert!(trial["margin"]["weight"].as_u64().unwrap() <= 9_000);
    let settled = tried["settled"].as_str().unwrap();

    let before = api.post(&format!("/api/trials/{settled}/choose"), &json!({})).await.json();
    assert_eq!(before["formats"], Value::Null, "nothing was said before");
    let proof = api.post(&format!("/api/pictures/{id}/proof"), &wish(json!({}))).await.json();
    assert_eq!(proof["decision"]["formats"], json!({"value": ["jpeg"], "by": "picture"}));
    assert_eq!(proof["settled"], json!([trial["name"]]));
    assert_eq!(proof["decision"]["want"]["by"], "usual");

    // The rule is followed: the search is that one quality now.
    let search = wish(json!({"format": "jpeg", "how": {"by": "rule", "want": null}}));
    assert_eq!(api.post(&path, &search).await.json()["settled"], settled);

    // Taken back by saying what was said before.
    let rule = format!("/api/output-rules?picture={id}");
    assert_eq!(api.put(&rule, &before).await.status, 200);
    let proof = api.post(&format!("/api/pictures/{id}/proof"), &wish(json!({}))).await.json();
    assert_eq!(proof["decision"]["formats"]["by"], "usual");
}

#[tokio::test]
async fn the_site_speaks_where_nobody_nearer_does_and_bad_rules_are_refused() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(400, 300)).await;
    let rule = json!({"want": {"by": "grade", "value": "lean"}, "cap": {"kind": "budget"}});
    assert_eq!(api.put("/api/output-rules", &rule).await.status, 200);
    let proof = api.post(&format!("/api/pictures/{id}/proof"), &wish(json!({}))).await.json();
    assert_eq!(
        proof["decision"]["want"],
        json!({"value": {"by": "grade", "value": "lean"}, "by": "site"})
    );
    assert_eq!(proof["formats"], json!(["avif", "webp", "jpeg"]));

    let refused = api.put("/api/output-rules", &json!({"formats": ["avif"]})).await;
    assert_eq!(refused.status, 422);
    assert!(refused.json()["detail"].as_str().unwrap().contains("some browsers"));
    let gone = uuid::Uuid::now_v7();
    let nobody = api.put(&format!("/api/output-rules?picture={gone}"), &rule).await;
    assert_eq!(nobody.status, 404);

    let lossless =
        wish(json!({"format": "jpeg", "how": {"by": "rule", "want": {"by": "lossless"}}}));
    let refused = api.post(&format!("/api/pictures/{id}/trials"), &lossless).await;
    assert_eq!(refused.status, 422);
    assert!(refused.json()["detail"].as_str().unwrap().contains("PNG or WebP"));
}

#[tokio::test]
async fn any_frame_of_what_moves_is_looked_at_and_the_worst_is_known() {
    let api = Api::start().await;
    let id = api.taken("mist.webp", &brisk_margin_testing::pictures::moving()).await;
    let path = format!("/api/pictures/{id}/trials");
    let search = wish(json!({"format": "webp", "how": {"by": "quality", "quality": 20}}));
    let tried = api.post(&path, &search).await.json();
    let trial = format!("/api/trials/{}", tried["settled"].as_str().unwrap());
    let frames = api.get(&format!("{trial}/frames")).await.json();
    let order: Vec<u64> =
        frames.as_array().unwrap().iter().map(|frame| frame["frame"].as_u64().unwrap()).collect();
    assert_eq!((order.len(), order[0]), (3, 1), "the worst first: {frames:#}");
    assert_eq!(frames[0]["begins"], 100);
    // The file's own score is that of its worst frame.
    let settled = tried["proof"]["trials"].as_array().unwrap();
    let settled = settled.iter().find(|one| one["id"] == tried["settled"]).unwrap();
    assert_eq!(frames[0]["score"], settled["score"]);

    let png = async |path: &str| {
        let answer = api.get(path).await;
        assert_eq!(answer.status, StatusCode::OK, "{path}");
        brisk_margin_imaging::codec::png::decode(&answer.body).unwrap()
    };
    let own = png(&format!("{trial}/frames/1/reference")).await;
    let file = png(&format!("{trial}/frames/1/file")).await;
    assert_eq!((own.size(), file.size()), (Size::new(300, 200), Size::new(300, 200)));
    assert_ne!(own, file);
    assert_ne!(own, png(&format!("{trial}/frames/0/reference")).await);
    png(&format!("{trial}/frames/1/differences")).await;
    assert_eq!(api.get(&format!("{trial}/frames/3/file")).await.status, StatusCode::NOT_FOUND);

    let still = api.taken("moor.jpg", &grainy()).await;
    let tried = api.post(&format!("/api/pictures/{still}/trials"), &search).await.json();
    let still = format!("/api/trials/{}/frames", tried["settled"].as_str().unwrap());
    assert_eq!(api.get(&still).await.json(), json!([]));
    assert_eq!(api.get(&format!("{still}/0/file")).await.status, StatusCode::NOT_FOUND);
}

//! The library through the API: judged, found, described, removed and brought back.

use crate::support::Api;
use crate::support::pages::{page, serving};
use axum::http::StatusCode;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_imaging::resize::{Region, resize};
use brisk_margin_store::BlobHash;
use brisk_margin_testing::pictures::{encoded, gradient_jpeg, gradient_png, spots};
use brisk_margin_work::{removal, status};
use serde_json::{Value, json};

fn issues(picture: &Value) -> Vec<&str> {
    let issues = picture["issues"].as_array().unwrap();
    issues.iter().map(|issue| issue["kind"].as_str().unwrap()).collect()
}

#[tokio::test]
async fn what_is_worth_doing_is_told_and_filtered_by() {
    let api = Api::start().await;
    let photo = png::encode_fast(&noisy(1200, 900)).unwrap();
    let id = api.taken("export.png", &photo).await;
    let small = gradient_jpeg(120, 90);
    let used = api.taken("thumb.jpg", &small).await;
    let hash = BlobHash::of(&small);
    let walks = page("walks.html", vec![serving("a", hash.as_str(), small.len() as u64, "A path")]);
    api.store.keep_page(walks).await.unwrap();
    api.work().await;

    let export = api.picture(&id).await;
    assert_eq!(issues(&export), ["heavier", "wrong-format", "no-alt", "no-credit", "not-used"]);
    assert_eq!(export["analysis"]["class"], "photograph");
    let possible = &export["possible"];
    assert!(possible["low"].as_u64() < possible["about"].as_u64());
    assert!(possible["high"].as_u64().unwrap() < photo.len() as u64);

    let thumb = api.picture(&used).await;
    assert_eq!((&thumb["uses"], issues(&thumb)[0]), (&json!(1), "too-small"));
    assert!(thumb["issues"][0]["words"].as_str().unwrap().starts_with("needs "));
    let found = api.get(&format!("/api/pictures/{used}/page")).await.json();
    assert_eq!(
        (&found["page_alt"], &found["uses"][0]["placed"]),
        (&json!("A path"), &json!(false))
    );

    assert_eq!(api.names("issues=not-used,wrong-format").await, ["export.png"]);
    assert_eq!(api.names("issues=not-used,too-small").await, [""; 0]);
    assert_eq!(api.get("/api/pictures?issues=ugly").await.status, StatusCode::UNPROCESSABLE_ENTITY);
    let tally =
        api.post("/api/tally", &json!({"which": {"filter": {"issues": ["heavier"]}}})).await.json();
    assert_eq!((&tally["pictures"], &tally["possible"]["about"]), (&json!(1), &possible["about"]));
}

/// A picture as a sensor sees it: shades and noise.
fn noisy(width: u32, height: u32) -> Raster {
    let base = spots(5, width, height);
    let mut state = 3u32;
    let grainy = base.data().iter().map(|&v| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        v.saturating_add((state >> 28) as u8)
    });
    Raster::new(base.size(), Channels::Rgb, grainy.collect())
}

#[tokio::test]
async fn every_order_is_paged_without_gaps_or_repeats() {
    let api = Api::start().await;
    for n in 0..23u32 {
        let name = format!("{}.png", ["dome", "Moor", "stars", "ärger"][n as usize % 4]);
        api.taken(&name, &gradient_png(20 + n % 5, 10 + n)).await;
    }
    for sort in [
        "arrival", "name", "bytes", "pixels", "format", "uses", "state", "saving", "alt", "creator",
    ] {
        for descending in [true, false] {
            let mut seen = Vec::new();
            let mut after = String::new();
            loop {
                let path =
                    format!("/api/pictures?sort={sort}&descending={descending}&limit=4{after}");
                let part = api.get(&path).await.json();
                let rows = part["pictures"].as_array().unwrap();
                seen.extend(rows.iter().map(|row| row["id"].as_str().unwrap().to_owned()));
                let Some(next) = part["next"].as_str() else { break };
                after = format!("&after={}", next.replace(' ', "%20").replace('ä', "%C3%A4"));
            }
            let all =
                api.get(&format!("/api/pictures?sort={sort}&descending={descending}")).await.json();
            let all = all["pictures"]
                .as_array()
                .unwrap()
                .iter()
                .map(|row| row["id"].as_str().unwrap().to_owned());
            assert_eq!(seen, all.collect::<Vec<_>>(), "{sort} {descending}");
            assert_eq!(seen.len(), 23);
        }
    }
    assert_eq!(api.names("search=MOOR&limit=99").await.len(), 6);
    assert_eq!(api.names("search=%25").await.len(), 0, "a percent sign is no wildcard");
}

#[tokio::test]
async fn pictures_are_described_together_and_all_of_it_is_taken_back() {
    let api = Api::start().await;
    let one = api.taken("DSC_0412.jpg", &gradient_jpeg(60, 40)).await;
    let two = api.taken("moor.jpg", &gradient_jpeg(70, 40)).await;
    let alt = json!({"pictures": {&one: {"alt": "DSC_0412"}, &two: {"alt": "Heather", "source": "https://tarn.example"}}});
    let change = api.patch("/api/pictures", &alt).await.json();
    assert_eq!(change["pictures"], 2);
    let described = api.picture(&one).await;
    assert!(issues(&described).contains(&"alt-file-name"), "{described:#}");
    assert_eq!(api.names("issues=no-alt").await.len(), 0);

    let which = json!({"ids": [&one, &two]});
    let credit = json!({"which": which, "set": {"creator": "Ada Fenn", "alt": "Heather"}});
    let second = api.post("/api/pictures/describe", &credit).await.json();
    let again = api.picture(&two).await;
    let alt = again["issues"].as_array().unwrap().iter();
    let words: Vec<_> =
        alt.filter(|one| one["place"]["on"] == "alt-text").map(|one| &one["words"]).collect();
    assert_eq!(words, ["the same as another’s"]);
    // The first change is taken back; what was changed again since stays.
    let back = api
        .post(&format!("/api/changes/{}/back", change["id"].as_str().unwrap()), &json!({}))
        .await;
    assert_eq!(back.json()["changed_since"], 1, "{}", back.text());
    assert_eq!(api.picture(&one).await["description"]["alt"], "Heather");
    assert_eq!(api.picture(&two).await["description"]["source"], "");
    let again = api
        .post(&format!("/api/changes/{}/back", change["id"].as_str().unwrap()), &json!({}))
        .await;
    assert_eq!(again.status, StatusCode::NOT_FOUND);
    api.post(&format!("/api/changes/{}/back", second["id"].as_str().unwrap()), &json!({})).await;
    assert_eq!(api.picture(&two).await["description"]["creator"], "");

    let bad = json!({"pictures": {&one: {"source": "javascript:alert(1)", "title": "x"}}});
    assert_eq!(api.patch("/api/pictures", &bad).await.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(api.picture(&one).await["description"]["title"], "");
}

#[tokio::test]
async fn names_are_proposed_by_the_sites_pattern_each_of_them_once() {
    let api = Api::start().await;
    let one = api.taken("DSC_1.jpg", &gradient_jpeg(60, 40)).await;
    let two = api.taken("DSC_2.jpg", &gradient_jpeg(70, 40)).await;
    api.taken("groesse.jpg", &gradient_jpeg(80, 40)).await;
    let bad = api.patch("/api/site", &json!({"name_pattern": "{titel}"})).await;
    assert!(bad.text().contains("{titel}"), "{}", bad.text());
    api.patch("/api/site", &json!({"name_pattern": "{title}"})).await;
    let title = json!({"which": {"ids": [&one, &two]}, "set": {"title": "Größe"}});
    api.post("/api/pictures/describe", &title).await;
    let names =
        api.post("/api/pictures/names", &json!({"which": {"ids": [&one, &two]}})).await.json();
    let proposed: Vec<&str> =
        names.as_array().unwrap().iter().map(|name| name["proposed"].as_str().unwrap()).collect();
    assert_eq!(proposed, ["groesse-3.jpg", "groesse-2.jpg"]);
}

#[tokio::test]
async fn a_table_of_descriptions_is_previewed_before_it_changes_anything() {
    let api = Api::start().await;
    let id = api.taken("=dome.jpg", &gradient_jpeg(60, 40)).await;
    api.taken("moor.jpg", &gradient_jpeg(70, 40)).await;
    let table = api.get("/api/descriptions.csv").await.text();
    assert!(table.contains("'=dome.jpg,"), "a formula goes out harmless: {table}");
    let edited = "name;alt;decorative;mood\n'=dome.jpg;The dome;no;calm\ngone.jpg;x;;\n";
    let read = |apply: bool| format!("/api/descriptions.csv?apply={apply}");
    let preview = api.send_bytes("POST", &read(false), "text/csv", edited.as_bytes()).await.json();
    assert_eq!((&preview["cells"], &preview["pictures"]), (&json!(1), &json!(1)), "{preview}");
    assert_eq!(preview["changes"][0]["after"], "The dome");
    assert_eq!(preview["unmatched"], json!(["line 3: gone.jpg"]));
    assert_eq!(preview["passed_over"], json!(["mood"]));
    assert_eq!(api.picture(&id).await["description"]["alt"], "");
    let done = api.send_bytes("POST", &read(true), "text/csv", edited.as_bytes()).await.json();
    assert_eq!(api.picture(&id).await["description"]["alt"], "The dome");
    api.post(&format!("/api/changes/{}/back", done["change"]["id"].as_str().unwrap()), &json!({}))
        .await;
    assert_eq!(api.picture(&id).await["description"]["alt"], "");
    let latin =
        api.send_bytes("POST", &read(true), "text/csv", b"name,alt\nmoor.jpg,K\xFCche\n").await;
    assert!(latin.text().contains("UTF-8"), "{}", latin.text());
}

#[tokio::test]
async fn a_removed_picture_comes_back_with_its_places_until_its_time_is_over() {
    let api = Api::start().await;
    let file = gradient_jpeg(900, 600);
    let id = api.taken("dome.jpg", &file).await;
    let hash = BlobHash::of(&file);
    api.store.keep_page(page("w.html", vec![serving("a", hash.as_str(), 9, "")])).await.unwrap();
    api.work().await;
    let asked = json!({"which": {"ids": [&id]}, "dry_run": true});
    let asked = api.post("/api/pictures/remove", &asked).await.json();
    assert_eq!(asked["used"][0]["pages"], json!(["Star walks"]));
    assert_eq!((&asked["keep_days"], &asked["change"]), (&json!(90), &Value::Null));

    // What was shown is removed, and nothing that came since.
    let shown = json!({"which": {"filter": {}}, "dry_run": true});
    let seen = api.post("/api/pictures/remove", &shown).await.json()["seen"].clone();
    let late = api.taken("late.jpg", &gradient_jpeg(80, 60)).await;
    let all = json!({"which": {"filter": {}}, "seen": seen});
    assert_eq!(api.post("/api/pictures/remove", &all).await.status, StatusCode::CONFLICT);
    assert_eq!(api.names("").await.len(), 2);
    api.post("/api/pictures/remove", &json!({"which": {"ids": [&late]}})).await;

    api.post("/api/pictures/remove", &json!({"which": {"ids": [&id]}})).await;
    assert_eq!((api.names("").await.len(), api.names("removed=true").await.len()), (0, 2));
    assert_eq!(removal::forget_pictures(&api.store).await.unwrap(), 0, "90 days are not over");
    let tally = api.post("/api/tally", &json!({"which": {"ids": [&id]}})).await.json();
    assert_eq!(tally["pictures"], 1, "removed pictures that are selected count");
    api.post("/api/pictures/bring-back", &json!({"which": {"ids": [&id]}})).await;
    assert_eq!(api.picture(&id).await["uses"], 1);

    // The same file sent again brings it back, too.
    api.post("/api/pictures/remove", &json!({"which": {"filter": {}}})).await;
    assert_eq!(api.upload("again.jpg", &file).await.json()["id"], *id);
    assert_eq!(api.names("").await, ["dome.jpg"]);

    let other = api.taken("moor.png", &gradient_png(50, 40)).await;
    api.post("/api/pictures/remove", &json!({"which": {"ids": [&other]}})).await;
    let blobs = api.files_below("blobs");
    let later = chrono::Utc::now() + chrono::TimeDelta::days(91);
    assert_eq!(api.store.forget_removed(later).await.unwrap(), 2);
    assert_eq!(api.get(&format!("/api/pictures/{other}")).await.status, StatusCode::NOT_FOUND);
    // Its bytes go a day after its row, unless somebody brought them again.
    assert_eq!(removal::forget_pictures(&api.store).await.unwrap(), 0);
    assert_eq!(api.files_below("blobs"), blobs);
    assert_eq!(api.sites.installation().delete_unused_bytes(later).await.unwrap(), 2);
    assert_eq!(api.files_below("blobs"), blobs - 2, "their originals are gone, and no others");
    assert_eq!(api.get(&format!("/api/pictures/{id}/original")).await.body, file);

    let again = api.taken("moor.png", &gradient_png(50, 40)).await;
    api.post("/api/pictures/remove", &json!({"which": {"ids": [&again]}})).await;
    assert_eq!(api.store.forget_removed(later).await.unwrap(), 1);
    let back = api.taken("moor.png", &gradient_png(50, 40)).await;
    assert_eq!(
        api.sites.installation().delete_unused_bytes(later).await.unwrap(),
        0,
        "a row speaks of them again"
    );
    assert_eq!(api.get(&format!("/api/pictures/{back}/original")).await.body, gradient_png(50, 40));
}

#[tokio::test]
async fn a_judgement_of_yesterday_does_not_hide_what_changed_since() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(90, 60)).await;
    api.work().await;
    let number = id.parse().unwrap();
    let read = api.store.picture(number).await.unwrap().unwrap();
    // Somebody writes an alt text while the picture, as it was read before, is being judged.
    api.patch("/api/pictures", &json!({"pictures": {&id: {"alt": "The dome"}}})).await;
    status::refresh_all(&api.store, &[read]).await.unwrap();
    assert_eq!(api.names("issues=no-alt").await.len(), 1, "judged by what it was");
    assert!(!issues(&api.picture(&id).await).contains(&"no-alt"), "the text itself says otherwise");
    api.work().await;
    assert_eq!(api.names("issues=no-alt").await.len(), 0, "and judged again");
    assert_eq!(api.store.stale_pictures(9).await.unwrap(), []);
}

#[tokio::test]
async fn an_original_that_is_gone_or_damaged_costs_one_picture_and_comes_back_with_its_upload() {
    let api = Api::start().await;
    let file = gradient_jpeg(90, 60);
    let lost = api.taken("lost.jpg", &file).await;
    let hash = BlobHash::of(&file);
    let place = api.blobs().join(&hash.as_str()[..2]).join(hash.as_str());
    std::fs::remove_file(&place).unwrap();
    let kept = api.taken("kept.jpg", &gradient_jpeg(91, 60)).await;
    api.work().await;
    let reason = api.picture(&lost).await["analysis_failed"].as_str().unwrap().to_owned();
    assert!(reason.contains("missing from the blob store"), "{reason}");
    assert!(api.picture(&kept).await["analysis"].is_object());

    let mut damaged = file.clone();
    damaged[40] ^= 1;
    for (bytes, kind) in [(None, "file-missing"), (Some(damaged), "file-damaged")] {
        if let Some(bytes) = bytes {
            std::fs::write(&place, bytes).unwrap();
        }
        let refused = api.get(&format!("/api/pictures/{lost}/original")).await;
        assert_eq!(refused.status, StatusCode::INTERNAL_SERVER_ERROR);
        assert!(refused.json()["type"].as_str().unwrap().ends_with(kind), "{}", refused.text());
    }
    assert!(api.upload("again.jpg", &file).await.status.is_success());
    let original = api.get(&format!("/api/pictures/{lost}/original")).await;
    assert_eq!(original.body, file, "whole again");
    api.work().await;
    assert!(api.picture(&lost).await["analysis"].is_object(), "and looked at again");
}

#[tokio::test]
async fn look_alikes_are_found_told_apart_or_merged_with_their_places() {
    let api = Api::start().await;
    let picture = spots(1, 600, 400);
    let large = encoded(&picture, Format::Jpeg, 92);
    let copy = resize(&picture, Region::whole(picture.size()), Size::new(240, 160));
    let small = encoded(&copy, Format::Jpeg, 60);
    let kept = api.taken("path.jpg", &large).await;
    let gone = api.taken("path-small.jpg", &small).await;
    api.taken("other.jpg", &encoded(&spots(2, 600, 400), Format::Jpeg, 90)).await;
    let hash = BlobHash::of(&small);
    api.store.keep_page(page("w.html", vec![serving("a", hash.as_str(), 9, "")])).await.unwrap();
    api.work().await;
    let pairs = api.get("/api/alike").await.json();
    assert_eq!(pairs.as_array().unwrap().len(), 1, "{pairs}");
    assert_eq!(api.names("issues=duplicate&sort=name").await, ["path-small.jpg", "path.jpg"]);

    let apart = |apart: bool| json!({"one": &kept, "other": &gone, "apart": apart});
    api.post("/api/alike/apart", &apart(true)).await;
    assert_eq!(api.names("issues=duplicate").await.len(), 0);
    api.post("/api/alike/apart", &apart(false)).await;

    let merged =
        api.post("/api/alike/merge", &json!({"kept": &kept, "gone": [&gone]})).await.json();
    assert_eq!(api.picture(&kept).await["uses"], 1);
    assert_eq!(api.names("sort=name").await, ["other.jpg", "path.jpg"]);
    api.post(&format!("/api/changes/{}/back", merged["id"].as_str().unwrap()), &json!({})).await;
    api.work().await;
    assert_eq!(
        (&api.picture(&kept).await["uses"], &api.picture(&gone).await["uses"]),
        (&json!(0), &json!(1))
    );
}

#[tokio::test]
async fn collections_keep_their_order_and_filters_their_names() {
    let api = Api::start().await;
    let mut ids = Vec::new();
    for n in 0..4u32 {
        ids.push(api.taken(&format!("p{n}.png"), &gradient_png(20 + n, 20)).await);
    }
    let winter = json!({"name": "Winter", "which": {"ids": [&ids[2], &ids[0]]}});
    let made = api.put("/api/collections", &winter).await.json();
    let more = json!({"name": "Winter", "which": {"ids": [&ids[3], &ids[2]]}, "add": true});
    let more = api.put("/api/collections", &more).await.json();
    assert_eq!((&more["before"], &more["pictures"]), (&json!([&ids[2], &ids[0]]), &json!(3)));
    let id = made["id"].as_str().unwrap();
    let listed = format!("collection={id}&sort=collection");
    assert_eq!(api.names(&listed).await, ["p2.png", "p0.png", "p3.png"]);
    let order = api.get(&format!("/api/collections/{id}/order?prefix=true")).await.text();
    assert_eq!(order, "01-p2.png\n02-p0.png\n03-p3.png\n");
    let filter = json!({"name": "To write", "filter": {"issues": ["no-alt"], "search": "p"}});
    assert_eq!(api.put("/api/filters", &filter).await.status, StatusCode::NO_CONTENT);
    let saved = api.get("/api/shelves").await.json()["filters"][0].clone();
    assert_eq!(
        (&saved["name"], &saved["filter"]["issues"]),
        (&json!("To write"), &json!(["no-alt"]))
    );
}

#[tokio::test]
async fn collections_and_filters_are_renamed_and_a_deleted_collection_comes_back() {
    let api = Api::start().await;
    let mut ids = Vec::new();
    for n in 0..3u32 {
        ids.push(api.taken(&format!("p{n}.png"), &gradient_png(20 + n, 20)).await);
    }
    let collect = async |name: &str, ids: Vec<&String>| {
        let wish = json!({"name": name, "which": {"ids": ids}});
        api.put("/api/collections", &wish).await.json()["id"].as_str().unwrap().to_owned()
    };
    let winter = collect("Winter", vec![&ids[2], &ids[0]]).await;
    collect("Spring", vec![&ids[1]]).await;
    let path = format!("/api/collections/{winter}");
    let renamed = api.patch(&path, &json!({"name": " Snow "})).await.json();
    assert_eq!(renamed["before"], "Winter");
    let taken = api.patch(&path, &json!({"name": "Spring"})).await;
    assert_eq!(taken.status, StatusCode::CONFLICT);
    assert!(taken.json()["detail"].as_str().unwrap().contains("Spring"));
    let empty = api.patch(&path, &json!({"name": " "})).await;
    assert_eq!(empty.status, StatusCode::UNPROCESSABLE_ENTITY);
    let gone = api.delete(&path).await.json();
    assert_eq!(gone, json!({"name": "Snow", "pictures": [&ids[2], &ids[0]]}));
    assert_eq!(api.patch(&path, &json!({"name": "Ice"})).await.status, StatusCode::NOT_FOUND);
    let again = json!({"name": gone["name"], "which": {"ids": gone["pictures"]}});
    let again = api.put("/api/collections", &again).await.json();
    let listed = format!("collection={}&sort=collection", again["id"].as_str().unwrap());
    assert_eq!(api.names(&listed).await, ["p2.png", "p0.png"]);

    for name in ["Small", "Large"] {
        let filter = json!({"name": name, "filter": {"search": name}});
        assert_eq!(api.put("/api/filters", &filter).await.status, StatusCode::NO_CONTENT);
    }
    let saved = api.get("/api/shelves").await.json()["filters"].clone();
    assert_eq!((&saved[0]["name"], &saved[1]["name"]), (&json!("Large"), &json!("Small")));
    let path = format!("/api/filters/{}", saved[0]["id"].as_str().unwrap());
    let taken = api.patch(&path, &json!({"name": "Small"})).await;
    assert_eq!(taken.status, StatusCode::CONFLICT);
    assert_eq!(api.patch(&path, &json!({"name": "Wide"})).await.json()["before"], "Large");
    let saved = api.get("/api/shelves").await.json()["filters"].clone();
    assert_eq!(
        (&saved[1]["name"], &saved[1]["filter"]["search"]),
        (&json!("Wide"), &json!("Large"))
    );
}

//! The API against a real database and a real folder.

use crate::support::{Api, form, form_bytes};
use axum::http::StatusCode;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png, oriented, png_claiming};
use serde_json::{Value, json};

#[tokio::test]
async fn health_and_the_document_answer() {
    let api = Api::start().await;
    assert_eq!(api.get("/api/health").await.json()["status"], "ok");
    let document = api.get("/api/openapi.json").await.json();
    assert!(document["paths"]["/api/sites"].is_object(), "sites are not described");
    let document = api.get(&format!("/api/sites/{}/openapi.json", api.app.site.slug)).await.json();
    assert_eq!(document["servers"][0]["url"], "/api/sites/{site}");
    for path in ["/pictures", "/pictures/{id}/variants", "/variants/{id}/file"] {
        assert!(document["paths"][path].is_object(), "{path} is not described");
    }
}

#[tokio::test]
async fn a_picture_is_taken_once_and_kept_unchanged() {
    let api = Api::start().await;
    let file = oriented(&gradient_jpeg(600, 400), 6);
    let first = api.upload("Dome at dusk.jpg", &file).await;
    assert_eq!(first.status, StatusCode::CREATED);
    let picture = first.json();
    assert_eq!((&picture["width"], &picture["height"]), (&json!(400), &json!(600)));
    assert_eq!((&picture["format"], &picture["bytes"]), (&json!("jpeg"), &json!(file.len())));

    let again = api.upload("another name.jpg", &file).await;
    assert_eq!(again.status, StatusCode::OK);
    assert_eq!(again.json()["id"], picture["id"]);
    assert_eq!(api.names("").await, ["Dome at dusk.jpg"]);

    let id = picture["id"].as_str().unwrap();
    let original = api.get(&format!("/api/pictures/{id}/original")).await;
    assert_eq!(original.body, file);
}

#[tokio::test]
async fn bad_files_are_refused_in_words_and_nothing_is_kept() {
    let api = Api::start().await;
    let jpeg = gradient_jpeg(300, 200);
    let png = gradient_png(300, 200);
    let cases: [(&str, &[u8], u16, &str); 8] = [
        ("empty.jpg", b"", 422, "empty"),
        ("note.jpg", b"Just a note about the dome.", 415, "not a picture"),
        ("cut.jpg", &jpeg[..jpeg.len() / 2], 422, "cut off"),
        ("cut.png", &png[..png.len() / 2], 422, "cut off"),
        ("huge.png", &png_claiming(60_000), 422, "3600 megapixels"),
        ("moving.gif", b"GIF89a\x01\x00\x01\x00", 422, "cut off"),
        ("phone.heic", b"\0\0\0\x18ftypheic\0\0\0\0", 415, "HEIC"),
        ("drawing.svg", b"<svg xmlns='http://www.w3.org/2000/svg'><g>", 422, "SVG"),
    ];
    for (name, bytes, status, words) in cases {
        let answer = api.upload(name, bytes).await;
        assert_eq!(answer.status.as_u16(), status, "{name}");
        assert_eq!(answer.header("content-type"), "application/problem+json", "{name}");
        let problem = answer.json();
        assert!(problem["detail"].as_str().unwrap().contains(words), "{name}: {problem}");
        assert_eq!(problem["status"], status);
    }
    assert_eq!(api.names("").await, [""; 0]);
    assert_eq!(api.files_below("spool"), 0);
    assert_eq!(api.files_below("blobs"), 0);
}

#[tokio::test]
async fn a_file_over_the_limit_is_refused_after_it_was_heard_out() {
    let api = Api::start().await;
    let answer = api.upload("large.jpg", &vec![0xFF; 200_000_001]).await;
    assert_eq!(answer.status, StatusCode::PAYLOAD_TOO_LARGE);
    assert!(answer.json()["detail"].as_str().unwrap().contains("200 MB"));
    assert_eq!(api.files_below("spool"), 0);
}

#[tokio::test]
async fn a_transfer_that_breaks_off_leaves_nothing() {
    let api = Api::start().await;
    let mut body = form_bytes("dome.jpg", &gradient_jpeg(300, 200));
    body.truncate(body.len() - 12);
    let answer = api.send(form(body)).await;
    assert_eq!(answer.status, StatusCode::BAD_REQUEST);
    assert!(answer.json()["detail"].as_str().unwrap().contains("broke off"));
    assert_eq!(api.names("").await, [""; 0]);
    assert_eq!(api.files_below("spool"), 0);
}

#[tokio::test]
async fn a_name_is_never_a_path_and_keeps_its_script() {
    let api = Api::start().await;
    api.upload("../../etc/passwd.jpg", &gradient_jpeg(30, 20)).await;
    api.upload("Sternwarte ☾ \u{202E}gpj.jpg", &gradient_jpeg(31, 20)).await;
    assert_eq!(api.names("sort=name").await, ["passwd.jpg", "Sternwarte ☾ gpj.jpg"]);
}

#[tokio::test]
async fn a_fitting_tells_what_is_cut_and_what_is_short() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(1200, 800)).await;
    let fit = async |slot: Value, focal: Value| {
        let body = json!({"slot": slot, "density": 1, "focal": focal});
        api.post(&format!("/api/pictures/{id}/fitting"), &body).await
    };
    let cover = json!({"width": 912, "height": 344, "fit": "cover"});
    let top = fit(cover.clone(), json!({"x": 0.5, "y": 0})).await.json();
    assert_eq!(top["crop"], json!({"x": 0, "y": 0, "width": 1200, "height": 453}));
    assert_eq!(top["cuts"]["bottom"], 347);
    assert_eq!((&top["short"], &top["budget"]), (&json!(false), &json!(37_647)));

    let large = json!({"width": 1800, "height": 400, "fit": "exact"});
    let refused = fit(large, Value::Null).await.json();
    assert_eq!(refused["short"], true);
    assert!(refused["refusal"].as_str().unwrap().contains("1800 × 400 px"));

    for (slot, words) in [
        (json!({"width": 0, "height": 344, "fit": "cover"}), "width"),
        (json!({"width": 912, "height": 100_000, "fit": "cover"}), "height of 100000"),
        (json!({"width": 912, "height": 344, "fit": "squash"}), "squash"),
    ] {
        let answer = fit(slot.clone(), Value::Null).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{slot}");
        assert!(answer.json()["detail"].as_str().unwrap().contains(words), "{slot}");
    }
    assert_eq!(fit(cover, json!({"x": 1.5, "y": 0})).await.status, 422);
}

#[tokio::test]
async fn a_file_is_made_once_and_is_there_after_a_restart() {
    let api = Api::start().await;
    let id = api.taken("Dome at dusk.jpg", &gradient_jpeg(1200, 800)).await;
    let wish = json!({
        "slot": {"width": 912, "height": 344, "fit": "cover"},
        "density": 1, "format": "jpeg", "quality": 80,
    });
    let path = format!("/api/pictures/{id}/variants");
    let made = api.post(&path, &wish).await;
    assert_eq!(made.status, StatusCode::CREATED);
    let variant = made.json();
    assert_eq!(variant["file_name"], "dome-at-dusk-912x344.jpg");
    let saved = variant["saving"]["before"].as_i64().unwrap()
        - variant["saving"]["after"].as_i64().unwrap();
    assert_eq!(variant["saving"]["saved"], saved);

    let again = api.post(&path, &wish).await;
    assert_eq!((again.status, &again.json()["id"]), (StatusCode::OK, &variant["id"]));

    let api = api.restart().await;
    let picture = api.get(&format!("/api/pictures/{id}")).await.json();
    assert_eq!(picture["variants"], json!([variant]));
    let address = format!("/api/variants/{}/file?save=true", variant["id"].as_str().unwrap());
    let file = api.get(&address).await;
    assert_eq!(file.body.len(), variant["saving"]["after"]);
    assert!(file.header("content-disposition").contains("dome-at-dusk-912x344.jpg"));
    assert_eq!(file.header("content-security-policy"), "default-src 'none'; sandbox");
    let pixels = Codecs::in_process().decode(Format::Jpeg, &file.body).unwrap();
    assert_eq!(pixels.size(), Size::new(912, 344));
}

#[tokio::test]
async fn a_small_picture_is_not_enlarged_and_an_exact_slot_refused() {
    let api = Api::start().await;
    let id = api.taken("small.png", &gradient_png(100, 80)).await;
    let path = format!("/api/pictures/{id}/variants");
    let wish = |fit: &str| json!({"slot": {"width": 400, "height": 320, "fit": fit}, "density": 1, "format": "webp"});
    let made = api.post(&path, &wish("cover")).await.json();
    assert_eq!((&made["width"], &made["height"]), (&json!(100), &json!(80)));
    let refused = api.post(&path, &wish("exact")).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.json()["detail"].as_str().unwrap().contains("too small"));
}

#[tokio::test]
async fn the_reference_is_the_same_pixels_before_they_were_encoded() {
    let api = Api::start().await;
    let id = api.taken("plan.png", &gradient_png(300, 200)).await;
    let wish = json!({
        "slot": {"width": 300, "height": 200, "fit": "exact"}, "density": 1, "format": "png",
    });
    let made = api.post(&format!("/api/pictures/{id}/variants"), &wish).await.json();
    let variant = made["id"].as_str().unwrap();
    let decode = brisk_margin_imaging::codec::png::decode;
    let file = api.get(&format!("/api/variants/{variant}/file")).await;
    let reference = api.get(&format!("/api/variants/{variant}/reference")).await;
    assert_eq!(decode(&file.body).unwrap(), decode(&reference.body).unwrap());
}

#[tokio::test]
async fn a_moved_focal_point_stays() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(120, 80)).await;
    let path = format!("/api/pictures/{id}");
    let moved = api.patch(&path, &json!({"focal": {"x": 0.25, "y": 0.75}})).await;
    assert_eq!(moved.status, StatusCode::OK);
    assert_eq!(api.get(&path).await.json()["focal"], json!({"x": 0.25, "y": 0.75}));
    let off = api.patch(&path, &json!({"focal": {"x": 2, "y": 0.75}})).await;
    assert_eq!(off.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[tokio::test]
async fn the_tally_counts_each_picture_with_its_newest_file() {
    let api = Api::start().await;
    let file = gradient_jpeg(600, 400);
    let id = api.taken("dome.jpg", &file).await;
    api.taken("other.png", &gradient_png(60, 40)).await;
    let mut newest = Value::Null;
    for quality in [90, 40] {
        let wish = json!({
            "slot": {"width": 300, "height": 200, "fit": "cover"},
            "density": 1, "format": "jpeg", "quality": quality,
        });
        newest = api.post(&format!("/api/pictures/{id}/variants"), &wish).await.json();
    }
    let all = api.post("/api/tally", &json!({"which": {"filter": {}}})).await.json();
    assert_eq!((&all["pictures"], &all["made"]), (&json!(2), &json!(1)));
    assert_eq!(all["saving"], newest["saving"]);
    assert_eq!(all["margin"], newest["margin"]);
    let one = api.post("/api/tally", &json!({"which": {"ids": [&id]}})).await.json();
    assert_eq!((&one["pictures"], &one["originals"]), (&json!(1), &json!(file.len())));
    let nonsense = json!({"which": {"ids": ["nonsense"]}});
    assert_eq!(api.post("/api/tally", &nonsense).await.status, 422);
}

#[tokio::test]
async fn other_sites_may_neither_ask_nor_change_anything() {
    let api = Api::start().await;
    let body = || form(form_bytes("dome.jpg", &gradient_jpeg(30, 20)));
    let mut foreign = body();
    foreign.headers_mut().insert("origin", "https://elsewhere.example".parse().unwrap());
    assert_eq!(api.send(foreign).await.status, StatusCode::FORBIDDEN);
    let mut rebound = body();
    rebound.headers_mut().insert("host", "elsewhere.example".parse().unwrap());
    assert_eq!(api.send(rebound).await.status, StatusCode::FORBIDDEN);
    let mut events = crate::support::request("GET", "/api/events");
    events.headers_mut().insert("host", "elsewhere.example".parse().unwrap());
    assert_eq!(api.send(events).await.status, StatusCode::FORBIDDEN);
    assert_eq!(api.names("").await, [""; 0]);

    let own = api.send(body()).await;
    assert_eq!(own.status, StatusCode::CREATED, "a script without an Origin is welcome");
    for (name, value) in [
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "no-referrer"),
        ("cross-origin-resource-policy", "same-origin"),
    ] {
        assert_eq!(own.header(name), value);
    }
    let page = api.get("/library").await;
    let policy = page.header("content-security-policy").to_owned();
    let (_, nonce) = policy.split_once("'nonce-").unwrap();
    let nonce = &nonce[..32];
    assert!(page.text().contains(&format!("nonce=\"{nonce}\"")), "{policy}");
    assert!(!policy.contains("unsafe"), "{policy}");
    assert_ne!(api.get("/library").await.header("content-security-policy"), policy);
}

#[tokio::test]
async fn what_does_not_exist_is_said_so() {
    let api = Api::start().await;
    let nobody = "00000000-0000-7000-8000-000000000000";
    for path in [
        "/api/nonsense".to_owned(),
        "/api/pictures/nonsense".to_owned(),
        format!("/api/pictures/{nobody}"),
        format!("/api/variants/{nobody}/file"),
    ] {
        let answer = api.get(&path).await;
        assert_eq!(answer.status, StatusCode::NOT_FOUND, "{path}");
        assert_eq!(answer.header("content-type"), "application/problem+json", "{path}");
    }
}

#[tokio::test]
async fn whoever_listens_hears_of_a_new_picture() {
    let api = Api::start().await;
    api.app.events.alive().await;
    let mut events = api.open("/api/events").await;
    let id = api.taken("dome.jpg", &gradient_jpeg(60, 40)).await;
    let heard = String::from_utf8(events.next_chunk().await).unwrap();
    let told = format!("event: pictures\ndata: {{\"ids\":[\"{id}\"]}}");
    assert!(heard.contains(&told), "{heard}");
}

#[tokio::test]
async fn the_same_bytes_sent_several_times_at_once_are_one_picture() {
    let api = Api::start().await;
    let file = gradient_jpeg(900, 600);
    let uploads = (0..6).map(|n| {
        let name = format!("copy {n}.jpg");
        let (api, file) = (&api, &file);
        async move { api.upload(&name, file).await }
    });
    let answers = futures::future::join_all(uploads).await;
    let created = answers.iter().filter(|answer| answer.status == StatusCode::CREATED).count();
    let there = answers.iter().filter(|answer| answer.status == StatusCode::OK).count();
    assert_eq!((created, there), (1, 5));
    let ids: std::collections::BTreeSet<String> =
        answers.iter().map(|answer| answer.json()["id"].to_string()).collect();
    assert_eq!((ids.len(), api.files_below("blobs")), (1, 1));
}

//! Delivery by address: who gets which file, and who gets none.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::runs::{Library, library};
use crate::support::{Answer, Api, request};

/// Asks for a picture's file at `place`, under the name of a proxy.
async fn deliver(
    api: &Api,
    picture: &str,
    place: &str,
    headers: &[(&'static str, &str)],
) -> Answer {
    let mut request = request("GET", &format!("/d/{}/{picture}/{place}", api.app.site.slug));
    request.headers_mut().insert("host", "pictures.example".parse().unwrap());
    for (name, value) in headers {
        request.headers_mut().insert(*name, value.parse().unwrap());
    }
    api.send(request).await
}

/// The pixels of the made file that an answer holds.
async fn size_of(api: &Api, picture: &str, answer: &Answer) -> (u64, u64) {
    let picture = api.picture(picture).await;
    let made = picture["variants"].as_array().unwrap().iter();
    let mut same =
        made.filter(|made| made["margin"]["weight"].as_u64() == Some(answer.body.len() as u64));
    let made = same.next().expect("one of the files that were made");
    (made["width"].as_u64().unwrap(), made["height"].as_u64().unwrap())
}

async fn publish_by_address(api: &Api, picture: &str) -> Value {
    api.patch("/api/pictures", &json!({"pictures": {picture: {"is_public": true}}})).await.json()
}

#[tokio::test]
async fn a_public_picture_answers_with_the_file_that_suits_the_request() {
    let Library { api, heavy, .. } = library().await;
    api.post("/api/runs", &json!({"which": {"filter": {}}})).await;
    api.work().await;
    let page = api.get(&format!("/api/pictures/{heavy}/page")).await.json();
    let slot = page["uses"][0]["slot"].as_str().unwrap().to_owned();
    let hidden = deliver(&api, &heavy, &slot, &[]).await;
    assert_eq!(hidden.status, StatusCode::NOT_FOUND, "it is not public");
    let change = publish_by_address(&api, &heavy).await;

    let modern = ("accept", "image/avif,image/webp,*/*");
    let dense = deliver(&api, &heavy, &slot, &[modern]).await;
    assert_eq!(dense.status, StatusCode::OK, "{}", dense.text());
    assert_eq!(dense.header("content-type"), "image/webp");
    assert_eq!(dense.header("cross-origin-resource-policy"), "cross-origin");
    assert!(dense.header("vary").starts_with("Accept, Sec-CH-DPR"));
    let plain = deliver(&api, &heavy, &slot, &[modern, ("sec-ch-dpr", "1")]).await;
    let width = async |answer: &Answer| size_of(&api, &heavy, answer).await.0;
    assert!(width(&dense).await > width(&plain).await, "without a hint, nobody gets a blurred one");
    let old = deliver(&api, &heavy, &slot, &[("dpr", "1"), ("accept", "image/*")]).await;
    assert_eq!(
        (old.header("content-type"), width(&old).await),
        ("image/jpeg", width(&plain).await)
    );

    let again = [modern, ("if-none-match", dense.header("etag"))];
    let again = deliver(&api, &heavy, &slot, &again).await;
    assert_eq!((again.status, again.body.len()), (StatusCode::NOT_MODIFIED, 0));
    assert_eq!(again.header("etag"), dense.header("etag"));

    let back = format!("/api/changes/{}/back", change["id"].as_str().unwrap());
    api.post(&back, &json!({})).await;
    let gone = deliver(&api, &heavy, &slot, &[modern]).await;
    assert_eq!(gone.status, StatusCode::NOT_FOUND, "taken back with its change");
}

#[tokio::test]
async fn a_width_is_answered_by_the_whole_picture_and_what_was_not_made_is_told() {
    let Library { api, heavy, light, unused } = library().await;
    let page = api.get(&format!("/api/pictures/{heavy}/page")).await.json();
    let slot = page["uses"][0]["slot"].as_str().unwrap();
    // All of the picture is inside of it.
    api.patch(&format!("/api/slots/{slot}"), &json!({"fit": "contain"})).await;
    api.post("/api/runs", &json!({"which": {"filter": {}}})).await;
    api.work().await;
    for picture in [&heavy, &light, &unused] {
        publish_by_address(&api, picture).await;
    }
    let reason = |answer: &Answer| {
        assert_eq!(answer.status, StatusCode::NOT_FOUND, "{}", answer.text());
        assert_eq!(answer.header("content-type"), "application/problem+json");
        answer.json()["detail"].as_str().unwrap().to_owned()
    };
    let whole = deliver(&api, &heavy, "100", &[("accept", "image/webp")]).await;
    assert_eq!(whole.status, StatusCode::OK, "{}", whole.text());
    let (width, height) = size_of(&api, &heavy, &whole).await;
    let aspect = width as f64 / height as f64;
    assert!((aspect - 1.5).abs() < 0.02, "900 × 600 like the picture, not {aspect}");
    assert!(width >= 100);

    assert!(reason(&deliver(&api, &unused, "100", &[]).await).contains("no file was made"));
    assert!(reason(&deliver(&api, &heavy, "0", &[]).await).contains("slot"));
    assert!(reason(&deliver(&api, &heavy, "wide", &[]).await).contains("slot"));
    let stranger = "0198c0de-0000-7000-8000-000000000000";
    assert!(reason(&deliver(&api, &heavy, stranger, &[]).await).contains("slot"));
    assert!(reason(&deliver(&api, stranger, "100", &[]).await).contains("no picture"));
}

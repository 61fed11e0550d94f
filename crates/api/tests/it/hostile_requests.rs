//! Requests that mean harm, or came from a broken client: each is told what is wrong with it, in our
//! words, and the next one is answered as before.

use std::time::Duration;

use axum::body::Body;
use axum::http::Request;
use brisk_margin_core::job::{JobKind, MOST_AWAITED};
use brisk_margin_store::jobs::NewJob;
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::json;

use crate::support::{Api, form_bytes};

/// Words of the inside, which no answer holds.
const INSIDE: [&str; 9] = [
    "sqlx",
    "postgres",
    "relation",
    "byte sequence",
    "index row",
    "panicked",
    "stack backtrace",
    "invalid input syntax",
    "error returned from database",
];

struct Sent {
    what: &'static str,
    request: Request<Body>,
    wanted: &'static [u16],
}

fn sent(
    what: &'static str,
    method: &str,
    path: &str,
    body: impl Into<Body>,
    wanted: &'static [u16],
) -> Sent {
    let request = Request::builder().method(method).uri(path).header("host", "127.0.0.1");
    let request = request.header("content-type", "application/json");
    Sent { what, request: request.body(body.into()).unwrap(), wanted }
}

fn hostile(picture: &str, upload: &str) -> Vec<Sent> {
    let long = "x".repeat(1 << 20);
    let of = |rest: &str| format!("/api/pictures/{picture}{rest}");
    let deep = format!("{}1{}", "[".repeat(50_000), "]".repeat(50_000));
    let none: Vec<u8> = Vec::new();
    vec![
        sent(
            "a place in a list that is none",
            "GET",
            "/api/pictures?after=x",
            none.clone(),
            &[422],
        ),
        sent(
            "a place in a list whose key is none",
            "GET",
            &format!("/api/pictures?sort=added&after={picture}.never"),
            none.clone(),
            &[422],
        ),
        sent("a zero in a search", "GET", "/api/pictures?search=%00", none.clone(), &[422]),
        sent(
            "broken letters in a search",
            "GET",
            "/api/pictures?search=%FF%FE",
            none.clone(),
            &[200, 422],
        ),
        sent(
            "a limit beyond all numbers",
            "GET",
            "/api/pictures?limit=99999999999999999999",
            none.clone(),
            &[422],
        ),
        sent("a negative limit", "GET", "/api/pictures?limit=-1", none.clone(), &[422]),
        sent(
            "a search of a megabyte",
            "GET",
            &format!("/api/pictures?search={}", &long[..60_000]),
            none.clone(),
            &[200, 422],
        ),
        sent(
            "quotation marks",
            "GET",
            "/api/pictures?search=%27%3B%20DROP%20TABLE%20pictures%3B--",
            none.clone(),
            &[200],
        ),
        sent(
            "a number that is none",
            "GET",
            "/api/pictures/..%2F..%2Fetc%2Fpasswd",
            none.clone(),
            &[404, 422],
        ),
        sent(
            "a file name above the folder",
            "GET",
            "/api/icons/files/..%2F..%2Fetc%2Fpasswd",
            none.clone(),
            &[404, 422],
        ),
        sent(
            "a way out of the client",
            "GET",
            "/assets/..%2f..%2f..%2fetc%2fpasswd",
            none.clone(),
            &[404, 400],
        ),
        sent("no JSON", "PATCH", &of(""), "{", &[400, 422]),
        sent("JSON without end", "PATCH", &of(""), deep, &[400, 422]),
        sent(
            "a focal point outside",
            "PATCH",
            &of(""),
            json!({"focal": {"x": 1e308, "y": -5}}).to_string(),
            &[422],
        ),
        sent("no number for one", "PATCH", &of(""), "{\"focal\":{\"x\":NaN,\"y\":1}}", &[400, 422]),
        sent(
            "a zero in a text",
            "PATCH",
            "/api/pictures",
            json!({"pictures": {picture: {"alt": "a\u{0}b"}}}).to_string(),
            &[422],
        ),
        sent(
            "a text of a megabyte",
            "PATCH",
            "/api/pictures",
            json!({"pictures": {picture: {"title": long}}}).to_string(),
            &[413, 422],
        ),
        sent(
            "a folder of a megabyte",
            "PATCH",
            "/api/pictures",
            json!({"pictures": {picture: {"folder": long}}}).to_string(),
            &[413, 422],
        ),
        sent(
            "a zero in a name",
            "PUT",
            "/api/collections",
            json!({"name": "a\u{0}b", "query": "", "pictures": []}).to_string(),
            &[422],
        ),
        sent(
            "a name of a megabyte",
            "PUT",
            "/api/collections",
            json!({"name": long, "query": "", "pictures": []}).to_string(),
            &[413, 422],
        ),
        sent(
            "a zero in a filter",
            "PUT",
            "/api/filters",
            json!({"name": "a\u{0}b", "query": "", "pictures": []}).to_string(),
            &[422],
        ),
        sent(
            "a size beyond all",
            "POST",
            &of("/fitting"),
            json!({"slot": {"width": 1e300, "height": 1}}).to_string(),
            &[422],
        ),
        sent(
            "a negative size",
            "POST",
            &of("/fitting"),
            json!({"slot": {"width": -9, "height": 0}}).to_string(),
            &[422],
        ),
        sent(
            "an upload of more than there is room for",
            "POST",
            "/api/uploads",
            json!({"name": "a.jpg", "bytes": u64::MAX}).to_string(),
            &[413, 422, 507],
        ),
        sent(
            "an upload with a zero in its name",
            "POST",
            "/api/uploads",
            json!({"name": "a\u{0}.jpg", "bytes": 9}).to_string(),
            &[422],
        ),
        sent(
            "bytes beyond the end of an upload",
            "PATCH",
            &format!("/api/uploads/{upload}?offset=0"),
            vec![7; 900],
            &[409, 413, 422],
        ),
        sent(
            "bytes behind a hole",
            "PATCH",
            &format!("/api/uploads/{upload}?offset=5"),
            vec![7; 3],
            &[409, 422],
        ),
        sent(
            "pages of another machine's files",
            "POST",
            "/api/measurements",
            json!({"address": "file:///etc/passwd"}).to_string(),
            &[422],
        ),
        sent(
            "an address that is none",
            "POST",
            "/api/measurements",
            json!({"address": "http://"}).to_string(),
            &[422],
        ),
        sent("a method that is none", "BREW", "/api/pictures", none.clone(), &[405]),
        sent("an address that is none of the API's", "GET", "/api/etc/passwd", none, &[404]),
    ]
}

#[tokio::test]
async fn each_is_told_in_our_words_and_the_next_is_answered_as_before() {
    let api = Api::start().await;
    let picture = api.taken("dome.jpg", &gradient_jpeg(60, 40)).await;
    let begun = api.post("/api/uploads", &json!({"name": "a.jpg", "bytes": 9})).await.json();
    let requests = hostile(&picture, begun["id"].as_str().unwrap());
    assert!(requests.len() >= 20);
    let mut wrong = Vec::new();
    for Sent { what, request, wanted } in requests {
        let answer = api.send(request).await;
        let text = answer.text();
        let tells = INSIDE.iter().find(|word| text.to_lowercase().contains(*word));
        if !wanted.contains(&answer.status.as_u16()) || tells.is_some() {
            let start: String = text.chars().take(300).collect();
            wrong.push(format!("{what}: {} {start}", answer.status));
        }
        assert_eq!(api.names("").await, ["dome.jpg"], "after {what}");
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[tokio::test]
async fn a_form_of_many_parts_or_without_end_is_refused() {
    let api = Api::start().await;
    let whole = form_bytes("dome.jpg", &gradient_jpeg(60, 40));
    let kind = "multipart/form-data; boundary=b";
    for (what, body) in [
        ("no part", b"--b--\r\n".to_vec()),
        ("a part that breaks off", whole[..whole.len() / 2].to_vec()),
        ("no form", vec![7; 4_000]),
    ] {
        let answer = api.send_bytes("POST", "/api/pictures", kind, &body).await;
        assert!(answer.status.is_client_error(), "{what}: {} {}", answer.status, answer.text());
    }
    assert_eq!(api.names("").await.len(), 0);
}

#[tokio::test]
async fn nobody_queues_more_than_anyone_would_wait_for() {
    let api = Api::start().await;
    for n in 0..MOST_AWAITED {
        let job = NewJob::new(JobKind::Measure, n.to_string(), json!({})).awaited();
        let job = NewJob { after: Duration::from_secs(3_600), ..job };
        api.store.push_job(&job).await.unwrap();
    }
    let told = api.post("/api/measurements", &json!({"address": "http://127.0.0.1:9/"})).await;
    assert_eq!(told.status, 429);
    assert_eq!(told.json()["type"], "urn:brisk-margin:problem:too-many-jobs");
    let document = format!("/api/sites/{}/openapi.json", api.app.site.slug);
    let document = api.get(&document).await.json();
    let answers = &document["paths"]["/measurements"]["post"]["responses"];
    assert!(answers["429"].is_object(), "clients are prepared for it: {answers:#}");
}

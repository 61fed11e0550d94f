//! A data folder of November 2026, before names and keys became what they are: everything in it is
//! there afterwards, and answers to the same addresses.
//!
//! `answers.json` is what that version said of it: its answers by path, and as `set` that of the
//! whole set of `moon.jpg` for the slot `c text`.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Cursor;

use axum::http::StatusCode;
use brisk_margin_store::BlobHash;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::support::Api;

const DATABASE: &str = include_str!("../fixtures/folder-2026-11/database.sql");
const DATA: &[u8] = include_bytes!("../fixtures/folder-2026-11/data.zip");
const ANSWERS: &str = include_str!("../fixtures/folder-2026-11/answers.json");

const MOON: &str = "01a21711-41fd-7618-a12a-548d7b5c0afd";
const DOME: &str = "01a21711-41dd-71b6-81c1-01c3c06a5697";
const C_TEXT: &str = "01a21716-5fff-76ea-92c7-76e81ad88bfc";

/// What a field is called now.
fn today(field: &str) -> &str {
    match field {
        "advice" => "issues",
        "doubtful" => "uncertain",
        "finish" => "edits",
        "keep" => "keep_area",
        "look" => "analysis",
        "look_failed" => "analysis_failed",
        "not_looked_at" => "not_analysed",
        "occurrence_id" => "place_id",
        "occurrences" => "places",
        "page_title" => "page_name",
        "told" => "embedded",
        "treatment" => "import_action",
        "work" => "adjustments",
        same => same,
    }
}

/// Whether `new` has each issue that `old` told in the vocabulary of its field.
fn tells_the_same_issues(field: &str, old: &[Value], new: &Value) -> bool {
    let told = |kind: &str, words: &Value| {
        let mut new = new.as_array().unwrap().iter();
        new.any(|issue| issue["kind"] == kind && issue["words"] == *words)
    };
    old.iter().all(|one| match field {
        "states" if one["state"] == "fits" => new == &json!([]),
        "states" if one["state"] == "needs-more" => told("too-small", &one["words"]),
        "states" => told(one["state"].as_str().unwrap(), &one["words"]),
        "alt_findings" => match one["what"]["finding"].as_str().unwrap() {
            "empty" => told("no-alt", &one["words"]),
            "not-wanted" => told("alt-not-wanted", &one["words"]),
            other => told(&format!("alt-{other}"), &one["words"]),
        },
        "remarks" => {
            let small = one.as_str().unwrap().contains("too small");
            let mut new = new.as_array().unwrap().iter();
            small && new.any(|issue| issue["kind"] == "too-small")
        }
        _ => told(one["what"].as_str().unwrap(), &one["words"]),
    })
}

/// Whether `field` of a set, or of a file of it, says that nothing was made by the encoders of today.
fn is_to_be_made_anew(at: &str, field: &str, new: &serde_json::Map<String, Value>) -> bool {
    at.starts_with("set")
        && match field {
            "made" => new[field].is_null() || new[field] == 0,
            "bytes" => new[field] == 0 && new["made"] == 0,
            _ => false,
        }
}

/// Where `new` lacks or contradicts what `old` said, by place in the answer.
fn differences(at: &str, old: &Value, new: &Value, found: &mut Vec<String>) {
    match (old, new) {
        (Value::Object(old), Value::Object(new)) => {
            for (field, value) in old {
                // Given by whoever starts the program.
                if at == "/api/site" && field == "address" {
                    continue;
                }
                // Encoders went on: a set's files are to be made anew, and none is taken for a new one.
                if is_to_be_made_anew(at, field, new) {
                    continue;
                }
                let is_list = ["advice", "alt_findings", "remarks", "states"].contains(&&**field);
                if is_list && value.is_array() && new.contains_key("issues") {
                    let old = value.as_array().unwrap();
                    // Filters speak of kinds, with or without a count.
                    let is_filter = |one: &Value| one.is_string() || one.get("pictures").is_some();
                    if field == "remarks" || !old.iter().any(is_filter) {
                        if !tells_the_same_issues(field, old, &new["issues"]) {
                            found.push(format!("{at}.{field}: {value} became {}", new["issues"]));
                        }
                        continue;
                    }
                }
                if field == "worst" && !value.is_null() {
                    let new = if new[field].is_null() { json!([]) } else { json!([new[field]]) };
                    if !tells_the_same_issues("states", std::slice::from_ref(value), &new) {
                        found.push(format!("{at}.{field}: {value} became {new}"));
                    }
                    continue;
                }
                let name = if new.contains_key(field) { field } else { today(field) };
                let name = if name == "issues" && value.is_string() { "issue" } else { name };
                let other = new.get(name).unwrap_or(&Value::Null);
                differences(&format!("{at}.{name}"), value, other, found);
            }
        }
        (Value::Array(old), Value::Array(new)) if old.len() == new.len() => {
            for (n, (old, new)) in old.iter().zip(new).enumerate() {
                differences(&format!("{at}[{n}]"), old, new, found);
            }
        }
        _ if old == new => {}
        _ => found.push(format!("{at}: {old} became {new}")),
    }
}

async fn opened() -> Api {
    let data = tempfile::tempdir().unwrap();
    let mut files = zip::ZipArchive::new(Cursor::new(DATA)).unwrap();
    files.extract(data.path().join("data")).unwrap();
    let database = brisk_margin_testing::database().await;
    brisk_margin_testing::execute(&database, DATABASE).await;
    Api::on(database, data).await
}

#[tokio::test]
async fn a_folder_of_an_older_version_says_what_it_said() {
    let api = opened().await;
    let answers: BTreeMap<String, Value> = serde_json::from_str(ANSWERS).unwrap();
    let mut found = Vec::new();
    for (path, old) in answers {
        let answer = match path.as_str() {
            "set" => api.post(&format!("/api/pictures/{MOON}/set"), &json!({"slot": C_TEXT})).await,
            _ => api.get(&path).await,
        };
        assert_eq!(answer.status, StatusCode::OK, "{path}: {}", answer.text());
        differences(&path, &old, &answer.json(), &mut found);
    }
    assert!(found.is_empty(), "{} differences:\n{}", found.len(), found.join("\n"));
}

#[tokio::test]
async fn originals_and_files_of_an_older_version_are_there_byte_for_byte() {
    let api = opened().await;
    let pictures = api.get("/api/pictures").await.json();
    let mut files = 0;
    for picture in pictures["pictures"].as_array().unwrap() {
        let id = picture["id"].as_str().unwrap();
        let original = api.get(&format!("/api/pictures/{id}/original")).await;
        assert_eq!(hash(&original.body), picture["hash"].as_str().unwrap(), "{picture}");
        let id: Uuid = id.parse().unwrap();
        for variant in api.store.variants_of(&[id]).await.unwrap() {
            let file = api.get(&format!("/api/variants/{}/file", variant.id)).await;
            assert_eq!(hash(&file.body), variant.hash.as_str(), "{}", variant.file_name);
            files += 1;
        }
    }
    assert_eq!(files, 11);
}

#[tokio::test]
async fn an_upload_of_an_older_version_goes_on_where_it_stood() {
    let api = opened().await;
    let moor = api.get("/api/uploads").await.json()[0]["id"].as_str().unwrap().to_owned();
    let path = format!("/api/uploads/{moor}?offset=40000");
    let more = api.send_bytes("PATCH", &path, "application/offset+octet-stream", &[0; 1000]).await;
    assert!(more.status.is_success(), "{}", more.text());
    assert_eq!(api.get("/api/uploads").await.json()[0]["offset"], json!(41_000));
}

#[tokio::test]
async fn no_new_file_takes_a_name_that_an_older_version_gave() {
    let api = opened().await;
    let moon = MOON.parse().unwrap();
    let before = api.store.variants_of(&[moon]).await.unwrap();
    let path = format!("/api/pictures/{MOON}/variants");
    for old in before {
        let slot = json!({"width": old.size.width, "height": old.size.height, "fit": "cover"});
        let wish = json!({"slot": slot, "density": 1, "format": "jpeg", "quality": 61});
        let made = api.post(&path, &wish).await;
        assert!(made.status.is_success(), "{}", made.text());
    }
    let after = api.store.variants_of(&[moon]).await.unwrap();
    let pixels: BTreeSet<_> =
        after.iter().map(|f| (&f.file_name, f.spec.framing.cache_key())).collect();
    let names: BTreeSet<_> = after.iter().map(|file| &file.file_name).collect();
    assert_eq!(names.len(), pixels.len(), "{names:?}");
}

fn hash(bytes: &[u8]) -> String {
    BlobHash::of(bytes).as_str().to_owned()
}

#[tokio::test]
async fn changes_of_an_older_version_are_taken_back() {
    let api = opened().await;
    let changes = api.get("/api/changes").await.json();
    for change in changes.as_array().unwrap() {
        let back = format!("/api/changes/{}/back", change["id"].as_str().unwrap());
        let back = api.post(&back, &json!({})).await;
        assert!(back.status.is_success(), "{change}: {}", back.text());
    }
    let removed = api.get("/api/pictures?removed=true").await.json();
    assert_eq!(removed["pictures"], json!([]));
    let dome = api.get(&format!("/api/pictures/{DOME}")).await.json();
    assert_eq!((&dome["shown_width"], &dome["is_edited"]), (&json!(360), &json!(false)));
}

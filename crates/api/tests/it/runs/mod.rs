//! Runs over many pictures, as a client meets them.

mod making;
mod planning;
mod results;
mod rules;

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

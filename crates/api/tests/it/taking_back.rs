//! Runs, edits, handwork and taking back in any order: what is there at each moment is what somebody
//! asked for by hand, and what runs made that were not taken back.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::format::Format;
use brisk_margin_testing::pictures::{encoded, spots};
use proptest::collection::vec;
use proptest::prelude::{Strategy, any, prop_oneof};
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRunner};
use serde_json::{Value, json};

use crate::support::Api;
use crate::support::pages::{page, serving};

/// So many orders are tried, each of so many acts.
const ORDERS: usize = 3;
const ACTS: usize = 14;

#[derive(Debug, Clone, Copy)]
enum Act {
    /// A run over both pictures, or over one.
    Run { only: Option<usize> },
    /// The set of a picture is asked for by hand.
    ByHand { picture: usize },
    /// The focal point of a picture is moved: other files are wanted from now on.
    Edit { picture: usize, x: f64 },
    /// Some run is taken back, or one set of it.
    TakeBack { run: usize, only: Option<usize> },
    /// What failed or was taken back of some run is made again.
    Again { run: usize },
}

fn act() -> impl Strategy<Value = Act> {
    let picture = || 0..2usize;
    prop_oneof![
        3 => proptest::option::of(picture()).prop_map(|only| Act::Run { only }),
        1 => picture().prop_map(|picture| Act::ByHand { picture }),
        2 => (picture(), 0..2u8).prop_map(|(picture, x)| Act::Edit { picture, x: f64::from(x) }),
        4 => (any::<usize>(), proptest::option::of(picture()))
            .prop_map(|(run, only)| Act::TakeBack { run, only }),
        1 => any::<usize>().prop_map(|run| Act::Again { run }),
    ]
}

/// What should be there.
#[derive(Default)]
struct Model {
    by_hand: BTreeSet<String>,
    /// By run and place: the files of each set that a run completed.
    held: BTreeMap<(String, i64), BTreeSet<String>>,
}

struct World {
    api: Api,
    pictures: [String; 2],
    slot: String,
    runs: Vec<String>,
    model: Model,
}

impl World {
    async fn new() -> Self {
        let api = Api::start().await;
        let mut pictures = Vec::new();
        for seed in [1, 2] {
            let file = encoded(&spots(seed, 600, 400), Format::Jpeg, 98);
            pictures.push(api.taken(&format!("{seed}.jpg"), &file).await);
        }
        let mut places = Vec::new();
        for (selector, picture) in ["a", "b"].iter().zip(&pictures) {
            let picture = api.picture(picture).await;
            let bytes = picture["bytes"].as_u64().unwrap();
            places.push(serving(selector, picture["hash"].as_str().unwrap(), bytes, ""));
        }
        api.store.keep_page(page("walks.html", places)).await.unwrap();
        api.put("/api/output-rules", &json!({"formats": ["jpeg"], "densities": [1]})).await;
        api.work().await;
        let layouts = api.get("/api/layouts").await.json();
        let slot = layouts["slots"][0]["id"].as_str().unwrap().to_owned();
        let pictures = pictures.try_into().unwrap();
        Self { api, pictures, slot, runs: Vec::new(), model: Model::default() }
    }

    async fn there(&self) -> BTreeSet<String> {
        let mut all = BTreeSet::new();
        for picture in &self.pictures {
            let picture = self.api.get(&format!("/api/pictures/{picture}")).await.json();
            let variants = picture["variants"].as_array().unwrap().clone();
            all.extend(variants.iter().map(|one| one["id"].as_str().unwrap().to_owned()));
        }
        all
    }

    /// The files of a picture's set that are there.
    async fn set(&self, picture: &str) -> BTreeSet<String> {
        let set = format!("/api/pictures/{picture}/set");
        let set = self.api.post(&set, &json!({"slot": self.slot})).await.json();
        let steps = set["parts"].as_array().unwrap().iter();
        let steps = steps.flat_map(|part| part["steps"].as_array().unwrap());
        let files = steps.flat_map(|step| step["files"].as_array().unwrap());
        files.filter_map(|file| Some(file["made"]["variant"].as_str()?.to_owned())).collect()
    }

    async fn items(&self, run: &str) -> Vec<Value> {
        self.api.get(&format!("/api/runs/{run}/items")).await.json().as_array().unwrap().clone()
    }

    /// Notes what the sets hold that a run has just completed.
    async fn completed(&mut self, run: &str) {
        for item in self.items(run).await {
            let key = (run.to_owned(), item["place"].as_i64().unwrap());
            if item["state"] == "done" && !self.model.held.contains_key(&key) {
                let files = self.set(item["picture"].as_str().unwrap()).await;
                assert!(!files.is_empty());
                self.model.held.insert(key, files);
            }
        }
    }

    async fn act(&mut self, act: Act) {
        match act {
            Act::Run { only } => {
                let which = match only {
                    Some(one) => json!({"which": {"ids": [self.pictures[one]]}}),
                    None => json!({"which": {"filter": {}}}),
                };
                let run = self.api.post("/api/runs", &which).await.json();
                let run = run["id"].as_str().unwrap().to_owned();
                self.api.work().await;
                self.completed(&run).await;
                self.runs.push(run);
            }
            Act::ByHand { picture } => {
                let picture = self.pictures[picture].clone();
                let files = format!("/api/pictures/{picture}/set/files");
                self.api.post(&files, &json!({"slot": self.slot})).await;
                self.api.work().await;
                let files = self.set(&picture).await;
                self.model.by_hand.extend(files);
            }
            Act::Edit { picture, x } => {
                let picture = format!("/api/pictures/{}", self.pictures[picture]);
                self.api.patch(&picture, &json!({"focal": {"x": x, "y": 0.5}})).await;
                self.api.work().await;
            }
            Act::TakeBack { run, only } => {
                let Some(run) = self.some_run(run) else { return };
                let mut places = Vec::new();
                for item in self.items(&run).await {
                    let is_meant =
                        only.is_none_or(|one| item["picture"] == json!(self.pictures[one]));
                    if is_meant {
                        places.push(item["place"].as_i64().unwrap());
                        self.model.held.remove(&(run.clone(), places[places.len() - 1]));
                    }
                }
                let body = only.map_or(json!({}), |_| json!({"places": places}));
                self.api.post(&format!("/api/runs/{run}/take-back"), &body).await;
            }
            Act::Again { run } => {
                let Some(run) = self.some_run(run) else { return };
                let items = self.items(&run).await;
                let again = items.iter().filter(|item| item["state"] == "taken-back");
                let places: Vec<_> = again.map(|item| item["place"].clone()).collect();
                self.api.post(&format!("/api/runs/{run}/again"), &json!({"places": places})).await;
                self.api.work().await;
                self.completed(&run).await;
            }
        }
    }

    fn some_run(&self, n: usize) -> Option<String> {
        Some(self.runs.get(n % self.runs.len().max(1))?.clone())
    }

    async fn holds(&self, after: &[Act]) {
        let mut wanted = self.model.by_hand.clone();
        wanted.extend(self.model.held.values().flatten().cloned());
        assert_eq!(self.there().await, wanted, "after {after:?}");
    }
}

#[tokio::test]
async fn any_order_of_runs_edits_and_taking_back_ends_where_it_should() {
    let mut orders = TestRunner::new(Config::default());
    for _ in 0..ORDERS {
        let acts = vec(act(), ACTS).new_tree(&mut orders).unwrap().current();
        let mut world = World::new().await;
        for n in 0..acts.len() {
            world.act(acts[n]).await;
            world.holds(&acts[..=n]).await;
        }
        for run in world.runs.clone() {
            world.api.post(&format!("/api/runs/{run}/take-back"), &json!({})).await;
        }
        world.model.held.clear();
        world.holds(&acts).await;
    }
}

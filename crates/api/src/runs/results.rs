//! What became of each picture of a run, as lists and tables.

use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use axum::response::Response;
use brisk_margin_core::budget::Saving;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::{Score, WorstSpot};
use brisk_margin_core::run::{ItemState, ResultOrder};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::runs::items::{ItemsShown, RunItem};
use brisk_margin_work::making::MakeError;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::find;
use crate::Problem;
use crate::extract::{Path, Query};
use crate::spreadsheet::Table;
use crate::state::App;
use brisk_margin_spreadsheet::harmless;

/// Items that one answer lists.
const MOST_ITEMS: u64 = 500;
/// Rows of a table are read so many at a time.
const ROWS: u64 = 20_000;
/// Results that one check sheet shows.
const MOST_ON_SHEET: u64 = 24;
/// Sets of two runs that are told.
const MOST_COMPARED: usize = 500;

/// A slot of a picture in a run.
#[derive(Serialize, ToSchema)]
pub(crate) struct RunItemBody {
    /// Its place in the order of the run.
    place: i32,
    picture: Uuid,
    name: String,
    slot: Option<Uuid>,
    slot_name: Option<String>,
    state: ItemState,
    /// Why it was skipped or failed, in words.
    reason: Option<String>,
    before: Option<Bytes>,
    /// What was expected of it.
    expected: Option<Bytes>,
    after: Option<Bytes>,
    /// What that saves.
    saving: Option<Saving>,
    /// The lowest score of its files.
    score: Option<f64>,
    files: u32,
    /// Whether somebody looked at it and found it good.
    approved: bool,
    /// Whether its files are being made.
    in_hand: bool,
}

/// Which items of a run.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct ItemsAsked {
    /// Only those in this state.
    #[param(inline)]
    state: Option<ItemState>,
    /// In this order; those that failed come first.
    #[serde(default)]
    #[param(inline)]
    order: ResultOrder,
    /// After so many.
    #[serde(default)]
    past: u64,
}

/// Two runs, set by set.
#[derive(Serialize, ToSchema)]
pub(crate) struct Comparison {
    /// How many sets both made.
    sets: usize,
    /// What those weigh in this run, and in the other one.
    bytes: [Bytes; 2],
    /// The means of their lowest scores.
    score: [Option<f64>; 2],
    /// Those with the largest difference in bytes first, up to 500.
    rows: Vec<ComparedSet>,
}

/// A set that both runs made.
#[derive(Serialize, ToSchema)]
pub(crate) struct ComparedSet {
    picture: Uuid,
    name: String,
    slot: Uuid,
    slot_name: String,
    bytes: [Bytes; 2],
    score: [Option<f64>; 2],
}

/// A result to be checked by eye: where its worst file differs most from its pixels.
#[derive(Serialize, ToSchema)]
pub(crate) struct CheckBody {
    place: i32,
    picture: Uuid,
    name: String,
    slot: Uuid,
    slot_name: String,
    before: Option<Bytes>,
    after: Option<Bytes>,
    score: Score,
    /// In a word.
    word: &'static str,
    /// How its worst file is encoded, in words.
    encoding: String,
    /// The trial that shows the file and its pixels; nothing where it was cleared away.
    trial: Option<Uuid>,
    /// The pixels of that file.
    size: Option<Size>,
    /// Where it differs most.
    spot: Option<WorstSpot>,
}

/// What items are called.
struct Names {
    pictures: HashMap<Uuid, String>,
    slots: HashMap<Uuid, String>,
}

impl Names {
    async fn of(app: &App, items: &[RunItem]) -> Result<Self, Problem> {
        let ids: Vec<Uuid> = items.iter().map(|item| item.picture_id).collect();
        let slots = app.store.slots().await?.into_iter();
        Ok(Self {
            pictures: app.store.names_of(&ids).await?,
            slots: slots.map(|slot| (slot.id, slot.name)).collect(),
        })
    }

    fn picture(&self, item: &RunItem) -> String {
        self.pictures.get(&item.picture_id).cloned().unwrap_or_default()
    }

    fn slot(&self, item: &RunItem) -> Option<String> {
        self.slots.get(&item.slot_id?).cloned()
    }

    fn body(&self, item: RunItem) -> RunItemBody {
        RunItemBody {
            name: self.picture(&item),
            slot_name: self.slot(&item),
            place: item.place,
            picture: item.picture_id,
            slot: item.slot_id,
            state: item.state,
            reason: reason(&item),
            before: item.before,
            expected: item.expected,
            after: item.after,
            saving: item.before.zip(item.after).map(|(before, after)| Saving::new(before, after)),
            score: item.score,
            files: item.files,
            approved: item.is_approved,
            in_hand: item.is_in_hand,
        }
    }
}

fn reason(item: &RunItem) -> Option<String> {
    item.skipped.map(|reason| reason.words().to_owned()).or_else(|| item.failure.clone())
}

/// What became of each picture of a run: up to 500, those that failed first, then those with the lowest
/// scores.
#[utoipa::path(get, path = "/runs/{id}/items", params(
    ("id" = Uuid, Path, description = "The run's id"), ItemsAsked,
), responses(
    (status = 200, body = Vec<RunItemBody>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn run_items(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(asked): Query<ItemsAsked>,
) -> Result<Json<Vec<RunItemBody>>, Problem> {
    find(&app, id).await?;
    let shown = asked.state.map_or(ItemsShown::All, ItemsShown::In);
    let items = app.store.run_items(id, shown, asked.order, asked.past, MOST_ITEMS).await?;
    let names = Names::of(&app, &items).await?;
    Ok(Json(items.into_iter().map(|item| names.body(item)).collect()))
}

/// All of a run as a table. Cells that a spreadsheet would take for formulas begin with an apostrophe.
#[utoipa::path(get, path = "/runs/{id}/results.csv", responses(
    (status = 200, content_type = "text/csv", body = String),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn results_as_csv(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    find(&app, id).await?;
    let columns =
        ["picture", "slot", "state", "reason", "before", "expected", "after", "score", "files"];
    let mut table = Table::new(columns)?;
    for item in all_items(&app, id).await? {
        let number = |bytes: Option<Bytes>| bytes.map_or_else(String::new, |b| b.get().to_string());
        table.add([
            harmless(&item.name),
            harmless(item.slot_name.as_deref().unwrap_or_default()),
            item.state.name().to_owned(),
            harmless(item.reason.as_deref().unwrap_or_default()),
            number(item.before),
            number(item.expected),
            number(item.after),
            item.score.map_or_else(String::new, |score| format!("{score:.2}")),
            item.files.to_string(),
        ])?;
    }
    table.answer("run.csv")
}

/// All of a run: its figures and what became of each picture.
#[derive(Serialize, ToSchema)]
pub(crate) struct WholeRun {
    run: super::RunBody,
    items: Vec<RunItemBody>,
}

/// All of a run as JSON.
#[utoipa::path(get, path = "/runs/{id}/results.json", responses(
    (status = 200, body = WholeRun),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn results_as_json(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<WholeRun>, Problem> {
    Ok(Json(WholeRun { run: find(&app, id).await?, items: all_items(&app, id).await? }))
}

async fn all_items(app: &App, id: Uuid) -> Result<Vec<RunItemBody>, Problem> {
    let mut all = Vec::new();
    loop {
        let items = app
            .store
            .run_items(id, ItemsShown::All, ResultOrder::Score, all.len() as u64, ROWS)
            .await?;
        let is_last = (items.len() as u64) < ROWS;
        let names = Names::of(app, &items).await?;
        all.extend(items.into_iter().map(|item| names.body(item)));
        if is_last {
            return Ok(all);
        }
    }
}

/// The results of a run that nobody looked at yet, the lowest scores first, each at the place where its
/// worst file differs most from its pixels.
#[utoipa::path(get, path = "/runs/{id}/checks", responses(
    (status = 200, body = Vec<CheckBody>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The run's id")))]
pub(crate) async fn checks(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<CheckBody>>, Problem> {
    find(&app, id).await?;
    let items = app
        .store
        .run_items(id, ItemsShown::Unchecked, ResultOrder::Score, 0, MOST_ON_SHEET)
        .await?;
    let names = Names::of(&app, &items).await?;
    let trials: Vec<Uuid> = items.iter().filter_map(|item| item.worst).collect();
    let trials: HashMap<Uuid, _> =
        app.store.trials(&trials).await?.into_iter().map(|trial| (trial.id, trial)).collect();
    let ids: Vec<Uuid> = items.iter().map(|item| item.picture_id).collect();
    let pictures = app.store.pictures_with_removed(&ids).await?;
    let sizes: HashMap<Uuid, Size> =
        pictures.into_iter().map(|picture| (picture.id, picture.facts.size)).collect();
    let mut list = Vec::new();
    for item in items {
        let (Some(slot), Some(score)) = (item.slot_id, item.score.map(Score)) else { continue };
        let trial = item.worst.and_then(|id| trials.get(&id));
        let size = match (trial, sizes.get(&item.picture_id)) {
            (Some(trial), Some(&source)) => {
                Some(trial.spec.plan(source).map_err(MakeError::from)?.1.fitting.output)
            }
            _ => None,
        };
        list.push(CheckBody {
            place: item.place,
            picture: item.picture_id,
            name: names.picture(&item),
            slot,
            slot_name: names.slot(&item).unwrap_or_default(),
            before: item.before,
            after: item.after,
            score,
            word: score.word(),
            encoding: trial.map_or_else(String::new, |trial| trial.encoding.to_string()),
            trial: trial.map(|trial| trial.id),
            size,
            spot: trial.and_then(|trial| trial.spots.first().copied()),
        });
    }
    Ok(Json(list))
}

/// Two runs compared: the sets that both made.
#[utoipa::path(get, path = "/runs/{id}/against/{other}", responses(
    (status = 200, body = Comparison),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(
    ("id" = Uuid, Path, description = "The run's id"),
    ("other" = Uuid, Path, description = "The other run's id"),
))]
pub(crate) async fn against(
    State(app): State<App>,
    Path((id, other)): Path<(Uuid, Uuid)>,
) -> Result<Json<Comparison>, Problem> {
    find(&app, id).await?;
    find(&app, other).await?;
    let of = |item: &RunItemBody| Some(((item.picture, item.slot?), item.after?, item.score));
    let one = all_items(&app, id).await?;
    let other: HashMap<_, _> = all_items(&app, other)
        .await?
        .iter()
        .filter_map(of)
        .map(|(key, after, score)| (key, (after, score)))
        .collect();
    let mut rows: Vec<ComparedSet> = one
        .into_iter()
        .filter_map(|item| {
            let (key, after, score) = of(&item)?;
            let &(other_after, other_score) = other.get(&key)?;
            Some(ComparedSet {
                picture: item.picture,
                name: item.name,
                slot: key.1,
                slot_name: item.slot_name.unwrap_or_default(),
                bytes: [after, other_after],
                score: [score, other_score],
            })
        })
        .collect();
    rows.sort_by_key(|row| std::cmp::Reverse(row.bytes[0].get().abs_diff(row.bytes[1].get())));
    let total = |n: usize| rows.iter().map(|row| row.bytes[n]).sum();
    let mean = |n: usize| {
        let scores: Vec<f64> = rows.iter().filter_map(|row| row.score[n]).collect();
        (!scores.is_empty()).then(|| scores.iter().sum::<f64>() / scores.len() as f64)
    };
    let (sets, bytes, score) = (rows.len(), [total(0), total(1)], [mean(0), mean(1)]);
    rows.truncate(MOST_COMPARED);
    Ok(Json(Comparison { sets, bytes, score, rows }))
}

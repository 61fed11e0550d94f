//! Trials: what came of encoding a picture's pixels one way or another.

use brisk_margin_core::cache_key::CacheKey;
use std::collections::HashMap;

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::grade::Score;
use brisk_margin_core::grade::WorstSpot;
use brisk_margin_core::units::Bytes;
use sea_orm::{ConnectionTrait, FromQueryResult};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::layouts::read;
use crate::{Store, StoreError};
use brisk_margin_core::render_spec::RenderSpec;

/// A way of encoding that was tried.
#[derive(Debug, Clone, PartialEq)]
pub struct TrialRow {
    /// Its number.
    pub id: Uuid,
    /// The picture.
    pub picture_id: Uuid,
    /// What decides its pixels.
    pub spec: RenderSpec,
    /// How they were encoded.
    pub encoding: Encoding,
    /// What the file weighs.
    pub bytes: Bytes,
    /// How faithful it is.
    pub score: Score,
    /// Where it differs most, the worst first; none where it was only a step of a search.
    pub spots: Vec<WorstSpot>,
}

/// A trial about to be kept.
#[derive(Debug, Clone, PartialEq)]
pub struct NewTrial {
    /// How it was encoded.
    pub encoding: Encoding,
    /// What the file weighs.
    pub bytes: Bytes,
    /// How faithful it is.
    pub score: Score,
    /// Where it differs most, the worst first.
    pub spots: Vec<WorstSpot>,
}

#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    picture_id: Uuid,
    spec: String,
    encoding: String,
    generation: i32,
    bytes: i64,
    score: f64,
    spots: Value,
}

#[derive(FromQueryResult)]
struct ScoreRow {
    render_key: String,
    encoding: String,
    generation: i32,
    score: f64,
}

impl TryFrom<Row> for TrialRow {
    type Error = StoreError;

    fn try_from(row: Row) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            picture_id: row.picture_id,
            spec: serde_json::from_str(&row.spec).map_err(corrupt)?,
            encoding: serde_json::from_str(&row.encoding).map_err(corrupt)?,
            bytes: Bytes(row.bytes as u64),
            score: Score(row.score),
            spots: read(row.spots)?,
        })
    }
}

fn corrupt(error: serde_json::Error) -> StoreError {
    StoreError::Corrupt(error.to_string())
}

impl Store {
    /// Everything that was tried of `picture` by `spec` with the encoders of today, the lightest first.
    pub async fn trials_of(
        &self,
        picture: Uuid,
        spec: &RenderSpec,
    ) -> Result<Vec<TrialRow>, StoreError> {
        let statement = self.statement(
            "SELECT id, picture_id, spec, encoding, generation, bytes, score, spots FROM trials
             WHERE picture_id = $1 AND render_key = $2 ORDER BY bytes, id",
            [picture.into(), spec.cache_key().as_str().into()],
        );
        let mut current = Vec::new();
        for row in Row::find_by_statement(statement).all(&self.db).await? {
            let generation = row.generation;
            let trial = TrialRow::try_from(row)?;
            if is_of_today(trial.encoding, generation) {
                current.push(trial);
            }
        }
        Ok(current)
    }

    /// The trial of `picture` by `spec` in `encoding`, where it was tried.
    pub async fn trial_of(
        &self,
        picture: Uuid,
        spec: &RenderSpec,
        encoding: Encoding,
    ) -> Result<Option<TrialRow>, StoreError> {
        let trials = self.trials_of(picture, spec).await?;
        Ok(trials.into_iter().find(|trial| trial.encoding == encoding))
    }

    /// The trials `ids`.
    pub async fn trials(&self, ids: &[Uuid]) -> Result<Vec<TrialRow>, StoreError> {
        let statement = self.statement(
            "SELECT id, picture_id, spec, encoding, generation, bytes, score, spots FROM trials
             WHERE id = ANY ($1)",
            [ids.to_vec().into()],
        );
        let rows = Row::find_by_statement(statement).all(&self.db).await?;
        rows.into_iter().map(TrialRow::try_from).collect()
    }

    /// Keeps what was tried. What was tried before may learn its spots, and its weight where the
    /// picture's credit, which is part of a file, is another one now; what an earlier generation of
    /// encoders made is replaced.
    pub async fn add_trials(
        &self,
        picture: Uuid,
        spec: &RenderSpec,
        trials: &[NewTrial],
    ) -> Result<(), StoreError> {
        let rows = trials.iter().map(|trial| {
            json!({
                "id": Uuid::now_v7(),
                "encoding": words(&trial.encoding),
                "generation": trial.encoding.generation(),
                "bytes": trial.bytes,
                "score": trial.score,
                "spots": trial.spots,
            })
        });
        let statement = self.statement(
            "INSERT INTO trials
                 (id, picture_id, spec, render_key, generation, encoding, bytes, score, spots, made_at)
             SELECT id, $1, $2, $4, generation, encoding, bytes, score, spots, now()
             FROM jsonb_to_recordset($3) AS t (id uuid, encoding text, generation integer,
                 bytes bigint, score double precision, spots jsonb)
             ON CONFLICT (picture_id, render_key, encoding)
             DO UPDATE SET bytes = excluded.bytes, score = excluded.score,
                 generation = excluded.generation,
                 spots = CASE WHEN trials.spots = '[]' OR trials.generation <> excluded.generation
                     THEN excluded.spots ELSE trials.spots END",
            [
                picture.into(),
                serde_json::to_string(spec).expect("plain values").into(),
                rows.collect::<Value>().into(),
                spec.cache_key().as_str().into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }

    /// How faithful the files are that were tried of `picture` in these specs: key,
    /// encoding and score.
    pub async fn scores_of(
        &self,
        picture: Uuid,
        specs: impl IntoIterator<Item = &RenderSpec>,
    ) -> Result<HashMap<(CacheKey, Encoding), Score>, StoreError> {
        let keys: Vec<String> = specs.into_iter().map(|spec| spec.cache_key().into()).collect();
        let statement = self.statement(
            "SELECT render_key, encoding, generation, score FROM trials
             WHERE picture_id = $1 AND render_key = ANY($2)",
            [picture.into(), keys.into()],
        );
        let mut scores = HashMap::new();
        for row in ScoreRow::find_by_statement(statement).all(&self.db).await? {
            let encoding = serde_json::from_str(&row.encoding).map_err(corrupt)?;
            if is_of_today(encoding, row.generation) {
                scores.insert((CacheKey::stored(row.render_key), encoding), Score(row.score));
            }
        }
        Ok(scores)
    }

    /// The trial `id`.
    pub async fn trial(&self, id: Uuid) -> Result<Option<TrialRow>, StoreError> {
        let statement = self.statement(
            "SELECT id, picture_id, spec, encoding, generation, bytes, score, spots FROM trials
             WHERE id = $1",
            [id.into()],
        );
        let row = Row::find_by_statement(statement).one(&self.db).await?;
        row.map(TrialRow::try_from).transpose()
    }
}

/// Whether the encoder of `encoding` still makes what it made in `generation`.
fn is_of_today(encoding: Encoding, generation: i32) -> bool {
    generation == i32::from(encoding.generation())
}

/// What encodings are told apart by.
fn words(encoding: &Encoding) -> String {
    serde_json::to_string(encoding).expect("plain values")
}

//! What the analysis of pictures found: kept, and compared with all others.

use brisk_margin_core::content::{ImageAnalysis, PerceptualHash};
use brisk_margin_core::job::JobKind;
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, ConnectionTrait, EntityTrait, PaginatorTrait,
    QueryFilter,
};
use uuid::Uuid;

use crate::entities::picture::{ActiveModel, Column, Entity};
use crate::jobs::NewJob;
use crate::layouts::{json, read};
use crate::{Store, StoreError};
use brisk_margin_core::site::ImportAction;

impl Store {
    /// How many pictures nobody looked at yet.
    pub async fn count_not_analysed(&self) -> Result<u64, StoreError> {
        let query =
            Entity::find().filter(Column::Class.is_null()).filter(Column::AnalysisFailed.is_null());
        Ok(query.count(&self.db).await?)
    }

    /// Keeps how picture `id` looks, and which others look the same.
    pub async fn keep_analysis(
        &self,
        id: Uuid,
        analysis: &ImageAnalysis,
    ) -> Result<(), StoreError> {
        // Of two that look the same, whoever searches later finds the other; and only what was
        // searched counts as analysed.
        let hash = Set(Some(analysis.hash.0.cast_signed()));
        let row = ActiveModel { id: Set(id), perceptual_hash: hash, ..Default::default() };
        self.change(row).await?;
        self.find_alike(id, analysis.hash).await?;
        let row = ActiveModel {
            id: Set(id),
            class: Set(Some(analysis.class.name().to_owned())),
            colours: Set(Some(analysis.colours as i32)),
            is_transparent: Set(Some(analysis.is_transparent)),
            sample: Set(Some(json(&analysis.sample))),
            analysis_failed: Set(None),
            ..Default::default()
        };
        self.change(row).await
    }

    /// Notes why picture `id` could not be looked at, so that it is not tried for ever.
    pub async fn analysis_failed(&self, id: Uuid, reason: &str) -> Result<(), StoreError> {
        let row = ActiveModel {
            id: Set(id),
            analysis_failed: Set(Some(reason.to_owned())),
            ..Default::default()
        };
        self.change(row).await
    }

    /// Has picture `id` analysed once more.
    pub(super) async fn analyse_again(&self, id: Uuid) -> Result<(), StoreError> {
        let row = ActiveModel { id: Set(id), analysis_failed: Set(None), ..Default::default() };
        self.change(row).await?;
        let args = serde_json::json!({ "picture": id });
        self.push_job(&NewJob::new(JobKind::Analyse, id.to_string(), args)).await?;
        Ok(())
    }

    /// What an intake rule still has to make of picture `id`.
    pub async fn import_action(&self, id: Uuid) -> Result<Option<ImportAction>, StoreError> {
        let found = Entity::find_by_id(id).one(&self.db).await?;
        found.and_then(|row| row.import_action).map(read).transpose()
    }

    /// Notes that everything was made of picture `id`.
    pub async fn import_action_done(&self, id: Uuid) -> Result<(), StoreError> {
        let row = ActiveModel { id: Set(id), import_action: Set(None), ..Default::default() };
        row.update(&self.db).await?;
        Ok(())
    }

    /// Notes which others look like picture `id`.
    async fn find_alike(&self, id: Uuid, hash: PerceptualHash) -> Result<(), StoreError> {
        let statement = self.statement(
            "WITH near AS (
                 SELECT id, bit_count((perceptual_hash # $2)::bit(64))::smallint AS distance FROM pictures
                 WHERE hash_parts && $4 AND id <> $1 AND NOT is_copy
                   -- What was made from a picture looks like it, which is no news.
                   AND NOT EXISTS (SELECT FROM pictures c WHERE c.id = $1 AND c.is_copy)
                   AND bit_count((perceptual_hash # $2)::bit(64)) <= $3
             ), kept AS (
                 INSERT INTO alike (one, other, distance)
                 SELECT least(id, $1), greatest(id, $1), distance FROM near
                 ON CONFLICT DO NOTHING
             )
             SELECT count(*) FROM near",
            [
                id.into(),
                hash.0.cast_signed().into(),
                i64::from(PerceptualHash::NEAR).into(),
                hash.near_parts().into(),
            ],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }
}

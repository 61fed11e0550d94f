//! What the analysis of pictures found: kept, and compared with all others.

use brisk_margin_core::content::{ImageAnalysis, PerceptualHash};
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, ConnectionTrait, EntityTrait, PaginatorTrait,
    QueryFilter, QueryOrder, QuerySelect,
};
use uuid::Uuid;

use super::Picture;
use crate::entities::picture::{ActiveModel, Column, Entity};
use crate::layouts::{json, read};
use crate::{Store, StoreError};
use brisk_margin_core::site::ImportAction;

impl Store {
    /// The next pictures after `after` that were not analysed yet, the oldest first. A row that
    /// cannot be read is set aside with its reason.
    pub async fn not_analysed(
        &self,
        after: Option<Uuid>,
        limit: u64,
    ) -> Result<Vec<Picture>, StoreError> {
        let query = Entity::find()
            .filter(Column::Class.is_null())
            .filter(Column::AnalysisFailed.is_null())
            .filter(Column::Id.gt(after.unwrap_or_default()))
            .order_by_asc(Column::Id)
            .limit(limit);
        let mut pictures = Vec::new();
        for row in query.all(&self.db).await? {
            let id = row.id;
            match Picture::try_from(row) {
                Ok(picture) => pictures.push(picture),
                Err(error) => self.analysis_failed(id, &error.to_string()).await?,
            }
        }
        Ok(pictures)
    }

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
        let row = ActiveModel {
            id: Set(id),
            class: Set(Some(analysis.class.name().to_owned())),
            colours: Set(Some(analysis.colours as i32)),
            is_transparent: Set(Some(analysis.is_transparent)),
            perceptual_hash: Set(Some(analysis.hash.0.cast_signed())),
            sample: Set(Some(json(&analysis.sample))),
            ..Default::default()
        };
        self.change(row).await?;
        self.find_alike(id, analysis.hash).await
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

    /// The next picture after `after` that was analysed and of which something is still to be made.
    pub async fn next_import_action(
        &self,
        after: Option<Uuid>,
    ) -> Result<Option<(Picture, ImportAction)>, StoreError> {
        let mut after = after.unwrap_or_default();
        loop {
            let found = Entity::find()
                .filter(Column::ImportAction.is_not_null())
                .filter(Column::Class.is_not_null())
                .filter(Column::Id.gt(after))
                .order_by_asc(Column::Id)
                .one(&self.db)
                .await?;
            let Some(mut row) = found else { return Ok(None) };
            after = row.id;
            let action = row.import_action.take().map(read).transpose();
            match (action, Picture::try_from(row)) {
                (Ok(action), Ok(picture)) => {
                    return Ok(Some((picture, action.unwrap_or_default())));
                }
                // Nothing can be made of a row that cannot be read.
                _ => self.import_action_done(after).await?,
            }
        }
    }

    /// Notes that everything was made of picture `id`.
    pub async fn import_action_done(&self, id: Uuid) -> Result<(), StoreError> {
        let row = ActiveModel { id: Set(id), import_action: Set(None), ..Default::default() };
        row.update(&self.db).await?;
        Ok(())
    }

    /// Notes which others look like picture `id`, and that they have to be worked out again.
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
             UPDATE pictures SET revision = revision + 1 WHERE id IN (SELECT id FROM near)",
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

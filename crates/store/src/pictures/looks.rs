//! How pictures look: kept once somebody looked, and compared with all others.

use brisk_margin_core::look::{Look, LookHash};
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, ConnectionTrait, EntityTrait, PaginatorTrait,
    QueryFilter, QueryOrder, QuerySelect,
};
use uuid::Uuid;

use super::Picture;
use crate::entities::picture::{ActiveModel, Column, Entity};
use crate::layouts::{json, read};
use crate::site::Treatment;
use crate::{Store, StoreError};

impl Store {
    /// The next pictures that nobody looked at, the oldest first.
    pub async fn not_looked_at(&self, limit: u64) -> Result<Vec<Picture>, StoreError> {
        let query = Entity::find()
            .filter(Column::Class.is_null())
            .filter(Column::LookFailed.is_null())
            .order_by_asc(Column::Id)
            .limit(limit);
        query.all(&self.db).await?.into_iter().map(Picture::try_from).collect()
    }

    /// How many pictures nobody looked at yet.
    pub async fn count_not_looked_at(&self) -> Result<u64, StoreError> {
        let query =
            Entity::find().filter(Column::Class.is_null()).filter(Column::LookFailed.is_null());
        Ok(query.count(&self.db).await?)
    }

    /// Keeps how picture `id` looks, and which others look the same.
    pub async fn keep_look(&self, id: Uuid, look: &Look) -> Result<(), StoreError> {
        let row = ActiveModel {
            id: Set(id),
            class: Set(Some(look.class.name().to_owned())),
            colours: Set(Some(look.colours as i32)),
            is_transparent: Set(Some(look.is_transparent)),
            look_hash: Set(Some(look.hash.0.cast_signed())),
            sample: Set(Some(json(&look.sample))),
            ..Default::default()
        };
        self.change(row).await?;
        self.find_alike(id, look.hash).await
    }

    /// Notes why picture `id` could not be looked at, so that it is not tried for ever.
    pub async fn look_failed(&self, id: Uuid, reason: &str) -> Result<(), StoreError> {
        let row = ActiveModel {
            id: Set(id),
            look_failed: Set(Some(reason.to_owned())),
            ..Default::default()
        };
        self.change(row).await
    }

    /// A picture that was looked at and of which something is still to be made.
    pub async fn next_to_treat(&self) -> Result<Option<(Picture, Treatment)>, StoreError> {
        let found = Entity::find()
            .filter(Column::Treatment.is_not_null())
            .filter(Column::Class.is_not_null())
            .order_by_asc(Column::Id)
            .one(&self.db)
            .await?;
        let Some(mut row) = found else { return Ok(None) };
        let treatment = row.treatment.take().map(read).transpose()?.unwrap_or_default();
        Ok(Some((row.try_into()?, treatment)))
    }

    /// Notes that everything was made of picture `id`.
    pub async fn treated(&self, id: Uuid) -> Result<(), StoreError> {
        let row = ActiveModel { id: Set(id), treatment: Set(None), ..Default::default() };
        row.update(&self.db).await?;
        Ok(())
    }

    /// Notes which others look like picture `id`, and that they have to be judged again.
    async fn find_alike(&self, id: Uuid, hash: LookHash) -> Result<(), StoreError> {
        let statement = self.statement(
            "WITH near AS (
                 SELECT id, bit_count((look_hash # $2)::bit(64))::smallint AS distance FROM pictures
                 WHERE look_hash IS NOT NULL AND id <> $1 AND NOT is_copy
                   -- What was made from a picture looks like it, which is no news.
                   AND NOT EXISTS (SELECT FROM pictures c WHERE c.id = $1 AND c.is_copy)
                   AND bit_count((look_hash # $2)::bit(64)) <= $3
             ), kept AS (
                 INSERT INTO alike (one, other, distance)
                 SELECT least(id, $1), greatest(id, $1), distance FROM near
                 ON CONFLICT DO NOTHING
             )
             UPDATE pictures SET changed = changed + 1 WHERE id IN (SELECT id FROM near)",
            [id.into(), hash.0.cast_signed().into(), i64::from(LookHash::NEAR).into()],
        );
        self.db.execute_raw(statement).await?;
        Ok(())
    }
}

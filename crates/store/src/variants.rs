//! Variants: the files made from pictures.

use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::variant_spec::VariantSpec;
use std::collections::HashMap;

use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::sea_query::OnConflict;
use sea_orm::{
    ActiveValue::Set, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder,
};
use uuid::Uuid;

use crate::entities::variant::{ActiveModel, Column, Entity, Model};
use crate::{BlobHash, Store, StoreError};

/// A file that was made.
#[derive(Debug, Clone, PartialEq)]
pub struct Variant {
    /// Its number, in order of making.
    pub id: Uuid,
    /// The picture it was made from.
    pub picture_id: Uuid,
    /// What was asked for.
    pub spec: VariantSpec,
    /// The name it is downloaded under.
    pub file_name: String,
    /// Its pixels.
    pub size: Size,
    /// Its weight.
    pub bytes: Bytes,
    /// The budget of its slot.
    pub budget: Bytes,
    /// The hash of its file.
    pub hash: BlobHash,
    /// When it was made.
    pub created_at: DateTime<Utc>,
}

/// A file about to be kept as a variant.
pub struct NewVariant<'a> {
    /// The picture it was made from.
    pub picture_id: Uuid,
    /// What was asked for.
    pub spec: VariantSpec,
    /// How it filled the slot.
    pub fitting: &'a Fitting,
    /// What it is to be called.
    pub name: &'a NameWish,
    /// The budget of its slot.
    pub budget: Bytes,
}

impl Store {
    /// The variant of `picture_id` that was made for the same spec before.
    pub async fn variant_of(
        &self,
        picture_id: Uuid,
        spec: &VariantSpec,
    ) -> Result<Option<Variant>, StoreError> {
        let found = Entity::find()
            .filter(Column::PictureId.eq(picture_id))
            .filter(Column::CacheKey.eq(spec.cache_key().as_str()))
            .one(&self.db)
            .await?;
        found.map(Variant::try_from).transpose()
    }

    /// The variants of `picture_id` that were made for `specs` before, by their keys.
    pub async fn variants_for(
        &self,
        picture_id: Uuid,
        specs: impl IntoIterator<Item = &VariantSpec>,
    ) -> Result<HashMap<CacheKey, Variant>, StoreError> {
        let found = Entity::find()
            .filter(Column::PictureId.eq(picture_id))
            .filter(
                Column::CacheKey
                    .is_in(specs.into_iter().map(|spec| String::from(spec.cache_key()))),
            )
            .all(&self.db)
            .await?;
        found
            .into_iter()
            .map(|row| Ok((CacheKey::stored(row.cache_key.clone()), Variant::try_from(row)?)))
            .collect()
    }

    /// Keeps `data` and a variant for it.
    pub async fn add_variant(
        &self,
        data: bytes::Bytes,
        new: NewVariant<'_>,
    ) -> Result<Variant, StoreError> {
        let bytes = data.len() as i64;
        // Written and synced before the transaction, and once more where a sweep came between.
        let hash = self.blobs.put(data.clone()).await?;
        let transaction = self.holding_bytes().await?;
        self.blobs.put_again(&hash, data).await?;
        let (key, format) = (new.spec.framing.cache_key(), new.spec.encoding.format());
        let file_name =
            self.allocate_name(&transaction, new.picture_id, &key, new.name, format).await?;
        let row = ActiveModel {
            id: Set(Uuid::now_v7()),
            picture_id: Set(new.picture_id),
            cache_key: Set(new.spec.cache_key().into()),
            file_name: Set(file_name),
            spec: Set(serde_json::to_value(&new.spec).expect("plain values")),
            format: Set(new.spec.encoding.format().name().to_owned()),
            quality: Set(new.spec.encoding.quality().map(|quality| quality.get() as f32)),
            width: Set(new.fitting.output.width as i32),
            height: Set(new.fitting.output.height as i32),
            bytes: Set(bytes),
            budget: Set(new.budget.get() as i64),
            hash: Set(hash.as_str().to_owned()),
            created_at: Set(Utc::now()),
        };
        let same =
            OnConflict::columns([Column::PictureId, Column::CacheKey]).do_nothing().to_owned();
        Entity::insert(row).on_conflict(same).exec_without_returning(&transaction).await?;
        transaction.commit().await?;
        let kept = self.variant_of(new.picture_id, &new.spec).await?;
        kept.ok_or_else(|| StoreError::Corrupt("a variant vanished".to_owned()))
    }

    /// Notes that somebody asked for the variants `ids` by hand: no run takes them back.
    pub async fn keep_variants(&self, ids: &[Uuid]) -> Result<(), StoreError> {
        let sql = "UPDATE variants SET is_by_hand = true WHERE id = ANY ($1) AND NOT is_by_hand";
        self.db.execute_raw(self.statement(sql, [ids.to_vec().into()])).await?;
        Ok(())
    }

    /// The variant `id`.
    pub async fn variant(&self, id: Uuid) -> Result<Option<Variant>, StoreError> {
        Entity::find_by_id(id).one(&self.db).await?.map(Variant::try_from).transpose()
    }

    /// The variants of these pictures, the newest first.
    pub async fn variants_of(&self, pictures: &[Uuid]) -> Result<Vec<Variant>, StoreError> {
        Entity::find()
            .filter(Column::PictureId.is_in(pictures.iter().copied()))
            .order_by_desc(Column::Id)
            .all(&self.db)
            .await?
            .into_iter()
            .map(Variant::try_from)
            .collect()
    }
}

impl TryFrom<Model> for Variant {
    type Error = StoreError;

    fn try_from(row: Model) -> Result<Self, StoreError> {
        let spec = serde_json::from_value(row.spec)
            .map_err(|error| StoreError::Corrupt(error.to_string()))?;
        Ok(Self {
            id: row.id,
            picture_id: row.picture_id,
            spec,
            file_name: row.file_name,
            size: Size::new(row.width as u32, row.height as u32),
            bytes: Bytes(row.bytes as u64),
            budget: Bytes(row.budget as u64),
            hash: BlobHash::stored(&row.hash),
            created_at: row.created_at,
        })
    }
}

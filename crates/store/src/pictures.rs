//! Pictures: the originals in the library.

use brisk_margin_core::format::Source;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::picture::Facts;
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::sea_query::{Expr, ExprTrait, OnConflict};
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, EntityTrait, QueryFilter, QueryOrder,
    QuerySelect,
};
use uuid::Uuid;

use crate::entities::picture::{ActiveModel, Column, Entity, Model};
use crate::{BlobHash, Store, StoreError};

/// A picture in the library.
#[derive(Debug, Clone, PartialEq)]
pub struct Picture {
    /// Its number, in order of arrival.
    pub id: Uuid,
    /// Its name, tidied.
    pub name: String,
    /// The hash of its original.
    pub hash: BlobHash,
    /// What its header says.
    pub facts: Facts,
    /// The weight of its original.
    pub bytes: Bytes,
    /// Where its subject is.
    pub focal: FocalPoint,
    /// When it arrived.
    pub created_at: DateTime<Utc>,
}

/// Whether a picture was new.
#[derive(Debug, Clone, PartialEq)]
pub enum Arrival {
    /// It was not in the library before.
    New(Picture),
    /// The same bytes are there already.
    There(Picture),
}

/// The order of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Sort {
    /// The newest first.
    #[default]
    Newest,
    /// By name, A to Z.
    Name,
    /// The heaviest first.
    Heaviest,
}

/// Which part of the library a list shows.
#[derive(Debug, Clone, Default)]
pub struct Page {
    /// Only names that hold this text.
    pub search: Option<String>,
    /// In which order.
    pub sort: Sort,
    /// Only what comes after this picture in that order.
    pub after: Option<Uuid>,
    /// At most so many.
    pub limit: u64,
}

impl Store {
    /// Adds a picture whose bytes are already in the blob store.
    pub async fn add_picture(
        &self,
        name: &str,
        hash: &BlobHash,
        bytes: Bytes,
        facts: &Facts,
    ) -> Result<Arrival, StoreError> {
        let row = ActiveModel {
            id: Set(Uuid::now_v7()),
            name: Set(name.to_owned()),
            hash: Set(hash.as_str().to_owned()),
            format: Set(facts.format.format().name().to_owned()),
            width: Set(facts.size.width as i32),
            height: Set(facts.size.height as i32),
            bytes: Set(bytes.get() as i64),
            has_alpha: Set(facts.has_alpha),
            has_location: Set(facts.has_location),
            profile: Set(facts.profile.clone()),
            focal_x: Set(FocalPoint::CENTRE.x()),
            focal_y: Set(FocalPoint::CENTRE.y()),
            created_at: Set(Utc::now()),
        };
        // Two uploads of the same bytes may arrive at once; the table decides which is new.
        let inserted = Entity::insert(row)
            .on_conflict(OnConflict::column(Column::Hash).do_nothing().to_owned())
            .exec_without_returning(&self.db)
            .await?;
        let found = self.picture_by_hash(hash).await?;
        let found = found.ok_or_else(|| StoreError::Corrupt("a picture vanished".to_owned()))?;
        Ok(if inserted == 1 { Arrival::New(found) } else { Arrival::There(found) })
    }

    /// The picture whose original has `hash`.
    pub async fn picture_by_hash(&self, hash: &BlobHash) -> Result<Option<Picture>, StoreError> {
        let found = Entity::find().filter(Column::Hash.eq(hash.as_str())).one(&self.db).await?;
        found.map(Picture::try_from).transpose()
    }

    /// The picture `id`.
    pub async fn picture(&self, id: Uuid) -> Result<Option<Picture>, StoreError> {
        Entity::find_by_id(id).one(&self.db).await?.map(Picture::try_from).transpose()
    }

    /// The pictures `ids`, in no order.
    pub async fn pictures_of(&self, ids: &[Uuid]) -> Result<Vec<Picture>, StoreError> {
        let query = Entity::find().filter(Column::Id.is_in(ids.iter().copied()));
        query.all(&self.db).await?.into_iter().map(Picture::try_from).collect()
    }

    /// Part of the library in the order of `page`; paged by key, so that no row is skipped or
    /// repeated when pictures arrive meanwhile.
    pub async fn pictures(&self, page: &Page) -> Result<Vec<Picture>, StoreError> {
        let name = || Expr::cust("lower(name)");
        let mut query = Entity::find().limit(page.limit);
        if let Some(text) = page.search.as_deref().filter(|text| !text.trim().is_empty()) {
            query = query.filter(Expr::cust_with_values(
                "strpos(lower(name), lower($1)) > 0",
                [text.trim()],
            ));
        }
        let after = match page.after {
            Some(id) => Entity::find_by_id(id).one(&self.db).await?,
            None => None,
        };
        if let Some(last) = &after {
            let id = last.id;
            query = query.filter(match page.sort {
                Sort::Newest => Column::Id.lt(id),
                Sort::Name => Expr::cust_with_exprs(
                    "(lower(name), id) > (lower($1), $2)",
                    [Expr::value(last.name.clone()), Expr::value(id)],
                ),
                Sort::Heaviest => Column::Bytes
                    .lt(last.bytes)
                    .or(Column::Bytes.eq(last.bytes).and(Column::Id.lt(id))),
            });
        }
        let query = match page.sort {
            Sort::Newest => query.order_by_desc(Column::Id),
            Sort::Name => query.order_by(name(), sea_orm::Order::Asc).order_by_asc(Column::Id),
            Sort::Heaviest => query.order_by_desc(Column::Bytes).order_by_desc(Column::Id),
        };
        query.all(&self.db).await?.into_iter().map(Picture::try_from).collect()
    }

    /// Moves the focal point of picture `id`; `None` where there is no such picture.
    pub async fn set_focal(
        &self,
        id: Uuid,
        focal: FocalPoint,
    ) -> Result<Option<Picture>, StoreError> {
        let Some(found) = Entity::find_by_id(id).one(&self.db).await? else {
            return Ok(None);
        };
        let mut row: ActiveModel = found.into();
        row.focal_x = Set(focal.x());
        row.focal_y = Set(focal.y());
        Ok(Some(row.update(&self.db).await?.try_into()?))
    }
}

impl TryFrom<Model> for Picture {
    type Error = StoreError;

    fn try_from(row: Model) -> Result<Self, StoreError> {
        let format = match row.format.as_str() {
            "jpeg" => Source::Jpeg,
            "png" => Source::Png,
            other => return Err(StoreError::Corrupt(format!("the format {other}"))),
        };
        Ok(Self {
            id: row.id,
            name: row.name,
            hash: BlobHash::stored(&row.hash),
            facts: Facts {
                format,
                size: Size::new(row.width as u32, row.height as u32),
                has_alpha: row.has_alpha,
                has_location: row.has_location,
                profile: row.profile,
            },
            bytes: Bytes(row.bytes as u64),
            focal: FocalPoint::new(row.focal_x, row.focal_y)
                .map_err(|error| StoreError::Corrupt(error.to_string()))?,
            created_at: row.created_at,
        })
    }
}

//! Variants: the files made from pictures.

use std::collections::HashMap;

use brisk_margin_core::colour::ColourSpace;
use brisk_margin_core::encode::{Encoding, GENERATION};
use brisk_margin_core::finish::Finish;
use brisk_margin_core::finish::canvas::{Canvas, CanvasError};
use brisk_margin_core::finish::plan::{Aim, Plan};
use brisk_margin_core::fitting::{Fitting, TooSmall};
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::metadata::Credit;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::{Bytes, Density};
use chrono::{DateTime, Utc};
use sea_orm::sea_query::OnConflict;
use sea_orm::{ActiveValue::Set, ColumnTrait, EntityTrait, QueryFilter, QueryOrder};
use serde::{Deserialize, Serialize};
use thiserror::Error;
use uuid::Uuid;

use crate::entities::variant::{ActiveModel, Column, Entity, Model};
use crate::{BlobHash, Store, StoreError};

/// What was asked for: all that decides a variant's bytes besides its picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Order {
    /// What decides its pixels.
    #[serde(flatten)]
    pub framing: Framing,
    /// How they are encoded.
    #[serde(flatten)]
    pub encoding: Encoding,
    /// What the file says of who made it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub credit: Option<Credit>,
    /// Whether the file is the original's own, without its metadata: it was lean already.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_copy: bool,
}

/// What decides a variant's pixels besides its picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Framing {
    /// The slot it fills.
    pub slot: Slot,
    /// At which density.
    pub density: Density,
    /// What the framing goes by.
    #[serde(flatten)]
    pub aim: Aim,
    /// The edits in use.
    #[serde(default, skip_serializing_if = "Finish::is_plain")]
    pub finish: Finish,
    /// The colours of its pixels.
    #[serde(default, skip_serializing_if = "ColourSpace::is_srgb")]
    pub colours: ColourSpace,
}

impl Framing {
    /// The framing for `slot` at `density` by `aim`, with the edits of `finish`. What a fit does not
    /// look at is forgotten, so that the same pixels have the same recipe.
    pub fn new(slot: Slot, density: Density, aim: Aim, finish: &Finish) -> Self {
        let aim = match aim.by_hand {
            Some(_) => Aim { by_hand: aim.by_hand, ..Aim::at(FocalPoint::CENTRE) },
            None if slot.fit().crops() => aim,
            None => Aim::at(FocalPoint::CENTRE),
        };
        Self { slot, density, aim, finish: finish.in_use(), colours: ColourSpace::Srgb }
    }

    /// The same in `colours`. Edits are done in sRGB, and what is edited stays there.
    #[must_use]
    pub fn in_colours(mut self, colours: ColourSpace) -> Self {
        self.colours = if self.finish.is_plain() { colours } else { ColourSpace::Srgb };
        self
    }

    /// A picture of upright size `source` framed so.
    ///
    /// # Errors
    /// [`Unframed`] where its edits leave nothing of it, or an exact slot asks for more than there
    /// is.
    pub fn plan(&self, source: Size) -> Result<(Canvas, Plan), Unframed> {
        let canvas = Canvas::new(source, &self.finish)?;
        let plan = Plan::new(&canvas, &self.finish, self.slot, self.density, &self.aim)?;
        Ok((canvas, plan))
    }

    /// What is cut, scaled and short, also where an exact slot is refused; nothing where the edits
    /// leave nothing.
    pub fn fitting(&self, source: Size) -> Option<Fitting> {
        match self.plan(source) {
            Ok((_, plan)) => Some(plan.fitting),
            Err(Unframed::TooSmall(TooSmall(fitting))) => Some(fitting),
            Err(Unframed::Canvas(_)) => None,
        }
    }

    /// All of it in one text.
    pub fn recipe(&self) -> String {
        serde_json::to_string(self).expect("plain values")
    }
}

impl Order {
    /// All of it in one text, with the generation of the encoders.
    pub fn recipe(&self) -> String {
        format!("{GENERATION} {}", serde_json::to_string(self).expect("plain values"))
    }
}

/// Why a picture cannot be framed.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum Unframed {
    /// Its edits leave nothing of it.
    #[error(transparent)]
    Canvas(#[from] CanvasError),
    /// An exact slot asks for more pixels than there are.
    #[error(transparent)]
    TooSmall(#[from] TooSmall),
}

/// A file that was made.
#[derive(Debug, Clone, PartialEq)]
pub struct Variant {
    /// Its number, in order of making.
    pub id: Uuid,
    /// The picture it was made from.
    pub picture_id: Uuid,
    /// What was asked for.
    pub order: Order,
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
    pub order: Order,
    /// How it filled the slot.
    pub fitting: &'a Fitting,
    /// The name it is downloaded under.
    pub file_name: String,
    /// The budget of its slot.
    pub budget: Bytes,
}

/// The name of a file that was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NameInUse {
    /// The name.
    pub name: String,
    picture_id: Uuid,
    recipe: String,
}

impl NameInUse {
    /// Whether it is of the pixels of `picture` in `framing`, whatever their encoding.
    pub fn is_of(&self, picture: Uuid, framing: &Framing) -> bool {
        // The recipe of an order begins with its framing's, which goes on instead of ending.
        let framing = framing.recipe();
        let begins = framing.strip_suffix('}').unwrap_or(&framing);
        let order = self.recipe.split_once(' ').map_or(self.recipe.as_str(), |(_, order)| order);
        self.picture_id == picture && order.starts_with(begins)
    }
}

impl Store {
    /// The variant of `picture_id` that was made for the same order before.
    pub async fn variant_of(
        &self,
        picture_id: Uuid,
        order: &Order,
    ) -> Result<Option<Variant>, StoreError> {
        let found = Entity::find()
            .filter(Column::PictureId.eq(picture_id))
            .filter(Column::Recipe.eq(order.recipe()))
            .one(&self.db)
            .await?;
        found.map(Variant::try_from).transpose()
    }

    /// The variants of `picture_id` that were made for `orders` before, by recipe.
    pub async fn variants_for(
        &self,
        picture_id: Uuid,
        orders: impl IntoIterator<Item = &Order>,
    ) -> Result<HashMap<String, Variant>, StoreError> {
        let found = Entity::find()
            .filter(Column::PictureId.eq(picture_id))
            .filter(Column::Recipe.is_in(orders.into_iter().map(Order::recipe)))
            .all(&self.db)
            .await?;
        found.into_iter().map(|row| Ok((row.recipe.clone(), Variant::try_from(row)?))).collect()
    }

    /// The files that have one of `names` already.
    pub async fn names_in_use(&self, names: Vec<String>) -> Result<Vec<NameInUse>, StoreError> {
        let found = Entity::find().filter(Column::FileName.is_in(names)).all(&self.db).await?;
        let in_use = |row: Model| NameInUse {
            name: row.file_name,
            picture_id: row.picture_id,
            recipe: row.recipe,
        };
        Ok(found.into_iter().map(in_use).collect())
    }

    /// Keeps `data` and a variant for it.
    pub async fn add_variant(
        &self,
        data: bytes::Bytes,
        new: NewVariant<'_>,
    ) -> Result<Variant, StoreError> {
        let transaction = self.holding_bytes().await?;
        let bytes = data.len() as i64;
        let hash = self.blobs.put(data).await?;
        let row = ActiveModel {
            id: Set(Uuid::now_v7()),
            picture_id: Set(new.picture_id),
            recipe: Set(new.order.recipe()),
            file_name: Set(new.file_name),
            order: Set(serde_json::to_value(&new.order).expect("plain values")),
            format: Set(new.order.encoding.format().name().to_owned()),
            quality: Set(new.order.encoding.quality().map(|quality| quality.get().into())),
            width: Set(new.fitting.output.width as i32),
            height: Set(new.fitting.output.height as i32),
            bytes: Set(bytes),
            budget: Set(new.budget.get() as i64),
            hash: Set(hash.as_str().to_owned()),
            created_at: Set(Utc::now()),
        };
        let same = OnConflict::columns([Column::PictureId, Column::Recipe]).do_nothing().to_owned();
        Entity::insert(row).on_conflict(same).exec_without_returning(&transaction).await?;
        transaction.commit().await?;
        let kept = self.variant_of(new.picture_id, &new.order).await?;
        kept.ok_or_else(|| StoreError::Corrupt("a variant vanished".to_owned()))
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
        let order = serde_json::from_value(row.order)
            .map_err(|error| StoreError::Corrupt(error.to_string()))?;
        Ok(Self {
            id: row.id,
            picture_id: row.picture_id,
            order,
            file_name: row.file_name,
            size: Size::new(row.width as u32, row.height as u32),
            bytes: Bytes(row.bytes as u64),
            budget: Bytes(row.budget as u64),
            hash: BlobHash::stored(&row.hash),
            created_at: row.created_at,
        })
    }
}

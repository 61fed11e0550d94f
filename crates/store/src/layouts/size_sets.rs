//! Named sets of sizes.

use brisk_margin_core::seen::Seen;
use brisk_margin_core::size_set::SizeSet;
use sea_orm::ActiveValue::Set;
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QueryOrder, sea_query::OnConflict};
use uuid::Uuid;

use super::{json, read};
use crate::entities::size_set;
use crate::{Store, StoreError, saving};

/// A set of sizes under its name.
#[derive(Debug, Clone, PartialEq)]
pub struct NamedSizes {
    /// Its number.
    pub id: Uuid,
    /// Its name, which no other set has.
    pub name: String,
    /// Its sizes.
    pub sizes: SizeSet,
}

impl Store {
    /// Every set of sizes, by name.
    pub async fn size_sets(&self) -> Result<Vec<NamedSizes>, StoreError> {
        let query = size_set::Entity::find().order_by_asc(size_set::Column::Name);
        query.all(&self.db).await?.into_iter().map(NamedSizes::try_from).collect()
    }

    /// One set of sizes.
    pub async fn size_set(&self, id: Uuid) -> Result<Option<NamedSizes>, StoreError> {
        let found = size_set::Entity::find_by_id(id).one(&self.db).await?;
        found.map(NamedSizes::try_from).transpose()
    }

    /// Keeps `sizes` under `name`, in the place of those that were `seen` under it.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where others have that name by now.
    pub async fn keep_size_set(
        &self,
        name: &str,
        sizes: &SizeSet,
        seen: &Seen<SizeSet>,
    ) -> Result<NamedSizes, StoreError> {
        let turn = self.turn_to_save(&format!("size set {name}")).await?;
        let called = size_set::Entity::find().filter(size_set::Column::Name.eq(name));
        let now = called.one(&turn).await?.map(NamedSizes::try_from).transpose()?;
        saving::check(seen, now.as_ref().map(|set| &set.sizes))?;
        let row = size_set::ActiveModel {
            id: Set(Uuid::now_v7()),
            name: Set(name.to_owned()),
            sizes: Set(json(sizes)),
        };
        let again = OnConflict::column(size_set::Column::Name)
            .update_column(size_set::Column::Sizes)
            .to_owned();
        let insert = size_set::Entity::insert(row).on_conflict(again);
        let kept = insert.exec_with_returning(&turn).await?;
        turn.commit().await?;
        kept.try_into()
    }

    /// Takes a set away; the slots that were sized by it stay as they are. False where it is gone.
    pub async fn remove_size_set(&self, id: Uuid) -> Result<bool, StoreError> {
        Ok(size_set::Entity::delete_by_id(id).exec(&self.db).await?.rows_affected > 0)
    }
}

impl TryFrom<size_set::Model> for NamedSizes {
    type Error = StoreError;

    fn try_from(row: size_set::Model) -> Result<Self, StoreError> {
        Ok(Self { id: row.id, name: row.name, sizes: read(row.sizes)? })
    }
}

//! Collections: pictures in an order of their own.

use brisk_margin_core::seen::Seen;
use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use serde::Serialize;
use uuid::Uuid;

use crate::{Store, StoreError, saving};

/// A collection, by its name.
#[derive(Debug, Clone, PartialEq, FromQueryResult, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Collection {
    /// Its number.
    pub id: Uuid,
    /// Its name, which no other collection has.
    pub name: String,
    /// How many pictures are in it, without those that are removed.
    pub pictures: i64,
}

/// How pictures are put into a collection.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Collect {
    /// After those that are in it.
    After,
    /// In the place of those that were seen in it.
    InPlaceOf(Seen<Vec<Uuid>>),
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

#[derive(FromQueryResult)]
struct Name {
    name: String,
}

impl Store {
    /// Every collection, by name.
    pub async fn collections(&self) -> Result<Vec<Collection>, StoreError> {
        let sql = "SELECT c.id, c.name, count(p.id) AS pictures FROM collections c
                   LEFT JOIN collected d ON d.collection_id = c.id
                   LEFT JOIN pictures p ON p.id = d.picture_id AND p.removed_at IS NULL
                   GROUP BY c.id ORDER BY lower(c.name)";
        Ok(Collection::find_by_statement(self.statement(sql, [])).all(&self.db).await?)
    }

    /// The pictures of collection `id` in their order, removed ones left out.
    pub async fn collected(&self, id: Uuid) -> Result<Vec<Uuid>, StoreError> {
        self.collected_by(&self.db, id).await
    }

    async fn collected_by(
        &self,
        db: &impl ConnectionTrait,
        id: Uuid,
    ) -> Result<Vec<Uuid>, StoreError> {
        let sql = "SELECT p.id FROM collected d JOIN pictures p ON p.id = d.picture_id
                   WHERE d.collection_id = $1 AND p.removed_at IS NULL ORDER BY d.place, p.id";
        let rows = Id::find_by_statement(self.statement(sql, [id.into()])).all(db).await?;
        Ok(rows.into_iter().map(|row| row.id).collect())
    }

    /// The collection called `name`, made where there is none.
    pub async fn collection(&self, name: &str) -> Result<Uuid, StoreError> {
        let sql = "INSERT INTO collections (id, name) VALUES ($1, $2)
                   ON CONFLICT (name) DO UPDATE SET name = excluded.name RETURNING id";
        let values = [Uuid::now_v7().into(), name.to_owned().into()];
        let row = Id::find_by_statement(self.statement(sql, values)).one(&self.db).await?;
        row.map(|row| row.id).ok_or_else(|| StoreError::Corrupt("a collection vanished".into()))
    }

    /// Puts `pictures` into collection `id`, in that order, as `how` says; returns what was in it.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where it has others than were seen by now, or in another order.
    pub async fn collect(
        &self,
        id: Uuid,
        pictures: &[Uuid],
        how: &Collect,
    ) -> Result<Vec<Uuid>, StoreError> {
        let transaction = self.turn_to_save(&format!("collection {id}")).await?;
        let before = self.collected_by(&transaction, id).await?;
        let pictures = match how {
            Collect::After => [&before, pictures].concat(),
            Collect::InPlaceOf(seen) => {
                saving::check(seen, Some(&before))?;
                pictures.to_vec()
            }
        };
        let empty = self.statement("DELETE FROM collected WHERE collection_id = $1", [id.into()]);
        transaction.execute_raw(empty).await?;
        let fill = self.statement(
            "INSERT INTO collected (collection_id, picture_id, place)
             SELECT $1, w.id, min(w.place)::integer
             FROM unnest($2::uuid[]) WITH ORDINALITY AS w (id, place)
             JOIN pictures p ON p.id = w.id GROUP BY w.id",
            [id.into(), pictures.into()],
        );
        transaction.execute_raw(fill).await?;
        transaction.commit().await?;
        Ok(before)
    }

    /// Calls collection `id` `name`, which was `seen` under another; returns what it was called, nothing where
    /// there is none.
    ///
    /// # Errors
    /// [`StoreError::SameName`] where another collection is called so, and [`StoreError::SavedMeanwhile`]
    /// where this one is called otherwise by now.
    pub async fn rename_collection(
        &self,
        id: Uuid,
        name: &str,
        seen: &Seen<String>,
    ) -> Result<Option<String>, StoreError> {
        let turn = self.turn_to_save(&format!("collection {id}")).await?;
        let sql = "UPDATE collections c SET name = $2 FROM collections before
                   WHERE c.id = $1 AND before.id = c.id RETURNING before.name";
        let statement = self.statement(sql, [id.into(), name.to_owned().into()]);
        let row = Name::find_by_statement(statement).one(&turn).await;
        let row = row.map_err(|error| StoreError::of_name(error, name))?;
        let Some(before) = row.map(|row| row.name) else { return Ok(None) };
        saving::check(seen, Some(&before))?;
        turn.commit().await?;
        Ok(Some(before))
    }

    /// Deletes collection `id`, not its pictures; returns its name and what was in it, in order.
    pub async fn forget_collection(
        &self,
        id: Uuid,
    ) -> Result<Option<(String, Vec<Uuid>)>, StoreError> {
        let transaction = self.db.begin().await?;
        let sql = "SELECT picture_id AS id FROM collected WHERE collection_id = $1 ORDER BY place";
        let pictures = Id::find_by_statement(self.statement(sql, [id.into()]));
        let pictures = pictures.all(&transaction).await?.into_iter().map(|row| row.id).collect();
        let sql = "DELETE FROM collections WHERE id = $1 RETURNING name";
        let gone = Name::find_by_statement(self.statement(sql, [id.into()]));
        let gone = gone.one(&transaction).await?;
        transaction.commit().await?;
        Ok(gone.map(|gone| (gone.name, pictures)))
    }
}

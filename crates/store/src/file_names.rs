//! Names of files, each allocated once: a file of one picture is never called as one of another.

use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::format::Format;
use brisk_margin_core::name_pattern::NameWish;
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult};
use uuid::Uuid;

use crate::{Store, StoreError};

#[derive(FromQueryResult)]
struct Owner {
    picture_id: Uuid,
    render_key: String,
}

impl Store {
    /// The first name of `wish` that nobody has but the pixels `key` of `picture`, whatever their
    /// encoding; it is theirs once the transaction ends. Two who ask at once wait for each other.
    pub(crate) async fn allocate_name(
        &self,
        transaction: &DatabaseTransaction,
        picture: Uuid,
        key: &CacheKey,
        wish: &NameWish,
        format: Format,
    ) -> Result<String, StoreError> {
        let mut nth = 1;
        loop {
            let name = wish.at(nth, format);
            let insert = self.statement(
                "INSERT INTO file_names (name, picture_id, render_key) VALUES ($1, $2, $3)
                 ON CONFLICT (name) DO NOTHING",
                [name.as_str().into(), picture.into(), key.as_str().into()],
            );
            if transaction.execute_raw(insert).await?.rows_affected() > 0 {
                return Ok(name);
            }
            if self.owns_name(transaction, &name, picture, key).await? {
                return Ok(name);
            }
            nth += 1;
        }
    }

    async fn owns_name(
        &self,
        transaction: &DatabaseTransaction,
        name: &str,
        picture: Uuid,
        key: &CacheKey,
    ) -> Result<bool, StoreError> {
        let sql = "SELECT picture_id, render_key FROM file_names WHERE name = $1";
        let owner = Owner::find_by_statement(self.statement(sql, [name.into()]));
        let owner = owner.one(transaction).await?;
        Ok(owner.is_some_and(|o| o.picture_id == picture && o.render_key == key.as_str()))
    }

    /// The names that the files of `wishes` have or would get now; nothing is allocated.
    pub async fn proposed_names(
        &self,
        picture: Uuid,
        wishes: &[(CacheKey, NameWish, Format)],
    ) -> Result<Vec<String>, StoreError> {
        let mut names: Vec<Option<String>> = vec![None; wishes.len()];
        let mut nth = 1;
        while names.iter().any(Option::is_none) {
            let open: Vec<usize> = (0..names.len()).filter(|&n| names[n].is_none()).collect();
            let asked = open.iter().map(|&n| wishes[n].1.at(nth, wishes[n].2)).collect();
            let owners = self.owners_of(asked).await?;
            for n in open {
                let (key, wish, format) = &wishes[n];
                let name = wish.at(nth, *format);
                let is_free = owners
                    .iter()
                    .filter(|owner| owner.name == name)
                    .all(|owner| owner.picture_id == picture && owner.render_key == key.as_str());
                let is_taken_here = (0..wishes.len())
                    .any(|other| wishes[other].0 != *key && names[other].as_ref() == Some(&name));
                if is_free && !is_taken_here {
                    names[n] = Some(name);
                }
            }
            nth += 1;
        }
        Ok(names.into_iter().flatten().collect())
    }

    async fn owners_of(&self, names: Vec<String>) -> Result<Vec<Named>, StoreError> {
        let sql = "SELECT name, picture_id, render_key FROM file_names WHERE name = ANY ($1)";
        Ok(Named::find_by_statement(self.statement(sql, [names.into()])).all(&self.db).await?)
    }
}

#[derive(FromQueryResult)]
struct Named {
    name: String,
    picture_id: Uuid,
    render_key: String,
}

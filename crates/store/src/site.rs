//! The site that is looked after: its name, where it is, and how it is measured.

use brisk_margin_core::site::SiteSettings;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, EntityTrait, IntoActiveModel, QuerySelect, TransactionTrait};

use crate::entities::site;
use crate::layouts::{json, read};
use crate::{Store, StoreError};

impl Store {
    /// The site's settings.
    pub async fn site(&self) -> Result<SiteSettings, StoreError> {
        let row = site::Entity::find().one(&self.db).await?;
        row.map(|row| read(row.settings)).transpose().map(Option::unwrap_or_default)
    }

    /// Changes the site's settings; two changes at once follow each other.
    ///
    /// # Errors
    /// [`StoreError::SameAddress`] where it would have that of another site.
    pub async fn change_site(
        &self,
        change: impl FnOnce(&mut SiteSettings) + Send,
    ) -> Result<SiteSettings, StoreError> {
        self.change_site_where(|_| true, change).await
    }

    /// The same where the settings are still as they were seen.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where they are not.
    pub async fn change_site_where(
        &self,
        are_as_seen: impl FnOnce(&SiteSettings) -> bool + Send,
        change: impl FnOnce(&mut SiteSettings) + Send,
    ) -> Result<SiteSettings, StoreError> {
        let transaction = self.db.begin().await?;
        let row = site::Entity::find().lock_exclusive().one(&transaction).await?;
        let row = row.ok_or_else(|| StoreError::Corrupt("the site has no settings".to_owned()))?;
        let mut settings: SiteSettings = read(row.settings.clone())?;
        if !are_as_seen(&settings) {
            return Err(StoreError::SavedMeanwhile);
        }
        change(&mut settings);
        let mut active = row.into_active_model();
        active.settings = Set(json(&settings));
        active.update(&transaction).await.map_err(StoreError::of_site)?;
        transaction.commit().await?;
        Ok(settings)
    }
}

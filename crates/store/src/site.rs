//! The site that is looked after: its name, where it is, and how it is measured.

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::naming::Pattern;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, EntityTrait, IntoActiveModel, QuerySelect, TransactionTrait};
use serde::{Deserialize, Serialize};

use crate::entities::site;
use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// What holds for the whole site. A setting that an older version did not know is the usual one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct SiteSettings {
    /// Its name.
    pub name: String,
    /// The address of its first page.
    pub address: Option<String>,
    /// The viewports at which its pages are measured, the narrowest first.
    pub widths: Vec<LayoutWidth>,
    /// Other hosts that its pages may reach, as in `http://pictures.example:8080`.
    pub allowed_hosts: Vec<String>,
    /// The long side that is made of a picture at most where no slot says more, in pixels.
    pub ceiling: u32,
    /// What happens to pictures that arrive.
    pub treatment: Treatment,
    /// The pattern that file names are proposed by.
    pub name_pattern: String,
    /// The initials that stand in names where the pattern has them.
    pub initials: String,
    /// For how many days a removed picture can be brought back.
    pub keep_days: u32,
}

/// What happens to a picture that arrives.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Treatment {
    /// It is listed, and nothing is made of it.
    #[default]
    List,
    /// The files for the slots are made in which its file's bytes are shown today.
    Slots,
    /// A file is made for each size of a named set.
    SizeSet {
        /// The set's name.
        name: String,
    },
}

impl Default for SiteSettings {
    fn default() -> Self {
        Self {
            name: String::new(),
            address: None,
            widths: LayoutWidth::USUAL.to_vec(),
            allowed_hosts: Vec::new(),
            ceiling: 2_560,
            treatment: Treatment::List,
            name_pattern: Pattern::USUAL.to_owned(),
            initials: String::new(),
            keep_days: 90,
        }
    }
}

impl Store {
    /// The site's settings.
    pub async fn site(&self) -> Result<SiteSettings, StoreError> {
        let row = site::Entity::find().one(&self.db).await?;
        row.map(|row| read(row.settings)).transpose().map(Option::unwrap_or_default)
    }

    /// Changes the site's settings; two changes at once follow each other.
    pub async fn change_site(
        &self,
        change: impl FnOnce(&mut SiteSettings) + Send,
    ) -> Result<SiteSettings, StoreError> {
        let transaction = self.db.begin().await?;
        let row = site::Entity::find().lock_exclusive().one(&transaction).await?;
        let row = row.ok_or_else(|| StoreError::Corrupt("the site has no settings".to_owned()))?;
        let mut settings: SiteSettings = read(row.settings.clone())?;
        change(&mut settings);
        let mut active = row.into_active_model();
        active.settings = Set(json(&settings));
        active.update(&transaction).await?;
        transaction.commit().await?;
        Ok(settings)
    }
}

//! Which pictures: by filter or by number.

use brisk_margin_core::issue::IssueKind;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_store::pictures::Filter;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::Problem;
use crate::state::App;

/// Most pictures that one request changes.
pub const MOST_AT_ONCE: u64 = 20_000;

/// Which pictures a list shows: those that meet all of it.
#[derive(Debug, Clone, Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct FilterQuery {
    /// Whose name, title, alt text, caption or creator holds this text.
    search: Option<String>,
    /// With which all of this is worth doing, with commas between, as in `no-alt,not-used`.
    #[serde(alias = "advice")]
    issues: Option<String>,
    /// In this format, by content.
    #[param(inline)]
    format: Option<SourceFormat>,
    /// In this folder or one below it.
    folder: Option<String>,
    /// In this collection.
    collection: Option<Uuid>,
    /// Removed ones instead of those that are there.
    removed: Option<bool>,
}

impl FilterQuery {
    pub(crate) fn filter(self) -> Result<Filter, Problem> {
        let names = self.issues.as_deref().unwrap_or_default().split(',').filter(|n| !n.is_empty());
        let issues = names.map(|name| {
            IssueKind::of_pictures(name)
                .ok_or_else(|| Problem::invalid(format!("there is no filter “{name}”")))
        });
        Ok(Filter {
            search: self.search,
            issues: issues.collect::<Result<_, _>>()?,
            format: self.format,
            folder: self.folder,
            collection: self.collection,
            removed: self.removed.unwrap_or(false),
        })
    }
}

/// Pictures by their numbers, or all that meet a filter.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Which {
    /// These.
    Ids(Vec<Uuid>),
    /// All that meet this.
    Filter(Filter),
}

impl Which {
    pub(crate) async fn ids(self, app: &App) -> Result<Vec<Uuid>, Problem> {
        self.at_most(app, MOST_AT_ONCE).await
    }

    /// The same, of up to `most` pictures.
    pub(crate) async fn at_most(self, app: &App, most: u64) -> Result<Vec<Uuid>, Problem> {
        let ids = match self {
            Self::Ids(ids) => ids,
            Self::Filter(filter) => app.store.picture_ids(&filter, most + 1).await?,
        };
        if ids.len() as u64 > most {
            let detail = format!("these are more than {most} pictures; narrow the filter");
            return Err(Problem::invalid(detail));
        }
        Ok(ids)
    }
}

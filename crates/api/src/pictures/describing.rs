//! Descriptions: written for many pictures at once, taken from their files, and names proposed.

use std::collections::{BTreeMap, HashSet};

use axum::Json;
use axum::extract::State;
use brisk_margin_core::describe::MAX_FIELD;
use brisk_margin_core::name_pattern::{NameParts, Pattern};
use brisk_margin_core::naming;
use brisk_margin_core::place_use::page_alt;
use brisk_margin_store::pictures::{ChangeSet, FieldChange, Picture};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::changes::{ChangeBody, count, make};
use super::which::Which;
use crate::Problem;
use crate::extract;
use crate::state::App;

/// Fields of a picture; what is left out stays as it is.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub(crate) struct Fields {
    /// Its file name.
    pub name: Option<String>,
    /// The folder of the library it lies in; empty for none.
    pub folder: Option<String>,
    /// A few words for people who look for it.
    pub title: Option<String>,
    /// What stands for it where it is not seen.
    pub alt: Option<String>,
    /// Whether it only adorns, so that its alt text is empty on purpose.
    pub decorative: Option<bool>,
    /// A line below it.
    pub caption: Option<String>,
    /// Who made it.
    pub creator: Option<String>,
    /// Under which terms.
    pub licence: Option<String>,
    /// The address where it is from.
    pub source: Option<String>,
    /// Whether anybody who has its address may fetch what was made of it.
    pub is_public: Option<bool>,
}

impl Fields {
    /// The edit that they ask for.
    pub(crate) fn edit(self) -> Result<FieldChange, String> {
        let field = |name: &str, text: Option<String>| match text {
            Some(text) if text.chars().count() > MAX_FIELD => {
                Err(format!("the {name} is longer than {MAX_FIELD} characters"))
            }
            text => Ok(text.map(|text| text.trim().to_owned())),
        };
        let source = field("source", self.source)?;
        let is_link = |text: &str| {
            text.is_empty() || text.starts_with("https://") || text.starts_with("http://")
        };
        if let Some(bad) = source.as_deref().filter(|text| !is_link(text)) {
            return Err(format!("“{bad}” is no address: a source begins with https://"));
        }
        Ok(FieldChange {
            name: self.name.map(|name| naming::tidy(&name)),
            folder: field("folder's path", self.folder)?.map(|folder| naming::tidy_folder(&folder)),
            title: field("title", self.title)?,
            alt: field("alt text", self.alt)?,
            decorative: self.decorative,
            caption: field("caption", self.caption)?,
            creator: field("creator", self.creator)?,
            licence: field("licence", self.licence)?,
            source,
            is_public: self.is_public,
            ..FieldChange::default()
        })
    }
}

/// Fields by picture.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Descriptions {
    /// The fields of each picture.
    pictures: BTreeMap<Uuid, Fields>,
}

/// Describes pictures, each in its own words, as one change that can be taken back.
#[utoipa::path(patch, path = "/pictures", request_body = Descriptions, responses(
    (status = 200, description = "The change; nothing where nothing changed", body = Option<ChangeBody>),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn describe(
    State(app): State<App>,
    extract::Json(wish): extract::Json<Descriptions>,
) -> Result<Json<Option<ChangeBody>>, Problem> {
    let pictures = wish.pictures.into_iter().map(|(id, fields)| Ok((id, fields.edit()?)));
    let pictures: BTreeMap<Uuid, FieldChange> =
        pictures.collect::<Result<_, String>>().map_err(Problem::invalid)?;
    let summary = format!("described {}", count(pictures.len()));
    Ok(Json(make(&app, &summary, &ChangeSet { pictures, ..ChangeSet::default() }).await?))
}

/// The same fields for many pictures.
#[derive(Deserialize, ToSchema)]
pub(crate) struct DescribeAll {
    /// Which.
    which: Which,
    /// What all of them get.
    #[serde(default)]
    set: Fields,
    /// Whether fields that are empty are filled with what the picture's own file tells, and alt
    /// texts with those of the pages that show it.
    #[serde(default)]
    from_file: bool,
}

/// Describes many pictures in the same words, or fills what is empty from their own files
/// and pages.
#[utoipa::path(post, path = "/pictures/describe", request_body = DescribeAll, responses(
    (status = 200, description = "The change; nothing where nothing changed", body = Option<ChangeBody>),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn describe_all(
    State(app): State<App>,
    extract::Json(wish): extract::Json<DescribeAll>,
) -> Result<Json<Option<ChangeBody>>, Problem> {
    let ids = wish.which.ids(&app).await?;
    let set = wish.set.edit().map_err(Problem::invalid)?;
    let mut pictures = BTreeMap::new();
    if wish.from_file {
        let uses = app.store.uses_of(&ids).await?;
        for picture in app.store.pictures_of(&ids).await? {
            let places = uses.get(&picture.id).map(Vec::as_slice).unwrap_or_default();
            pictures.insert(picture.id, fill(&set, &picture, page_alt(places)));
        }
    } else {
        pictures.extend(ids.iter().map(|&id| (id, set.clone())));
    }
    let summary = format!("described {}", count(pictures.len()));
    Ok(Json(make(&app, &summary, &ChangeSet { pictures, ..ChangeSet::default() }).await?))
}

/// `set`, and for what it leaves out and is empty, what the file of `picture` tells, and the alt
/// text that a page has for it.
fn fill(set: &FieldChange, picture: &Picture, page_alt: &str) -> FieldChange {
    let now = &picture.description;
    let told = &picture.embedded;
    let proposal = |wish: &Option<String>, now: &str, told: &str| {
        wish.clone().or_else(|| (now.is_empty() && !told.is_empty()).then(|| told.to_owned()))
    };
    FieldChange {
        title: proposal(&set.title, &now.title, &told.title),
        alt: proposal(&set.alt, &now.alt, page_alt).filter(|_| !now.decorative),
        caption: proposal(&set.caption, &now.caption, &told.caption),
        creator: proposal(&set.creator, &now.creator, &told.creator),
        licence: proposal(&set.licence, &now.licence, &told.licence),
        source: proposal(&set.source, &now.source, &told.source)
            .filter(|source| source.is_empty() || source.starts_with("http")),
        ..set.clone()
    }
}

/// Which pictures to name.
#[derive(Deserialize, ToSchema)]
pub(crate) struct Naming {
    which: Which,
    /// Another pattern than the site's.
    pattern: Option<String>,
}

/// A name for a picture.
#[derive(Serialize, ToSchema)]
pub(crate) struct NameProposal {
    id: Uuid,
    /// What it is called.
    now: String,
    /// What the pattern makes of it.
    proposed: String,
}

/// Proposes file names by the site's pattern: safe, transliterated, and each of them once.
#[utoipa::path(post, path = "/pictures/names", request_body = Naming, responses(
    (status = 200, body = Vec<NameProposal>),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn propose_names(
    State(app): State<App>,
    extract::Json(wish): extract::Json<Naming>,
) -> Result<Json<Vec<NameProposal>>, Problem> {
    let ids = wish.which.ids(&app).await?;
    let site = app.store.site().await?;
    let pattern = wish.pattern.unwrap_or_else(|| site.name_pattern.clone());
    let pattern = Pattern::parse(&pattern).map_err(Problem::invalid)?;
    let mut uses = app.store.uses_of(&ids).await?;
    let mut pictures = app.store.pictures_of(&ids).await?;
    // In the order in which they were given, which is that of a collection.
    let place: BTreeMap<Uuid, usize> = ids.iter().enumerate().map(|(n, &id)| (id, n)).collect();
    pictures.sort_by_key(|picture| place[&picture.id]);
    let mut taken: HashSet<String> = HashSet::new();
    let mut proposals = Vec::with_capacity(pictures.len());
    for (number, picture) in (1..).zip(pictures) {
        let slot = uses.remove(&picture.id).and_then(|used| Some(used.first()?.slot.name.clone()));
        let parts = picture.name_parts(slot.as_deref(), &site.initials);
        let stem = pattern.stem(&NameParts { number, ..parts });
        let extension = extension(&picture);
        let proposed = naming::unique(&stem, extension, |name| taken.contains(name));
        taken.insert(proposed.clone());
        proposals.push(NameProposal { id: picture.id, now: picture.name, proposed });
    }
    let others = app.store.names_taken(taken.iter().cloned().collect(), &ids).await?;
    for proposal in proposals.iter_mut().filter(|p| others.contains(&p.proposed)) {
        let (stem, extension) =
            proposal.proposed.rsplit_once('.').unwrap_or((&proposal.proposed, ""));
        let free = |name: &str| others.contains(name) || taken.contains(name);
        let unique = naming::unique(stem, extension, free);
        taken.insert(unique.clone());
        proposal.proposed = unique;
    }
    Ok(Json(proposals))
}

fn extension(picture: &Picture) -> &'static str {
    match picture.facts.format.name() {
        "jpeg" => "jpg",
        "tiff" => "tif",
        name => name,
    }
}

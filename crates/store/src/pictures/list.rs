//! The library as a list: filtered, sorted by any column, and paged by key.

use std::collections::{HashMap, HashSet};
use std::fmt::Write;

use brisk_margin_core::issue::{Issue, IssueKind};
use brisk_margin_core::source_format::SourceFormat;
use sea_orm::{EntityTrait, FromQueryResult, Statement, Value};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::Picture;
use crate::entities::picture::{Entity, Model};
use crate::{Store, StoreError};

/// Which pictures a list shows: those that meet all of it.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Filter {
    /// Whose name, title, alt text, caption or creator holds this text.
    pub search: Option<String>,
    /// With which all of this is worth doing.
    #[serde(alias = "advice")]
    pub issues: Vec<IssueKind>,
    /// In this format.
    pub format: Option<SourceFormat>,
    /// In this folder or one below it.
    pub folder: Option<String>,
    /// In this collection.
    pub collection: Option<Uuid>,
    /// Removed ones instead of those that are there.
    pub removed: bool,
}

/// The order of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Sort {
    /// By arrival.
    #[default]
    Arrival,
    /// By name.
    Name,
    /// By the original's weight.
    Bytes,
    /// By pixels.
    Pixels,
    /// By format.
    Format,
    /// By how many places show it.
    Uses,
    /// By how serious its most serious state is.
    State,
    /// By what could be saved.
    Saving,
    /// By alt text; pictures without one stand together.
    Alt,
    /// By creator; pictures without one stand together.
    Creator,
    /// By the place in the filter's collection.
    Collection,
}

/// What shows pictures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ShownBy {
    /// A page.
    Page(Uuid),
    /// A slot.
    Slot(Uuid),
}

/// Where a list goes on: after the row with this key and number.
#[derive(Debug, Clone, PartialEq)]
pub struct After {
    /// The number of that row.
    pub id: Uuid,
    /// What the list was sorted by in it.
    pub key: String,
}

/// Which part of the library a list shows.
#[derive(Debug, Clone, Default)]
pub struct ListPage {
    /// Only these.
    pub filter: Filter,
    /// In which order.
    pub sort: Sort,
    /// Whether the largest, or the last of the alphabet, comes first.
    pub descending: bool,
    /// Only what comes after this.
    pub after: Option<After>,
    /// At most so many.
    pub limit: u64,
}

impl Sort {
    /// Whether it begins with what there is most of; names begin at A.
    pub const fn begins_with_most(self) -> bool {
        !matches!(self, Self::Name | Self::Format | Self::Alt | Self::Creator | Self::Collection)
    }

    /// What it sorts by; the same words as in the index for it.
    const fn key(self) -> &'static str {
        match self {
            Self::Arrival => "id",
            Self::Name => "lower(name)",
            Self::Bytes => "bytes",
            Self::Pixels => "pixels",
            Self::Format => "format",
            Self::Uses => "uses",
            Self::State => "severity",
            Self::Saving => "saving",
            Self::Alt => "lower(alt)",
            Self::Creator => "lower(creator)",
            Self::Collection => "place",
        }
    }

    /// Its type in the database.
    const fn kind(self) -> &'static str {
        match self {
            Self::Arrival => "uuid",
            Self::Name | Self::Format | Self::Alt | Self::Creator => "text",
            Self::Bytes | Self::Pixels | Self::Saving => "bigint",
            Self::Uses | Self::Collection => "integer",
            Self::State => "smallint",
        }
    }

    fn key_of(self, picture: &Picture, place: Option<i32>) -> String {
        match self {
            Self::Arrival => picture.id.to_string(),
            Self::Name => picture.name.to_lowercase(),
            Self::Bytes => picture.bytes.get().to_string(),
            Self::Pixels => picture.facts.size.pixels().to_string(),
            Self::Format => picture.facts.format.name().to_owned(),
            Self::Uses => picture.uses.to_string(),
            Self::State => severity(&picture.issues).to_string(),
            Self::Saving => {
                let about = picture.possible.map_or(picture.today, |possible| possible.about);
                picture.today.get().saturating_sub(about.get()).to_string()
            }
            Self::Alt => picture.description.alt.to_lowercase(),
            Self::Creator => picture.description.creator.to_lowercase(),
            Self::Collection => place.unwrap_or_default().to_string(),
        }
    }
}

/// The most serious of `issues`, as a number: 0 for none.
pub(super) fn severity(issues: &[Issue]) -> i16 {
    let kinds = IssueKind::OF_PICTURES;
    let rank = |issue: &Issue| kinds.iter().position(|&kind| kind == issue.kind());
    let worst = issues.iter().filter_map(rank).min();
    worst.map_or(0, |rank| (kinds.len() - rank) as i16)
}

/// A condition with its values.
pub(crate) struct Conditions {
    pub(crate) text: String,
    pub(crate) values: Vec<Value>,
}

impl Conditions {
    /// The conditions of `filter` on the table `pictures`.
    pub(crate) fn of(filter: &Filter) -> Self {
        let removed = if filter.removed { "NOT NULL" } else { "NULL" };
        let mut all = Self { text: format!("removed_at IS {removed}"), values: Vec::new() };
        if let Some(search) = filter.search.as_deref().map(str::trim).filter(|t| !t.is_empty()) {
            let escaped =
                search.to_lowercase().replace('\\', r"\\").replace('%', r"\%").replace('_', r"\_");
            all.add("words LIKE {}", format!("%{escaped}%"));
        }
        if !filter.issues.is_empty() {
            let names: Vec<String> = filter.issues.iter().map(|a| a.name().to_owned()).collect();
            all.add("issues @> {}::text[]", names);
        }
        if let Some(format) = filter.format {
            all.add("format = {}", format.name().to_owned());
        }
        if let Some(folder) = filter.folder.as_deref().filter(|folder| !folder.is_empty()) {
            all.add("(folder = {} OR starts_with(folder, {} || '/'))", folder.to_owned());
        }
        if let Some(collection) = filter.collection {
            all.add(
                "id IN (SELECT picture_id FROM collected WHERE collection_id = {})",
                collection,
            );
        }
        all
    }

    /// Adds a condition in which `{}` stands for `value`.
    pub(crate) fn add(&mut self, condition: &str, value: impl Into<Value>) {
        self.values.push(value.into());
        let number = format!("${}", self.values.len());
        let _ = write!(self.text, " AND {}", condition.replace("{}", &number));
    }
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

#[derive(FromQueryResult)]
struct Placed {
    picture_id: Uuid,
    place: i32,
}

#[derive(FromQueryResult)]
struct Count {
    count: i64,
}

#[derive(FromQueryResult)]
struct TextCount {
    text: String,
    count: i64,
}

impl Store {
    /// Part of the library in the order of `page`, and where it goes on. Paged by key, so that no
    /// row is skipped or repeated when pictures arrive meanwhile.
    pub async fn pictures(
        &self,
        page: &ListPage,
    ) -> Result<(Vec<Picture>, Option<After>), StoreError> {
        let statement = self.listing(page);
        let rows: Vec<Model> = Entity::find().from_raw_sql(statement).all(&self.db).await?;
        let more = rows.len() as u64 > page.limit;
        let mut pictures =
            rows.into_iter().map(Picture::try_from).collect::<Result<Vec<_>, _>>()?;
        pictures.truncate(page.limit as usize);
        let last = pictures.last().filter(|_| more);
        let next = match last {
            Some(last) => {
                let place = self.place_of(page, last.id).await?;
                Some(After { id: last.id, key: page.sort.key_of(last, place) })
            }
            None => None,
        };
        Ok((pictures, next))
    }

    async fn place_of(&self, page: &ListPage, id: Uuid) -> Result<Option<i32>, StoreError> {
        let (Sort::Collection, Some(collection)) = (page.sort, page.filter.collection) else {
            return Ok(None);
        };
        let sql =
            "SELECT picture_id, place FROM collected WHERE collection_id = $1 AND picture_id = $2";
        let statement = self.statement(sql, [collection.into(), id.into()]);
        Ok(Placed::find_by_statement(statement).one(&self.db).await?.map(|row| {
            debug_assert_eq!(row.picture_id, id);
            row.place
        }))
    }

    /// The query behind [`Store::pictures`], one row longer than the page.
    pub fn listing(&self, page: &ListPage) -> Statement {
        let mut conditions = Conditions::of(&page.filter);
        let (order, than) = if page.descending { ("DESC", "<") } else { ("ASC", ">") };
        // A collection's order is that of its rows; without one there is none to sort by.
        let sort = match (page.sort, page.filter.collection) {
            (Sort::Collection, None) => Sort::Arrival,
            (sort, _) => sort,
        };
        let key = sort.key();
        let joined = match (sort, page.filter.collection) {
            (Sort::Collection, Some(collection)) => {
                conditions.values.push(collection.into());
                let number = conditions.values.len();
                format!("JOIN collected ON picture_id = id AND collection_id = ${number}")
            }
            _ => String::new(),
        };
        if let Some(after) = &page.after {
            conditions.values.extend([after.key.clone().into(), after.id.into()]);
            let last = conditions.values.len();
            let kind = sort.kind();
            let _ = write!(
                conditions.text,
                " AND ({key}, id) {than} (${}::text::{kind}, ${last})",
                last - 1
            );
        }
        let sql = format!(
            "SELECT pictures.* FROM pictures {joined} WHERE {} ORDER BY {key} {order}, id {order} LIMIT {}",
            conditions.text,
            page.limit + 1
        );
        self.statement(&sql, conditions.values)
    }

    /// The numbers of all pictures that meet `filter`, at most `limit`.
    pub async fn picture_ids(&self, filter: &Filter, limit: u64) -> Result<Vec<Uuid>, StoreError> {
        let Conditions { text, values } = Conditions::of(filter);
        let sql = format!("SELECT id FROM pictures WHERE {text} ORDER BY id LIMIT {limit}");
        let rows = Id::find_by_statement(self.statement(&sql, values)).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| row.id).collect())
    }

    /// The pictures that the places of a page or of a slot show: placed there, or served where nothing
    /// else is placed.
    pub async fn pictures_shown(&self, shown: ShownBy) -> Result<Vec<Uuid>, StoreError> {
        let (column, id) = match shown {
            ShownBy::Page(id) => ("page_id", id),
            ShownBy::Slot(id) => ("slot_id", id),
        };
        let sql = format!(
            "SELECT p.id FROM places o JOIN pictures p ON p.id = o.picture_id
             WHERE o.{column} = $1 AND p.removed_at IS NULL
             UNION
             SELECT p.id FROM places o, jsonb_array_elements_text(o.served) AS s (hash)
             JOIN pictures p ON p.hash = s.hash AND NOT p.is_copy
             WHERE o.{column} = $1 AND o.picture_id IS NULL AND p.removed_at IS NULL
             ORDER BY id"
        );
        let rows = Id::find_by_statement(self.statement(&sql, [id.into()])).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| row.id).collect())
    }

    /// How many pictures meet `filter`.
    pub async fn count_pictures(&self, filter: &Filter) -> Result<u64, StoreError> {
        let Conditions { text, values } = Conditions::of(filter);
        let sql = format!("SELECT count(*) AS count FROM pictures WHERE {text}");
        let row = Count::find_by_statement(self.statement(&sql, values)).one(&self.db).await?;
        Ok(row.map_or(0, |row| row.count.unsigned_abs()))
    }

    /// How many pictures each issue is given for, the most serious first.
    pub async fn issue_counts(&self) -> Result<Vec<(IssueKind, u64)>, StoreError> {
        let sql = "SELECT unnest(issues) AS text, count(*) AS count FROM pictures
                   WHERE removed_at IS NULL GROUP BY 1";
        let rows = TextCount::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        let counts: HashMap<String, i64> =
            rows.into_iter().map(|row| (row.text, row.count)).collect();
        let count =
            |issues: IssueKind| counts.get(issues.name()).map_or(0, |count| count.unsigned_abs());
        Ok(IssueKind::OF_PICTURES.into_iter().map(|issues| (issues, count(issues))).collect())
    }

    /// How many pictures have each of `alts` as alt text, in lower case.
    pub async fn alt_counts(&self, alts: Vec<String>) -> Result<HashMap<String, u64>, StoreError> {
        // One look into the index for each: the planner takes them together for half the table.
        let sql = "SELECT DISTINCT a AS text, (
                       SELECT count(*) FROM pictures WHERE removed_at IS NULL AND lower(alt) = a
                   ) AS count
                   FROM unnest($1::text[]) AS a";
        let statement = self.statement(sql, [alts.into()]);
        let rows = TextCount::find_by_statement(statement).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| (row.text, row.count.unsigned_abs())).collect())
    }

    /// Those of `names` that other pictures than `but` have.
    pub async fn names_taken(
        &self,
        names: Vec<String>,
        but: &[Uuid],
    ) -> Result<HashSet<String>, StoreError> {
        let sql = "SELECT lower(name) AS text, count(*) AS count FROM pictures
                   WHERE lower(name) = ANY ($1) AND removed_at IS NULL AND id <> ALL ($2)
                   GROUP BY lower(name)";
        let statement = self.statement(sql, [names.into(), but.to_vec().into()]);
        let rows = TextCount::find_by_statement(statement).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| row.text).collect())
    }

    /// The pictures whose originals have one of `hashes`, or that are called one of `names`.
    pub async fn pictures_called(
        &self,
        hashes: Vec<String>,
        names: Vec<String>,
    ) -> Result<Vec<Picture>, StoreError> {
        let lower = names.iter().map(|name| name.to_lowercase()).collect::<Vec<_>>();
        let sql = "SELECT * FROM pictures WHERE removed_at IS NULL
                   AND (hash = ANY ($1) AND NOT is_copy OR lower(name) = ANY ($2) AND name = ANY ($3))";
        let statement = self.statement(sql, [hashes.into(), lower.into(), names.into()]);
        let rows: Vec<Model> = Entity::find().from_raw_sql(statement).all(&self.db).await?;
        rows.into_iter().map(Picture::try_from).collect()
    }

    /// Every folder that holds pictures, and how many lie right in it.
    pub async fn folders(&self) -> Result<Vec<(String, u64)>, StoreError> {
        let sql = "SELECT folder AS text, count(*) AS count FROM pictures \
                   WHERE removed_at IS NULL AND folder <> '' GROUP BY folder ORDER BY folder";
        let rows = TextCount::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| (row.text, row.count.unsigned_abs())).collect())
    }

    pub(crate) fn statement(
        &self,
        sql: &str,
        values: impl IntoIterator<Item = Value>,
    ) -> Statement {
        Statement::from_sql_and_values(self.db.get_database_backend(), sql, values)
    }
}

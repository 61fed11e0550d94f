//! What pages transfer at each layout width, what they weighed before, their budgets, and how often they are looked at.

use std::collections::{BTreeMap, HashMap};

use brisk_margin_core::content::{ContentClass, WeightSample};
use brisk_margin_core::load::growth::{Growth, growth};
use brisk_margin_core::load::history::WeightChange;
use brisk_margin_core::load::margin::PageBudgets;
use brisk_margin_core::load::{PageRequests, PageWeight};
use brisk_margin_core::seen::Seen;
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult};
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::saving;
use crate::{Store, StoreError};

/// So many requests are noted that a page became heavier by.
const MOST_GROWN: usize = 5;

/// What a page weighed at a time.
#[derive(Debug, Clone, PartialEq)]
pub struct PastWeight {
    /// What it transferred.
    pub weight: PageWeight,
    /// The requests that brought more than before, those that grew most first; none of the first weight.
    pub grown: Vec<Growth>,
    /// Since when.
    pub measured_at: DateTime<Utc>,
}

/// A page that weighs more than before.
#[derive(Debug, Clone, PartialEq)]
pub struct HeavierPage {
    /// The page.
    pub page: Uuid,
    /// What it weighed before anybody scrolled.
    pub before: Bytes,
    /// What it weighs.
    pub now: PastWeight,
}

/// A picture whose original a page serves.
#[derive(Debug, Clone, PartialEq)]
pub struct ServedPicture {
    /// The picture.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What kind it is and how heavy to encode, once it was looked at.
    pub analysis: Option<(ContentClass, WeightSample)>,
}

#[derive(FromQueryResult)]
struct LoadRow {
    page_id: Uuid,
    requests: serde_json::Value,
}

#[derive(FromQueryResult)]
struct BudgetRow {
    page_id: Uuid,
    budgets: serde_json::Value,
}

#[derive(FromQueryResult)]
struct ViewsRow {
    page_id: Uuid,
    per_month: i64,
}

#[derive(FromQueryResult)]
struct WeightRow {
    weight: serde_json::Value,
    grown: serde_json::Value,
    measured_at: DateTime<Utc>,
}

impl WeightRow {
    fn past(self) -> Result<PastWeight, StoreError> {
        let Self { weight, grown, measured_at } = self;
        Ok(PastWeight { weight: read(weight)?, grown: read(grown)?, measured_at })
    }
}

#[derive(FromQueryResult)]
struct HeavierRow {
    page_id: Uuid,
    before: i64,
    weight: serde_json::Value,
    grown: serde_json::Value,
    measured_at: DateTime<Utc>,
}

#[derive(FromQueryResult)]
struct ChangeRow {
    page_id: Uuid,
    total: i64,
    pictures: i64,
    measured_at: DateTime<Utc>,
}

#[derive(FromQueryResult)]
struct KnownRow {
    viewport: i32,
    requests: serde_json::Value,
}

#[derive(FromQueryResult)]
struct ServedRow {
    id: Uuid,
    name: String,
    hash: String,
    class: Option<String>,
    sample: Option<serde_json::Value>,
}

#[derive(FromQueryResult)]
struct Width {
    viewport: i32,
}

/// Keeps what page `id` transfers, and notes where it weighs other than before, and what grew. Returns whether it weighs
/// more anywhere.
pub(crate) async fn keep_loads(
    store: &Store,
    transaction: &DatabaseTransaction,
    id: Uuid,
    loads: &BTreeMap<u32, PageRequests>,
) -> Result<bool, StoreError> {
    let widths: Vec<i32> = loads.keys().map(|&width| width as i32).collect();
    let known = "SELECT viewport, requests FROM page_loads WHERE page_id = $1";
    let known = KnownRow::find_by_statement(store.statement(known, [id.into()]));
    let mut before: BTreeMap<u32, PageRequests> = BTreeMap::new();
    for KnownRow { viewport, requests } in known.all(transaction).await? {
        before.insert(viewport.unsigned_abs(), read(requests)?);
    }
    let gone = "DELETE FROM page_loads WHERE page_id = $1 AND viewport <> ALL ($2)";
    transaction.execute_raw(store.statement(gone, [id.into(), widths.into()])).await?;
    let rows = loads.iter().map(|(width, requests)| {
        let weight = PageWeight::of(requests);
        let grown = before.get(width).map(|before| growth(before, requests, MOST_GROWN));
        serde_json::json!({
            "viewport": width, "requests": requests, "weight": weight,
            "grown": grown.unwrap_or_default(),
        })
    });
    let rows = serde_json::Value::from_iter(rows);
    let keep = "INSERT INTO page_loads (page_id, viewport, requests)
        SELECT $1, j.viewport, j.requests
        FROM jsonb_to_recordset($2) AS j (viewport integer, requests jsonb)
        ON CONFLICT (page_id, viewport) DO UPDATE SET requests = excluded.requests";
    transaction.execute_raw(store.statement(keep, [id.into(), rows.clone().into()])).await?;
    let note = "INSERT INTO page_weights (page_id, viewport, weight, grown)
        SELECT $1, j.viewport, j.weight, j.grown
        FROM jsonb_to_recordset($2) AS j (viewport integer, weight jsonb, grown jsonb)
        WHERE j.weight IS DISTINCT FROM (
            SELECT weight FROM page_weights w
            WHERE w.page_id = $1 AND w.viewport = j.viewport ORDER BY w.id DESC LIMIT 1
        )";
    transaction.execute_raw(store.statement(note, [id.into(), rows.into()])).await?;
    let total = |requests: &PageRequests| PageWeight::of(requests).total;
    let mut both = before.iter().filter_map(|(width, before)| Some((before, loads.get(width)?)));
    Ok(both.any(|(before, now)| total(now) > total(before)))
}

impl Store {
    /// The layout widths at which it is known what pages transfer, the narrowest first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn load_widths(&self) -> Result<Vec<u32>, StoreError> {
        let sql = "SELECT DISTINCT viewport FROM page_loads ORDER BY viewport";
        let rows = Width::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| row.viewport.unsigned_abs()).collect())
    }

    /// What each page transfers at a layout width, as far as that was measured.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_loads(&self, width: u32) -> Result<HashMap<Uuid, PageRequests>, StoreError> {
        let sql = "SELECT page_id, requests FROM page_loads WHERE viewport = $1";
        let statement = self.statement(sql, [(width as i32).into()]);
        let rows = LoadRow::find_by_statement(statement).all(&self.db).await?;
        rows.into_iter().map(|row| Ok((row.page_id, read(row.requests)?))).collect()
    }

    /// What page `id` transfers at a layout width; nothing where that was not measured.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_load(
        &self,
        id: Uuid,
        width: u32,
    ) -> Result<Option<PageRequests>, StoreError> {
        let sql = "SELECT page_id, requests FROM page_loads WHERE page_id = $1 AND viewport = $2";
        let statement = self.statement(sql, [id.into(), (width as i32).into()]);
        let row = LoadRow::find_by_statement(statement).one(&self.db).await?;
        row.map(|row| read(row.requests)).transpose()
    }

    /// What page `id` weighed at a layout width, the newest first: the last `most` weights that differed from the one
    /// before.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn past_weights(
        &self,
        id: Uuid,
        width: u32,
        most: u64,
    ) -> Result<Vec<PastWeight>, StoreError> {
        let sql = format!(
            "SELECT weight, grown, measured_at FROM page_weights WHERE page_id = $1 AND viewport = $2
             ORDER BY id DESC LIMIT {most}"
        );
        let statement = self.statement(&sql, [id.into(), (width as i32).into()]);
        let rows = WeightRow::find_by_statement(statement).all(&self.db).await?;
        rows.into_iter().map(WeightRow::past).collect()
    }

    /// Pages whose weight at a layout width rose when it changed last, after `since`: up to `most`, those that rose
    /// most first.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn heavier_pages(
        &self,
        width: u32,
        since: DateTime<Utc>,
        most: u64,
    ) -> Result<Vec<HeavierPage>, StoreError> {
        let sql = format!(
            "SELECT page_id, before, weight, grown, measured_at FROM (
                SELECT page_id, weight, grown, measured_at,
                    (weight ->> 'total')::bigint AS total,
                    ((lag(weight) OVER times) ->> 'total')::bigint AS before,
                    row_number() OVER (PARTITION BY page_id ORDER BY id DESC) AS nth
                FROM page_weights WHERE viewport = $1
                WINDOW times AS (PARTITION BY page_id ORDER BY id)
             ) past
             WHERE nth = 1 AND total > before AND measured_at > $2
             ORDER BY total - before DESC LIMIT {most}"
        );
        let statement = self.statement(&sql, [(width as i32).into(), since.into()]);
        let rows = HeavierRow::find_by_statement(statement).all(&self.db).await?;
        let heavier = |row: HeavierRow| {
            let HeavierRow { page_id, before, weight, grown, measured_at } = row;
            let now = WeightRow { weight, grown, measured_at }.past()?;
            Ok(HeavierPage { page: page_id, before: Bytes(before.unsigned_abs()), now })
        };
        rows.into_iter().map(heavier).collect()
    }

    /// What the pages that there are weighed at a layout width, each time that it changed, in the order of time.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn weight_changes(&self, width: u32) -> Result<Vec<WeightChange>, StoreError> {
        let sql = "SELECT page_id, (weight ->> 'total')::bigint AS total,
                (weight ->> 'picture')::bigint AS pictures, measured_at
             FROM page_weights WHERE viewport = $1 ORDER BY measured_at, id";
        let statement = self.statement(sql, [(width as i32).into()]);
        let rows = ChangeRow::find_by_statement(statement).all(&self.db).await?;
        let change = |row: ChangeRow| WeightChange {
            page: row.page_id,
            total: Bytes(row.total.unsigned_abs()),
            pictures: Bytes(row.pictures.unsigned_abs()),
            at: row.measured_at,
        };
        Ok(rows.into_iter().map(change).collect())
    }

    /// What was said of the budgets of pages.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_budgets(&self) -> Result<HashMap<Uuid, PageBudgets>, StoreError> {
        let sql = "SELECT page_id, budgets FROM page_budgets";
        let rows = BudgetRow::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        rows.into_iter().map(|row| Ok((row.page_id, read(row.budgets)?))).collect()
    }

    /// Says what page `id` may weigh and take, in the place of what was `seen`; false where there is no such page.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where something else is said of it by now.
    pub async fn say_page_budgets(
        &self,
        id: Uuid,
        budgets: PageBudgets,
        seen: &Seen<PageBudgets>,
    ) -> Result<bool, StoreError> {
        let turn = self.turn_to_save(&format!("budgets {id}")).await?;
        let sql = "SELECT page_id, budgets FROM page_budgets WHERE page_id = $1";
        let now = BudgetRow::find_by_statement(self.statement(sql, [id.into()]));
        let now =
            now.one(&turn).await?.map(|row| read(row.budgets)).transpose()?.unwrap_or_default();
        saving::check(seen, Some(&now))?;
        let sql = "INSERT INTO page_budgets (page_id, budgets)
            SELECT id, $2 FROM pages WHERE id = $1
            ON CONFLICT (page_id) DO UPDATE SET budgets = excluded.budgets";
        let statement = self.statement(sql, [id.into(), json(&budgets).into()]);
        let said = turn.execute_raw(statement).await?.rows_affected();
        turn.commit().await?;
        Ok(said > 0)
    }

    /// How often pages are looked at in a month, where that was said.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page_views(&self) -> Result<HashMap<Uuid, u64>, StoreError> {
        let sql = "SELECT page_id, per_month FROM page_views";
        let rows = ViewsRow::find_by_statement(self.statement(sql, [])).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| (row.page_id, row.per_month.unsigned_abs())).collect())
    }

    /// Says how often pages are looked at in a month; others stay as they were. Returns how many of them there are.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn say_page_views(&self, views: &[(Uuid, u64)]) -> Result<u64, StoreError> {
        let pages: Vec<Uuid> = views.iter().map(|(page, _)| *page).collect();
        let counts: Vec<i64> = views.iter().map(|(_, views)| *views as i64).collect();
        let sql = "INSERT INTO page_views (page_id, per_month)
            SELECT p.id, s.views FROM unnest($1::uuid[], $2::bigint[]) AS s (page, views)
            JOIN pages p ON p.id = s.page
            ON CONFLICT (page_id) DO UPDATE SET per_month = excluded.per_month";
        let statement = self.statement(sql, [pages.into(), counts.into()]);
        Ok(self.db.execute_raw(statement).await?.rows_affected())
    }

    /// Takes back what was said of how often page `id` is looked at; false where there is no such page.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn forget_page_views(&self, id: Uuid) -> Result<bool, StoreError> {
        let sql = "DELETE FROM page_views WHERE page_id = $1";
        self.db.execute_raw(self.statement(sql, [id.into()])).await?;
        Ok(self.page(id).await?.is_some())
    }

    /// The pictures whose originals have these hashes.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn served_pictures(
        &self,
        hashes: Vec<String>,
    ) -> Result<HashMap<String, ServedPicture>, StoreError> {
        let sql = "SELECT id, name, hash, class, sample FROM pictures
            WHERE hash = ANY ($1) AND NOT is_copy AND removed_at IS NULL";
        let statement = self.statement(sql, [hashes.into()]);
        let rows = ServedRow::find_by_statement(statement).all(&self.db).await?;
        let served = |row: ServedRow| {
            let class = row.class.as_deref().and_then(ContentClass::named);
            let analysis = match (class, row.sample) {
                (Some(class), Some(sample)) => Some((class, read(sample)?)),
                _ => None,
            };
            Ok((row.hash, ServedPicture { id: row.id, name: row.name, analysis }))
        };
        rows.into_iter().map(served).collect()
    }
}

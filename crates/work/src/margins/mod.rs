//! Margins: what the pages of a site weigh and how long they take on a connection, today and as they could be.

pub mod history;
pub mod overruns;
pub mod shares;
mod shown;

use std::collections::HashMap;

use brisk_margin_core::load::margin::{PageBudgets, PageLoad, PageMargins, SlotFiles};
use brisk_margin_core::load::{Connection, PageRequests, Protocol};
use brisk_margin_core::slot::Slot;
use brisk_margin_store::layouts::{Page, PlaceFilter};
use brisk_margin_store::page_loads::{HeavierPage, PastWeight};
use brisk_margin_store::{Store, StoreError};
use chrono::{TimeDelta, Utc};
use url::{Host, Url};
use uuid::Uuid;

use shares::Shares;
pub use shown::Gain;
use shown::{by_page, gains, shown};

/// Pages that became heavier that are told.
const MOST_HEAVIER: u64 = 10;
/// For so long a page counts as one that became heavier.
const RECENT: TimeDelta = TimeDelta::days(30);
/// Weights of a page before that are told.
const MOST_PAST: u64 = 20;

/// From where a page is looked at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View {
    /// The layout width, in CSS px.
    pub width: u32,
    /// What lies between browser and hosts.
    pub connection: Connection,
}

/// The pages of a site with their margins.
pub struct SiteMargins {
    /// Each page of which it is known what it transfers, by address.
    pub pages: Vec<(Page, PageMargins)>,
    /// How many pages were measured before that was told.
    pub unknown: usize,
    /// The places with most to gain, those first.
    pub gains: Vec<Gain>,
    /// Pages that became heavier lately, those by most first.
    pub heavier: Vec<HeavierPage>,
    /// What their pictures weigh, by slot and by format.
    pub shares: Shares,
    /// How often pages are looked at in a month, where that was said.
    pub views: HashMap<Uuid, u64>,
    /// What pages may weigh and take where nothing else is said of one.
    pub budgets: PageBudgets,
}

/// How a page comes, today and as it could.
pub struct PageComing {
    /// The page.
    pub page: Page,
    /// What was said of its budgets.
    pub budgets: PageBudgets,
    /// How often it is looked at in a month, where that was said.
    pub views: Option<u64>,
    /// Its margins.
    pub margins: PageMargins,
    /// As it is.
    pub today: PageLoad,
    /// About as it could be.
    pub possible: PageLoad,
    /// What it weighed before, the newest first; the first is what it weighs now.
    pub history: Vec<PastWeight>,
}

/// The margins of all pages from `view`.
///
/// # Errors
/// Those of the database.
pub async fn of_site(store: &Store, view: View) -> Result<SiteMargins, StoreError> {
    let everywhere = PlaceFilter::default();
    let (site, pages, loads, budgets, views, heavier, slots, places) = tokio::try_join!(
        store.site(),
        store.pages(),
        store.page_loads(view.width),
        store.page_budgets(),
        store.page_views(),
        store.heavier_pages(view.width, Utc::now() - RECENT, MOST_HEAVIER),
        store.slots(),
        store.places(&everywhere),
    )?;
    let slots: HashMap<Uuid, Slot> = slots.into_iter().map(|slot| (slot.id, slot)).collect();
    let shown = shown(store, &slots, &places, view.width).await?;
    // Hundreds of simulations are work for a thread of their own.
    let worked_out = tokio::task::spawn_blocking(move || {
        let files = by_page(&shown);
        let mut loads = loads;
        let shares = Shares::of(&shown, &slots);
        let gains = gains(shown, &slots);
        let mut found = SiteMargins {
            pages: Vec::new(),
            unknown: 0,
            gains,
            heavier,
            shares,
            views,
            budgets: site.page_budgets,
        };
        let none = SlotFiles::new();
        for page in pages {
            let Some(requests) = loads.remove(&page.id).filter(|requests| !requests.0.is_empty())
            else {
                found.unknown += 1;
                continue;
            };
            let files = files.get(&page.id).unwrap_or(&none);
            let budgets = budgets.get(&page.id).copied().unwrap_or_default().or(site.page_budgets);
            let today = PageLoad::of(as_served(&page, requests), view.connection);
            let possible = today.as_possible(files, view.connection);
            found.pages.push((page, PageMargins::of(&today, &possible, files, budgets)));
        }
        found
    });
    worked_out.await.map_err(|error| StoreError::Corrupt(error.to_string()))
}

/// How page `id` comes from `view`; nothing where there is none, or what it transfers is not known.
///
/// # Errors
/// Those of the database.
pub async fn of_page(
    store: &Store,
    id: Uuid,
    view: View,
) -> Result<Option<PageComing>, StoreError> {
    let which = PlaceFilter { page: Some(id), ..PlaceFilter::default() };
    let (site, page, requests, budgets, views, history, slots, places) = tokio::try_join!(
        store.site(),
        store.page(id),
        store.page_load(id, view.width),
        store.page_budgets(),
        store.page_views(),
        store.past_weights(id, view.width, MOST_PAST),
        store.slots(),
        store.places(&which),
    )?;
    let (Some(page), Some(requests)) = (page, requests) else { return Ok(None) };
    let slots: HashMap<Uuid, Slot> = slots.into_iter().map(|slot| (slot.id, slot)).collect();
    let shown = shown(store, &slots, &places, view.width).await?;
    let files = by_page(&shown).remove(&id).unwrap_or_default();
    let budgets = budgets.get(&id).copied().unwrap_or_default();
    let views = views.get(&id).copied();
    // A page may have thousands of requests.
    let worked_out = tokio::task::spawn_blocking(move || {
        let today = PageLoad::of(as_served(&page, requests), view.connection);
        let possible = today.as_possible(&files, view.connection);
        let margins = PageMargins::of(&today, &possible, &files, budgets.or(site.page_budgets));
        PageComing { page, budgets, views, margins, today, possible, history }
    });
    Ok(Some(worked_out.await.map_err(|error| StoreError::Corrupt(error.to_string()))?))
}

/// What a page transfers as its visitors get it: where it was looked at on this machine, by HTTP/2 over TLS.
fn as_served(page: &Page, requests: PageRequests) -> PageRequests {
    if is_here(&page.address) { requests.over(Protocol::Http2) } else { requests }
}

/// Whether an address is of this machine, or of files.
fn is_here(address: &str) -> bool {
    match Url::parse(address).ok().as_ref().and_then(Url::host) {
        Some(Host::Domain(name)) => name == "localhost",
        Some(Host::Ipv4(ip)) => ip.is_loopback(),
        Some(Host::Ipv6(ip)) => ip.is_loopback(),
        None => true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_looked_at_here_is_served_elsewhere() {
        for here in
            ["http://127.0.0.1:8000/", "http://localhost/a", "http://[::1]/", "folder:/index.html"]
        {
            assert!(is_here(here), "{here}");
        }
        assert!(!is_here("https://tarn.example/") && !is_here("http://10.0.0.4/"));
    }
}

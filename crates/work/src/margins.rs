//! Margins: what the pages of a site weigh and how long they take on a connection, today and as they could be.

use std::collections::{BTreeSet, HashMap};

use brisk_margin_core::budget::Saving;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::load::margin::{PageBudgets, PageLoad, PageMargins, SlotFile, SlotFiles};
use brisk_margin_core::load::{Connection, PageRequests, PictureFile, Protocol};
use brisk_margin_core::place::{Place, ServedFile};
use brisk_margin_core::showing::Showing;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::layouts::{Page, PlaceFilter};
use brisk_margin_store::page_loads::{PastWeight, ServedPicture};
use brisk_margin_store::{Store, StoreError};
use url::{Host, Url};
use uuid::Uuid;

/// The places with most to gain that are told.
const MOST_GAINS: usize = 10;
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
}

/// A place and what it could save.
pub struct Gain {
    /// The place.
    pub place: Uuid,
    /// Its page.
    pub page: Uuid,
    /// Its slot.
    pub slot: Slot,
    /// The picture that it shows.
    pub picture: Uuid,
    /// That picture's name.
    pub picture_name: String,
    /// What its file weighs, and about what it could weigh.
    pub saving: Saving,
}

/// How a page comes, today and as it could.
pub struct PageComing {
    /// The page.
    pub page: Page,
    /// What was said of its budgets.
    pub budgets: PageBudgets,
    /// Its margins.
    pub margins: PageMargins,
    /// As it is.
    pub today: PageLoad,
    /// About as it could be.
    pub possible: PageLoad,
    /// What it weighed before, the newest first; the first is what it weighs now.
    pub history: Vec<PastWeight>,
}

/// A file in a place of a page.
struct Shown {
    place: Uuid,
    page: Uuid,
    slot: Uuid,
    address: String,
    bytes: Bytes,
    picture: Option<ServedPicture>,
    file: SlotFile,
}

/// The margins of all pages from `view`.
///
/// # Errors
/// Those of the database.
pub async fn of_site(store: &Store, view: View) -> Result<SiteMargins, StoreError> {
    let everywhere = PlaceFilter::default();
    let (pages, loads, budgets, slots, places) = tokio::try_join!(
        store.pages(),
        store.page_loads(view.width),
        store.page_budgets(),
        store.slots(),
        store.places(&everywhere),
    )?;
    let slots: HashMap<Uuid, Slot> = slots.into_iter().map(|slot| (slot.id, slot)).collect();
    let shown = shown(store, &slots, &places, view.width).await?;
    // Hundreds of simulations are work for a thread of their own.
    let worked_out = tokio::task::spawn_blocking(move || {
        let files = by_page(&shown);
        let mut loads = loads;
        let mut found = SiteMargins { pages: Vec::new(), unknown: 0, gains: gains(shown, &slots) };
        let none = SlotFiles::new();
        for page in pages {
            let Some(requests) = loads.remove(&page.id).filter(|requests| !requests.0.is_empty())
            else {
                found.unknown += 1;
                continue;
            };
            let files = files.get(&page.id).unwrap_or(&none);
            let budgets = budgets.get(&page.id).copied().unwrap_or_default();
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
    let (page, requests, budgets, history, slots, places) = tokio::try_join!(
        store.page(id),
        store.page_load(id, view.width),
        store.page_budgets(),
        store.past_weights(id, view.width, MOST_PAST),
        store.slots(),
        store.places(&which),
    )?;
    let (Some(page), Some(requests)) = (page, requests) else { return Ok(None) };
    let slots: HashMap<Uuid, Slot> = slots.into_iter().map(|slot| (slot.id, slot)).collect();
    let shown = shown(store, &slots, &places, view.width).await?;
    let files = by_page(&shown).remove(&id).unwrap_or_default();
    let budgets = budgets.get(&id).copied().unwrap_or_default();
    // A page may have thousands of requests.
    let worked_out = tokio::task::spawn_blocking(move || {
        let today = PageLoad::of(as_served(&page, requests), view.connection);
        let possible = today.as_possible(&files, view.connection);
        let margins = PageMargins::of(&today, &possible, &files, budgets);
        PageComing { page, budgets, margins, today, possible, history }
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

/// The files in places at a layout width, each with what it could weigh.
async fn shown(
    store: &Store,
    slots: &HashMap<Uuid, Slot>,
    places: &[Place],
    width: u32,
) -> Result<Vec<Shown>, StoreError> {
    let served = |place: &Place| -> Option<ServedFile> {
        let mut files = place.downloaded();
        files.find(|(at, _)| *at == width).map(|(_, file)| file.clone())
    };
    let served: Vec<Option<ServedFile>> = places.iter().map(served).collect();
    let hashes = served.iter().flatten().filter_map(|file| file.hash.clone());
    let hashes: BTreeSet<String> = hashes.collect();
    let pictures = store.served_pictures(hashes.into_iter().collect()).await?;
    let shown = places.iter().zip(served).filter_map(|(place, file)| {
        let (slot, file) = (slots.get(&place.slot_id)?, file?);
        let picture = file.hash.as_ref().and_then(|hash| pictures.get(hash));
        Some(Shown {
            place: place.id,
            page: place.page_id,
            slot: slot.id,
            bytes: file.bytes,
            file: SlotFile {
                budget: slot.budget(),
                possible: picture.and_then(|picture| possible(place, slot, width, &file, picture)),
            },
            picture: picture.cloned(),
            address: file.url,
        })
    });
    Ok(shown.collect())
}

/// About what a file just for this place could be.
fn possible(
    place: &Place,
    slot: &Slot,
    width: u32,
    file: &ServedFile,
    picture: &ServedPicture,
) -> Option<PictureFile> {
    let (class, sample) = picture.analysis?;
    let (across, down) = file.size?;
    let showing = Showing {
        size: place.box_at(slot, width)?,
        painting: place.details.painting,
        density: Density::REFERENCE,
        file: Size::new(across, down),
        bytes: file.bytes,
    };
    let pixels = showing.pixels_wanted();
    Some(PictureFile { bytes: class.weight(&sample, pixels.max(1))?.min(file.bytes), pixels })
}

/// The files of each page, by their addresses.
fn by_page(shown: &[Shown]) -> HashMap<Uuid, SlotFiles> {
    let mut pages: HashMap<Uuid, SlotFiles> = HashMap::new();
    for Shown { page, address, file, .. } in shown {
        let files = pages.entry(*page).or_default();
        let there = files.entry(address.clone()).or_default();
        *there = there.also_in(*file);
    }
    pages
}

/// The places with most to gain, each file of a slot once.
fn gains(mut shown: Vec<Shown>, slots: &HashMap<Uuid, Slot>) -> Vec<Gain> {
    let saves = |one: &Shown| {
        one.file.possible.map_or(0, |p| one.bytes.get().saturating_sub(p.bytes.get()))
    };
    shown.sort_by_key(|one| (std::cmp::Reverse(saves(one)), one.place));
    let mut told = BTreeSet::new();
    let gains = shown.into_iter().filter_map(|one| {
        let after = one.file.possible.map(|file| file.bytes).filter(|&after| after < one.bytes)?;
        let picture = one.picture?;
        if !told.insert((one.slot, one.address)) {
            return None;
        }
        Some(Gain {
            place: one.place,
            page: one.page,
            slot: slots.get(&one.slot)?.clone(),
            picture: picture.id,
            picture_name: picture.name,
            saving: Saving::new(one.bytes, after),
        })
    });
    gains.take(MOST_GAINS).collect()
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

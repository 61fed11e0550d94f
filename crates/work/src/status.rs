//! Status: what pictures weigh and what is worth mending, worked out when what it depends on
//! changes, and kept.

use brisk_margin_core::status::StatusInputs;
use brisk_margin_store::pictures::{Origin, Picture, RefreshedStatus};
use brisk_margin_store::{Store, StoreError};
use uuid::Uuid;

use crate::jobs::{JobFailure, JobInHand};
use crate::layouts::LayoutSummaries;

/// Pictures whose status is refreshed with one question to the database.
const BATCH: u64 = 500;

/// Refreshes everything that became stale, as a job: pictures first, then pages and slots.
///
/// # Errors
/// Those of the database.
pub(crate) async fn run(
    store: &Store,
    layouts: &LayoutSummaries,
    job: &JobInHand,
) -> Result<(), JobFailure> {
    let mut done = 0;
    loop {
        let noted = store.take_stale_notes().await?;
        let refreshed = refresh_stale(store).await?;
        if !noted && refreshed == 0 {
            break;
        }
        done += refreshed;
        job.note(done, done).await?;
    }
    Ok(layouts.refresh().await?)
}

/// Refreshes the status of the pictures `ids` now, so that whoever changed them sees it at once.
pub async fn refresh(store: &Store, ids: &[Uuid]) -> Result<(), StoreError> {
    for some in ids.chunks(BATCH as usize) {
        let pictures = store.pictures_with_removed(some).await?;
        refresh_all(store, &pictures).await?;
    }
    Ok(())
}

/// Refreshes the status of the next pictures that became stale; returns how many.
async fn refresh_stale(store: &Store) -> Result<usize, StoreError> {
    let stale = store.stale_pictures(BATCH).await?;
    refresh_all(store, &stale).await?;
    Ok(stale.len())
}

/// Refreshes the status of `pictures`.
pub async fn refresh_all(store: &Store, pictures: &[Picture]) -> Result<(), StoreError> {
    let ids: Vec<Uuid> = pictures.iter().map(|picture| picture.id).collect();
    let mut uses = store.uses_of(&ids).await?;
    let relations = store.relations_of(&ids).await?;
    let ceiling = store.site().await?.ceiling;
    let mut refreshed = Vec::with_capacity(pictures.len());
    for picture in pictures {
        let places = uses.remove(&picture.id).unwrap_or_default();
        let relation = relations.get(&picture.id).copied().unwrap_or_default();
        let today = places.iter().filter_map(|used| used.today(picture.bytes)).max();
        let today = today.unwrap_or(picture.bytes);
        let asked = places.iter();
        let asked = asked.filter_map(|used| picture.placement(&used.slot, &used.place).asked());
        let asked: Vec<_> = asked.collect();
        let description = &picture.description;
        let known = StatusInputs {
            format: picture.facts.format,
            size: picture.shown_size(),
            has_location: picture.facts.has_location,
            analysis: picture.analysis.map(|found| (found.class, found.sample)),
            today,
            uses: &asked,
            ceiling,
            has_alt: description.decorative || !description.alt.trim().is_empty(),
            has_credit: !description.creator.trim().is_empty(),
            is_duplicate: relation.is_duplicate,
            is_replaced: relation.is_replaced,
            is_from_folder: picture.origin == Origin::Folder,
        };
        refreshed.push(RefreshedStatus {
            id: picture.id,
            revision: picture.revision,
            uses: places.len() as u32,
            today,
            status: known.status(),
        });
    }
    store.keep_status(&refreshed).await
}

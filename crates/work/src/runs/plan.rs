//! What a run would do: which pictures for which slots, in which order, and what that costs.

use std::collections::{BTreeMap, HashSet};

use brisk_margin_core::run::{Candidate, Forecast, SampledSet};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::runs::NewRunItem;
use uuid::Uuid;

use crate::making::Maker;
use crate::making::sets::ResponsiveSet;

/// So many sets are planned to know how many files the others have.
const SAMPLE: usize = 24;
/// Pictures are read so many at a time.
const AT_ONCE: usize = 500;

/// What a run would do.
pub struct Plan {
    /// Told before it starts.
    pub forecast: Forecast,
    /// Its items: the largest saving first, what is skipped last.
    pub items: Vec<NewRunItem>,
}

/// A picture with the slots that show it, each with what pages transfer for it today.
struct Found {
    picture: Picture,
    candidate: Candidate,
    slots: BTreeMap<Uuid, Option<Bytes>>,
}

/// Plans a run over the pictures `ids`. Nothing is made.
///
/// # Errors
/// Those of the database.
pub async fn plan(maker: &Maker, ids: &[Uuid]) -> Result<Plan, StoreError> {
    let mut found = Vec::new();
    for some in ids.chunks(AT_ONCE) {
        found.extend(found_of(maker, some).await?);
    }
    found.sort_by_key(|one| std::cmp::Reverse(one.candidate.saving()));
    let (mut items, mut skipped, mut sets) = (Vec::new(), Vec::new(), Vec::new());
    for Found { picture, candidate, slots } in &found {
        if let Some(reason) = candidate.skipped() {
            skipped.push(NewRunItem::Skipped { picture: picture.id, reason });
            continue;
        }
        for (&slot, &before) in slots {
            items.push(NewRunItem::Set { picture: picture.id, slot, before });
            sets.push((picture, slot));
        }
    }
    let sample = sampled(maker, &sets).await?;
    let candidates: Vec<Candidate> = found.iter().map(|one| one.candidate).collect();
    let forecast = Forecast::of(&candidates, &sample, maker.store.seconds_a_file().await?);
    items.extend(skipped);
    Ok(Plan { forecast, items })
}

async fn found_of(maker: &Maker, ids: &[Uuid]) -> Result<Vec<Found>, StoreError> {
    let pictures = maker.store.pictures_with_removed(ids).await?;
    let mut uses = maker.store.uses_of(ids).await?;
    let excluded: HashSet<Uuid> = maker.store.excluded_of(ids).await?.into_iter().collect();
    let found = pictures.into_iter().map(|picture| {
        let mut slots: BTreeMap<Uuid, Option<Bytes>> = BTreeMap::new();
        for used in uses.remove(&picture.id).unwrap_or_default() {
            let today = used.today(picture.bytes);
            let before = slots.entry(used.slot.id).or_default();
            *before = (*before).max(today);
        }
        let candidate = Candidate {
            is_removed: picture.removed_at.is_some(),
            is_broken: picture.analysis_failed.is_some(),
            is_excluded: excluded.contains(&picture.id),
            slots: slots.len(),
            today: picture.today,
            possible: picture.possible,
        };
        Found { picture, candidate, slots }
    });
    Ok(found.collect())
}

/// Some sets, spread evenly over all.
async fn sampled(maker: &Maker, sets: &[(&Picture, Uuid)]) -> Result<Vec<SampledSet>, StoreError> {
    let step = sets.len().div_ceil(SAMPLE).max(1);
    let mut sample = Vec::new();
    for (picture, slot) in sets.iter().step_by(step) {
        let Some(slot) = maker.store.slot(*slot).await? else { continue };
        // One that cannot be planned fails alone when it has its turn.
        if let Ok(set) = ResponsiveSet::plan(maker, picture, &picture.adjustments, slot).await {
            let made = set.files.iter().filter(|file| file.made.is_some()).count();
            sample.push(SampledSet { files: set.files.len(), made });
        }
    }
    Ok(sample)
}

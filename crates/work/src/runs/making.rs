//! One item of a run: a picture's files for a slot.

use brisk_margin_core::run::rule::RunRule;
use brisk_margin_core::run::skip::SkipReason;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::runs::MadeSet;
use brisk_margin_store::runs::items::{DoneItem, ItemOutcome, RunItem};
use uuid::Uuid;

use crate::jobs::JobFailure;
use crate::making::Maker;
use crate::making::sets::{Made, ResponsiveSet, SetError, SetFile};

/// Makes the files of an item that are not there yet, by the run's rule where it has one, and tells what came of it.
pub(super) async fn made(
    maker: &Maker,
    run: Uuid,
    rule: Option<&RunRule>,
    item: &RunItem,
) -> Result<ItemOutcome, JobFailure> {
    let Some(slot_id) = item.slot_id else {
        return Ok(ItemOutcome::Skipped(SkipReason::NotUsed));
    };
    let made = MadeSet { picture_id: item.picture_id, slot_id };
    if let Some(rule) = rule {
        maker.store.say_run_rule(run, item.picture_id, rule).await?;
    }
    let basis = maker.store.set_basis(made).await?;
    let picture = maker.store.picture(item.picture_id).await?;
    let Some(picture) = picture.filter(|picture| picture.removed_at.is_none()) else {
        return Ok(ItemOutcome::Skipped(SkipReason::Removed));
    };
    let Some(slot) = maker.store.slot(slot_id).await? else {
        return Ok(ItemOutcome::Skipped(SkipReason::NotUsed));
    };
    let plan = planned(maker, &picture, slot.clone()).await?;
    if plan.decision.excluded.value {
        return Ok(ItemOutcome::Skipped(SkipReason::Excluded));
    }
    let had = maker.store.begin_run_item(run, item.place, &plan.variants()).await?;
    let missing = plan.files.iter().any(|file| file.made.is_none());
    let is_unchanged = !missing && plan.variants().iter().all(|id| had.contains(id));
    let set = match missing {
        true => {
            plan.make(maker, &picture, None).await?;
            planned(maker, &picture, slot).await?
        }
        false => plan,
    };
    if let (Some(basis), Some(files)) = (basis, set.fingerprint()) {
        maker.store.note_made_set(made, &basis, &files).await?;
    }
    match is_unchanged {
        true => Ok(ItemOutcome::Skipped(SkipReason::Unchanged)),
        false => Ok(ItemOutcome::Done(done(maker, &picture, &set, &had).await?)),
    }
}

async fn done(
    maker: &Maker,
    picture: &Picture,
    set: &ResponsiveSet,
    had: &[Uuid],
) -> Result<DoneItem, JobFailure> {
    let new: Vec<&Made> = files(set).filter(|made| !had.contains(&made.variant.id)).collect();
    let worst = set.files.iter().filter_map(|file| Some((file, file.made.as_ref()?.score?)));
    let worst = worst.min_by(|(_, one), (_, other)| one.0.total_cmp(&other.0));
    let trial = match worst {
        Some((file, _)) => trial_of(maker, picture, set, file).await?,
        None => None,
    };
    let mut variants: Vec<Uuid> = new.iter().map(|made| made.variant.id).collect();
    variants.sort_unstable();
    variants.dedup();
    Ok(DoneItem {
        after: weight(set),
        score: worst.map(|(_, score)| score.0),
        worst: trial,
        files: set.files.len(),
        variants,
        made_bytes: new.iter().map(|made| made.variant.bytes).sum(),
    })
}

/// The trial that a file was made by.
async fn trial_of(
    maker: &Maker,
    picture: &Picture,
    set: &ResponsiveSet,
    file: &SetFile,
) -> Result<Option<Uuid>, JobFailure> {
    let Some(made) = &file.made else { return Ok(None) };
    let spec = &set.width(file).spec;
    let trial = maker.store.trial_of(picture.id, spec, made.encoding).await?;
    Ok(trial.map(|trial| trial.id))
}

async fn planned(maker: &Maker, picture: &Picture, slot: Slot) -> Result<ResponsiveSet, SetError> {
    ResponsiveSet::plan(maker, picture, &picture.adjustments, slot).await
}

fn files(set: &ResponsiveSet) -> impl Iterator<Item = &Made> {
    set.files.iter().filter_map(|file| file.made.as_ref())
}

/// The files that a browser downloads for a slot, one for each layout width, on a screen of the
/// reference density.
pub(super) fn downloaded(set: &ResponsiveSet) -> Vec<&SetFile> {
    let chosen = set.chooser();
    let shown = set.slot.boxes().iter().filter(|(_, size)| size.is_shown());
    shown.filter_map(|(&viewport, _)| chosen(viewport, Density::REFERENCE)).collect()
}

/// What a slot weighs: the heaviest of these.
fn weight(set: &ResponsiveSet) -> Option<Bytes> {
    let weights = downloaded(set).into_iter();
    weights.filter_map(|file| Some(file.made.as_ref()?.variant.bytes)).max()
}

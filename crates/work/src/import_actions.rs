//! Import actions, as jobs: what an intake rule has made of a picture once it was analysed. It fills
//! the library only; nothing is written to the site's own folder.

use brisk_margin_core::budget;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::naming;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use uuid::Uuid;

use crate::analysis::OfPicture;
use crate::jobs::{JobFailure, JobInHand};
use crate::making::files::{self, FileWish};
use crate::making::trials::class_of;
use crate::making::{MakeError, Maker};

/// Makes every file that the intake rule asks for of a picture. One that cannot be made costs only
/// itself, and is told at the end.
///
/// # Errors
/// Where the machine was at fault, or some file cannot be made.
pub(crate) async fn run(maker: &Maker, job: &JobInHand) -> Result<(), JobFailure> {
    let OfPicture { picture: id } = job.args()?;
    let Some(picture) = maker.store.picture(id).await? else { return Ok(()) };
    let Some(action) = maker.store.import_action(id).await? else { return Ok(()) };
    let targets = match action {
        ImportAction::List => Vec::new(),
        ImportAction::Slots => slots_of(maker, picture.id).await?,
        ImportAction::SizeSet { name } => slots_of_set(maker, &picture, &name).await?,
    };
    let ceiling = maker.store.site().await?.ceiling;
    let wanted: Vec<_> =
        targets.iter().flat_map(|t| t.densities.iter().map(move |&d| (t, d))).collect();
    let mut refused = Vec::new();
    for (done, &(target, density)) in wanted.iter().enumerate() {
        job.note(done, wanted.len()).await?;
        match make(maker, &picture, target, density, ceiling).await {
            Err(error) if error.is_transient() => return Err(error.into()),
            Err(error) => refused.push(error.to_string()),
            Ok(()) => {}
        }
    }
    if let Some(first) = refused.first() {
        let of = format!("{} of {} sizes were not made of", refused.len(), wanted.len());
        return Err(JobFailure::last(format!("{of} {}: {first}", picture.name)));
    }
    Ok(maker.store.import_action_done(id).await?)
}

/// What files are wanted for: a shape, and the slot that has it.
struct FileTarget {
    shape: SlotShape,
    densities: Vec<Density>,
    /// The slot's number and its budget.
    slot: Option<(Uuid, Bytes)>,
}

/// Files in each format that the output rules name.
async fn make(
    maker: &Maker,
    picture: &Picture,
    target: &FileTarget,
    density: Density,
    ceiling: u32,
) -> Result<(), MakeError> {
    let decision = maker.store.decision(picture.id, target.slot.map(|(id, _)| id)).await?;
    if decision.excluded.value {
        return Ok(());
    }
    let crop = picture.adjustments.crop_spec(None);
    let spec = RenderSpec::new(target.shape, density, crop, &picture.adjustments.edits)
        .below_ceiling(picture.facts.size, ceiling)
        .in_colours(decision.colours(&picture.facts));
    let (_, plan) = spec.plan(picture.facts.size)?;
    let default_budget = || budget::default_budget(plan.fitting.needed);
    let budget = target.slot.map_or_else(default_budget, |(_, budget)| budget);
    let credit = decision.credit(&picture.description);
    let stem = naming::propose_stem(&picture.name, spec.slot, spec.density);
    for format in decision.worth_trying(class_of(picture, &spec), picture.is_transparent()) {
        let wish = FileWish {
            picture,
            spec: &spec,
            fitting: &plan.fitting,
            reference: None,
            request: decision.request(format, None, budget),
            credit: credit.as_ref(),
            cap: decision.cap.value.bytes(budget),
            budget,
            name: &NameWish::Stem(stem.clone()),
        };
        files::make(maker, wish).await?;
    }
    Ok(())
}

/// The largest box of each slot that shows the picture, with the slot's densities.
async fn slots_of(maker: &Maker, id: Uuid) -> Result<Vec<FileTarget>, StoreError> {
    let mut uses = maker.store.uses_of(&[id]).await?;
    let uses = uses.remove(&id).unwrap_or_default();
    let largest = uses.iter().filter_map(|used| {
        let largest = used.place.largest_box(&used.slot)?;
        Some(FileTarget {
            shape: SlotShape::new(largest.width, largest.height, used.slot.fit).ok()?,
            densities: used.slot.densities.clone(),
            slot: Some((used.slot.id, used.slot.budget())),
        })
    });
    Ok(largest.collect())
}

/// The sizes of the set called `name`, as slots for this picture. A set that is gone has none.
async fn slots_of_set(
    maker: &Maker,
    picture: &Picture,
    name: &str,
) -> Result<Vec<FileTarget>, StoreError> {
    let sets = maker.store.size_sets().await?;
    let Some(set) = sets.into_iter().find(|set| set.name == name) else { return Ok(Vec::new()) };
    let size = picture.shown_size();
    let now = BoxSize { width: size.width.into(), height: size.height.into() };
    let slots = set.sizes.sizes().values().filter_map(|size| {
        let size = size.of(now);
        let shape = SlotShape::new(size.width, size.height, Fit::Cover).ok()?;
        Some(FileTarget { shape, densities: vec![Density::ONE], slot: None })
    });
    Ok(slots.collect())
}

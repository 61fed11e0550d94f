//! Import actions: what an intake rule has made of a picture once it was analysed. It fills the
//! library only; nothing is written to the site's own folder.

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

use crate::making::files::{self, FileWish};
use crate::making::trials::class_of;
use crate::making::{MakeError, Maker};

/// Does what is still to be done with every picture that was analysed; returns how many are left
/// for later since the machine was at fault.
pub async fn catch_up(maker: &Maker) -> Result<usize, StoreError> {
    let (mut after, mut left) = (None, 0);
    while let Some((picture, action)) = maker.store.next_import_action(after).await? {
        after = Some(picture.id);
        match carry_out(maker, &picture, action).await {
            Err(error) if error.is_transient() => {
                tracing::warn!("files of {} are made later: {error}", picture.name);
                left += 1;
                continue;
            }
            Err(error) => {
                tracing::warn!("no file of {} was made by the intake rule: {error}", picture.name);
            }
            Ok(()) => {}
        }
        maker.store.import_action_done(picture.id).await?;
    }
    Ok(left)
}

/// Makes every file that `action` asks for. One that cannot be made is told of and costs only
/// itself.
async fn carry_out(
    maker: &Maker,
    picture: &Picture,
    action: ImportAction,
) -> Result<(), MakeError> {
    let targets = match action {
        ImportAction::List => Vec::new(),
        ImportAction::Slots => slots_of(maker, picture.id).await?,
        ImportAction::SizeSet { name } => slots_of_set(maker, picture, &name).await?,
    };
    let ceiling = maker.store.site().await?.ceiling;
    for target in targets {
        for &density in &target.densities {
            match make(maker, picture, &target, density, ceiling).await {
                Err(error) if error.is_transient() => return Err(error),
                Err(error) => {
                    tracing::warn!("a file of {} was not made: {error}", picture.name);
                }
                Ok(()) => {}
            }
        }
    }
    Ok(())
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

//! Import actions, as jobs: what an intake rule has made of a picture once it was analysed: its files
//! for slots by a run, or those of a set of sizes here. It fills the library only; nothing is written to
//! the site's own folder.

use brisk_margin_core::budget;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::naming;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::Density;
use brisk_margin_imaging::choosing::Hints;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;

use crate::analysis::OfPicture;
use crate::jobs::{JobFailure, JobInHand};
use crate::making::files::{self, FileWish};
use crate::making::trials::class_of;
use crate::making::{MakeError, Maker};
use crate::runs;

/// Makes every file that the intake rule asks for of a picture. One that cannot be made costs only
/// itself, and is told at the end.
///
/// # Errors
/// Where the machine was at fault, or some file cannot be made.
pub(crate) async fn run(maker: &Maker, job: &JobInHand) -> Result<(), JobFailure> {
    let OfPicture { picture: id } = job.args()?;
    let Some(picture) = maker.store.picture(id).await? else { return Ok(()) };
    let Some(action) = maker.store.import_action(id).await? else { return Ok(()) };
    let shapes = match action {
        ImportAction::List => Vec::new(),
        ImportAction::Slots => {
            runs::add_arrival(maker, picture.id).await?;
            Vec::new()
        }
        ImportAction::SizeSet { name } => shapes_of_set(maker, &picture, &name).await?,
    };
    let ceiling = maker.store.site().await?.ceiling;
    let mut refused = Vec::new();
    for (done, &shape) in shapes.iter().enumerate() {
        job.note(done, shapes.len()).await?;
        match make(maker, &picture, shape, ceiling).await {
            Err(error) if error.is_transient() => return Err(error.into()),
            Err(error) => refused.push(error.to_string()),
            Ok(()) => {}
        }
    }
    if let Some(first) = refused.first() {
        let of = format!("{} of {} sizes were not made of", refused.len(), shapes.len());
        return Err(JobFailure::last(format!("{of} {}: {first}", picture.name)));
    }
    Ok(maker.store.import_action_done(id).await?)
}

/// Files in each format that the output rules name.
async fn make(
    maker: &Maker,
    picture: &Picture,
    shape: SlotShape,
    ceiling: u32,
) -> Result<(), MakeError> {
    let decision = maker.store.decision(picture.id, None).await?;
    if decision.excluded.value {
        return Ok(());
    }
    let crop = picture.adjustments.crop_spec(None);
    let spec = RenderSpec::new(shape, Density::ONE, crop, &picture.adjustments.edits)
        .below_ceiling(picture.facts.size, ceiling)
        .in_colours(decision.colours(&picture.facts));
    let (_, plan) = spec.plan(picture.facts.size)?;
    let budget = budget::default_budget(plan.fitting.needed);
    let credit = decision.credit(&picture.description);
    let stem = naming::propose_stem(&picture.name, spec.slot, spec.density);
    for format in decision.worth_trying(class_of(picture, &spec), picture.is_transparent()) {
        let wish = FileWish {
            picture,
            spec: &spec,
            fitting: &plan.fitting,
            reference: None,
            hints: Hints::NONE,
            request: decision.request(format, None, budget, spec.density),
            credit: credit.as_ref(),
            cap: decision.cap.value.bytes(budget),
            budget,
            name: &NameWish::Stem(stem.clone()),
        };
        files::make(maker, wish).await?;
    }
    Ok(())
}

/// The sizes of the set called `name`, as slots for this picture. A set that is gone has none.
async fn shapes_of_set(
    maker: &Maker,
    picture: &Picture,
    name: &str,
) -> Result<Vec<SlotShape>, StoreError> {
    let sets = maker.store.size_sets().await?;
    let Some(set) = sets.into_iter().find(|set| set.name == name) else { return Ok(Vec::new()) };
    let size = picture.shown_size();
    let now = BoxSize { width: size.width.into(), height: size.height.into() };
    let shapes = set.sizes.sizes().values().filter_map(|size| {
        let size = size.of(now);
        SlotShape::new(size.width, size.height, Fit::Cover).ok()
    });
    Ok(shapes.collect())
}

//! Treating: what an intake rule makes of a picture once it was looked at. It fills the library
//! only; nothing is written to the site's own folder.

use brisk_margin_core::budget;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::naming;
use brisk_margin_core::slot::{Fit, Slot};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::site::Treatment;
use brisk_margin_store::variants::Framing;
use uuid::Uuid;

use crate::app::App;
use crate::responsive::making::{self, FileWish};
use crate::slots::{box_at, slot_budget};
use crate::trying::{self, Ask, Subject};
use crate::variants::MakeError;

/// Does what is still to be done with every picture that was looked at.
pub async fn catch_up(app: &App) -> Result<(), StoreError> {
    while let Some((picture, treatment)) = app.store.next_to_treat().await? {
        let places = match treatment {
            Treatment::List => Vec::new(),
            Treatment::Slots => slots_of(app, picture.id).await?,
            Treatment::SizeSet { name } => slots_of_set(app, &picture, &name).await?,
        };
        let ceiling = app.store.site().await?.ceiling;
        for place in places {
            for &density in &place.densities {
                make(app, &picture, &place, density, ceiling).await;
            }
        }
        app.store.treated(picture.id).await?;
    }
    Ok(())
}

/// What files are wanted for: a shape, and the slot that has it.
struct Place {
    shape: Slot,
    densities: Vec<Density>,
    /// The slot's number and its budget.
    slot: Option<(Uuid, Bytes)>,
}

/// Files in each format that the output rules name; what cannot be made is told of and costs only
/// itself.
async fn make(app: &App, picture: &Picture, place: &Place, density: Density, ceiling: u32) {
    let density = below_ceiling(picture, place.shape, density, ceiling);
    if let Err(error) = make_at(app, picture, place, density).await {
        tracing::warn!("no file of {} was made by the intake rule: {error}", picture.name);
    }
}

async fn make_at(
    app: &App,
    picture: &Picture,
    place: &Place,
    density: Density,
) -> Result<(), MakeError> {
    let decision = app.store.decision(picture.id, place.slot.map(|(id, _)| id)).await?;
    if decision.excluded.value {
        return Ok(());
    }
    let colours = decision.colours(&picture.facts);
    let framing = framing(picture, place.shape, density).in_colours(colours);
    let (_, plan) = framing.plan(picture.facts.size)?;
    let usual = || budget::default_budget(plan.fitting.needed);
    let budget = place.slot.map_or_else(usual, |(_, budget)| budget);
    let class = trying::class_of(picture, &framing);
    let credit = decision.credit(&picture.description);
    for format in decision.worth_trying(class, picture.is_transparent()) {
        let wish = FileWish {
            of: Subject { picture, framing: &framing, credit: credit.as_ref() },
            fitting: &plan.fitting,
            ask: Ask::of(&decision, format, None, budget),
            cap: decision.cap.value.bytes(budget),
            budget,
            name: naming::propose(&picture.name, place.shape, density, format),
        };
        making::make_file(app, wish).await?;
    }
    Ok(())
}

fn framing(picture: &Picture, slot: Slot, density: Density) -> Framing {
    Framing::new(slot, density, picture.work.aim(None), &picture.work.finish)
}

/// `density`, or the one at which the file's long side is at the ceiling.
fn below_ceiling(picture: &Picture, slot: Slot, density: Density, ceiling: u32) -> Density {
    let Some(fitting) = framing(picture, slot, density).fitting(picture.facts.size) else {
        return density;
    };
    let long = fitting.output.width.max(fitting.output.height);
    if long <= ceiling {
        return density;
    }
    Density::new(density.get() * f64::from(ceiling) / f64::from(long)).unwrap_or(density)
}

/// The largest box of each slot that shows the picture, with the slot's densities.
async fn slots_of(app: &App, id: Uuid) -> Result<Vec<Place>, StoreError> {
    let mut uses = app.store.uses_of(&[id]).await?;
    let uses = uses.remove(&id).unwrap_or_default();
    let largest = uses.iter().filter_map(|used| {
        let viewports = used.slot.boxes().keys();
        let boxes = viewports.filter_map(|&viewport| box_at(&used.slot, &used.place, viewport));
        let largest = boxes.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)))?;
        Some(Place {
            shape: Slot::new(largest.width, largest.height, used.slot.fit).ok()?,
            densities: used.slot.densities.clone(),
            slot: Some((used.slot.id, slot_budget(&used.slot))),
        })
    });
    Ok(largest.collect())
}

/// The sizes of the set called `name`, as slots for this picture. A set that is gone has none.
async fn slots_of_set(app: &App, picture: &Picture, name: &str) -> Result<Vec<Place>, StoreError> {
    let sets = app.store.size_sets().await?;
    let Some(set) = sets.into_iter().find(|set| set.name == name) else { return Ok(Vec::new()) };
    let size = picture.shown_size();
    let now = BoxSize { width: size.width.into(), height: size.height.into() };
    let slots = set.sizes.sizes().values().filter_map(|size| {
        let size = size.of(now);
        let shape = Slot::new(size.width, size.height, Fit::Cover).ok()?;
        Some(Place { shape, densities: vec![Density::ONE], slot: None })
    });
    Ok(slots.collect())
}

//! Treating: what an intake rule makes of a picture once it was looked at. It fills the library
//! only; nothing is written to the site's own folder.

use brisk_margin_core::encode::{Encoding, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::slot::{Fit, Slot};
use brisk_margin_core::units::Density;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::site::Treatment;
use brisk_margin_store::variants::{Framing, Order};
use uuid::Uuid;

use crate::app::App;
use crate::slots::box_at;
use crate::variants;

/// Does what is still to be done with every picture that was looked at.
pub async fn catch_up(app: &App) -> Result<(), StoreError> {
    while let Some((picture, treatment)) = app.store.next_to_treat().await? {
        let slots = match treatment {
            Treatment::List => Vec::new(),
            Treatment::Slots => slots_of(app, picture.id).await?,
            Treatment::SizeSet { name } => slots_of_set(app, &picture, &name).await?,
        };
        let ceiling = app.store.site().await?.ceiling;
        for (slot, densities) in slots {
            for density in densities {
                make(app, &picture, slot, density, ceiling).await;
            }
        }
        app.store.treated(picture.id).await?;
    }
    Ok(())
}

/// A file that cannot be made is told of and costs only itself.
async fn make(app: &App, picture: &Picture, slot: Slot, density: Density, ceiling: u32) {
    let density = below_ceiling(picture, slot, density, ceiling);
    let framing = framing(picture, slot, density);
    let order = Order {
        framing,
        encoding: Encoding::new(Format::Webp, Quality::USUAL),
        credit: None,
        is_copy: false,
    };
    if let Err(error) = variants::make(app, picture, order).await {
        tracing::warn!("no file of {} was made by the intake rule: {error}", picture.name);
    }
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
async fn slots_of(app: &App, id: Uuid) -> Result<Vec<(Slot, Vec<Density>)>, StoreError> {
    let mut uses = app.store.uses_of(&[id]).await?;
    let uses = uses.remove(&id).unwrap_or_default();
    let largest = uses.iter().filter_map(|used| {
        let viewports = used.slot.boxes().keys();
        let boxes = viewports.filter_map(|&viewport| box_at(&used.slot, &used.place, viewport));
        let largest = boxes.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)))?;
        let slot = Slot::new(largest.width, largest.height, used.slot.fit).ok()?;
        Some((slot, used.slot.densities.clone()))
    });
    Ok(largest.collect())
}

/// The sizes of the set called `name`, as slots for this picture. A set that is gone has none.
async fn slots_of_set(
    app: &App,
    picture: &Picture,
    name: &str,
) -> Result<Vec<(Slot, Vec<Density>)>, StoreError> {
    let sets = app.store.size_sets().await?;
    let Some(set) = sets.into_iter().find(|set| set.name == name) else { return Ok(Vec::new()) };
    let size = picture.shown_size();
    let now = BoxSize { width: size.width.into(), height: size.height.into() };
    let slots = set.sizes.sizes().values().filter_map(|size| {
        let size = size.of(now);
        Slot::new(size.width, size.height, Fit::Cover).ok().map(|slot| (slot, vec![Density::ONE]))
    });
    Ok(slots.collect())
}

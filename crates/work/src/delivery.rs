//! Delivery by address: the file of a public picture that suits a request best.

use brisk_margin_core::delivery::{Deliverable, Reads, Screen, chosen};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::Density;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::Variant;
use brisk_margin_store::{BlobError, StoreError};
use thiserror::Error;
use uuid::Uuid;

use crate::making::Maker;
use crate::making::sets::{ResponsiveSet, SetError, SetFile};

/// A frame that leaves out less than this share of a side shows the whole picture.
const WHOLE: f64 = 0.98;

/// Where a picture is to be shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shown {
    /// In a slot, framed as that says.
    In(Uuid),
    /// Whole, so many CSS pixels wide.
    Wide(u32),
}

/// Why nothing is delivered.
#[derive(Debug, Error)]
pub enum DeliveryError {
    /// No such picture, or one that is not public, which strangers are not told apart.
    #[error("there is no picture at this address")]
    NoPicture,
    /// No such slot, or the picture cannot be shown in it.
    #[error("this picture is not shown in such a slot")]
    NoSlot,
    /// No file that could answer.
    #[error(
        "no file was made of the picture for this address yet: make its files for the slot, or for one that shows all of \
         it, first"
    )]
    NothingMade,
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// Bytes.
    #[error(transparent)]
    Blob(#[from] BlobError),
}

/// The file of picture `id` that suits `screen` best, where it is shown as `shown` says, for a client that `reads` some
/// formats. Nothing is made.
///
/// # Errors
/// [`DeliveryError`].
pub async fn deliver(
    maker: &Maker,
    id: Uuid,
    shown: Shown,
    screen: Screen,
    reads: &Reads,
) -> Result<Variant, DeliveryError> {
    let picture = maker.store.picture(id).await?;
    let public = |picture: &Picture| picture.is_public && picture.removed_at.is_none();
    let picture = picture.filter(public).ok_or(DeliveryError::NoPicture)?;
    let (made, wanted) = match shown {
        Shown::In(slot) => for_slot(maker, &picture, slot, screen).await?,
        Shown::Wide(css) => (whole(maker, &picture).await?, screen.of_css(css)),
    };
    let files = made.iter().map(|variant| Deliverable {
        format: variant.spec.encoding.format(),
        width: variant.size.width,
        bytes: variant.bytes,
    });
    let file = chosen(&Vec::from_iter(files), wanted, reads).ok_or(DeliveryError::NothingMade)?;
    Ok(made[file].clone())
}

/// The files of `picture` for the shape that `slot` has on `screen`, and the device pixels across that it needs there.
/// Where nothing is known of the screen, it is wide and dense: no picture is blurred.
async fn for_slot(
    maker: &Maker,
    picture: &Picture,
    slot: Uuid,
    screen: Screen,
) -> Result<(Vec<Variant>, u32), DeliveryError> {
    let slot = maker.store.slot(slot).await?.ok_or(DeliveryError::NoSlot)?;
    let set = planned(maker, picture, slot).await?.ok_or(DeliveryError::NoSlot)?;
    let viewport = screen.viewport.unwrap_or(u32::MAX);
    let part = set.parts.iter().position(|part| part.from <= viewport);
    let n = part.unwrap_or(set.parts.len() - 1);
    let part = &set.parts[n];
    let density = screen.density.unwrap_or(Density::REFERENCE);
    // Between two layout widths the slot may be as large as at the next wider one.
    let mut boxes = part.boxes.clone();
    boxes.sort_unstable_by_key(|&(width, _)| width);
    let size = boxes.iter().find(|&&(width, _)| width >= viewport).or(boxes.last());
    let needed = size.map_or(1, |&(_, size)| set.needed(part, size, density));
    let own = set.files.iter().filter(|file| file.part == n);
    let made = own.filter_map(|file| Some(file.made.as_ref()?.variant.clone())).collect();
    Ok((made, screen.width.unwrap_or(needed)))
}

/// The files that show the whole of `picture`, for any slot.
async fn whole(maker: &Maker, picture: &Picture) -> Result<Vec<Variant>, DeliveryError> {
    let shown = picture.shown_size();
    let is_whole = |set: &ResponsiveSet, file: &SetFile| {
        let crop = set.width(file).fitting.crop;
        f64::from(crop.width) >= WHOLE * f64::from(shown.width)
            && f64::from(crop.height) >= WHOLE * f64::from(shown.height)
    };
    let uses = maker.store.uses_of(&[picture.id]).await?.remove(&picture.id).unwrap_or_default();
    let mut slots = Vec::from_iter(uses.into_iter().map(|used| used.slot));
    slots.sort_by_key(|slot| slot.id);
    slots.dedup_by_key(|slot| slot.id);
    let mut found = Vec::new();
    for slot in slots {
        let Some(set) = planned(maker, picture, slot).await? else { continue };
        let own = set.files.iter().filter(|file| is_whole(&set, file));
        found.extend(own.filter_map(|file| Some(file.made.as_ref()?.variant.clone())));
    }
    Ok(found)
}

/// The set of `picture` for `slot`; nothing where it cannot be shown there.
async fn planned(
    maker: &Maker,
    picture: &Picture,
    slot: Slot,
) -> Result<Option<ResponsiveSet>, StoreError> {
    match ResponsiveSet::plan(maker, picture, &picture.adjustments, slot).await {
        Ok(set) => Ok(Some(set).filter(|set| !set.parts.is_empty())),
        Err(SetError::Store(error)) => Err(error),
        Err(_) => Ok(None),
    }
}

//! The slots that are chosen for a run: those of the site's layouts, and those that size presets make.

use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::size_set::SetSizeError;
use brisk_margin_core::slot::Slot;
use brisk_margin_store::layouts::NamedSizes;
use brisk_margin_store::{Store, StoreError};
use thiserror::Error;
use uuid::Uuid;

/// A slot that was chosen for a run.
#[derive(Debug, Clone, PartialEq)]
pub struct RunSlot {
    /// The slot.
    pub slot: Slot,
    /// Whether it is that of a size preset, not kept yet or of other sizes: the run keeps it when it
    /// starts, and no file is there for it.
    pub is_new: bool,
}

/// Why slots cannot be chosen.
#[derive(Debug, Error)]
pub enum RunSlotError {
    /// One is not there.
    #[error("the slot is not there")]
    NoSlot,
    /// A preset is not there.
    #[error("the size preset is not there")]
    NoPreset,
    /// A preset makes no slot.
    #[error("size preset {name}: {error}")]
    Sizes {
        /// The preset.
        name: String,
        /// Why.
        error: SetSizeError,
    },
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// The slots with these ids, and those that these presets make. Each of them has its preset's id and name, so
/// that a later run with it goes on with the same one.
///
/// # Errors
/// [`RunSlotError`] where one is not there, or a preset makes none.
pub async fn chosen(
    store: &Store,
    slots: &[Uuid],
    presets: &[Uuid],
) -> Result<Vec<RunSlot>, RunSlotError> {
    if slots.is_empty() && presets.is_empty() {
        return Ok(Vec::new());
    }
    let known = store.slots().await?;
    let find = |id: &Uuid| known.iter().find(|slot| slot.id == *id).cloned();
    let own = |id| {
        let slot = find(id).ok_or(RunSlotError::NoSlot)?;
        Ok(RunSlot { slot, is_new: false })
    };
    let mut chosen = slots.iter().map(own).collect::<Result<Vec<_>, RunSlotError>>()?;
    if presets.is_empty() {
        return Ok(chosen);
    }
    let (all, widths) = (store.size_sets().await?, store.site().await?.widths);
    for id in presets {
        let preset = all.iter().find(|preset| preset.id == *id).ok_or(RunSlotError::NoPreset)?;
        let NamedSizes { name, sizes, .. } = preset;
        let (fit, boxes) = sizes
            .alone(&widths)
            .map_err(|error| RunSlotError::Sizes { name: name.clone(), error })?;
        let made = Slot::by_hand(*id, name.clone(), PlaceKind::Text, fit, boxes);
        chosen.push(of_preset(find(id), made));
    }
    Ok(chosen)
}

/// The slot that a preset `made`, which may be `kept` since an earlier run, and changed by hand but for its sizes.
fn of_preset(kept: Option<Slot>, made: Slot) -> RunSlot {
    let Some(kept) = kept else { return RunSlot { slot: made, is_new: true } };
    let is_new = (kept.fit, &kept.measured) != (made.fit, &made.measured);
    let Slot { fit, measured, looked_at, .. } = made;
    RunSlot { slot: Slot { fit, measured, looked_at, ..kept }, is_new }
}

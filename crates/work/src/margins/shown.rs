//! The files that places show at a layout width, what each could weigh, and where most can be gained.

use std::collections::{BTreeSet, HashMap};

use brisk_margin_core::budget::Saving;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::load::PictureFile;
use brisk_margin_core::load::margin::{SlotFile, SlotFiles};
use brisk_margin_core::place::{Place, ServedFile};
use brisk_margin_core::showing::Showing;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::page_loads::ServedPicture;
use brisk_margin_store::{Store, StoreError};
use uuid::Uuid;

/// The places with most to gain that are told.
const MOST_GAINS: usize = 10;

/// A place and what it could save.
pub struct Gain {
    /// The place.
    pub place: Uuid,
    /// Its page.
    pub page: Uuid,
    /// Its slot.
    pub slot: Slot,
    /// The picture that it shows.
    pub picture: Uuid,
    /// That picture's name.
    pub picture_name: String,
    /// What its file weighs, and about what it could weigh.
    pub saving: Saving,
}

/// A file in a place of a page.
pub(super) struct Shown {
    pub place: Uuid,
    pub page: Uuid,
    pub slot: Uuid,
    pub address: String,
    pub format: Option<String>,
    pub bytes: Bytes,
    pub picture: Option<ServedPicture>,
    pub file: SlotFile,
}

impl Shown {
    /// About what it could weigh; what it weighs where that is not known.
    pub fn possible(&self) -> Bytes {
        self.file.possible.map_or(self.bytes, |file| file.bytes)
    }
}

/// The files in places at a layout width, each with what it could weigh.
pub(super) async fn shown(
    store: &Store,
    slots: &HashMap<Uuid, Slot>,
    places: &[Place],
    width: u32,
) -> Result<Vec<Shown>, StoreError> {
    let served = |place: &Place| -> Option<ServedFile> {
        let mut files = place.downloaded();
        files.find(|(at, _)| *at == width).map(|(_, file)| file.clone())
    };
    let served: Vec<Option<ServedFile>> = places.iter().map(served).collect();
    let hashes = served.iter().flatten().filter_map(|file| file.hash.clone());
    let hashes: BTreeSet<String> = hashes.collect();
    let pictures = store.served_pictures(hashes.into_iter().collect()).await?;
    let shown = places.iter().zip(served).filter_map(|(place, file)| {
        let (slot, file) = (slots.get(&place.slot_id)?, file?);
        let picture = file.hash.as_ref().and_then(|hash| pictures.get(hash));
        Some(Shown {
            place: place.id,
            page: place.page_id,
            slot: slot.id,
            format: file.format.clone(),
            bytes: file.bytes,
            file: SlotFile {
                budget: slot.budget(),
                possible: picture.and_then(|picture| possible(place, slot, width, &file, picture)),
            },
            picture: picture.cloned(),
            address: file.url,
        })
    });
    Ok(shown.collect())
}

/// About what a file just for this place could be.
fn possible(
    place: &Place,
    slot: &Slot,
    width: u32,
    file: &ServedFile,
    picture: &ServedPicture,
) -> Option<PictureFile> {
    let (class, sample) = picture.analysis?;
    let (across, down) = file.size?;
    let showing = Showing {
        size: place.box_at(slot, width)?,
        painting: place.details.painting,
        density: Density::REFERENCE,
        file: Size::new(across, down),
        bytes: file.bytes,
    };
    let pixels = showing.pixels_wanted();
    Some(PictureFile { bytes: class.weight(&sample, pixels.max(1))?.min(file.bytes), pixels })
}

/// The files of each page, by their addresses.
pub(super) fn by_page(shown: &[Shown]) -> HashMap<Uuid, SlotFiles> {
    let mut pages: HashMap<Uuid, SlotFiles> = HashMap::new();
    for Shown { page, address, file, .. } in shown {
        let files = pages.entry(*page).or_default();
        let there = files.entry(address.clone()).or_default();
        *there = there.also_in(*file);
    }
    pages
}

/// The places with most to gain, each file of a slot once.
pub(super) fn gains(mut shown: Vec<Shown>, slots: &HashMap<Uuid, Slot>) -> Vec<Gain> {
    let saves = |one: &Shown| one.bytes.get().saturating_sub(one.possible().get());
    shown.sort_by_key(|one| (std::cmp::Reverse(saves(one)), one.place));
    let mut told = BTreeSet::new();
    let gains = shown.into_iter().filter_map(|one| {
        let after = one.file.possible.map(|file| file.bytes).filter(|&after| after < one.bytes)?;
        let picture = one.picture?;
        if !told.insert((one.slot, one.address)) {
            return None;
        }
        Some(Gain {
            place: one.place,
            page: one.page,
            slot: slots.get(&one.slot)?.clone(),
            picture: picture.id,
            picture_name: picture.name,
            saving: Saving::new(one.bytes, after),
        })
    });
    gains.take(MOST_GAINS).collect()
}

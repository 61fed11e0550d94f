//! What the library has for the places of a site: files that were made for a slot, of the picture that
//! is shown there.

use std::collections::{BTreeMap, HashMap};
use std::io;

use brisk_margin_archive as archive;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::layout::Cropping;
use brisk_margin_core::markup::alt::alt_to_write;
use brisk_margin_core::markup::caption::PageCaption;
use brisk_margin_core::markup::position::{Holder, position_text};
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place::Place;
use brisk_margin_core::publication::state::PublicationWish;
use brisk_margin_core::shown_by::ShownBy;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use brisk_margin_site::publishing::folder::{SiteFolder, hash_of};
use brisk_margin_store::layouts::{Page, PlaceFilter};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::publications::shown::ShownPicture;
use brisk_margin_store::{Store, StoreError};
use uuid::Uuid;

use super::{MOST_BYTES, PublicationError};
use crate::making::Maker;
use crate::making::sets::{ResponsiveSet, SetError, SetFile};
use crate::publishing::measuring::MeasuredSite;
use crate::publishing::places::{LeftPlace, LeftReason, PlaceAt};
use crate::publishing::sets::{MadeFile, MadeSet, SetFiles, SetText, Wanted};
use crate::publishing::{SiteError, path_at, path_of};

/// What was made for a site's places, and places that are left.
pub(super) struct LibrarySets {
    pub(super) sets: Vec<MadeSet>,
    pub(super) left: Vec<LeftPlace>,
}

/// A place of the site as the library knows it.
struct Known {
    place: Place,
    picture: Option<ShownPicture>,
}

/// All places that the library knows, by the path of their page and what finds them there.
struct KnownPlaces {
    pages: HashMap<String, Uuid>,
    places: HashMap<(Uuid, String), Known>,
}

/// A place of the site for which there is a picture.
struct Found {
    picture: Uuid,
    slot: Uuid,
    source: String,
    is_other: bool,
    holder: Holder,
}

/// The sets for the places that `wish` names, of files that are made already.
///
/// # Errors
/// Those of the database, the blob store and the folder.
pub(super) async fn sets(
    maker: &Maker,
    site: &MeasuredSite,
    folder: &SiteFolder,
    wish: &PublicationWish,
) -> Result<LibrarySets, PublicationError> {
    let known = KnownPlaces::of(&maker.store).await?;
    let mut found: BTreeMap<(Uuid, Uuid), Vec<(PlaceAt, Found)>> = BTreeMap::new();
    let mut left = Vec::new();
    for at in site.places() {
        match known.found(site, at, wish) {
            Ok(Some(place)) => {
                found.entry((place.picture, place.slot)).or_default().push((at, place));
            }
            Ok(None) => {}
            Err(reason) => left.push(site.left(at, reason)),
        }
    }
    let mut names = tokio::task::block_in_place(|| FileNames::of(folder, &wish.folder))?;
    let mut sets: Vec<MadeSet> = Vec::new();
    for ((picture, slot), places) in found {
        let all = places.iter().map(|(at, _)| *at);
        match set(maker, site, wish, (picture, slot), &places, &mut names).await? {
            Err(reason) => left.extend(all.map(|at| site.left(at, reason.clone()))),
            Ok(mut set) => {
                let (shown, open): (Vec<PlaceAt>, Vec<PlaceAt>) =
                    all.partition(|&at| set.is_served(site, at) && !says_otherwise(site, &set, at));
                left.extend(shown.into_iter().map(|at| site.left(at, LeftReason::Applied)));
                set.wanted.places = open;
                if !set.wanted.places.is_empty() {
                    add(&mut sets, set);
                }
            }
        }
    }
    Ok(LibrarySets { sets, left })
}

/// Whether a place is to say something else than it does.
fn says_otherwise(site: &MeasuredSite, set: &MadeSet, at: PlaceAt) -> bool {
    let caption = site.place(at).details.surroundings.caption.as_deref();
    // Whether there is one, and what its small print says, is known by the page's source alone.
    let caption = caption.unwrap_or_default();
    let caption = set.text.caption(at, PageCaption { html: caption, text: caption });
    set.text.alts.contains_key(&at) || caption.is_some()
}

/// Adds a set. A style sheet names a file once for all places that it fills with it: those of several slots
/// get the files of the one with the most pixels.
fn add(sets: &mut Vec<MadeSet>, mut set: MadeSet) {
    let same = sets.iter_mut().find(|known| {
        let both = [&known.wanted, &set.wanted];
        both.iter().all(|wanted| wanted.slot.holder() == Holder::Background)
            && known.wanted.source == set.wanted.source
    });
    let Some(known) = same else { return sets.push(set) };
    let most =
        |set: &MadeSet| set.files.files.iter().map(|file| file.fitting.output.pixels()).max();
    let places = std::mem::take(&mut set.wanted.places);
    if most(&set) > most(known) {
        set.wanted.places = std::mem::take(&mut known.wanted.places);
        *known = set;
    }
    known.wanted.places.extend(places);
}

impl KnownPlaces {
    async fn of(store: &Store) -> Result<Self, StoreError> {
        let mut pages: Vec<Page> = store.pages().await?;
        // The one that was measured last stands for its path.
        pages.sort_by_key(|page| page.measured_at);
        let pages = pages.iter().filter_map(|page| Some((path_at(&page.address)?, page.id)));
        let pages: HashMap<String, Uuid> = pages.collect();
        let shown = store.shown_pictures().await?;
        let mut shown: HashMap<Uuid, ShownPicture> =
            shown.into_iter().map(|shown| (shown.place_id, shown)).collect();
        let places = store.places(&PlaceFilter::default()).await?.into_iter().map(|place| {
            let picture = shown.remove(&place.id);
            ((place.page_id, place.selector.clone()), Known { place, picture })
        });
        Ok(Self { pages, places: places.collect() })
    }

    /// The picture for a place and the slot that it is in; nothing where nobody asked for it.
    fn found(
        &self,
        site: &MeasuredSite,
        at: PlaceAt,
        wish: &PublicationWish,
    ) -> Result<Option<Found>, LeftReason> {
        let measured = site.place(at);
        let details = &measured.details;
        let Some(served) = details.files.values().flat_map(|at| at.values()).next() else {
            // An element that waits for a picture.
            return Ok(None);
        };
        let page = self.pages.get(&site.path(at)).copied();
        let known = page.and_then(|page| self.places.get(&(page, measured.selector.clone())));
        if !wish.names_page(page) {
            return Ok(None);
        }
        // Whoever asks for some pictures is not told of places that show others.
        let left = |reason| match wish.pictures {
            Some(_) => Ok(None),
            None => Err(reason),
        };
        let Some(Known { place, picture }) = known else { return left(LeftReason::Unmeasured) };
        let Some(ShownPicture { picture_id, is_new, .. }) = picture else {
            return left(LeftReason::Unknown);
        };
        if !wish.names_picture(*picture_id) {
            return Ok(None);
        }
        let holder = match details.shown_by {
            Some(ShownBy::Img | ShownBy::Picture) => Holder::Element,
            Some(ShownBy::Background) => Holder::Background,
            Some(other) => return Err(LeftReason::OneFile(other)),
            None => return Err(LeftReason::NotInSource),
        };
        let format = served.format.as_deref().and_then(SourceFormat::named);
        if format == Some(SourceFormat::Svg) {
            return Err(LeftReason::Drawing);
        }
        if details.painting == ObjectFit::Natural {
            return Err(LeftReason::OwnSize);
        }
        let Some(source) = path_of(&site.origin, &served.url) else {
            return Err(LeftReason::Elsewhere(served.url.clone()));
        };
        Ok(Some(Found {
            picture: *picture_id,
            slot: place.slot_id,
            source,
            is_other: *is_new,
            holder,
        }))
    }
}

/// The files of `picture` for `slot`, where all are made, or why there are none.
async fn set(
    maker: &Maker,
    site: &MeasuredSite,
    wish: &PublicationWish,
    (picture, slot): (Uuid, Uuid),
    places: &[(PlaceAt, Found)],
    names: &mut FileNames,
) -> Result<Result<MadeSet, LeftReason>, PublicationError> {
    let store = &maker.store;
    let picture = store.picture(picture).await?.filter(|picture| picture.removed_at.is_none());
    let (Some(picture), Some(slot)) = (picture, store.slot(slot).await?) else {
        return Ok(Err(LeftReason::Unknown));
    };
    if places.iter().any(|(_, found)| found.holder != slot.holder()) {
        return Ok(Err(LeftReason::OtherKind));
    }
    let planned = ResponsiveSet::plan(maker, &picture, &picture.adjustments, slot).await;
    let set = match planned {
        Ok(set) => set,
        Err(SetError::Store(error)) => return Err(error.into()),
        Err(error) => return Ok(Err(LeftReason::NoSet(error.to_string()))),
    };
    if set.decision.excluded.value {
        return Ok(Err(LeftReason::Excluded));
    }
    let missing = set.files.iter().filter(|file| file.made.is_none()).count();
    if missing > 0 {
        return Ok(Err(LeftReason::NotMade(missing)));
    }
    let fingerprint = set.fingerprint();
    let text = text(site, &picture, &set, places);
    let mut formats = set.offered();
    formats.retain(|format| wish.offers(*format));
    let mut files: Vec<MadeFile> = Vec::new();
    for file in set.files.iter().filter(|file| formats.contains(&file.format)) {
        add_file(maker, &set, file, names, &mut files).await?;
    }
    let single = match set.cropping {
        // Each shape has files of its own, which one element alone does not tell apart.
        Cropping::ArtDirection if set.parts.len() > 1 => Vec::new(),
        _ => set.parts.clone(),
    };
    Ok(Ok(MadeSet {
        files: SetFiles {
            parts: set.parts,
            single,
            formats,
            files,
            encoded: 0,
            densities: set.densities,
        },
        wanted: Wanted {
            source: places[0].1.source.clone(),
            picture: Some(picture.id),
            fingerprint,
            slot: set.slot,
            places: Vec::new(),
        },
        text,
    }))
}

/// What the elements that show `picture` say beside its files.
fn text(
    site: &MeasuredSite,
    picture: &Picture,
    set: &ResponsiveSet,
    places: &[(PlaceAt, Found)],
) -> SetText {
    let mut text = SetText::default();
    let is_edited = picture.adjustments != Adjustments::plain(FocalPoint::CENTRE);
    let restyled = places.iter().filter(|(_, found)| is_edited || found.is_other);
    text.restyled = restyled.map(|(at, _)| *at).collect();
    if set.slot.holder() == Holder::Background {
        return text;
    }
    text.description = Some(picture.description.clone());
    text.others = places.iter().filter(|(_, found)| found.is_other).map(|(at, _)| *at).collect();
    for (at, found) in places {
        let now = site.place(*at).details.alt.as_deref();
        let alt = alt_to_write(now, &picture.description, found.is_other);
        text.alts.extend(alt.map(|alt| (*at, alt.to_owned())));
    }
    // One attribute holds it at all viewports: as the widest one has it, where it is seen largest.
    let widest = set.held.as_ref().and_then(|held| held.last());
    let widest = widest.map(|held| position_text(held.position));
    text.position = widest.filter(|position| {
        places.iter().any(|(at, _)| site.place(*at).details.position != *position)
    });
    text
}

async fn add_file(
    maker: &Maker,
    set: &ResponsiveSet,
    file: &SetFile,
    names: &mut FileNames,
    files: &mut Vec<MadeFile>,
) -> Result<(), PublicationError> {
    let fitting: Fitting = set.width(file).fitting;
    let format: Format = file.format;
    // Two layout widths may have the same file.
    if files.iter().any(|known| known.fitting == fitting && known.format == format) {
        return Ok(());
    }
    let Some(made) = &file.made else { return Ok(()) };
    let bytes = maker.store.blobs().get(&made.variant.hash).await.map_err(StoreError::Blob)?;
    let bytes = bytes.to_vec();
    names.weight = names.weight + Bytes::of(&bytes);
    if names.weight > MOST_BYTES {
        return Err(PublicationError::TooMuch);
    }
    let path = tokio::task::block_in_place(|| names.path(&made.variant.file_name, &bytes))?;
    files.push(MadeFile { path, bytes, fitting, format });
    Ok(())
}

/// Names of files in a folder of the site, so that no file of somebody else is replaced.
struct FileNames {
    site: SiteFolder,
    folder: String,
    /// Paths by their small letters: some hosts do not tell letters apart.
    there: BTreeMap<String, String>,
    given: BTreeMap<String, String>,
    /// What all files weigh that were given a name.
    weight: Bytes,
}

impl FileNames {
    fn of(site: &SiteFolder, folder: &str) -> Result<Self, PublicationError> {
        let all = match archive::files_below(&site.root().join(folder)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Vec::new(),
            all => all.map_err(SiteError::from)?,
        };
        let there = all.into_iter().map(|name| format!("{folder}/{name}"));
        let there = there.map(|path| (path.to_lowercase(), path)).collect();
        let (site, folder) = (site.clone(), folder.to_owned());
        Ok(Self { site, folder, there, given: BTreeMap::new(), weight: Bytes(0) })
    }

    /// Where the file called `name` goes: under that name, or where something else has it, with a part
    /// of its hash in it.
    fn path(&mut self, name: &str, bytes: &[u8]) -> Result<String, PublicationError> {
        let hash = hash_of(bytes);
        let (stem, extension) = name.rsplit_once('.').unwrap_or((name, ""));
        let names = [name.to_owned(), format!("{stem}-{}.{extension}", &hash[..8])];
        for name in &names {
            let path = format!("{}/{name}", self.folder);
            let small = path.to_lowercase();
            let is_given = self.given.get(&small).is_some_and(|other| *other != hash);
            let is_taken = match self.there.get(&small) {
                None => false,
                Some(there) if *there != path => true,
                Some(_) => {
                    let now = self.site.read(&path).map_err(SiteError::from)?;
                    now.is_some_and(|now| hash_of(&now) != hash)
                }
            };
            if !is_given && !is_taken {
                self.given.insert(small, hash);
                return Ok(path);
            }
        }
        let [_, hashed] = names;
        Ok(format!("{}/{hashed}", self.folder))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_file_of_somebody_else_is_replaced() {
        let home = tempfile::tempdir().unwrap();
        let site = SiteFolder::open(home.path()).unwrap();
        site.write("made/Dome.webp", b"theirs", None).unwrap();
        site.write("made/hall.webp", b"ours", None).unwrap();
        let mut names = FileNames::of(&site, "made").unwrap();
        let dome = names.path("dome.webp", b"new").unwrap();
        assert_eq!(
            dome,
            format!("made/dome-{}.webp", &hash_of(b"new")[..8]),
            "letters alone differ"
        );
        assert_eq!(names.path("hall.webp", b"ours").unwrap(), "made/hall.webp", "it is the same");
        assert_ne!(names.path("hall.webp", b"other").unwrap(), "made/hall.webp");
        assert_eq!(names.path("new.webp", b"1").unwrap(), "made/new.webp");
        assert_eq!(names.path("new.webp", b"1").unwrap(), "made/new.webp");
        assert_ne!(names.path("new.webp", b"2").unwrap(), "made/new.webp", "of two one has it");
    }

    #[test]
    fn pages_are_known_by_the_paths_of_their_addresses() {
        let path = |address| path_at(address).unwrap();
        assert_eq!(path("http://127.0.0.1:4901/index.html"), "index.html");
        assert_eq!(path("https://tarnlight.example/visit/"), "visit/index.html");
        assert_eq!(path("folder:/a%20b.html"), "a b.html");
    }
}

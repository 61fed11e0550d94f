//! What is wanted: which places of a site get files, of which picture.

use std::collections::BTreeMap;

use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::{BoxSize, Boxes};
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::place::ServedFile;
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::recognise::{Likeness, Signature};
use brisk_margin_core::shown_by::ShownBy;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_site::measured::FoundPlace;
use brisk_margin_site::publishing::folder::SiteFolder;
use uuid::Uuid;

use super::Wish;
use crate::publishing::measuring::MeasuredSite;
use crate::publishing::path_of;
use crate::publishing::places::{LeftPlace, LeftReason, PlaceAt};
use crate::publishing::sets::Wanted;

/// Shapes of files may differ by so much and be of one picture.
const SAME_SHAPE: f64 = 0.02;

/// What is wanted for the places of a site, and which are left.
pub(super) fn wanted(
    site: &MeasuredSite,
    folder: &SiteFolder,
    wish: &Wish,
) -> (Vec<Wanted>, Vec<LeftPlace>) {
    let (mut all, mut left): (Vec<Wanted>, Vec<LeftPlace>) = (Vec::new(), Vec::new());
    for at in site.places() {
        let place = site.place(at);
        if place.details.files.values().all(|files| files.is_empty()) {
            // An element that waits for a picture.
            continue;
        }
        match found(site, at, folder, wish) {
            Err(reason) => left.push(site.left(at, reason)),
            Ok(found) => add(&mut all, found, at),
        }
    }
    for (_, page) in &site.pages {
        left.extend(page.fixed.iter().map(|fixed| LeftPlace {
            page: path_of(&site.origin, &page.address).unwrap_or_default(),
            selector: fixed.selector.clone(),
            reason: LeftReason::Fixed(fixed.reason),
        }));
    }
    (all, left)
}

/// A place, with the picture that it shows.
struct FoundPicture {
    source: String,
    slot: Slot,
}

fn found(
    site: &MeasuredSite,
    at: PlaceAt,
    folder: &SiteFolder,
    wish: &Wish,
) -> Result<FoundPicture, LeftReason> {
    let place = site.place(at);
    let details = &place.details;
    let holder = match details.shown_by {
        Some(ShownBy::Img | ShownBy::Picture) => Holder::Element,
        Some(ShownBy::Background) => Holder::Background,
        Some(other) => return Err(LeftReason::OneFile(other)),
        None => return Err(LeftReason::NotInSource),
    };
    let (source, size) = source(site, place, folder)?;
    if source.starts_with(&format!("{}/", wish.folder)) {
        return Err(LeftReason::Applied);
    }
    if details.painting == ObjectFit::Natural {
        return Err(LeftReason::OwnSize);
    }
    if !details.boxes.values().any(|size| size.is_shown()) {
        return Err(LeftReason::NotShown);
    }
    let slot = slot(place, holder, size, wish);
    Ok(FoundPicture { source, slot })
}

/// The largest file that a place shows, by its path, where all are of one picture.
fn source(
    site: &MeasuredSite,
    place: &FoundPlace,
    folder: &SiteFolder,
) -> Result<(String, Size), LeftReason> {
    let files = place.details.files.values().flat_map(|at| at.values());
    let mut largest: Option<(&ServedFile, Size)> = None;
    let mut shapes: Vec<f64> = Vec::new();
    for file in files {
        if !file.url.starts_with(&site.origin) {
            return Err(LeftReason::Elsewhere(host_of(&file.url)));
        }
        let format = file.format.as_deref().and_then(SourceFormat::named);
        if format == Some(SourceFormat::Svg) {
            return Err(LeftReason::Drawing);
        }
        let Some((width, height)) = file.size.filter(|_| format.is_some()) else {
            return Err(LeftReason::Unreadable("it does not load".to_owned()));
        };
        let size = Size::new(width, height);
        shapes.push(size.aspect());
        if largest.is_none_or(|(_, known)| known.pixels() < size.pixels()) {
            largest = Some((file, size));
        }
    }
    let Some((file, size)) = largest else { return Err(LeftReason::NotShown) };
    let alike = |shape: &f64| (shape / size.aspect() - 1.0).abs() <= SAME_SHAPE;
    if !shapes.iter().all(alike) {
        return Err(LeftReason::SeveralPictures);
    }
    let path = path_of(&site.origin, &file.url).unwrap_or_default();
    match folder.file(&path) {
        Ok(file) if file.is_file() => Ok((path, size)),
        Ok(_) => Err(LeftReason::Unreadable("there is no such file in the folder".to_owned())),
        Err(error) => Err(LeftReason::Unreadable(error.to_string())),
    }
}

fn host_of(address: &str) -> String {
    let host = url::Url::parse(address).ok().and_then(|url| url.host_str().map(str::to_owned));
    host.unwrap_or_else(|| address.to_owned())
}

/// The slot of a place that shows a picture of `size`. Where the page holds the picture elsewhere than
/// in its middle, nothing is cut off the files, and the page goes on as before.
fn slot(place: &FoundPlace, holder: Holder, size: Size, wish: &Wish) -> Slot {
    let details = &place.details;
    let is_centred = details.position == "50% 50%";
    let whole = |boxes: &Boxes| -> Boxes {
        let rendered = |size_: BoxSize| match size_.is_shown() {
            true => size_.rendered(Fit::Cover, size.aspect()),
            false => size_,
        };
        boxes.iter().map(|(&viewport, &size)| (viewport, rendered(size))).collect()
    };
    let fit = Fit::from(details.painting);
    let (fit, measured, looked_at) = match fit.crops() && !is_centred {
        true => (Fit::Width, whole(&details.boxes), whole(&details.rendered)),
        false => (fit, details.boxes.clone(), details.rendered.clone()),
    };
    // What a style sheet fills is a background, whatever stands around it.
    let kind = if holder == Holder::Background { PlaceKind::Background } else { place.kind };
    let mut slot = Slot::recognised(Uuid::nil(), kind, &place.loose, fit, measured, looked_at);
    slot.densities.clone_from(&wish.densities);
    slot
}

/// Adds a place to those that want the same.
fn add(all: &mut Vec<Wanted>, found: FoundPicture, at: PlaceAt) {
    let FoundPicture { source, slot } = found;
    let signature = signature(&slot);
    let same = all.iter_mut().find(|known| {
        let by_style = known.slot.holder() == Holder::Background;
        known.source == source
            && known.slot.holder() == slot.holder()
            // One declaration serves all places that a style sheet fills with the file.
            && (by_style || Signature::likeness(&self::signature(&known.slot), &signature) == Likeness::Same)
    });
    match same {
        None => {
            all.push(Wanted { source, picture: None, fingerprint: None, slot, places: vec![at] })
        }
        Some(known) => {
            join(&mut known.slot.measured, &slot.measured);
            join(&mut known.slot.looked_at, &slot.looked_at);
            known.places.push(at);
        }
    }
}

fn signature(slot: &Slot) -> Signature {
    let selector = slot.selector.clone().unwrap_or_default();
    Signature { selector, kind: slot.kind, boxes: slot.measured.clone() }
}

/// At each viewport the larger box counts.
fn join(boxes: &mut Boxes, others: &Boxes) {
    for (&viewport, &other) in others {
        let known: &mut BTreeMap<u32, BoxSize> = boxes;
        let size = known.entry(viewport).or_insert(other);
        if other.width * other.height > size.width * size.height {
            *size = other;
        }
    }
}

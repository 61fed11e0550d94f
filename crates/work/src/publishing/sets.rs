//! Sets: the files that places of a site are given, and what browsers are offered of them.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::describe::Description;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::markup::background::Background;
use brisk_margin_core::markup::caption::{PageCaption, caption_to_write};
use brisk_margin_core::markup::picture::{Loading, Offer, PictureElement};
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::set_plan::{self, SetPart};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_site::measured::FoundPlace;
use uuid::Uuid;

use super::ChangedPlace;
use super::manner::Manner;
use super::measuring::{MeasuredSite, encoded};
use super::places::PlaceAt;

/// A file is worth another one where that is lighter by this share.
const WORTH: f64 = 0.97;

/// What is wanted of a picture.
#[derive(Debug, Clone)]
pub(crate) struct Wanted {
    /// The picture that is shown today, by its path.
    pub(crate) source: String,
    /// The picture of the library that its files are made of, where there is one.
    pub(crate) picture: Option<Uuid>,
    /// What stands for all its files, where they are the library's.
    pub(crate) fingerprint: Option<String>,
    /// What they are for.
    pub(crate) slot: Slot,
    /// Where they are shown.
    pub(crate) places: Vec<PlaceAt>,
}

/// The files for some places.
pub(crate) struct MadeSet {
    pub(crate) wanted: Wanted,
    pub(crate) files: SetFiles,
    pub(crate) text: SetText,
}

/// What the elements that show a set say beside its files.
#[derive(Debug, Clone, Default)]
pub(crate) struct SetText {
    /// What they say instead of their alternative text, by place; nothing where that stays.
    pub(crate) alts: BTreeMap<PlaceAt, String>,
    /// Where they hold the picture, as `object-position`; nothing where that stays.
    pub(crate) position: Option<String>,
    /// What is said of the picture, where it is of the library.
    pub(crate) description: Option<Description>,
    /// The places that showed another one.
    pub(crate) others: BTreeSet<PlaceAt>,
    /// The places that are meant to look otherwise.
    pub(crate) restyled: BTreeSet<PlaceAt>,
}

impl SetText {
    /// What the caption of the place `at` is to hold, as HTML; nothing where it stays.
    pub(crate) fn caption(&self, at: PlaceAt, now: PageCaption<'_>) -> Option<String> {
        caption_to_write(now, self.description.as_ref()?, self.others.contains(&at))
    }
}

/// The files of a set.
pub(crate) struct SetFiles {
    pub(crate) parts: Vec<SetPart>,
    /// The same where one element offers them alone; nothing where no file was made for that.
    pub(crate) single: Vec<SetPart>,
    /// Those that only some browsers read first.
    pub(crate) formats: Vec<Format>,
    pub(crate) files: Vec<MadeFile>,
    /// How many of them were encoded now.
    pub(crate) encoded: usize,
    pub(crate) densities: Vec<Density>,
}

/// A file that was made.
pub(crate) struct MadeFile {
    /// Its path on the site.
    pub(crate) path: String,
    pub(crate) bytes: Vec<u8>,
    pub(crate) fitting: Fitting,
    pub(crate) format: Format,
}

impl SetFiles {
    /// What browsers are offered in `manner`, with the address of each file by `write`.
    pub(crate) fn offers(&self, manner: Manner, write: &dyn Fn(&str) -> String) -> Vec<Offer> {
        let (parts, formats) = match manner {
            Manner::Sized | Manner::Plain => (&self.parts, &self.formats[..]),
            Manner::SizedSingle | Manner::Single => {
                (&self.single, &self.formats[self.formats.len() - 1..])
            }
            Manner::Attribute => (&self.single, &self.formats[..]),
            Manner::Left => return Vec::new(),
        };
        set_plan::offers(parts, formats, |part, width, format| {
            let fitting = parts[part].widths[width].fitting;
            let own = |file: &&MadeFile| file.format == format && file.fitting == fitting;
            self.files.iter().find(own).map(|file| write(&file.path))
        })
    }

    /// What a style sheet offers.
    pub(crate) fn background(
        &self,
        wanted: &Wanted,
        manner: Manner,
        write: &dyn Fn(&str) -> String,
    ) -> Background {
        let shown = wanted.slot.boxes().iter().filter(|(_, size)| size.is_shown());
        Background {
            selector: String::new(),
            offers: self.offers(manner, write),
            densities: self.densities.clone(),
            viewports: shown.map(|(&viewport, _)| viewport).collect(),
        }
    }

    /// The file that a browser which reads every format downloads.
    pub(crate) fn downloaded(
        &self,
        wanted: &Wanted,
        manner: Manner,
        viewport: u32,
        density: Density,
    ) -> Option<&MadeFile> {
        let write = |path: &str| path.to_owned();
        let path = match wanted.slot.holder() {
            Holder::Background => {
                let background = self.background(wanted, manner, &write);
                // In an attribute the widest screens decide for all.
                let viewport = if manner == Manner::Attribute { u32::MAX } else { viewport };
                background.downloaded(viewport, density, |_| true)?.address.clone()
            }
            Holder::Element => {
                let offers = self.offers(manner, &write);
                let element = PictureElement {
                    offers,
                    alt: String::new(),
                    loading: Loading::Lazy,
                    caption: None,
                };
                let offer = element.taken(viewport, |_| true)?;
                offer.downloaded(viewport, density)?.address.clone()
            }
        };
        self.files.iter().find(|file| file.path == path)
    }
}

impl MadeSet {
    /// The places that get it.
    pub(crate) fn places(&self) -> impl Iterator<Item = PlaceAt> {
        self.wanted.places.iter().copied()
    }

    /// Whether browsers load just its files for the place `at` as the site is, in all their formats.
    pub(crate) fn is_served(&self, site: &MeasuredSite, at: PlaceAt) -> bool {
        [Manner::Plain, Manner::Attribute]
            .into_iter()
            .any(|manner| self.is_loaded(site.place(at), site.place(at), manner))
    }

    /// Whether browsers load just the files that it promises in `manner`, where the place was shown
    /// `before`, at every layout width and density.
    pub(crate) fn is_loaded(&self, before: &FoundPlace, now: &FoundPlace, manner: Manner) -> bool {
        let details = &before.details;
        let shown = details
            .files
            .iter()
            .filter(|(width, _)| details.boxes.get(width).is_some_and(|size| size.is_shown()));
        let mut all =
            shown.flat_map(|(&width, at)| at.keys().map(move |&density| (width, density)));
        all.all(|(width, density)| {
            let promised = self.files.downloaded(&self.wanted, manner, width, density);
            let loaded = now.details.files.get(&width).and_then(|files| files.get(&density));
            match (promised, loaded) {
                (Some(promised), Some(loaded)) => {
                    let is_kept = loaded.url.ends_with(&format!("/{}", encoded(&promised.path)));
                    if !is_kept {
                        let (promised, density) = (&promised.path, density.get());
                        tracing::debug!(width, density, promised, loaded = loaded.url, "not kept");
                    }
                    is_kept
                }
                (None, None) => true,
                _ => false,
            }
        })
    }

    /// Whether it is for the place `at`, and has no files that one element could offer alone.
    pub(crate) fn lacks_single_at(&self, at: PlaceAt) -> bool {
        self.files.single.is_empty() && self.wanted.places.contains(&at)
    }

    /// Whether browsers download less for it in all than they do now.
    pub(crate) fn saves(&self, site: &MeasuredSite) -> bool {
        let mut sums = (0.0, 0.0);
        for &at in &self.wanted.places {
            for (before, after) in self.downloads(site, at, Manner::Plain) {
                sums.0 += before.get() as f64;
                sums.1 += after.get() as f64;
            }
        }
        sums.1 < sums.0 * WORTH
    }

    /// What is downloaded for a place now and then, at each layout width and density that shows it.
    fn downloads<'a>(
        &'a self,
        site: &'a MeasuredSite,
        at: PlaceAt,
        manner: Manner,
    ) -> impl Iterator<Item = (Bytes, Bytes)> + 'a {
        let details = &site.place(at).details;
        let shown = details.files.iter().filter(move |(viewport, _)| {
            details.boxes.get(viewport).is_some_and(|size| size.is_shown())
        });
        shown.flat_map(move |(&viewport, files)| {
            files.iter().filter_map(move |(&density, file)| {
                let then = self.files.downloaded(&self.wanted, manner, viewport, density)?;
                Some((file.bytes, Bytes::of(&then.bytes)))
            })
        })
    }

    /// What is told of a place that offers it.
    pub(crate) fn changed(&self, site: &MeasuredSite, at: PlaceAt, manner: Manner) -> ChangedPlace {
        let offers = self.files.offers(manner, &|path| path.to_owned());
        let named: Vec<&str> =
            offers.iter().flat_map(|o| &o.files).map(|file| file.address.as_str()).collect();
        let files = self.files.files.iter().filter(|file| named.contains(&file.path.as_str()));
        let worst = self.downloads(site, at, manner);
        let worst = worst.fold((Bytes(0), Bytes(0)), |a, b| (a.0.max(b.0), a.1.max(b.1)));
        ChangedPlace {
            page: site.path(at),
            selector: site.place(at).selector.clone(),
            source: self.wanted.source.clone(),
            picture: self.wanted.picture,
            slot: self.wanted.slot.id,
            fingerprint: self.wanted.fingerprint.clone(),
            files: files
                .map(|file| (file.path.clone(), file.fitting.output.width, Bytes::of(&file.bytes)))
                .collect(),
            weight: worst,
            is_single: manner.is_single() && self.files.formats.len() > 1,
            is_as_promised: false,
            is_uncaptioned: false,
            is_restyled: self.text.restyled.contains(&at) || self.text.position.is_some(),
        }
    }
}

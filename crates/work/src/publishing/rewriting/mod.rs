//! Rewriting: the pages and style sheets of a site that offer what was made.
//!
//! - [`tags`]: which tag a place is; [`backgrounds`]: what style sheets and `style` attributes show.

mod backgrounds;
mod tags;

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_archive as archive;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::markup::caption::PageCaption;
use brisk_margin_core::markup::picture::Loading;
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::markup::preload::Preload;
use brisk_margin_core::publication::StepKind;
use brisk_margin_site::publishing::folder::SiteFolder;
use brisk_margin_site::publishing::site_change::NewFile;
use brisk_margin_site::rewriting::address::Addresses;
use brisk_margin_site::rewriting::image::{self, NewImage};
use brisk_margin_site::source::page::PageSource;
use brisk_margin_site::source::splice::{Splice, spliced};
use brisk_margin_site::source::tag::Tag;
use url::Url;

use tags::tags_of;

use super::manner::Manner;
use super::measuring::{MeasuredSite, encoded};
use super::places::{LeftPlace, LeftReason, PlaceAt};
use super::sets::MadeSet;
use super::{SiteError, is_own, new_file, path_of};

/// What is to be written to a site.
pub(super) struct Rewriting {
    pub(super) files: Vec<NewFile>,
    /// Places that no source was found to stand for.
    pub(super) unsaid: BTreeSet<PlaceAt>,
    pub(super) left: Vec<LeftPlace>,
    /// Places whose caption is another one.
    pub(super) captioned: BTreeSet<PlaceAt>,
    /// Backgrounds that a `style` attribute names.
    by_attribute: BTreeSet<PlaceAt>,
}

/// How places say what they offer.
#[derive(Clone, Copy)]
pub(super) struct Said<'a> {
    pub(super) manners: &'a BTreeMap<PlaceAt, Manner>,
    /// Those whose caption stays as it is.
    pub(super) uncaptioned: &'a BTreeSet<PlaceAt>,
}

struct Rewriter<'a> {
    folder: &'a SiteFolder,
    /// Where new files go.
    files_in: &'a str,
    site: &'a MeasuredSite,
    sets: &'a [MadeSet],
    manners: &'a BTreeMap<PlaceAt, Manner>,
    uncaptioned: &'a BTreeSet<PlaceAt>,
    /// Backgrounds that were found in some source.
    said: BTreeSet<PlaceAt>,
    out: Rewriting,
}

/// An element of a page that shows a place.
struct Here<'a> {
    source: &'a PageSource<'a>,
    addresses: &'a Addresses,
    tag: usize,
    at: PlaceAt,
}

impl Rewriting {
    /// Has the places of `sets` offer their files, each in its manner.
    ///
    /// # Errors
    /// Those of the folder.
    pub(super) fn new(
        folder: &SiteFolder,
        site: &MeasuredSite,
        sets: &[MadeSet],
        Said { manners, uncaptioned }: Said<'_>,
        files_in: &str,
    ) -> Result<Self, SiteError> {
        let out = Self {
            files: Vec::new(),
            unsaid: BTreeSet::new(),
            left: Vec::new(),
            captioned: BTreeSet::new(),
            by_attribute: BTreeSet::new(),
        };
        let said = BTreeSet::new();
        let mut rewriter =
            Rewriter { folder, files_in, site, sets, manners, uncaptioned, said, out };
        for page in 0..site.pages.len() {
            rewriter.page(page)?;
        }
        let sheets = archive::files_ending(folder.root(), ".css")?;
        for sheet in sheets.into_iter().filter(|sheet| is_own(sheet)) {
            if !sheet.starts_with(&format!("{files_in}/")) {
                rewriter.sheet(&sheet)?;
            }
        }
        rewriter.note_unsaid();
        rewriter.pictures()?;
        Ok(rewriter.out)
    }

    /// The manner in which a place offers its files.
    pub(super) fn manner(&self, at: PlaceAt, manners: &BTreeMap<PlaceAt, Manner>) -> Manner {
        match manners[&at] {
            Manner::Left => Manner::Left,
            _ if self.by_attribute.contains(&at) => Manner::Attribute,
            manner => manner,
        }
    }

    /// The pages that look otherwise: those that are written, and those that show a background which a
    /// written style sheet fills.
    pub(super) fn changed_pages(&self, site: &MeasuredSite) -> BTreeSet<String> {
        let written = |kind: StepKind| self.files.iter().filter(move |file| file.kind == kind);
        match written(StepKind::Style).next() {
            // Any page may have it.
            Some(_) => site.pages.iter().map(|(path, _)| path.clone()).collect(),
            None => written(StepKind::Page).map(|file| file.path.clone()).collect(),
        }
    }
}

impl Rewriter<'_> {
    fn address(&self, path: &str) -> Url {
        let address = format!("{}/{}", self.site.origin, encoded(path));
        Url::parse(&address).expect("a path on a host is an address")
    }

    /// The places that a page shows as elements, with their sets.
    fn elements(&self, page: usize) -> Vec<(PlaceAt, &MadeSet, Manner)> {
        let sets = self.sets.iter().filter(|set| set.wanted.slot.holder() == Holder::Element);
        let places = sets.flat_map(|set| set.wanted.places.iter().map(move |&at| (at, set)));
        let mut found: Vec<_> = places
            .filter(|(at, _)| at.page == page)
            .map(|(at, set)| (at, set, self.manners[&at]))
            .filter(|(_, _, manner)| *manner != Manner::Left)
            .collect();
        found.sort_by_key(|(at, _, _)| *at);
        found
    }

    fn page(&mut self, page: usize) -> Result<(), SiteError> {
        let (path, measured) = &self.site.pages[page];
        let Some(bytes) = self.folder.read(path)? else { return Ok(()) };
        let source = match PageSource::read(&bytes) {
            Ok(source) => source,
            Err(error) => {
                let reason = LeftReason::Page(error.to_string());
                let places: Vec<PlaceAt> = self.elements(page).iter().map(|one| one.0).collect();
                self.leave(places, &reason);
                return Ok(());
            }
        };
        let addresses = Addresses::new(&self.address(path), source.base());
        let mut changes = Vec::new();
        let (mut unsaid, mut chosen, mut captioned) = (Vec::new(), Vec::new(), Vec::new());
        let tags = tags_of(&source, &addresses, measured);
        for (at, set, manner) in self.elements(page) {
            match tags.get(&at.place) {
                Some(&tag) if self.has_others(&source, &addresses, tag) => chosen.push(at),
                Some(&tag) => {
                    let caption = self.caption(&source, tag, at, set);
                    captioned.extend(caption.is_some().then_some(at));
                    let here = Here { source: &source, addresses: &addresses, tag, at };
                    changes.extend(self.image(&here, set, manner, caption.as_deref()));
                }
                None => unsaid.push(at),
            }
        }
        self.out.captioned.extend(captioned);
        self.leave(unsaid, &LeftReason::NotInSource);
        self.leave(chosen, &LeftReason::SeveralPictures);
        let of_page: Vec<PlaceAt> = self.site.places().filter(|at| at.page == page).collect();
        for range in source.styles() {
            let own = self.styles(&bytes[range.clone()], &addresses, Some(&of_page));
            changes.extend(own.into_iter().map(|change| change.moved(range.start)));
        }
        changes.extend(self.preloads(&source, &addresses, page));
        for tag in source.tags() {
            changes.extend(self.attribute(&source, tag, &addresses, page));
        }
        self.write(path, StepKind::Page, &bytes, changes);
        Ok(())
    }

    /// Whether somebody chose by media queries what an image shows: by colour scheme, or another part of the picture
    /// for phones. What an earlier publication put there is none of that.
    fn has_others(&self, source: &PageSource<'_>, addresses: &Addresses, tag: usize) -> bool {
        let own = format!("{}/", self.files_in);
        let is_own = |tag: &Tag| {
            let first = tag.value("srcset")?.split_ascii_whitespace().next()?;
            let path = path_of(&self.site.origin, addresses.read(first)?.as_str())?;
            Some(path.starts_with(&own))
        };
        let sources = source.picture_of(tag).map(|picture| &picture.sources[..]);
        let mut sources = sources.unwrap_or_default().iter().map(|&at| &source.tags()[at]);
        sources.any(|tag| tag.value("media").is_some() && is_own(tag) != Some(true))
    }

    /// What the caption below a place is to hold; nothing where it stays.
    fn caption(
        &self,
        source: &PageSource<'_>,
        tag: usize,
        at: PlaceAt,
        set: &MadeSet,
    ) -> Option<String> {
        let now = source.caption_of(tag).filter(|_| !self.uncaptioned.contains(&at))?;
        let html = source.text(&now.content);
        set.text.caption(at, PageCaption { html: &html, text: &now.text })
    }

    fn image(
        &self,
        &Here { source, addresses, tag, at }: &Here<'_>,
        set: &MadeSet,
        manner: Manner,
        caption: Option<&str>,
    ) -> Vec<Splice> {
        let details = &self.site.place(at).details;
        let old = source.tags()[tag].value("src").unwrap_or_default();
        let write = |path: &str| addresses.write_like(old, &self.address(path));
        let offers = set.files.offers(manner, &write);
        let loading = Loading::of([details]);
        // What it had by itself, so that its layout is what it was.
        let natural = details.files.values().flat_map(|at| at.values()).find_map(|file| file.size);
        let natural = natural.filter(|_| manner.is_sized() && details.srcset.is_none());
        let size = natural.map(|(width, height)| Size::new(width, height));
        let (alt, position) = (set.text.alts.get(&at), set.text.position.as_deref());
        let alt = alt.map(String::as_str);
        let offers = &offers;
        let new = NewImage { offers, loading, size, alt, position, caption };
        image::change(source, tag, &new)
    }

    /// Links that preload a picture preload the files that it is given: with the old ones the page would load
    /// both.
    fn preloads(&self, source: &PageSource<'_>, addresses: &Addresses, page: usize) -> Vec<Splice> {
        let mut written = BTreeSet::new();
        let links = source.tags().iter().filter_map(|tag| {
            let (number, old) = self.preloaded(tag, addresses, page)?;
            // An earlier publication wrote one for each of several shapes or formats.
            let links = match written.insert(number) {
                true => self.preload_links(&self.sets[number], old, addresses, page)?,
                false => String::new(),
            };
            Some(Splice::new(tag.range.clone(), links))
        });
        links.collect()
    }

    /// The number of the set whose files, or whose picture as it was, `tag` preloads, and an address that
    /// it names.
    fn preloaded<'t>(
        &self,
        tag: &'t Tag,
        addresses: &Addresses,
        page: usize,
    ) -> Option<(usize, &'t str)> {
        let is = |name: &str, value: &str| {
            let mut words = tag.value(name).unwrap_or_default().split_ascii_whitespace();
            words.any(|word| word.eq_ignore_ascii_case(value))
        };
        if tag.name != "link" || !is("rel", "preload") || !is("as", "image") {
            return None;
        }
        let several = tag.value("imagesrcset").unwrap_or_default().split(',');
        let several = several.filter_map(|one| one.split_ascii_whitespace().next());
        let named: Vec<&str> = tag.value("href").into_iter().chain(several).collect();
        let paths: BTreeSet<String> = named
            .iter()
            .filter_map(|one| path_of(&self.site.origin, addresses.read(one)?.as_str()))
            .collect();
        let is_shown = |set: &MadeSet| {
            let here = set.places().filter(|at| at.page == page);
            let files = here.flat_map(|at| self.site.place(at).details.files.values());
            let mut files = files.flat_map(|files| files.values());
            paths.contains(&set.wanted.source)
                || files.any(|file| {
                    path_of(&self.site.origin, &file.url).is_some_and(|path| paths.contains(&path))
                })
        };
        let found = |set: &MadeSet| is_shown(set) && self.shown(set, page).is_some();
        Some((self.sets.iter().position(found)?, named.first()?))
    }

    /// The links that preload `set`, in the manner in which the page shows it; addresses are written as `old` is.
    fn preload_links(
        &self,
        set: &MadeSet,
        old: &str,
        addresses: &Addresses,
        page: usize,
    ) -> Option<String> {
        let manner = self.shown(set, page)?;
        let write = |path: &str| addresses.write_like(old, &self.address(path));
        let links = match set.wanted.slot.holder() {
            Holder::Element => Preload::of_offers(&set.files.offers(manner, &write)),
            Holder::Background => {
                Preload::of_background(&set.files.background(&set.wanted, Manner::Plain, &write))
            }
        };
        Some(links.iter().map(Preload::html).collect())
    }

    /// The manner in which a page shows a set; nothing where it does not.
    fn shown(&self, set: &MadeSet, page: usize) -> Option<Manner> {
        let here = set.places().filter(|at| at.page == page && !self.out.unsaid.contains(at));
        here.map(|at| self.manners[&at]).find(|manner| *manner != Manner::Left)
    }

    fn sheet(&mut self, path: &str) -> Result<(), SiteError> {
        let Some(bytes) = self.folder.read(path)? else { return Ok(()) };
        let addresses = Addresses::new(&self.address(path), None);
        let changes = self.styles(&bytes, &addresses, None);
        self.write(path, StepKind::Style, &bytes, changes);
        Ok(())
    }

    fn write(&mut self, path: &str, kind: StepKind, bytes: &[u8], changes: Vec<Splice>) {
        if changes.is_empty() {
            return;
        }
        // A place may offer its files already.
        if let Some(new) = spliced(bytes, changes).filter(|new| new != bytes) {
            self.out.files.push(new_file(path, kind, Some(bytes), new));
        }
    }

    /// Leaves places as they are.
    fn leave(&mut self, places: Vec<PlaceAt>, reason: &LeftReason) {
        for at in places {
            self.out.left.push(self.site.left(at, reason.clone()));
            self.out.unsaid.insert(at);
        }
    }

    fn note_unsaid(&mut self) {
        let sets = self.sets.iter().filter(|s| s.wanted.slot.holder() == Holder::Background);
        let places = sets.flat_map(|set| set.wanted.places.iter().copied());
        let unsaid = |at: &PlaceAt| self.manners[at] != Manner::Left && !self.said.contains(at);
        let unsaid: Vec<PlaceAt> = places.filter(unsaid).collect();
        self.leave(unsaid, &LeftReason::NotInSource);
    }

    /// The files that pages and style sheets name.
    fn pictures(&mut self) -> Result<(), SiteError> {
        let mut written = BTreeSet::new();
        for set in self.sets {
            let offering = set.wanted.places.iter().filter(|at| !self.out.unsaid.contains(at));
            for manner in
                offering.map(|&at| self.out.manner(at, self.manners)).collect::<BTreeSet<Manner>>()
            {
                let offers = set.files.offers(manner, &|path| path.to_owned());
                let named = offers.iter().flat_map(|offer| &offer.files);
                written.extend(named.map(|file| file.address.clone()));
            }
        }
        for file in self.sets.iter().flat_map(|set| &set.files.files) {
            if written.remove(&file.path) {
                let there = self.folder.read(&file.path)?;
                let new =
                    new_file(&file.path, StepKind::File, there.as_deref(), file.bytes.clone());
                self.out.files.push(new);
            }
        }
        Ok(())
    }
}

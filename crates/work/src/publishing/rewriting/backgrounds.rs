//! Backgrounds: declarations of style sheets and of `style` attributes that offer what was made.

use std::collections::BTreeSet;

use brisk_margin_core::markup::position::Holder;
use brisk_margin_site::rewriting::address::Addresses;
use brisk_margin_site::rewriting::style::{self, EarlierOffer};
use brisk_margin_site::source::page::PageSource;
use brisk_margin_site::source::splice::Splice;
use brisk_margin_site::source::style::{StyleUrl, style_urls};
use brisk_margin_site::source::tag::Tag;

use super::Rewriter;
use crate::publishing::manner::Manner;
use crate::publishing::path_of;
use crate::publishing::places::PlaceAt;
use crate::publishing::sets::MadeSet;

/// Properties of style sheets that show a background.
const BACKGROUNDS: [&str; 2] = ["background", "background-image"];

/// An address that a declaration shows, with what an earlier publication put behind it.
struct OfferedUrl<'a> {
    url: &'a StyleUrl,
    earlier: Option<EarlierOffer>,
    /// All of the style sheet.
    all: &'a [StyleUrl],
}

impl OfferedUrl<'_> {
    /// The addresses that name what it shows.
    fn named(&self) -> impl Iterator<Item = &StyleUrl> {
        let offered = |url: &&StyleUrl| {
            *url == self.url || self.earlier.as_ref().is_some_and(|earlier| earlier.holds(url))
        };
        self.all.iter().filter(offered)
    }
}

impl Rewriter<'_> {
    /// The set that a declaration shows, and what an earlier publication put behind it: the set's place
    /// shows the file that it names, or one of those that were put there.
    fn background(&self, addresses: &Addresses, url: &OfferedUrl<'_>) -> Option<&MadeSet> {
        let is_shown = |path: &str| {
            url.named().any(|url| self.path(addresses, url).is_some_and(|named| named == path))
        };
        let is_left = |at: &PlaceAt| self.manners[at] == Manner::Left;
        self.sets.iter().find(|set| {
            set.wanted.slot.holder() == Holder::Background
                && is_shown(&set.wanted.source)
                && !set.wanted.places.iter().any(is_left)
        })
    }

    fn path(&self, addresses: &Addresses, url: &StyleUrl) -> Option<String> {
        path_of(&self.site.origin, addresses.read(&url.address)?.as_str())
    }

    /// The declarations of `css` that show a single background, without those that an earlier publication
    /// put there.
    fn declared<'u>(
        &self,
        css: &[u8],
        addresses: &Addresses,
        urls: &'u [StyleUrl],
    ) -> Vec<OfferedUrl<'u>> {
        let own = format!("{}/", self.files_in);
        let is_own =
            |url: &StyleUrl| self.path(addresses, url).is_some_and(|path| path.starts_with(&own));
        // Of two in one declaration the second would undo the first.
        let is_alone = |url: &&StyleUrl| {
            !urls.iter().any(|other| other != *url && other.declaration == url.declaration)
        };
        let shows = |url: &&StyleUrl| {
            BACKGROUNDS.contains(&url.property.as_str()) && !url.is_in_function && is_alone(url)
        };
        let declared = urls.iter().filter(shows).map(|url| {
            let earlier = EarlierOffer::behind(css, url, urls, is_own);
            OfferedUrl { url, earlier, all: urls }
        });
        let declared: Vec<OfferedUrl<'_>> = declared.collect();
        let earlier: Vec<EarlierOffer> =
            declared.iter().filter_map(|one| one.earlier.clone()).collect();
        let is_held = |url: &StyleUrl| earlier.iter().any(|earlier| earlier.holds(url));
        declared.into_iter().filter(|one| !is_held(one.url)).collect()
    }

    /// The changes of some CSS; `of` are the places that it can be about, where not all are.
    pub(super) fn styles(
        &mut self,
        css: &[u8],
        addresses: &Addresses,
        of: Option<&[PlaceAt]>,
    ) -> Vec<Splice> {
        let mut changes = Vec::new();
        let mut said = BTreeSet::new();
        let urls = style_urls(css);
        for declared in self.declared(css, addresses, &urls) {
            let url = declared.url;
            if url.rule.is_none() {
                continue;
            }
            let Some(set) = self.background(addresses, &declared) else { continue };
            let write = |path: &str| addresses.write_like(&url.address, &self.address(path));
            let images = set.files.background(&set.wanted, Manner::Plain, &write).images('"');
            changes.extend(style::change_rule(css, url, declared.earlier.as_ref(), &images));
            let places = set.wanted.places.iter().copied();
            said.extend(places.filter(|at| of.is_none_or(|of| of.contains(at))));
        }
        self.said.extend(said);
        changes
    }

    /// The change of a `style` attribute.
    pub(super) fn attribute(
        &mut self,
        source: &PageSource<'_>,
        tag: &Tag,
        addresses: &Addresses,
        page: usize,
    ) -> Vec<Splice> {
        let Some((range, quote)) = tag.quoted("style") else { return Vec::new() };
        let css = &source.bytes()[range.clone()];
        // With references in it the bytes are not what they say.
        if css.contains(&b'&') {
            return Vec::new();
        }
        let inner = if quote == b'"' { '\'' } else { '"' };
        let mut changes = Vec::new();
        let urls = style_urls(css);
        for declared in self.declared(css, addresses, &urls) {
            let Some(set) = self.background(addresses, &declared) else { continue };
            let OfferedUrl { url, earlier, .. } = declared;
            let write = |path: &str| addresses.write_like(&url.address, &self.address(path));
            let images = set.files.background(&set.wanted, Manner::Attribute, &write).images(inner);
            // It knows no viewports, so that the widest get what they need.
            let Some((_, widest)) = images.last() else { continue };
            let change = style::change_attribute(css, url, earlier.as_ref(), widest);
            changes.push(change.moved(range.start));
            let here: Vec<PlaceAt> = set.places().filter(|at| at.page == page).collect();
            self.said.extend(&here);
            self.out.by_attribute.extend(here);
        }
        changes
    }
}

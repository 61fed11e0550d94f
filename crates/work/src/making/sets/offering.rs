//! Offering a set's files to browsers.

use brisk_margin_core::choice::worth_offering;
use brisk_margin_core::format::Format;
use brisk_margin_core::markup::background::Background;
use brisk_margin_core::markup::picture::{Offer, PictureElement};
use brisk_margin_core::markup::position::{Held, Holder, position_rules};
use brisk_margin_core::set_plan;
use brisk_margin_core::units::{Bytes, Density};

use super::{ResponsiveSet, SetFile};

impl ResponsiveSet {
    /// What goes into the page: the element and the style rules for it where the browser crops, or
    /// the style rules of a background. Nothing where no file is to be made.
    pub fn page_text(&self) -> Option<String> {
        if self.decision.excluded.value {
            return None;
        }
        let selector = self.slot.selector_or_default();
        let rules = |held: &Vec<Held>| position_rules(self.slot.holder(), selector, held);
        let style = self.held.as_ref().map(rules);
        Some(match self.slot.holder() {
            Holder::Background => self.background().css() + &style.unwrap_or_default(),
            Holder::Element => {
                let style = style.map(|rules| format!("<style>\n{rules}</style>\n"));
                style.unwrap_or_default() + &self.markup().html()
            }
        })
    }

    /// Which file a browser that reads every format downloads at a viewport and a density.
    pub fn chooser<'a>(&'a self) -> impl Fn(u32, Density) -> Option<&'a SetFile> {
        let markup = self.markup();
        let background = self.background();
        let holder = self.slot.holder();
        move |viewport, density| {
            let chosen = match holder {
                Holder::Background => background.downloaded(viewport, density, |_| true),
                Holder::Element => markup.taken(viewport, |_| true)?.downloaded(viewport, density),
            };
            let address = &chosen?.address;
            self.files.iter().find(|file| file.name == *address)
        }
    }

    /// The formats that are worth offering.
    pub fn offered(&self) -> Vec<Format> {
        let weight = |format: Format| -> Option<Bytes> {
            let files = self.files.iter().filter(|file| file.format == format);
            files.map(|file| Some(file.made.as_ref()?.variant.bytes)).sum()
        };
        worth_offering(&self.formats, weight)
    }

    /// The element that offers the set to browsers; files that were not made yet have their names
    /// in it, too.
    pub fn markup(&self) -> PictureElement {
        let Self { alt, loading, caption, .. } = self;
        PictureElement {
            offers: self.offers(),
            alt: alt.clone(),
            loading: *loading,
            caption: caption.clone(),
        }
    }

    fn background(&self) -> Background {
        let shown = self.slot.boxes().iter().filter(|(_, size)| size.is_shown());
        Background {
            selector: self.slot.selector_or_default().to_owned(),
            offers: self.offers(),
            densities: self.densities.clone(),
            viewports: shown.map(|(&viewport, _)| viewport).collect(),
        }
    }

    fn offers(&self) -> Vec<Offer> {
        set_plan::offers(&self.parts, &self.offered(), |part, width, format| {
            let own =
                |file: &&SetFile| (file.part, file.width, file.format) == (part, width, format);
            self.files.iter().find(own).map(|file| file.name.clone())
        })
    }
}

//! Preloads: what has a browser fetch a picture before it comes to it (HTML Standard, 4.6.7.6).

use std::fmt::Write;

use super::background::Background;
use super::escaped;
use super::picture::Offer;
use crate::format::Format;

/// A link that preloads the file which a range of viewports gets.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Preload {
    /// The narrowest viewport in the range, in CSS pixels.
    from: u32,
    /// The narrowest one beyond it.
    below: Option<u32>,
    format: Format,
    srcset: String,
    sizes: Option<String>,
}

impl Preload {
    /// Those of an element that makes `offers`: in the format that stands first, since browsers that do
    /// not read it skip the link.
    pub fn of_offers(offers: &[Offer]) -> Vec<Self> {
        let Some(first) = offers.first() else { return Vec::new() };
        let of_format = offers.iter().filter(|offer| offer.format == first.format);
        let mut below = None;
        let link = |offer: &Offer| {
            let below = below.replace(offer.from);
            let (srcset, sizes) = (offer.srcset(), Some(offer.sizes.to_string()));
            Self { from: offer.from, below, format: offer.format, srcset, sizes }
        };
        of_format.map(link).collect()
    }

    /// Those of a background.
    pub fn of_background(background: &Background) -> Vec<Self> {
        let srcsets = background.first_srcsets();
        let ends = srcsets.iter().skip(1).map(|(from, ..)| Some(*from)).chain([None]);
        let links = srcsets.iter().zip(ends).map(|((from, format, srcset), below)| Self {
            from: *from,
            below,
            format: *format,
            srcset: srcset.clone(),
            sizes: None,
        });
        links.collect()
    }

    /// As HTML.
    pub fn html(&self) -> String {
        let mut link = "<link rel=\"preload\" as=\"image\"".to_owned();
        let mut media = Vec::new();
        if self.from > 0 {
            media.push(format!("(min-width: {}px)", self.from));
        }
        if let Some(below) = self.below {
            // Viewports can have parts of a pixel where a page is zoomed.
            media.push(format!("(max-width: {}.98px)", below - 1));
        }
        if !media.is_empty() {
            let _ = write!(link, " media=\"{}\"", media.join(" and "));
        }
        if !self.format.is_universal() {
            let _ = write!(link, " type=\"{}\"", self.format.media_type());
        }
        let _ = write!(link, " imagesrcset=\"{}\"", escaped(&self.srcset));
        if let Some(sizes) = &self.sizes {
            let _ = write!(link, " imagesizes=\"{sizes}\"");
        }
        link + ">"
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::markup::picture::File;
    use crate::sizes::Sizes;
    use crate::units::Density;

    fn offer(from: u32, format: Format) -> Offer {
        let file = |width: u32| File {
            address: format!("dome-{from}-{width}.{}", format.extension()),
            size: Size::new(width, 300),
        };
        let sizes = Sizes::of(&[(390, 390.0), (1_280, 1_280.0)].into(), &[]).unwrap();
        Offer { from, format, sizes, files: vec![file(400), file(800)] }
    }

    #[test]
    fn each_range_of_viewports_preloads_what_it_gets() {
        let offers = [
            offer(900, Format::Avif),
            offer(900, Format::Jpeg),
            offer(0, Format::Avif),
            offer(0, Format::Jpeg),
        ];
        let links: Vec<String> = Preload::of_offers(&offers).iter().map(Preload::html).collect();
        assert_eq!(
            links,
            [
                "<link rel=\"preload\" as=\"image\" media=\"(min-width: 900px)\" type=\"image/avif\" \
                 imagesrcset=\"dome-900-400.avif 400w, dome-900-800.avif 800w\" imagesizes=\"100vw\">",
                "<link rel=\"preload\" as=\"image\" media=\"(max-width: 899.98px)\" type=\"image/avif\" \
                 imagesrcset=\"dome-0-400.avif 400w, dome-0-800.avif 800w\" imagesizes=\"100vw\">",
            ]
        );
        assert_eq!(Preload::of_offers(&[]), []);
    }

    #[test]
    fn a_background_preloads_by_density() {
        let background = Background {
            selector: ".hero".into(),
            offers: vec![offer(0, Format::Jpeg)],
            densities: vec![Density::ONE, Density::REFERENCE],
            viewports: [390].into(),
        };
        let links: Vec<String> =
            Preload::of_background(&background).iter().map(Preload::html).collect();
        assert_eq!(
            links[0],
            "<link rel=\"preload\" as=\"image\" media=\"(max-width: 390.98px)\" \
             imagesrcset=\"dome-0-400.jpg 1x, dome-0-800.jpg 2x\">"
        );
    }
}

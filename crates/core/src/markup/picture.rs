//! Pictures: the element that offers a browser all files of a slot (HTML Standard, 4.8.1).

use std::fmt::Write;

use super::{choice, escaped};
use crate::format::Format;
use crate::geometry::Size;
use crate::place::MeasuredPlace;
use crate::sizes::Sizes;
use crate::units::Density;

/// A `<picture>` with all that a page needs of it.
#[derive(Debug, Clone, PartialEq)]
pub struct PictureElement {
    /// What browsers are offered, in the order in which they look; the last is the `<img>` itself.
    pub offers: Vec<Offer>,
    /// What stands for it where it is not seen; empty where it only adorns.
    pub alt: String,
    /// When it is loaded.
    pub loading: Loading,
    /// The content of its `<figcaption>`, as HTML.
    pub caption: Option<String>,
}

/// Files of one format for one shape of a slot.
#[derive(Debug, Clone, PartialEq)]
pub struct Offer {
    /// The narrowest viewport that it is for, in CSS pixels; 0 for any.
    pub from: u32,
    /// Their format.
    pub format: Format,
    /// How wide they are rendered.
    pub sizes: Sizes,
    /// The files, the narrowest first.
    pub files: Vec<File>,
}

/// A file that a browser may choose.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct File {
    /// Its address, without spaces and commas.
    pub address: String,
    /// Its pixels.
    pub size: Size,
}

/// When a browser loads a picture, the most urgent first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Loading {
    /// Before others: it is the largest that is seen first.
    First,
    /// With the page, since it is seen without scrolling.
    WithPage,
    /// When it is scrolled to.
    Lazy,
}

impl Loading {
    /// When pictures in `places` are loaded: as early as the most urgent of them asks.
    pub fn of<'a>(places: impl IntoIterator<Item = &'a MeasuredPlace>) -> Self {
        let urgency = places.into_iter().map(|place| Self::where_seen(place.lcp, place.above_fold));
        urgency.min().unwrap_or(Self::Lazy)
    }

    /// When a picture is loaded that is the largest paint somewhere, or is seen without scrolling.
    pub const fn where_seen(is_largest: bool, is_seen_first: bool) -> Self {
        match (is_largest, is_seen_first) {
            (true, _) => Self::First,
            (false, true) => Self::WithPage,
            (false, false) => Self::Lazy,
        }
    }
}

impl Offer {
    /// Its `srcset`: `dome-400.webp 400w, dome-800.webp 800w`.
    pub fn srcset(&self) -> String {
        let entries =
            self.files.iter().map(|file| format!("{} {}w", file.address, file.size.width));
        entries.collect::<Vec<_>>().join(", ")
    }

    /// The file that a browser chooses of it at `viewport` and `density`.
    pub fn downloaded(&self, viewport: u32, density: Density) -> Option<&File> {
        let widths: Vec<u32> = self.files.iter().map(|file| file.size.width).collect();
        let n = choice::downloaded(&widths, self.sizes.at(viewport), density)?;
        self.files.get(n)
    }

    /// What tells a browser of its files: `srcset` and `sizes`.
    pub fn chosen_by(&self) -> [(&'static str, String); 2] {
        [("srcset", self.srcset()), ("sizes", self.sizes.to_string())]
    }

    /// The file for browsers that read no `srcset`: neither blurred nor very heavy.
    pub fn middle(&self) -> Option<&File> {
        self.files.get(self.files.len() / 2)
    }

    /// As a `<source>`, `sized` with the size that the element has by it.
    pub fn source(&self, sized: bool) -> String {
        let mut tag = "<source".to_owned();
        if self.from > 0 {
            let _ = write!(tag, " media=\"(min-width: {}px)\"", self.from);
        }
        if !self.format.is_universal() {
            let _ = write!(tag, " type=\"{}\"", self.format.media_type());
        }
        match sized {
            true => format!("{tag} {}>", self.attributes()),
            false => {
                let [(_, srcset), (_, sizes)] = self.chosen_by();
                format!("{tag} srcset=\"{}\" sizes=\"{sizes}\">", escaped(&srcset))
            }
        }
    }

    fn attributes(&self) -> String {
        let shape = self.files.last().map_or(Size::new(1, 1), |file| file.size);
        let [(_, srcset), (_, sizes)] = self.chosen_by();
        format!(
            "srcset=\"{}\" sizes=\"{sizes}\" width=\"{}\" height=\"{}\"",
            escaped(&srcset),
            shape.width,
            shape.height
        )
    }
}

impl PictureElement {
    /// The offer that a browser which reads `reads` takes at `viewport`.
    pub fn taken(&self, viewport: u32, reads: impl Fn(Format) -> bool) -> Option<&Offer> {
        self.offers.iter().find(|offer| offer.from <= viewport && reads(offer.format))
    }

    /// As HTML: a `<picture>`, or an `<img>` where one offer is all there is, in a `<figure>` where
    /// it has a caption.
    pub fn html(&self) -> String {
        let Some((last, sources)) = self.offers.split_last() else { return String::new() };
        let mut lines = Vec::new();
        lines.extend(sources.iter().map(|offer| format!("  {}", offer.source(true))));
        let image = self.image(last);
        if sources.is_empty() {
            lines.push(image);
        } else {
            lines.insert(0, "<picture>".to_owned());
            lines.push(format!("  {image}"));
            lines.push("</picture>".to_owned());
        }
        if let Some(caption) = &self.caption {
            lines.iter_mut().for_each(|line| line.insert_str(0, "  "));
            lines.insert(0, "<figure>".to_owned());
            lines.push(format!("  <figcaption>{caption}</figcaption>"));
            lines.push("</figure>".to_owned());
        }
        lines.join("\n") + "\n"
    }

    /// As HTML, where one drawing at `address` stands for all files; `size` is its own.
    pub fn drawing_html(&self, address: &str, size: Size) -> String {
        let image = format!(
            "<img src=\"{}\" width=\"{}\" height=\"{}\" {}>",
            escaped(address),
            size.width,
            size.height,
            self.words()
        );
        match &self.caption {
            None => image + "\n",
            Some(caption) => {
                format!("<figure>\n  {image}\n  <figcaption>{caption}</figcaption>\n</figure>\n")
            }
        }
    }

    /// The attributes that do not depend on files.
    fn words(&self) -> String {
        let loading = match self.loading {
            Loading::First => "loading=\"eager\" fetchpriority=\"high\"",
            Loading::WithPage => "loading=\"eager\"",
            Loading::Lazy => "loading=\"lazy\"",
        };
        format!("alt=\"{}\" {loading} decoding=\"async\"", escaped(&self.alt))
    }

    fn image(&self, offer: &Offer) -> String {
        let source = offer.middle().map_or("", |file| &file.address);
        format!("<img src=\"{}\" {} {}>", escaped(source), offer.attributes(), self.words())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn offer(from: u32, format: Format, widths: &[u32]) -> Offer {
        let file = |&width: &u32| File {
            address: format!("dome-{from}-{width}.{}", format.extension()),
            size: Size::new(width, width / 2),
        };
        let sizes = Sizes::of(&[(390, 390.0), (1_280, 1_280.0)].into(), &[]).unwrap();
        Offer { from, format, sizes, files: widths.iter().map(file).collect() }
    }

    #[test]
    fn the_first_offer_that_a_browser_reads_is_taken() {
        let picture = PictureElement {
            offers: vec![
                offer(900, Format::Avif, &[1_280, 2_560]),
                offer(900, Format::Jpeg, &[1_280, 2_560]),
                offer(0, Format::Avif, &[390, 780]),
                offer(0, Format::Jpeg, &[390, 780]),
            ],
            alt: "The dome & “Vega”".into(),
            loading: Loading::First,
            caption: Some("At dusk".into()),
        };
        let chosen = |viewport, density, reads: fn(Format) -> bool| {
            let density = Density::new(density).unwrap();
            let offer = picture.taken(viewport, reads).unwrap();
            offer.downloaded(viewport, density).unwrap().address.clone()
        };
        assert_eq!(chosen(1_280, 2.0, |_| true), "dome-900-2560.avif");
        assert_eq!(chosen(390, 2.0, |_| true), "dome-0-780.avif");
        assert_eq!(chosen(390, 1.0, |format| format == Format::Jpeg), "dome-0-390.jpg");
        assert_eq!(
            picture.html(),
            "<figure>
  <picture>
    <source media=\"(min-width: 900px)\" type=\"image/avif\" srcset=\"dome-900-1280.avif 1280w, \
             dome-900-2560.avif 2560w\" sizes=\"100vw\" width=\"2560\" height=\"1280\">
    <source media=\"(min-width: 900px)\" srcset=\"dome-900-1280.jpg 1280w, dome-900-2560.jpg \
             2560w\" sizes=\"100vw\" width=\"2560\" height=\"1280\">
    <source type=\"image/avif\" srcset=\"dome-0-390.avif 390w, dome-0-780.avif 780w\" \
             sizes=\"100vw\" width=\"780\" height=\"390\">
    <img src=\"dome-0-780.jpg\" srcset=\"dome-0-390.jpg 390w, dome-0-780.jpg 780w\" \
             sizes=\"100vw\" width=\"780\" height=\"390\" alt=\"The dome &amp; “Vega”\" \
             loading=\"eager\" fetchpriority=\"high\" decoding=\"async\">
  </picture>
  <figcaption>At dusk</figcaption>
</figure>
"
        );
    }

    #[test]
    fn one_format_of_one_shape_needs_no_picture_element() {
        let offers = vec![offer(0, Format::Png, &[64])];
        let loading = Loading::Lazy;
        let html = PictureElement { offers, alt: String::new(), loading, caption: None }.html();
        assert_eq!(
            html,
            "<img src=\"dome-0-64.png\" srcset=\"dome-0-64.png 64w\" sizes=\"100vw\" width=\"64\" \
             height=\"32\" alt=\"\" loading=\"lazy\" decoding=\"async\">\n"
        );
    }
}

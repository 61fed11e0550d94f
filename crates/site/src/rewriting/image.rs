//! Images: an `<img>` or `<picture>` of a page that offers new files (HTML Standard, 4.8.1 to 4.8.4).
//!
//! Its class, id, handlers, alternative text and all else stay as they are written. A `<picture>` around
//! it has no box of its own (CSS Display 3, `display: contents`), and no space in it that could be seen.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::markup::picture::{Loading, Offer};

use crate::source::page::PageSource;
use crate::source::splice::Splice;

/// What an image of a page offers from now on.
#[derive(Debug, Clone, PartialEq)]
pub struct NewImage<'a> {
    /// In the order in which browsers look; the last is the `<img>` itself, and the only one where no
    /// `<picture>` is to be around it.
    pub offers: &'a [Offer],
    /// When it is loaded.
    pub loading: Loading,
    /// The size that an `<img>` which names none is given.
    pub size: Option<Size>,
    /// What it says instead of its alternative text; nothing where that stays.
    pub alt: Option<&'a str>,
    /// Where it is held in its box from now on, as `object-position`; nothing where that stays.
    pub position: Option<&'a str>,
    /// What its figure's caption holds instead, as HTML; nothing where that stays.
    pub caption: Option<&'a str>,
}

/// What is to be changed for the `<img>` that is the tag `at` of `page` to offer `new`.
pub fn change(page: &PageSource<'_>, at: usize, new: &NewImage<'_>) -> Vec<Splice> {
    let image = &page.tags()[at];
    let Some((own, others)) = new.offers.split_last() else { return Vec::new() };
    let mut changes: Vec<Splice> = Vec::new();
    if let Some(middle) = own.middle() {
        changes.push(image.set("src", &middle.address));
    }
    changes.extend(own.chosen_by().map(|(name, value)| image.set(name, &value)));
    if let Some(size) = new.size.filter(|_| !image.names_size()) {
        changes.push(image.set("width", &size.width.to_string()));
        changes.push(image.set("height", &size.height.to_string()));
    }
    changes.extend(new.alt.map(|alt| image.set("alt", alt)));
    if let Some(position) = new.position {
        let own = image.value("style").unwrap_or_default().trim_end().trim_end_matches(';');
        let before = if own.is_empty() { String::new() } else { format!("{own};") };
        changes.push(image.set("style", &format!("{before}object-position:{position}")));
    }
    if let (Some(caption), Some(html)) = (page.caption_of(at), new.caption) {
        changes.push(Splice::new(caption.content.clone(), html));
    }
    match new.loading {
        // It would wait for the layout, though it is what a visitor waits for.
        Loading::First => {
            let waits = image.value("loading").is_some_and(|v| v.eq_ignore_ascii_case("lazy"));
            changes.extend(waits.then(|| image.set("loading", "eager")));
            changes.extend(image.set_where_silent("fetchpriority", "high"));
        }
        Loading::WithPage => {}
        Loading::Lazy => changes.extend(image.set_where_silent("loading", "lazy")),
    }
    changes.extend(image.set_where_silent("decoding", "async"));
    // A source's size is the element's, whatever that says itself.
    let several = new.offers.iter().any(|offer| offer.from != own.from);
    let sized = several && new.size.is_some();
    let sources: String = others.iter().map(|offer| offer.source(sized)).collect();
    match page.picture_of(at) {
        Some(picture) => {
            let old = picture.sources.iter().map(|&source| page.tags()[source].range.clone());
            changes.extend(old.map(|range| Splice::new(range, "")));
            // In one without a box of its own they were hidden.
            let is_hidden = |&at: &usize| page.tags()[at].value("hidden").is_some();
            let sources = match picture.sources.iter().any(is_hidden) {
                true => sources.replace("<source ", "<source hidden "),
                false => sources,
            };
            changes.push(Splice::insert(image.range.start, sources));
        }
        None if others.is_empty() => {}
        None => {
            // Without a box around them sources would be items of a flex or grid container.
            let sources = sources.replace("<source ", "<source hidden ");
            let open = format!("<picture style=\"display:contents\">{sources}");
            changes.push(Splice::insert(image.range.start, open));
            changes.push(Splice::insert(image.range.end, "</picture>"));
        }
    }
    let encode = |change: Splice| match String::from_utf8(change.text) {
        Ok(text) => Splice::new(change.range, page.encoded(&text)),
        Err(bytes) => Splice::new(change.range, bytes.into_bytes()),
    };
    changes.into_iter().map(encode).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::splice::spliced;
    use brisk_margin_core::format::Format;
    use brisk_margin_core::markup::picture::File;
    use brisk_margin_core::sizes::Sizes;

    fn offer(format: Format) -> Offer {
        let file = |width: u32| File {
            address: format!("v/dome-{width}.{}", format.extension()),
            size: Size::new(width, width / 2),
        };
        let sizes = Sizes::of(&[(390, 300.0), (1_280, 300.0)].into(), &[]).unwrap();
        Offer { from: 0, format, sizes, files: vec![file(300), file(600)] }
    }

    fn changed(page: &str, offers: &[Offer], loading: Loading) -> String {
        let size = Some(Size::new(300, 150));
        let source = PageSource::read(page.as_bytes()).unwrap();
        let at = source.tags().iter().position(|tag| tag.name == "img").unwrap();
        let changes = change(
            &source,
            at,
            &NewImage { offers, loading, size, alt: None, position: None, caption: None },
        );
        String::from_utf8(spliced(page.as_bytes(), changes).unwrap()).unwrap()
    }

    #[test]
    fn it_says_what_it_is_told_to_say_and_where_it_is_held() {
        let said = |page: &str| {
            let source = PageSource::read(page.as_bytes()).unwrap();
            let (alt, position) = (Some("The \"dome\""), Some("50% 20%"));
            let offers = &[offer(Format::Jpeg)];
            let new = NewImage {
                offers,
                loading: Loading::WithPage,
                size: None,
                alt,
                position,
                caption: None,
            };
            let made = spliced(page.as_bytes(), change(&source, 0, &new)).unwrap();
            String::from_utf8(made).unwrap()
        };
        let styled = said("<img src=a.jpg alt=old style='width:100%; '>");
        assert!(styled.contains("alt=\"The &quot;dome&quot;\""), "{styled}");
        assert!(styled.contains("style='width:100%;object-position:50% 20%'"), "{styled}");
        assert!(said("<img src=a.jpg>").contains("style=\"object-position:50% 20%\""));
    }

    #[test]
    fn a_figure_says_what_it_is_told_below_its_picture() {
        let page = b"<meta charset=latin1><figure><img src=a.jpg><figcaption><b>Old</b></figcaption></figure>";
        let source = PageSource::read(page).unwrap();
        let at = source.tags().iter().position(|tag| tag.name == "img").unwrap();
        let (offers, loading) = (&[offer(Format::Jpeg)], Loading::WithPage);
        let caption = Some("Caf\u{e9} <small>Ida</small>");
        let new = NewImage { offers, loading, size: None, alt: None, position: None, caption };
        let made = spliced(page, change(&source, at, &new)).unwrap();
        let told = b"<figcaption>Caf\xe9 <small>Ida</small></figcaption></figure>";
        assert!(made.ends_with(told), "{}", String::from_utf8_lossy(&made));
    }

    #[test]
    fn a_picture_without_a_box_that_is_written_once_more_keeps_its_sources_hidden() {
        let offers = [offer(Format::Webp), offer(Format::Jpeg)];
        let once = changed("<p><img src=m/dome.jpg></p>", &offers, Loading::WithPage);
        let source = PageSource::read(once.as_bytes()).unwrap();
        let at = source.tags().iter().position(|tag| tag.name == "img").unwrap();
        let size = Some(Size::new(300, 150));
        let (offers, loading) = (&offers[..], Loading::WithPage);
        let new = NewImage { offers, loading, size, alt: None, position: None, caption: None };
        let twice = spliced(once.as_bytes(), change(&source, at, &new)).unwrap();
        assert_eq!(String::from_utf8(twice).unwrap(), once);
        let theirs = "<picture><source srcset=a.webp><img src=m/dome.jpg></picture>";
        assert!(!changed(theirs, offers, loading).contains("hidden"));
    }

    #[test]
    fn one_format_changes_the_image_itself_and_nothing_else_of_it() {
        let page = "<a\thref=x><IMG onclick='go(1 > 0)' CLASS=hero src='m/dome.jpg'   alt=\"The\ndome\" \
            data-x width=300 height=150 /></a>";
        assert_eq!(
            changed(page, &[offer(Format::Jpeg)], Loading::WithPage),
            "<a\thref=x><IMG onclick='go(1 > 0)' CLASS=hero src='v/dome-600.jpg'   alt=\"The\ndome\" \
             data-x width=300 height=150 srcset=\"v/dome-300.jpg 300w, v/dome-600.jpg 600w\" \
             sizes=\"300px\" decoding=\"async\" /></a>"
        );
    }

    #[test]
    fn several_formats_are_put_around_it_without_a_box_or_a_space() {
        let page = "<p> <img src=m/dome.jpg loading=lazy> </p>";
        let offers = [offer(Format::Webp), offer(Format::Jpeg)];
        assert_eq!(
            changed(page, &offers, Loading::First),
            "<p> <picture style=\"display:contents\"><source hidden type=\"image/webp\" \
             srcset=\"v/dome-300.webp 300w, v/dome-600.webp 600w\" sizes=\"300px\"><img src=\"v/dome-600.jpg\" loading=\"eager\" \
             srcset=\"v/dome-300.jpg 300w, v/dome-600.jpg 600w\" sizes=\"300px\" width=\"300\" \
             height=\"150\" fetchpriority=\"high\" decoding=\"async\"></picture> </p>"
        );
    }

    #[test]
    fn a_picture_that_is_there_keeps_its_element_and_loses_its_old_sources() {
        let page = "<picture class=p>\n <source srcset=a.webp type=image/webp><!-- kept -->\n \
            <img src=a.jpg srcset='b.jpg 2x' width=3 decoding=sync>\n</picture>";
        let made = changed(page, &[offer(Format::Webp), offer(Format::Png)], Loading::Lazy);
        assert_eq!(
            made,
            "<picture class=p>\n <!-- kept -->\n <source type=\"image/webp\" \
             srcset=\"v/dome-300.webp 300w, v/dome-600.webp 600w\" sizes=\"300px\"><img src=\"v/dome-600.png\" srcset='v/dome-300.png 300w, v/dome-600.png \
             600w' width=3 decoding=sync sizes=\"300px\" loading=\"lazy\">\n</picture>"
        );
    }
}

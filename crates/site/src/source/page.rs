//! Pages: the tags of an HTML file, with the bytes where each stands (HTML Standard, 13.2.5).

use std::collections::BTreeMap;
use std::ops::Range;

use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};
use html5gum::emitters::default::DefaultEmitter;
use html5gum::{Token, Tokenizer};
use thiserror::Error;

use super::tag::Tag;

/// So far into a page browsers look for its encoding, in bytes (HTML Standard, 13.2.3.2).
const ENCODING_SOUGHT: usize = 1_024;

/// A page as it is written.
#[derive(Debug, Clone)]
pub struct PageSource<'a> {
    bytes: &'a [u8],
    encoding: &'static Encoding,
    tags: Vec<Tag>,
    styles: Vec<Range<usize>>,
    pictures: Vec<PictureTags>,
    captions: Vec<CaptionTags>,
}

/// The caption of a `<figure>` with one image.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CaptionTags {
    /// The place of its `<img>` among the page's tags.
    pub image: usize,
    /// What is between `<figcaption>` and `</figcaption>`.
    pub content: Range<usize>,
    /// The words in it, with single spaces.
    pub text: String,
}

/// A `<figure>` that is open while the page is read.
#[derive(Default)]
struct OpenFigure {
    images: Vec<usize>,
    /// Where the content of its caption begins, until that ends.
    begins: Option<usize>,
    text: String,
    caption: Option<Range<usize>>,
}

impl OpenFigure {
    fn ended(self) -> Option<CaptionTags> {
        let [image] = self.images[..] else { return None };
        let text = self.text.split_ascii_whitespace().collect::<Vec<_>>().join(" ");
        Some(CaptionTags { image, content: self.caption?, text })
    }
}

/// A `<picture>`: the places of its tags among those of the page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PictureTags {
    /// Its `<source>` elements.
    pub sources: Vec<usize>,
    /// Its `<img>`.
    pub image: usize,
}

/// Why a page cannot be changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum PageSourceError {
    /// Its letters are not one byte each where HTML needs them to be.
    #[error("the page is in {0}, in which nothing is rewritten; save it as UTF-8")]
    Encoding(&'static str),
    /// It cannot be taken apart.
    #[error("the page's tags cannot be told apart; check its markup")]
    Unreadable,
}

impl<'a> PageSource<'a> {
    /// Reads a page. What is written in comments, scripts and where no script runs is no tag, and what
    /// is in a `<template>` is left out.
    ///
    /// # Errors
    /// [`PageSourceError`].
    pub fn read(bytes: &'a [u8]) -> Result<Self, PageSourceError> {
        let encoding = encoding_of(bytes);
        if !encoding.is_ascii_compatible() || encoding.name() == "ISO-2022-JP" {
            return Err(PageSourceError::Encoding(encoding.name()));
        }
        let mut source = Self {
            bytes,
            encoding,
            tags: Vec::new(),
            styles: Vec::new(),
            pictures: Vec::new(),
            captions: Vec::new(),
        };
        source.find_tags()?;
        Ok(source)
    }

    fn find_tags(&mut self) -> Result<(), PageSourceError> {
        let mut emitter = DefaultEmitter::<usize>::new_with_span();
        emitter.naively_switch_states(true);
        let mut templates = 0_usize;
        let mut style = None;
        let mut open: Option<Vec<usize>> = None;
        let mut figures: Vec<OpenFigure> = Vec::new();
        for token in Tokenizer::new_with_emitter(self.bytes, emitter) {
            match token {
                Ok(Token::StartTag(tag)) => {
                    let name = self.decoded(&tag.name);
                    let range = tag.span.start..tag.span.end;
                    let is_tag = self.bytes.get(range.clone()).is_some_and(|text| {
                        text.first() == Some(&b'<') && text.last() == Some(&b'>')
                    });
                    if !is_tag {
                        return Err(PageSourceError::Unreadable);
                    }
                    templates += usize::from(name == "template");
                    style = (name == "style").then_some(range.end);
                    if templates > 0 {
                        continue;
                    }
                    let values: BTreeMap<String, String> = tag
                        .attributes
                        .iter()
                        .map(|(name, value)| (self.decoded(name), self.decoded(value)))
                        .collect();
                    let at = self.tags.len();
                    match name.as_str() {
                        "picture" => open = Some(Vec::new()),
                        "source" => open.iter_mut().for_each(|sources| sources.push(at)),
                        "img" => {
                            let sources = open.take();
                            let picture = sources.map(|sources| PictureTags { sources, image: at });
                            self.pictures.extend(picture);
                            for figure in &mut figures {
                                figure.images.push(at);
                                // A caption with a picture in it is no line of words.
                                figure.begins = None;
                            }
                        }
                        "figure" => figures.push(OpenFigure::default()),
                        "figcaption" => {
                            if let Some(figure) = figures.last_mut() {
                                figure.begins = Some(range.end);
                            }
                        }
                        _ => {}
                    }
                    self.tags.push(Tag::new(self.bytes, name, range, values));
                }
                Ok(Token::EndTag(tag)) => match &**tag.name {
                    b"template" => templates = templates.saturating_sub(1),
                    b"picture" => open = None,
                    b"figcaption" if templates == 0 => {
                        if let Some(figure) = figures.last_mut() {
                            let content = figure.begins.take().map(|start| start..tag.span.start);
                            // A second one is none of the picture's.
                            figure.caption = figure.caption.take().or(content);
                        }
                    }
                    b"figure" if templates == 0 => {
                        self.captions.extend(figures.pop().and_then(OpenFigure::ended));
                    }
                    b"style" if templates == 0 => {
                        self.styles.extend(style.take().map(|start| start..tag.span.start));
                    }
                    _ => {}
                },
                Ok(Token::String(text)) => {
                    let open = figures.last_mut().filter(|figure| figure.begins.is_some());
                    if let Some(figure) = open {
                        figure.text.push_str(&self.decoded(&text));
                    }
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// Its bytes.
    pub const fn bytes(&self) -> &'a [u8] {
        self.bytes
    }

    /// Its start tags, in their order.
    pub fn tags(&self) -> &[Tag] {
        &self.tags
    }

    /// What is between `<style>` and `</style>`, each time.
    pub fn styles(&self) -> &[Range<usize>] {
        &self.styles
    }

    /// The `<picture>` around the `<img>` that is the tag `image`.
    pub fn picture_of(&self, image: usize) -> Option<&PictureTags> {
        self.pictures.iter().find(|picture| picture.image == image)
    }

    /// The caption of the figure that shows the `<img>` that is the tag `image` and no other.
    pub fn caption_of(&self, image: usize) -> Option<&CaptionTags> {
        self.captions.iter().find(|caption| caption.image == image)
    }

    /// What stands at `range`, with characters as they are in the page's encoding.
    pub fn text(&self, range: &Range<usize>) -> String {
        self.decoded(&self.bytes[range.clone()])
    }

    /// What its `<base>` says that addresses are relative to.
    pub fn base(&self) -> Option<&str> {
        let mut bases = self.tags.iter().filter(|tag| tag.name == "base");
        bases.find_map(|tag| tag.value("href"))
    }

    /// `text` in the page's encoding; what that has no bytes for becomes a reference.
    pub fn encoded(&self, text: &str) -> Vec<u8> {
        self.encoding.encode(text).0.into_owned()
    }

    fn decoded(&self, bytes: &[u8]) -> String {
        // References to characters beyond ASCII come as UTF-8, whatever the page is in.
        match std::str::from_utf8(bytes) {
            Ok(text) => text.to_owned(),
            Err(_) => self.encoding.decode_without_bom_handling(bytes).0.into_owned(),
        }
    }
}

/// The encoding by its mark, by what the page says of itself, or else by what its bytes can be.
fn encoding_of(bytes: &[u8]) -> &'static Encoding {
    if let Some((encoding, _)) = Encoding::for_bom(bytes) {
        return encoding;
    }
    let told = told_encoding(&bytes[..bytes.len().min(ENCODING_SOUGHT)]);
    told.unwrap_or(if std::str::from_utf8(bytes).is_ok() { UTF_8 } else { WINDOWS_1252 })
}

fn told_encoding(head: &[u8]) -> Option<&'static Encoding> {
    let mut told = Tokenizer::new(head).filter_map(|token| {
        let Ok(Token::StartTag(tag)) = token else { return None };
        if **tag.name != *b"meta" {
            return None;
        }
        let value = |name: &[u8]| {
            let found = tag.attributes.iter().find(|(other, _)| ***other == *name);
            found.map(|(_, value)| String::from_utf8_lossy(value).to_ascii_lowercase())
        };
        let content = || {
            let content = value(b"content")?;
            let (_, after) = content.split_once("charset=")?;
            Some(after.trim_matches(['"', '\'', ' ', ';']).to_owned())
        };
        Encoding::for_label(value(b"charset").or_else(content)?.as_bytes())
    });
    // A page that could be read as far as this is in no encoding of two bytes, whatever it says.
    told.next().map(|encoding| if encoding.is_ascii_compatible() { encoding } else { UTF_8 })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn images(page: &[u8]) -> Vec<String> {
        let source = PageSource::read(page).unwrap();
        let images = source.tags().iter().filter(|tag| tag.name == "img");
        images.map(|tag| tag.value("src").unwrap_or_default().to_owned()).collect()
    }

    #[test]
    fn only_what_a_browser_makes_an_element_of_is_a_tag() {
        let page = b"<!doctype html>\r\n<!-- <img src=c> --><!--[if IE]><img src=ie><![endif]-->
            <script>if (a<b) { '<img src=s>' }</script><style>a{content:'<img src=t>'}</style>
            <textarea><img src=ta></textarea><title><img src=ti></title>
            <noscript><img src=n></noscript><template><img src=te></template>
            <svg><image href=x /><![CDATA[<img src=cd>]]></svg><math><mi>x</mi></math>
            <p>a < b & c<p><a href='<img>'>x</a><IMG SRC=one/><img\nsrc = 'a&amp;b.jpg'><img";
        assert_eq!(images(page), ["one/", "a&b.jpg"]);
    }

    #[test]
    fn a_page_keeps_its_encoding() {
        let latin = b"<meta charset=latin1><img src=caf\xe9.jpg>";
        assert_eq!(images(latin), ["caf\u{e9}.jpg"]);
        let source = PageSource::read(latin).unwrap();
        assert_eq!(source.encoded("\u{e9}\u{3a9}"), b"\xe9&#937;");
        assert_eq!(images("\u{feff}<img src='ü.jpg'>".as_bytes()), ["ü.jpg"]);
        let silent = b"<img src=caf\xe9.jpg>";
        assert_eq!(images(silent), ["caf\u{e9}.jpg"], "as browsers guess");
        let wide: Vec<u8> =
            "\u{feff}<img src=a>".encode_utf16().flat_map(|unit| unit.to_le_bytes()).collect();
        let refused = PageSource::read(&wide).unwrap_err();
        assert_eq!(refused, PageSourceError::Encoding("UTF-16LE"));
    }

    #[test]
    fn a_caption_is_that_of_the_only_picture_in_its_figure() {
        let page = "<figure><img src=a><figcaption class=c> The <b>dome</b>\n&amp; hill </figcaption></figure>\
            <figure><img src=b><img src=c><figcaption>Both</figcaption></figure>\
            <figure><a href=x><img src=d></a><figcaption></figcaption></figure>\
            <figure><img src=e><figcaption>Never ended</figure><p>more</p>\
            <template><figure><img src=f><figcaption>x</figcaption></figure></template>";
        let source = PageSource::read(page.as_bytes()).unwrap();
        let of = |src: &str| {
            let at = source.tags().iter().position(|tag| tag.value("src") == Some(src))?;
            let caption = source.caption_of(at)?;
            Some((source.text(&caption.content), caption.text.clone()))
        };
        let dome = (" The <b>dome</b>\n&amp; hill ".to_owned(), "The dome & hill".to_owned());
        assert_eq!(of("a"), Some(dome));
        assert_eq!(of("b"), None, "it is of two");
        assert_eq!(of("d"), Some((String::new(), String::new())));
        assert_eq!((of("e"), of("f")), (None, None));
        let inside = b"<figure><figcaption><img src=a> Dome</figcaption></figure>";
        assert_eq!(PageSource::read(inside).unwrap().captions, []);
    }

    #[test]
    fn a_picture_is_known_by_its_image() {
        let page = b"<picture><source srcset=a><!-- x --><source srcset=b><img src=c></picture>\
            <img src=d><style>.a{}</style>";
        let source = PageSource::read(page).unwrap();
        let at =
            |src: &str| source.tags().iter().position(|tag| tag.value("src") == Some(src)).unwrap();
        assert_eq!(source.picture_of(at("c")).unwrap().sources, [1, 2]);
        assert_eq!(source.picture_of(at("d")), None);
        let styles: Vec<&[u8]> = source.styles().iter().map(|r| &page[r.clone()]).collect();
        assert_eq!(styles, [b".a{}"]);
    }

    proptest! {
        #[test]
        fn tags_stand_where_they_are_said_to(
            pieces in prop::collection::vec(prop::sample::select(vec![
                "<img src=\"a.jpg\">", "<p\r\nclass=x>", "\r\n", "é ü “”", "&eacute;", "<br/>",
                "<!-- x\r\n -->", "<script>\r\nx</script>", "\r", "\0", "< a", "<a b='\r\n>'>",
                "<picture>", "</picture>", "</", "<![CDATA[ ]]>", "<textarea>\n</textarea>", "<?x?>",
            ]), 0..40)
        ) {
            let page = pieces.concat();
            let source = PageSource::read(page.as_bytes()).unwrap();
            for tag in source.tags() {
                let text = &page[tag.range.clone()];
                prop_assert!(text[1..].to_lowercase().starts_with(&tag.name), "{text}");
                prop_assert!(text.ends_with('>'), "{text}");
                if tag.name == "img" {
                    prop_assert_eq!(text, "<img src=\"a.jpg\">");
                }
            }
        }
    }
}

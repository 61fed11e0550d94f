//! Tags: a start tag as it is written, and how its attributes are set without touching the others.

use std::collections::BTreeMap;
use std::ops::Range;

use brisk_margin_core::markup::escaped;

use super::splice::Splice;

/// A start tag of a page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tag {
    /// Its name in small letters.
    pub name: String,
    /// From its `<` to behind its `>`.
    pub range: Range<usize>,
    /// What its attributes say, with characters in place of references to them.
    pub values: BTreeMap<String, String>,
    /// Where its attributes stand, in their order; of one that stands twice the first counts.
    attributes: Vec<Attribute>,
    /// Behind its name.
    name_end: usize,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Attribute {
    /// In small letters.
    name: String,
    /// From its name to the end of its value, quote included.
    range: Range<usize>,
    /// What is between its quotes, and which they are.
    quoted: Option<(Range<usize>, u8)>,
}

impl Tag {
    /// The tag at `range` of `page`, whose attributes say `values`.
    pub(super) fn new(
        page: &[u8],
        name: String,
        range: Range<usize>,
        values: BTreeMap<String, String>,
    ) -> Self {
        let ends = |byte: &u8| byte.is_ascii_whitespace() || *byte == b'/';
        let begins = range.start + 1;
        let inside = &page[begins..range.end - 1];
        // By the bytes: letters that were put in place of others have other lengths (HTML Standard, 13.2.5.8).
        let name_end = begins + inside.iter().position(ends).unwrap_or(inside.len());
        let attributes = attributes(&page[..range.end - 1], name_end);
        Self { name, range, values, attributes, name_end }
    }

    /// What the attribute `name` says.
    pub fn value(&self, name: &str) -> Option<&str> {
        self.values.get(name).map(String::as_str)
    }

    /// Has the attribute `name` say `value`: in its place and quotes where it is there, at the end of
    /// the others where it is not.
    pub fn set(&self, name: &str, value: &str) -> Splice {
        match self.attribute(name) {
            Some(Attribute { quoted: Some((range, quote)), .. }) => {
                let text = match quote {
                    b'\'' => escaped(value).replace('\'', "&#39;"),
                    _ => escaped(value),
                };
                Splice::new(range.clone(), text)
            }
            Some(Attribute { range, .. }) => {
                Splice::new(range.clone(), format!("{name}=\"{}\"", escaped(value)))
            }
            None => {
                let end = self.attributes.last().map_or(self.name_end, |last| last.range.end);
                Splice::insert(end, format!(" {name}=\"{}\"", escaped(value)))
            }
        }
    }

    /// [`set`](Self::set) where it has no attribute `name`.
    pub fn set_where_silent(&self, name: &str, value: &str) -> Option<Splice> {
        self.attribute(name).is_none().then(|| self.set(name, value))
    }

    /// Whether it says how wide or how high it is.
    pub fn names_size(&self) -> bool {
        ["width", "height"].iter().any(|side| self.attribute(side).is_some())
    }

    /// Takes the attribute `name` out, with the space before it; nothing where it is not there.
    pub fn remove(&self, page: &[u8], name: &str) -> Option<Splice> {
        let Range { mut start, end } = self.attribute(name)?.range.clone();
        while page[start - 1].is_ascii_whitespace() {
            start -= 1;
        }
        // What came before it, and what comes behind, stay apart.
        let is_apart = page[end].is_ascii_whitespace() || matches!(page[end], b'>' | b'/');
        Some(Splice::new(start..end, if is_apart { "" } else { " " }))
    }

    /// The bytes between the quotes of the attribute `name`, and which quotes they are; nothing where
    /// it has none.
    pub fn quoted(&self, name: &str) -> Option<(Range<usize>, u8)> {
        self.attribute(name)?.quoted.clone()
    }

    fn attribute(&self, name: &str) -> Option<&Attribute> {
        self.attributes.iter().find(|attribute| attribute.name == name)
    }
}

/// The attributes from `at` on to the end of `page` (HTML Standard, 13.2.5.32 to 40).
fn attributes(page: &[u8], mut at: usize) -> Vec<Attribute> {
    let mut found = Vec::new();
    let until = |from: usize, ends: &dyn Fn(u8) -> bool| {
        let ahead = page[from..].iter().position(|&byte| ends(byte));
        ahead.map_or(page.len(), |ahead| from + ahead)
    };
    let is_space = |byte: u8| matches!(byte, b'\t' | b'\n' | b'\x0C' | b'\r' | b' ');
    loop {
        at = until(at, &|byte| !is_space(byte) && byte != b'/');
        if at >= page.len() {
            return found;
        }
        // A name may begin with an equals sign, but not go on with one.
        let name_end = until(at + 1, &|byte| is_space(byte) || matches!(byte, b'/' | b'='));
        let name = String::from_utf8_lossy(&page[at..name_end]).to_ascii_lowercase();
        let equals = until(name_end, &|byte| !is_space(byte));
        let (end, quoted) = if page.get(equals) != Some(&b'=') {
            (name_end, None)
        } else {
            let value = until(equals + 1, &|byte| !is_space(byte));
            match page.get(value) {
                Some(&quote @ (b'"' | b'\'')) => {
                    let close = until(value + 1, &|byte| byte == quote);
                    ((close + 1).min(page.len()), Some((value + 1..close, quote)))
                }
                _ => (until(value, &is_space), None),
            }
        };
        found.push(Attribute { name, range: at..end, quoted });
        at = end;
    }
}

#[cfg(test)]
mod tests {
    use super::super::page::PageSource;
    use super::super::splice::spliced;

    fn first(page: &str, change: impl Fn(&super::Tag) -> super::Splice) -> String {
        let source = PageSource::read(page.as_bytes()).unwrap();
        let made = spliced(page.as_bytes(), vec![change(&source.tags()[0])]).unwrap();
        String::from_utf8(made).unwrap()
    }

    #[test]
    fn a_value_is_set_in_its_own_quotes_and_all_else_stays_as_it_was_written() {
        let set = |page: &str| first(page, |tag| tag.set("src", "a&b.jpg"));
        assert_eq!(set("<IMG\tSRC = 'x.jpg'  ALT=y>"), "<IMG\tSRC = 'a&amp;b.jpg'  ALT=y>");
        assert_eq!(set("<img src=x.jpg/>"), "<img src=\"a&amp;b.jpg\">");
        assert_eq!(set("<img src=\"\" x/>"), "<img src=\"a&amp;b.jpg\" x/>");
        assert_eq!(set("<img alt=\"a > b\">"), "<img alt=\"a > b\" src=\"a&amp;b.jpg\">");
        assert_eq!(set("<img src alt>"), "<img src=\"a&amp;b.jpg\" alt>");
        assert_eq!(set("<img/>"), "<img src=\"a&amp;b.jpg\"/>");
        assert_eq!(set("<img src=1 SRC=2>"), "<img src=\"a&amp;b.jpg\" SRC=2>");
        assert_eq!(set("<img data-src=\"x\"src='y'>"), "<img data-src=\"x\"src='a&amp;b.jpg'>");
    }

    #[test]
    fn an_apostrophe_does_not_end_a_value_in_single_quotes() {
        assert_eq!(first("<img alt=''>", |tag| tag.set("alt", "it's")), "<img alt='it&#39;s'>");
    }

    #[test]
    fn an_attribute_goes_with_the_space_before_it() {
        let gone = |page: &str| first(page, |tag| tag.remove(page.as_bytes(), "sizes").unwrap());
        assert_eq!(gone("<img a=1 sizes=\"x\" b>"), "<img a=1 b>");
        assert_eq!(gone("<img\n  sizes=x>"), "<img>");
        assert_eq!(gone("<img sizes='x'b=1>"), "<img b=1>");
    }
}

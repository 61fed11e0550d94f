//! Heads: the lines of a page that name its icons, in place of those that did before.

use brisk_margin_core::icon::snippet::is_replaced;
use thiserror::Error;

use crate::source::page::PageSource;
use crate::source::splice::{Splice, spliced};
use crate::source::tag::Tag;

/// Elements that stand in a head, or before it; the first other one ends it.
const IN_HEAD: [&str; 11] = [
    "html", "head", "meta", "title", "link", "base", "style", "script", "noscript", "template",
    "basefont",
];

/// Why a page cannot name icons.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum HeadError {
    /// It has nothing that begins a page.
    #[error("the page has no head that lines could be put into; it may be a part of another one")]
    NoHead,
    /// Its tags overlap.
    #[error("the page's tags cannot be told apart; check its markup")]
    Unreadable,
}

/// `page` with `lines` in its head in place of what named icons before; `with_picture` where they name a sharing picture,
/// too. Nothing else changes.
///
/// # Errors
/// [`HeadError`].
pub fn with_icons(
    page: &PageSource<'_>,
    lines: &[String],
    with_picture: bool,
) -> Result<Vec<u8>, HeadError> {
    let bytes = page.bytes();
    let head: Vec<&Tag> =
        page.tags().iter().take_while(|tag| IN_HEAD.contains(&tag.name.as_str())).collect();
    let goes = |tag: &&&Tag| {
        let says = |name: &str| tag.value(name);
        is_replaced(&tag.name, says("rel"), says("name"), says("property"), with_picture)
    };
    let mut old = head.iter().filter(goes);
    let first = old.next();
    let mut splices = match first {
        Some(tag) => {
            let text = joined(page, lines, tag.range.start);
            vec![Splice::new(tag.range.clone(), text)]
        }
        None => {
            let last = |names: &[&str]| {
                head.iter().rev().find(|tag| names.contains(&tag.name.as_str())).copied()
            };
            // Behind what says the encoding, which has to come early.
            let before = last(&["meta"]).or_else(|| last(&["head"])).or_else(|| last(&["html"]));
            let before = before.ok_or(HeadError::NoHead)?;
            let mut text = gap(bytes, before.range.start);
            text.extend(joined(page, lines, before.range.start));
            vec![Splice::insert(before.range.end, text)]
        }
    };
    for tag in old {
        let mut start = tag.range.start;
        while start > 0 && bytes[start - 1].is_ascii_whitespace() {
            start -= 1;
        }
        splices.push(Splice::new(start..tag.range.end, ""));
    }
    spliced(bytes, splices).ok_or(HeadError::Unreadable)
}

/// `lines`, each begun as the line in which `at` stands.
fn joined(page: &PageSource<'_>, lines: &[String], at: usize) -> Vec<u8> {
    let gap = gap(page.bytes(), at);
    let mut text = Vec::new();
    for (n, line) in lines.iter().enumerate() {
        if n > 0 {
            text.extend_from_slice(&gap);
        }
        text.extend(page.encoded(line));
    }
    text
}

/// What stands between two lines there: a line break as the page has them, and the same room at its begin.
fn gap(bytes: &[u8], at: usize) -> Vec<u8> {
    let line = bytes[..at].iter().rposition(|&byte| byte == b'\n').map_or(0, |end| end + 1);
    let room = bytes[line..at].iter().take_while(|byte| matches!(byte, b' ' | b'\t'));
    let has_returns = bytes.windows(2).any(|pair| pair == b"\r\n");
    let end: &[u8] = if has_returns { b"\r\n" } else { b"\n" };
    end.iter().chain(room).copied().collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn lines() -> Vec<String> {
        ["<link rel=\"icon\" href=\"/favicon.ico\">", "<link rel=\"manifest\" href=\"/m\">"]
            .map(str::to_owned)
            .to_vec()
    }

    fn rewritten(page: &[u8]) -> Result<String, HeadError> {
        let made = with_icons(&PageSource::read(page).unwrap(), &lines(), false)?;
        Ok(String::from_utf8_lossy(&made).into_owned())
    }

    #[test]
    fn what_named_icons_goes_and_all_else_stays_in_the_manner_of_the_page() {
        let page = b"<!doctype html>\r\n<html>\r\n\t<head>\r\n\t<meta charset=utf-8>\r\n\t\
            <link rel='shortcut icon' href=old.ico>\r\n\t<link rel=stylesheet href=a.css>\r\n\t\
            <link rel=apple-touch-icon href=old.png>\r\n\t<title>Visit</title></head>\r\n<body>\
            <link rel=icon href=not-mine></body>";
        let expected = "<!doctype html>\r\n<html>\r\n\t<head>\r\n\t<meta charset=utf-8>\r\n\t\
            <link rel=\"icon\" href=\"/favicon.ico\">\r\n\t<link rel=\"manifest\" href=\"/m\">\r\n\t\
            <link rel=stylesheet href=a.css>\r\n\t<title>Visit</title></head>\r\n<body>\
            <link rel=icon href=not-mine></body>";
        assert_eq!(rewritten(page).unwrap(), expected);
    }

    #[test]
    fn a_page_without_any_gets_them_behind_its_encoding() {
        let page = b"<html><head><meta charset=latin1><title>caf\xe9</title></head><p>x";
        let made = with_icons(&PageSource::read(page).unwrap(), &lines(), false).unwrap();
        assert!(made.starts_with(b"<html><head><meta charset=latin1>\n<link rel=\"icon\""));
        assert!(made.ends_with(b"<title>caf\xe9</title></head><p>x"), "bytes stay");
        assert!(rewritten(b"<head></head><p>x").unwrap().starts_with("<head>\n<link rel=\"icon\""));
        assert_eq!(rewritten(b"<p>a part of a page</p>"), Err(HeadError::NoHead));
    }

    proptest! {
        #[test]
        fn doing_it_twice_is_doing_it_once(
            parts in prop::collection::vec(prop_oneof![
                Just("<link rel=icon href=a>"), Just("<meta name=theme-color content=red>"),
                Just("\n  "), Just("<link rel=stylesheet href=s>"), Just("<title>x</title>"),
                Just("<!-- <link rel=icon> -->"), Just("<script>'<link rel=icon>'</script>"),
            ], 0..12),
        ) {
            let page = format!("<html>\n<head>{}</head>\n<body><p>x</p></body></html>", parts.concat());
            let once = rewritten(page.as_bytes()).unwrap();
            prop_assert_eq!(rewritten(once.as_bytes()).unwrap(), once.clone());
            for line in lines() {
                prop_assert_eq!(once.matches(&line).count(), 1);
            }
            let kept = |text: &str| ["stylesheet", "<title>", "<!-- ", "<script>"]
                .map(|part| text.matches(part).count());
            prop_assert_eq!(kept(&once), kept(&page));
        }
    }
}

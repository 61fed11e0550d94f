//! Captions: what a figure says of its picture, and of who made it (HTML Standard, 4.4.13).

use crate::describe::Description;

/// The content of a `figcaption` as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PageCaption<'a> {
    /// As it is written.
    pub html: &'a str,
    /// Its words.
    pub text: &'a str,
}

/// What a `figcaption` that is `now` is to hold for a picture that is described so, as HTML; nothing where it
/// stays. What a page says of a picture stays as long as it shows the same one, and only a credit that is
/// lacking comes behind it. `is_other` tells that it shows another one from now on.
pub fn caption_to_write(
    now: PageCaption<'_>,
    description: &Description,
    is_other: bool,
) -> Option<String> {
    let whole = description.caption_line()?;
    let own = now.html.trim();
    let next = match now.text.trim().is_empty() || is_other {
        true => whole,
        false => format!("{own} {}", lacking_credit(now.text, description)?),
    };
    (next != own).then_some(next)
}

/// The credit, where `text` names neither who made the picture nor, where nobody is named, its terms.
fn lacking_credit(text: &str, description: &Description) -> Option<String> {
    let credit = description.credit_line()?;
    let named = [&description.creator, &description.licence].into_iter().map(|one| one.trim());
    let named = named.filter(|name| !name.is_empty()).map(str::to_lowercase).next();
    let is_there = named.is_some_and(|name| text.to_lowercase().contains(&name));
    (!is_there).then_some(credit)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn described(caption: &str, creator: &str) -> Description {
        Description {
            caption: caption.to_owned(),
            creator: creator.to_owned(),
            ..Description::default()
        }
    }

    #[test]
    fn a_page_keeps_its_words_and_gets_a_credit_that_is_lacking() {
        let dome = described("The dome & the hill", "Ida Moor");
        let of = |html: &str, text: &str, is_other| {
            caption_to_write(PageCaption { html, text }, &dome, is_other)
        };
        let whole = "The dome &amp; the hill <small>Ida Moor</small>";
        assert_eq!(of("", "", false).as_deref(), Some(whole));
        assert_eq!(of(" Our <b>dome</b> ", "Our dome", true).as_deref(), Some(whole));
        assert_eq!(of(whole, "The dome & the hill Ida Moor", true), None, "it says so");
        assert_eq!(
            of("Our <b>dome</b>", "Our dome", false).as_deref(),
            Some("Our <b>dome</b> <small>Ida Moor</small>")
        );
        assert_eq!(of("Our dome, by ida moor", "Our dome, by ida moor", false), None);
    }

    #[test]
    fn a_picture_that_nobody_described_changes_no_caption() {
        let now = PageCaption { html: "A telescope", text: "A telescope" };
        assert_eq!(caption_to_write(now, &Description::default(), true), None);
        let captioned = described("The dome", "");
        assert_eq!(caption_to_write(now, &captioned, false), None, "there is no credit to add");
        let terms = Description { licence: "CC BY 4.0".to_owned(), ..Description::default() };
        let added = caption_to_write(now, &terms, false).unwrap();
        assert!(added.starts_with("A telescope <small>") && added.contains("CC BY 4.0"), "{added}");
    }
}

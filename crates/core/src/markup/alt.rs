//! Alternative texts: what a page says where a picture is not seen (HTML Standard, 4.8.4.4).

use crate::describe::Description;

/// What an element that says `now`, or nothing, is to say of a picture that is described so; nothing where
/// it stays. A page may say of a picture what fits there alone: that stays as long as it shows the same
/// one. `is_other` tells that it shows another one from now on.
pub fn alt_to_write<'a>(
    now: Option<&str>,
    description: &'a Description,
    is_other: bool,
) -> Option<&'a str> {
    let own = match (description.decorative, description.alt.trim()) {
        (true, _) => "",
        // Nobody described it.
        (false, "") => return None,
        (false, alt) => alt,
    };
    let silent = match now.map(str::trim) {
        None => true,
        // Left empty on purpose, where it only adorns.
        Some("") => !own.is_empty(),
        Some(_) => false,
    };
    ((silent || is_other) && now != Some(own)).then_some(own)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_written_where_none_is_and_where_it_was_of_another_picture() {
        let described = |alt: &str, decorative| Description {
            alt: alt.to_owned(),
            decorative,
            ..Description::default()
        };
        let dome = described("The dome at dusk", false);
        assert_eq!(alt_to_write(None, &dome, false), Some("The dome at dusk"));
        assert_eq!(alt_to_write(Some(""), &dome, false), Some("The dome at dusk"));
        assert_eq!(alt_to_write(Some("Visit us"), &dome, false), None, "it is the page's own");
        assert_eq!(alt_to_write(Some("A telescope"), &dome, true), Some("The dome at dusk"));
        assert_eq!(alt_to_write(Some("The dome at dusk"), &dome, true), None, "it says so");
        let adorns = described("", true);
        assert_eq!(alt_to_write(None, &adorns, false), Some(""));
        assert_eq!(alt_to_write(Some(""), &adorns, false), None);
        assert_eq!(alt_to_write(None, &described("", false), true), None);
    }
}

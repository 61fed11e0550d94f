//! Descriptions: what is said of a picture, and what is to be mended of its alt text.

use serde::{Deserialize, Serialize};

use crate::issue::{Evidence, Issue, IssuePlace};
use crate::markup::escaped;
use crate::naming;

/// Alt text longer than this is read out without a pause by most screen readers, in characters.
pub const LONG_ALT: usize = 150;
/// The longest value of any field, in characters.
pub const MAX_FIELD: usize = 2_000;

/// What is said of a picture; empty where nothing is.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Description {
    /// A few words for people who look for it.
    pub title: String,
    /// What stands for it where it is not seen.
    pub alt: String,
    /// Whether it only adorns, so that its alt text is empty on purpose.
    pub decorative: bool,
    /// A line below it.
    pub caption: String,
    /// Who made it.
    pub creator: String,
    /// Under which terms, in words or as an address.
    pub licence: String,
    /// The address where it is from.
    pub source: String,
}

impl Description {
    /// What is to be mended of the alt text of a picture called `name`, where `others` pictures
    /// have the same one; the most serious first.
    pub fn check_alt(&self, name: &str, others: u64) -> Vec<Issue> {
        let found = self.alt_evidence(name, others).into_iter();
        found.map(|evidence| Issue { place: IssuePlace::AltText, evidence }).collect()
    }

    fn alt_evidence(&self, name: &str, others: u64) -> Vec<Evidence> {
        let alt = self.alt.trim();
        match (self.decorative, alt.is_empty()) {
            (true, true) => return Vec::new(),
            (true, false) => return vec![Evidence::AltNotWanted],
            (false, true) => return vec![Evidence::NoAlt],
            (false, false) => {}
        }
        let characters = alt.chars().count();
        [
            naming::reads_like_a_file(alt, name).then_some(Evidence::AltFileName),
            (characters > LONG_ALT).then_some(Evidence::AltTooLong { characters, limit: LONG_ALT }),
            (others > 0).then_some(Evidence::AltRepeated { others }),
        ]
        .into_iter()
        .flatten()
        .collect()
    }

    /// The caption and the credit as the content of a `figcaption`; nothing where both are empty.
    ///
    /// The creator links to the source, the licence to its own terms where it is an address or
    /// one of the Creative Commons licences.
    pub fn caption_line(&self) -> Option<String> {
        let mut parts = Vec::new();
        if !self.caption.trim().is_empty() {
            parts.push(escaped(self.caption.trim()));
        }
        parts.extend(self.credit_line());
        (!parts.is_empty()).then(|| parts.join(" "))
    }

    /// The credit alone, as [`caption_line`](Self::caption_line) has it.
    pub fn credit_line(&self) -> Option<String> {
        let credit = self.credit();
        (!credit.is_empty()).then(|| format!("<small>{credit}</small>"))
    }

    fn credit(&self) -> String {
        let creator = self.creator.trim();
        let creator = match (creator, address(&self.source)) {
            ("", None) => String::new(),
            ("", Some(source)) => link(source, "Source"),
            (creator, None) => escaped(creator),
            (creator, Some(source)) => link(source, creator),
        };
        let licence = self.licence.trim();
        let licence = match terms(licence) {
            Some(terms) if licence != terms => link(&terms, licence),
            Some(terms) => link(&terms, "Terms"),
            None => escaped(licence),
        };
        [creator, licence]
            .into_iter()
            .filter(|part| !part.is_empty())
            .collect::<Vec<_>>()
            .join(", ")
    }
}

/// `text` where it is an address that a page may link to.
fn address(text: &str) -> Option<&str> {
    let text = text.trim();
    let web = text.starts_with("https://") || text.starts_with("http://");
    (web && !text.contains(char::is_whitespace)).then_some(text)
}

/// Where the terms of `licence` stand: `CC BY-SA 4.0` and its like have addresses of their own.
fn terms(licence: &str) -> Option<String> {
    if let Some(own) = address(licence) {
        return Some(own.to_owned());
    }
    let lower = licence.to_ascii_lowercase();
    let mut words = lower.split_whitespace();
    match (words.next()?, words.next()?, words.next()) {
        ("cc0", version, None) => {
            Some(format!("https://creativecommons.org/publicdomain/zero/{version}/"))
        }
        ("cc", kind, Some(version))
            if ["by", "by-sa", "by-nd", "by-nc", "by-nc-sa", "by-nc-nd"].contains(&kind)
                && ["2.0", "2.5", "3.0", "4.0"].contains(&version) =>
        {
            Some(format!("https://creativecommons.org/licenses/{kind}/{version}/"))
        }
        _ => None,
    }
}

fn link(address: &str, words: &str) -> String {
    format!("<a href=\"{}\">{}</a>", escaped(address), escaped(words))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn findings(alt: &str, decorative: bool, others: u64) -> Vec<Evidence> {
        let description = Description { alt: alt.into(), decorative, ..Description::default() };
        let issues = description.check_alt("DSC_0412.jpg", others);
        issues.into_iter().map(|issue| issue.evidence).collect()
    }

    #[test]
    fn alt_text_is_checked_for_what_a_listener_would_stumble_over() {
        assert_eq!(findings("", false, 0), [Evidence::NoAlt]);
        assert_eq!(findings("", true, 0), []);
        assert_eq!(findings("The dome at dusk", true, 0), [Evidence::AltNotWanted]);
        assert_eq!(findings("The dome at dusk", false, 0), []);
        assert_eq!(findings("DSC_0412", false, 0), [Evidence::AltFileName]);
        assert_eq!(
            findings("dome-dusk.webp", false, 2),
            [Evidence::AltFileName, Evidence::AltRepeated { others: 2 },]
        );
        let long = "Stars over the moor. ".repeat(10);
        assert_eq!(
            findings(&long, false, 0),
            [Evidence::AltTooLong { characters: 209, limit: LONG_ALT }]
        );
    }

    #[test]
    fn the_credit_becomes_a_line_with_links() {
        let mut description = Description {
            caption: "The dome & the <Milky Way>".into(),
            creator: "Ada Fenn".into(),
            licence: "CC BY-SA 4.0".into(),
            source: "https://tarnlight.example/p?a=1&b=2".into(),
            ..Description::default()
        };
        assert_eq!(
            description.caption_line().unwrap(),
            "The dome &amp; the &lt;Milky Way&gt; <small><a href=\"https://tarnlight.example/p?a=1&amp;\
             b=2\">Ada Fenn</a>, <a href=\"https://creativecommons.org/licenses/by-sa/4.0/\">\
             CC BY-SA 4.0</a></small>"
        );
        description.source = "javascript:alert(1)".into();
        description.licence = "All rights reserved".into();
        let line = description.caption_line().unwrap();
        assert!(line.ends_with("<small>Ada Fenn, All rights reserved</small>"), "{line}");
        assert_eq!(Description::default().caption_line(), None);
    }
}

//! Names of pages: by what of their titles tells them apart, or else by their addresses.

use std::collections::{BTreeMap, BTreeSet};

use crate::words::{capitalised, shortened};

/// What stands between the parts of a title.
const SEPARATORS: [&str; 8] = [" · ", " | ", " – ", " — ", " - ", " :: ", " » ", " • "];

/// The most characters of a name.
const LONGEST: usize = 60;

/// A page as far as its name depends on it.
#[derive(Debug, Clone, Copy)]
pub struct TitledPage<'a> {
    /// What its `<title>` says.
    pub title: &'a str,
    /// Where it is.
    pub address: &'a str,
}

/// Names of `pages`, in their order: all different as long as their addresses are.
///
/// A name is the first part of the title that most other pages do not have. Where several pages have
/// that one, or the titles tell nothing, it is the path in words.
///
/// ```
/// use brisk_margin_core::page_name::{TitledPage, page_names};
///
/// let page = |title, address| TitledPage { title, address };
/// let pages = [
///     page("Visit · Tarnlight Observatory", "https://tarnlight.example/visit.html"),
///     page("Tarnlight Observatory", "https://tarnlight.example/"),
///     page("Tarnlight Observatory", "https://tarnlight.example/star-walks/"),
/// ];
/// assert_eq!(page_names(&pages), ["Visit", "Home", "Star walks"]);
/// ```
pub fn page_names(pages: &[TitledPage<'_>]) -> Vec<String> {
    let mut common: BTreeMap<&str, usize> = BTreeMap::new();
    for page in pages {
        let mut parts = parts(page.title);
        parts.sort_unstable();
        parts.dedup();
        for part in parts {
            *common.entry(part).or_default() += 1;
        }
    }
    // What half of all pages have is the site's name, not the page's.
    let is_common = |part: &str| pages.len() > 1 && common[part] * 2 > pages.len();
    let by_title = pages.iter().map(|page| {
        let part = parts(page.title).into_iter().find(|part| !is_common(part));
        part.map(|part| shortened(part, LONGEST))
    });
    let by_title: Vec<Option<String>> = by_title.collect();
    let first = told_apart(pages, |n| by_title[n].clone().unwrap_or_default());
    let second = told_apart(pages, |n| last_of_path(pages[n].address));
    let taken: BTreeSet<&String> = first.iter().flatten().collect();
    (0..pages.len())
        .map(|n| {
            let by_path = second[n].clone().filter(|name| !taken.contains(name));
            first[n].clone().or(by_path).unwrap_or_else(|| whole_path(pages[n].address))
        })
        .collect()
}

/// The names that `name` gives, those only that one page has.
fn told_apart(pages: &[TitledPage<'_>], name: impl Fn(usize) -> String) -> Vec<Option<String>> {
    let names: Vec<String> = (0..pages.len()).map(name).collect();
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for name in &names {
        *counts.entry(name).or_default() += 1;
    }
    names
        .iter()
        .map(|name| (!name.is_empty() && counts[name.as_str()] == 1).then(|| name.clone()))
        .collect()
}

/// The parts of a title, in their order.
fn parts(title: &str) -> Vec<&str> {
    let mut parts = vec![title];
    for separator in SEPARATORS {
        parts = parts.into_iter().flat_map(|part| part.split(separator)).collect();
    }
    parts.into_iter().map(str::trim).filter(|part| !part.is_empty()).collect()
}

/// The path of an address, without the host; with what asks for one of many pages at one path.
fn path_of(address: &str) -> String {
    let rest = address.split_once("://").map_or(address, |(_, rest)| rest);
    let path = rest.split_once('/').map_or("", |(_, path)| path);
    let path = path.split('#').next().unwrap_or_default();
    percent_decoded(path)
}

/// The last part of the path that tells something, in words.
fn last_of_path(address: &str) -> String {
    let path = path_of(address);
    let path = path.split('?').next().unwrap_or_default();
    let last = path.split('/').rfind(|part| !is_index(part));
    last.map_or_else(|| "Home".to_owned(), in_words)
}

fn whole_path(address: &str) -> String {
    format!("/{}", path_of(address))
}

/// Whether a part of a path stands for its folder.
fn is_index(part: &str) -> bool {
    let stem = part.split('.').next().unwrap_or_default();
    part.is_empty() || ["index", "default"].contains(&stem)
}

fn in_words(part: &str) -> String {
    let stem = part.rsplit_once('.').map_or(part, |(stem, _)| stem);
    let words = stem.replace(['-', '_', '+'], " ");
    shortened(
        &capitalised(words.split_whitespace().collect::<Vec<_>>().join(" ").as_str()),
        LONGEST,
    )
}

/// What a path says where it has signs that addresses cannot hold; itself where it is not UTF-8.
fn percent_decoded(path: &str) -> String {
    let mut bytes = Vec::with_capacity(path.len());
    let mut rest = path.as_bytes();
    while let Some((&byte, after)) = rest.split_first() {
        let escaped = after.get(..2).and_then(|digits| std::str::from_utf8(digits).ok());
        match escaped.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
            Some(decoded) if byte == b'%' => {
                bytes.push(decoded);
                rest = &after[2..];
            }
            _ => {
                bytes.push(byte);
                rest = after;
            }
        }
    }
    String::from_utf8(bytes).unwrap_or_else(|_| path.to_owned())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn names(pages: &[(&str, &str)]) -> Vec<String> {
        let pages: Vec<_> =
            pages.iter().map(|&(title, address)| TitledPage { title, address }).collect();
        page_names(&pages)
    }

    #[test]
    fn one_title_on_every_page_is_told_apart_by_the_paths() {
        let title = "Coffee House";
        let pages = [
            (title, "http://localhost:8000/"),
            (title, "http://localhost:8000/products/coffee-and-tea.html"),
            (title, "http://localhost:8000/products/index.html"),
            (title, "http://localhost:8000/%C3%BCber_uns"),
        ];
        assert_eq!(names(&pages), ["Home", "Coffee and tea", "Products", "Über uns"]);
    }

    #[test]
    fn the_part_that_others_have_not_is_the_name_wherever_it_stands() {
        let pages = [
            ("Shop | Opening hours", "https://a.example/hours"),
            ("Shop | Team", "https://a.example/team"),
            ("Shop", "https://a.example/"),
        ];
        assert_eq!(names(&pages), ["Opening hours", "Team", "Home"]);
        assert_eq!(names(&[("Shop | Opening hours", "https://a.example/hours")]), ["Shop"]);
    }

    #[test]
    fn pages_that_nothing_tells_apart_but_what_they_ask_for_have_their_whole_path() {
        let pages = [
            ("Post", "https://a.example/post?id=1"),
            ("Post", "https://a.example/post?id=2"),
            ("Start", "https://a.example/"),
        ];
        assert_eq!(names(&pages), ["/post?id=1", "/post?id=2", "Start"]);
    }

    proptest! {
        #[test]
        fn different_addresses_have_different_names(
            pages in proptest::collection::btree_map("[a-z/?=.-]{0,12}", "[A-C](( · |-)[A-C]){0,2}", 1..12)
        ) {
            let pages: Vec<_> =
                pages.iter().map(|(path, title)| (format!("https://a.example/{path}"), title)).collect();
            let titled: Vec<_> =
                pages.iter().map(|(address, title)| TitledPage { title, address }).collect();
            let mut names = page_names(&titled);
            let all = names.len();
            names.sort();
            names.dedup();
            prop_assert_eq!(names.len(), all);
        }
    }
}

//! Tags: which `<img>` in the source of a page each of its places is.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_site::measured::MeasuredPage;
use brisk_margin_site::rewriting::address::Addresses;
use brisk_margin_site::source::page::PageSource;
use url::Url;

/// Places times tags up to which their common order is looked for.
const MOST_PAIRS: usize = 10_000_000;

/// The `<img>` tag that each place of a page is: by its number among the page's images, where the page has
/// as many in its source as in the browser. Where scripts add or remove some, the tags stand for those of
/// the places that show a file which they name, as many as can be in the order of both.
pub(super) fn tags_of(
    source: &PageSource<'_>,
    addresses: &Addresses,
    page: &MeasuredPage,
) -> BTreeMap<usize, usize> {
    let tags = source.tags().iter().enumerate();
    let tags: Vec<usize> = tags.filter(|(_, tag)| tag.name == "img").map(|(n, _)| n).collect();
    let named: Vec<BTreeSet<String>> = tags
        .iter()
        .map(|&tag| named_by(source, addresses, tag).into_iter().map(String::from).collect())
        .collect();
    let places = page.places.iter().enumerate();
    let mut images: Vec<(usize, usize)> =
        places.filter_map(|(n, place)| Some((place.image?, n))).collect();
    images.sort_unstable();
    let names = |tag: usize, place: usize| {
        let files = page.places[place].details.files.values().flat_map(|files| files.values());
        let mut urls = files.map(|file| &file.url);
        urls.any(|url| named[tag].contains(url))
    };
    if tags.len() == page.images {
        let own = images.into_iter().filter(|&(image, place)| names(image, place));
        return own.map(|(image, place)| (place, tags[image])).collect();
    }
    // The table of a page with very many would not fit.
    if images.len() * tags.len() > MOST_PAIRS {
        return BTreeMap::new();
    }
    let pairs = longest_common(images.len(), tags.len(), |image, tag| names(tag, images[image].1));
    pairs.into_iter().map(|(image, tag)| (images[image].1, tags[tag])).collect()
}

/// The longest list of pairs that are the same, of `a` and `b` things, in the order of both.
fn longest_common(a: usize, b: usize, same: impl Fn(usize, usize) -> bool) -> Vec<(usize, usize)> {
    let mut longest = vec![vec![0_u32; b + 1]; a + 1];
    for i in (0..a).rev() {
        for j in (0..b).rev() {
            longest[i][j] = match same(i, j) {
                true => longest[i + 1][j + 1] + 1,
                false => longest[i + 1][j].max(longest[i][j + 1]),
            };
        }
    }
    let (mut i, mut j, mut pairs) = (0, 0, Vec::new());
    while i < a && j < b {
        if same(i, j) {
            pairs.push((i, j));
            (i, j) = (i + 1, j + 1);
        } else if longest[i + 1][j] >= longest[i][j + 1] {
            i += 1;
        } else {
            j += 1;
        }
    }
    pairs
}

/// The files that the `<img>` of a tag names, with those of its `<picture>`.
fn named_by(source: &PageSource<'_>, addresses: &Addresses, tag: usize) -> Vec<Url> {
    let picture = source.picture_of(tag);
    let sources = picture.map(|picture| picture.sources.as_slice()).unwrap_or_default();
    let of = |tag: &usize| {
        let tag = &source.tags()[*tag];
        let mut named: Vec<Url> =
            tag.value("srcset").map(|set| addresses.read_srcset(set)).unwrap_or_default();
        named.extend(tag.value("src").and_then(|src| addresses.read(src)));
        named
    };
    sources.iter().chain([&tag]).flat_map(of).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_scripts_add_or_remove_leaves_the_others_their_order() {
        let pairs = |a: &str, b: &str| {
            let (a, b) = (a.as_bytes(), b.as_bytes());
            longest_common(a.len(), b.len(), |i, j| a[i] == b[j])
        };
        assert_eq!(pairs("pbxpb", "pbpb"), [(0, 0), (1, 1), (3, 2), (4, 3)]);
        assert_eq!(pairs("pb", "pnb"), [(0, 0), (1, 2)]);
        assert_eq!(pairs("", "p"), []);
    }
}

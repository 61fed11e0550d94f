//! Elements: where all that a page has stands, to tell whether a change of it moved anything.

use std::collections::BTreeSet;

use serde::Deserialize;

/// Boxes that differ by less than so many CSS px are the same to whoever looks.
const TOLERANCE: f64 = 1.0;

/// An element of a page, where it stands.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct ElementBox {
    /// Its name, as in `img`.
    pub name: String,
    /// The place of the element around it in the list.
    pub around: Option<usize>,
    /// A number for how it looks by its styles, but for its size.
    pub looks: i32,
    /// Where a picture in it is held, as `object-position`.
    #[serde(default)]
    pub held: String,
    /// CSS px from the left of the page.
    pub x: f64,
    /// CSS px from its top.
    pub y: f64,
    /// CSS px across.
    pub width: f64,
    /// CSS px down.
    pub height: f64,
}

/// How an element differs after a change of its page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Difference {
    /// It stands elsewhere.
    Moved,
    /// It has another size, or other styles.
    Changed,
}

/// The elements that differ, by their places in the list; nothing where the elements themselves are
/// not the same ones.
///
/// A file has whole pixels, so that a picture whose height follows from its width can be a part of a pixel
/// higher or lower than before: by as much as these parts come to in all, others may move and grow.
pub fn differences(
    before: &[ElementBox],
    after: &[ElementBox],
) -> Option<Vec<(usize, Difference)>> {
    let same = before.len() == after.len()
        && before.iter().zip(after).all(|(before, after)| before.name == after.name);
    if !same {
        return None;
    }
    let pairs = || before.iter().zip(after);
    let parts = pairs().filter(|(before, _)| before.name == "img");
    let parts = parts.map(|(before, after)| (before.height - after.height).abs());
    let drift: f64 = parts.filter(|part| *part < TOLERANCE).sum();
    let differs = |(n, (before, after)): (usize, (&ElementBox, &ElementBox))| {
        let most = if before.name == "img" { TOLERANCE } else { TOLERANCE + drift };
        let far = |a: f64, b: f64, most: f64| (a - b).abs() >= most;
        let is_resized =
            far(before.width, after.width, TOLERANCE) || far(before.height, after.height, most);
        if is_resized || before.looks != after.looks || before.held != after.held {
            Some((n, Difference::Changed))
        } else if far(before.x, after.x, TOLERANCE) || far(before.y, after.y, TOLERANCE + drift) {
            Some((n, Difference::Moved))
        } else {
            None
        }
    };
    Some(pairs().enumerate().filter_map(differs).collect())
}

/// Those of `changed` elements in which no other one is: where it comes from.
pub fn innermost(elements: &[ElementBox], changed: &BTreeSet<usize>) -> BTreeSet<usize> {
    let around: BTreeSet<usize> = changed.iter().flat_map(|&at| ancestors(elements, at)).collect();
    changed.difference(&around).copied().collect()
}

/// The elements around the one at `at`, the nearest first.
pub fn ancestors(elements: &[ElementBox], at: usize) -> impl Iterator<Item = usize> {
    std::iter::successors(elements[at].around, |&at| elements[at].around)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn element(name: &str, around: Option<usize>, y: f64, height: f64) -> ElementBox {
        let (name, held) = (name.to_owned(), "50% 50%".to_owned());
        ElementBox { name, around, held, x: 0.0, looks: 0, y, width: 10.0, height }
    }

    #[test]
    fn what_moved_and_what_was_changed_is_told_apart() {
        let before = [
            element("p", None, 0.0, 100.0),
            element("img", Some(0), 0.0, 50.0),
            element("a", None, 100.0, 9.0),
        ];
        let mut after = before.clone();
        assert_eq!(differences(&before, &after), Some(vec![]));
        after[1].height = 50.4;
        after[2].y = 101.3;
        assert_eq!(differences(&before, &after), Some(vec![]), "as far as the picture pushes it");
        after[1].height = 52.0;
        let told = differences(&before, &after);
        assert_eq!(told, Some(vec![(1, Difference::Changed), (2, Difference::Moved)]));
        assert_eq!(differences(&before, &after[..2]), None);
        let mut after = before.clone();
        after[2].looks = 1;
        assert_eq!(differences(&before, &after), Some(vec![(2, Difference::Changed)]));
    }

    #[test]
    fn what_grows_with_something_in_it_is_not_where_it_comes_from() {
        let elements = [
            element("body", None, 0.0, 1.0),
            element("p", Some(0), 0.0, 1.0),
            element("img", Some(1), 0.0, 1.0),
            element("p", Some(0), 0.0, 1.0),
        ];
        assert_eq!(innermost(&elements, &[0, 1, 2].into()), [2].into());
        assert_eq!(innermost(&elements, &[0, 3].into()), [3].into());
        assert_eq!(ancestors(&elements, 2).collect::<Vec<_>>(), [1, 0]);
    }
}

//! Elements: where all that a page has stands, to tell whether a change of it moved anything.

use serde::Deserialize;

/// Boxes may differ by so many CSS px and be the same to whoever looks.
const TOLERANCE: f64 = 0.5;

/// An element of a page, where it stands.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct ElementBox {
    /// Its name, as in `img`.
    pub name: String,
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
    /// It has another size.
    Resized,
}

/// The elements that differ, by their places in the list; nothing where the elements themselves are
/// not the same ones.
pub fn differences(
    before: &[ElementBox],
    after: &[ElementBox],
) -> Option<Vec<(usize, Difference)>> {
    let same = before.len() == after.len()
        && before.iter().zip(after).all(|(before, after)| before.name == after.name);
    let far = |a: f64, b: f64| (a - b).abs() > TOLERANCE;
    let differs = |before: &ElementBox, after: &ElementBox| {
        if far(before.width, after.width) || far(before.height, after.height) {
            Some(Difference::Resized)
        } else if far(before.x, after.x) || far(before.y, after.y) {
            Some(Difference::Moved)
        } else {
            None
        }
    };
    let pairs = before.iter().zip(after).enumerate();
    let found = pairs.filter_map(|(n, (before, after))| Some((n, differs(before, after)?)));
    same.then(|| found.collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn element(name: &str, x: f64, width: f64) -> ElementBox {
        ElementBox { name: name.to_owned(), x, y: 0.0, width, height: 10.0 }
    }

    #[test]
    fn what_moved_and_what_was_resized_is_told_apart() {
        let before = [element("p", 0.0, 100.0), element("img", 0.0, 50.0), element("a", 60.0, 9.0)];
        let mut after = before.clone();
        assert_eq!(differences(&before, &after), Some(vec![]));
        after[1].width = 50.4;
        assert_eq!(differences(&before, &after), Some(vec![]), "nobody sees a part of a pixel");
        after[1].width = 51.0;
        after[2].x = 61.0;
        let told = differences(&before, &after);
        assert_eq!(told, Some(vec![(1, Difference::Resized), (2, Difference::Moved)]));
        assert_eq!(differences(&before, &after[..2]), None);
    }
}

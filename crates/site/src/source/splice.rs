//! Splices: what is put in place of some bytes of a text.

use std::ops::Range;

/// Bytes that are replaced; an empty range is where something is put in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Splice {
    /// The bytes that go.
    pub range: Range<usize>,
    /// What comes instead.
    pub text: Vec<u8>,
}

impl Splice {
    /// Puts `text` in place of `range`.
    pub fn new(range: Range<usize>, text: impl Into<Vec<u8>>) -> Self {
        Self { range, text: text.into() }
    }

    /// Puts `text` in at `at`.
    pub fn insert(at: usize, text: impl Into<Vec<u8>>) -> Self {
        Self::new(at..at, text)
    }

    /// The same in a text that begins at `start` of another one.
    #[must_use]
    pub fn moved(self, start: usize) -> Self {
        Self { range: self.range.start + start..self.range.end + start, ..self }
    }
}

/// `bytes` with `splices` in it. Those that are put in at one place stand in their order; nothing where
/// two replace the same byte, or one reaches past the end.
pub fn spliced(bytes: &[u8], mut splices: Vec<Splice>) -> Option<Vec<u8>> {
    splices.sort_by_key(|splice| (splice.range.start, splice.range.end));
    let mut out = Vec::with_capacity(bytes.len() + 1_024);
    let mut at = 0;
    for Splice { range, text } in splices {
        out.extend_from_slice(bytes.get(at..range.start)?);
        out.extend(text);
        at = range.end;
    }
    out.extend_from_slice(bytes.get(at..)?);
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_is_put_in_at_one_place_stands_in_its_order() {
        let splices = vec![Splice::new(2..4, "X"), Splice::insert(2, "a"), Splice::insert(2, "b")];
        assert_eq!(spliced(b"01234", splices).unwrap(), b"01abX4");
        assert_eq!(spliced(b"01", vec![Splice::new(0..2, ""), Splice::new(1..2, "")]), None);
        assert_eq!(spliced(b"01", vec![Splice::insert(3, "x")]), None);
    }

    proptest! {
        #[test]
        fn every_other_byte_stays(
            bytes in prop::collection::vec(any::<u8>(), 0..200),
            cuts in prop::collection::btree_set(0usize..200, 0..10),
        ) {
            let cuts: Vec<usize> = cuts.into_iter().filter(|&cut| cut <= bytes.len()).collect();
            let ranges = cuts.chunks_exact(2).map(|pair| pair[0]..pair[1]);
            let splices: Vec<Splice> = ranges.map(|range| Splice::new(range, "#new#")).collect();
            let gone: usize = splices.iter().map(|splice| splice.range.len()).sum();
            let made = spliced(&bytes, splices.clone()).unwrap();
            prop_assert_eq!(made.len(), bytes.len() - gone + 5 * splices.len());
            let head = splices.first().map_or(bytes.len(), |first| first.range.start);
            let tail = splices.last().map_or(0, |last| last.range.end);
            prop_assert_eq!(&made[..head], &bytes[..head]);
            prop_assert!(made.ends_with(&bytes[tail..]));
        }
    }
}

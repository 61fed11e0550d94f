//! Recognising slots: which places on pages are one slot, used often.

use crate::layout::Boxes;
use crate::place_kind::PlaceKind;

/// Boxes may differ by so many CSS pixels and still be the same.
const TOLERANCE: f64 = 1.0;

/// What a place on a page is known by.
#[derive(Debug, Clone, PartialEq)]
pub struct Signature {
    /// Its selector without positions.
    pub selector: String,
    /// What it is for, and how a picture is put there.
    pub kind: PlaceKind,
    /// Its boxes by layout width.
    pub boxes: Boxes,
}

/// How two places compare.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Likeness {
    /// One slot, used twice.
    Same,
    /// Alike in the markup, but laid out differently: somebody has to say.
    Doubtful,
    /// Two slots.
    Different,
}

impl Signature {
    /// Compares with another place: the same by selector, kind, and boxes to 1 CSS px at every
    /// layout width both were measured at.
    pub fn likeness(&self, other: &Self) -> Likeness {
        if self.selector != other.selector || self.kind != other.kind {
            return Likeness::Different;
        }
        let same = self.boxes.iter().all(|(viewport, size)| {
            other.boxes.get(viewport).is_none_or(|there| {
                (size.width - there.width).abs() <= TOLERANCE
                    && (size.height - there.height).abs() <= TOLERANCE
            })
        });
        if same { Likeness::Same } else { Likeness::Doubtful }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::BoxSize;

    fn place(selector: &str, kind: PlaceKind, width: f64) -> Signature {
        let size = BoxSize { width, height: 200.0 };
        Signature { selector: selector.into(), kind, boxes: [(390, size)].into() }
    }

    #[test]
    fn cards_alike_are_one_slot_and_alike_in_name_only_is_a_question() {
        let card = place("main > ul.cards > li > img", PlaceKind::Card, 280.0);
        let compare = |other: Signature| card.likeness(&other);
        assert_eq!(
            compare(place("main > ul.cards > li > img", PlaceKind::Card, 280.4)),
            Likeness::Same
        );
        assert_eq!(
            compare(place("main > ul.cards > li > img", PlaceKind::Card, 300.0)),
            Likeness::Doubtful
        );
        assert_eq!(
            compare(place("main > ul.cards > li > img", PlaceKind::Text, 280.0)),
            Likeness::Different
        );
        assert_eq!(compare(place("header > img", PlaceKind::Card, 280.0)), Likeness::Different);
    }
}

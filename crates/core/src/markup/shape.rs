//! Shapes: where a slot changes its form so much from one layout width to another that each form
//! gets files of its own.

use crate::layout::{self, BoxSize, Boxes, Cropping};
use crate::slot_shape::Fit;

/// A shape of a slot, and the viewports that show it.
#[derive(Debug, Clone, PartialEq)]
pub struct Shape {
    /// The narrowest viewport that shows it, in CSS pixels; 0 for the narrowest shape.
    pub from: u32,
    /// The boxes of that shape.
    pub boxes: Boxes,
}

impl Shape {
    /// The largest of its boxes, whose shape the file gets.
    pub fn largest(&self) -> Option<BoxSize> {
        layout::largest(self.boxes.values().copied())
    }

    /// The media condition of its `<source>`; nothing for the narrowest.
    pub fn media(&self) -> Option<String> {
        (self.from > 0).then(|| format!("(min-width: {}px)", self.from))
    }
}

/// The shapes that a slot gets files for, from the widest viewports down as `<source>` elements
/// stand: one where the file or the browser crops, with art direction one for each run of
/// viewports whose shapes stay within a quarter of each other. Where they all do, and art direction
/// was asked for by hand, each run of the same shape, to 2 %, has its own.
///
/// Viewports for which `own` gives different things, such as crops made by hand, never share a
/// shape. Conditions stand at the page's own `breakpoints` where one lies between two shapes.
pub fn shapes<K: PartialEq>(
    boxes: &Boxes,
    fit: Fit,
    cropping: Cropping,
    breakpoints: &[u32],
    own: impl Fn(u32) -> K,
) -> Vec<Shape> {
    let mut kinds = boxes.iter().filter(|(_, size)| size.is_shown()).map(|(&v, _)| own(v));
    let first = kinds.next();
    let alike = kinds.all(|kind| Some(kind) == first);
    if cropping != Cropping::ArtDirection && alike {
        return vec![Shape { from: 0, boxes: boxes.clone() }];
    }
    let by_hand = Cropping::of(boxes, fit) != Cropping::ArtDirection;
    let apart = |joined: &Boxes| match Cropping::of(joined, fit) {
        Cropping::ArtDirection => true,
        Cropping::Browser => by_hand,
        Cropping::File => false,
    };
    let shown: Vec<(u32, BoxSize)> =
        boxes.iter().map(|(&v, &size)| (v, size)).filter(|(_, size)| size.is_shown()).collect();
    let mut shapes: Vec<Shape> = Vec::new();
    for (n, &(viewport, size)) in shown.iter().enumerate() {
        let below = n.checked_sub(1).map(|before| shown[before].0);
        if let Some(last) = shapes.last_mut() {
            let mut joined = last.boxes.clone();
            joined.insert(viewport, size);
            if below.is_some_and(|below| own(below) == own(viewport)) && !apart(&joined) {
                last.boxes = joined;
                continue;
            }
        }
        let from = below.map_or(0, |below| {
            let between = |b: &u32| below < *b && *b <= viewport;
            breakpoints.iter().copied().find(between).unwrap_or(viewport)
        });
        shapes.push(Shape { from, boxes: [(viewport, size)].into() });
    }
    shapes.reverse();
    shapes
}

#[cfg(test)]
mod tests {
    use super::*;

    fn boxes(list: &[(u32, f64, f64)]) -> Boxes {
        list.iter().map(|&(v, width, height)| (v, BoxSize { width, height })).collect()
    }

    #[test]
    fn a_header_that_changes_its_shape_gets_a_source_for_each() {
        let header = boxes(&[
            (390, 390.0, 300.0),
            (820, 820.0, 400.0),
            (1280, 1280.0, 480.0),
            (1920, 1920.0, 640.0),
        ]);
        let shapes = shapes(&header, Fit::Cover, Cropping::ArtDirection, &[600, 1100], drop);
        let told: Vec<_> = shapes.iter().map(|s| (s.media(), s.largest().unwrap().width)).collect();
        assert_eq!(
            told,
            [
                (Some("(min-width: 1100px)".to_owned()), 1920.0),
                (Some("(min-width: 600px)".to_owned()), 820.0),
                (None, 390.0),
            ]
        );
    }

    #[test]
    fn one_shape_needs_no_sources() {
        let card = boxes(&[(390, 358.0, 358.0), (820, 0.0, 0.0), (1280, 280.0, 280.0)]);
        let shapes = shapes(&card, Fit::Cover, Cropping::ArtDirection, &[600], drop);
        assert_eq!(shapes.len(), 1);
        assert_eq!(shapes[0].media(), None);
    }

    #[test]
    fn who_crops_can_be_changed_by_hand() {
        let card = boxes(&[(390, 358.0, 300.0), (820, 360.0, 300.0), (1280, 420.0, 300.0)]);
        let count = |cropping| shapes(&card, Fit::Cover, cropping, &[600], drop).len();
        assert_eq!(Cropping::of(&card, Fit::Cover), Cropping::Browser);
        assert_eq!(count(Cropping::Browser), 1);
        assert_eq!(count(Cropping::ArtDirection), 2, "the first two have the same shape");
        let header = boxes(&[(390, 390.0, 300.0), (1280, 1280.0, 300.0)]);
        assert_eq!(shapes(&header, Fit::Cover, Cropping::Browser, &[], drop).len(), 1);
    }

    #[test]
    fn a_layout_width_that_is_framed_by_hand_has_a_source_of_its_own() {
        let card = boxes(&[(390, 300.0, 300.0), (820, 300.0, 300.0), (1280, 400.0, 400.0)]);
        let own = |by_hand: u32| {
            let shapes = shapes(&card, Fit::Cover, Cropping::File, &[], |v| v == by_hand);
            shapes.iter().map(|shape| shape.from).collect::<Vec<_>>()
        };
        assert_eq!(own(820), [1280, 820, 0]);
        assert_eq!(own(390), [820, 0]);
        assert_eq!(own(0), [0]);
    }
}

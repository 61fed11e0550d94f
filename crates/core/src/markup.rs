//! Markup: what a page says so that the browser chooses the right file.

use crate::layout::{BoxSize, Boxes, Cropping};
use crate::slot::Fit;

/// A `srcset` of files by their widths: `name-400.webp 400w, name-800.webp 800w`.
///
/// `address` names the file of a width.
pub fn srcset(widths: &[u32], address: impl Fn(u32) -> String) -> String {
    let entries: Vec<String> =
        widths.iter().map(|&width| format!("{} {width}w", address(width))).collect();
    entries.join(", ")
}

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
        let shown = self.boxes.values().copied().filter(|size| size.is_shown());
        shown.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)))
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
/// Conditions stand at the page's own `breakpoints` where one lies between two shapes.
pub fn shapes(boxes: &Boxes, fit: Fit, cropping: Cropping, breakpoints: &[u32]) -> Vec<Shape> {
    if cropping != Cropping::ArtDirection {
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
        if let Some(last) = shapes.last_mut() {
            let mut joined = last.boxes.clone();
            joined.insert(viewport, size);
            if !apart(&joined) {
                last.boxes = joined;
                continue;
            }
        }
        let below = n.checked_sub(1).map(|before| shown[before].0);
        let from = below.map_or(0, |below| {
            let between = |b: &u32| below < *b && *b <= viewport;
            breakpoints.iter().copied().find(between).unwrap_or(viewport)
        });
        shapes.push(Shape { from, boxes: [(viewport, size)].into() });
    }
    shapes.reverse();
    shapes
}

/// Where a browser holds a file from a viewport on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Held {
    /// The narrowest viewport, in CSS pixels.
    pub from: u32,
    /// Percent across and down.
    pub position: (f64, f64),
}

/// Where the file is held at `viewport`, by rules as [`object_position_rules`] writes them.
pub fn position_at(held: &[Held], viewport: u32) -> (f64, f64) {
    let last = held.iter().rev().find(|rule| rule.from <= viewport).or(held.first());
    last.map_or((50.0, 50.0), |rule| rule.position)
}

/// The style rules for an element that covers its box and is held at another place from each of
/// these viewports on; the narrowest first. Rules that change nothing are left out.
pub fn object_position_rules(selector: &str, held: &[Held]) -> String {
    let percent = |value: f64| {
        let text = format!("{value:.2}");
        format!("{}%", text.trim_end_matches('0').trim_end_matches('.'))
    };
    let position = |(x, y): (f64, f64)| format!("{} {}", percent(x), percent(y));
    let mut rules = String::new();
    let mut last = String::new();
    for (n, rule) in held.iter().enumerate() {
        let now = position(rule.position);
        if n == 0 {
            rules = format!("{selector} {{ object-fit: cover; object-position: {now} }}\n");
        } else if now != last {
            rules.push_str(&format!(
                "@media (min-width: {}px) {{ {selector} {{ object-position: {now} }} }}\n",
                rule.from
            ));
        }
        last = now;
    }
    rules
}

#[cfg(test)]
mod tests {
    use super::*;

    fn boxes(list: &[(u32, f64, f64)]) -> Boxes {
        list.iter().map(|&(v, width, height)| (v, BoxSize { width, height })).collect()
    }

    #[test]
    fn a_position_is_said_once_and_again_where_it_changes() {
        let held = [(390, (50.0, 0.0)), (820, (50.0, 0.0)), (1_280, (50.0, 33.333))]
            .map(|(from, position)| Held { from, position });
        let rules = object_position_rules(".hero img", &held);
        assert_eq!(
            rules,
            ".hero img { object-fit: cover; object-position: 50% 0% }\n\
             @media (min-width: 1280px) { .hero img { object-position: 50% 33.33% } }\n"
        );
        assert_eq!(position_at(&held, 1_000), (50.0, 0.0));
        assert_eq!(position_at(&held, 300), (50.0, 0.0));
    }

    #[test]
    fn a_srcset_names_every_width() {
        let text = srcset(&[400, 800], |width| format!("dome-{width}.webp"));
        assert_eq!(text, "dome-400.webp 400w, dome-800.webp 800w");
    }

    #[test]
    fn a_header_that_changes_its_shape_gets_a_source_for_each() {
        let header = boxes(&[
            (390, 390.0, 300.0),
            (820, 820.0, 400.0),
            (1280, 1280.0, 480.0),
            (1920, 1920.0, 640.0),
        ]);
        let shapes = shapes(&header, Fit::Cover, Cropping::ArtDirection, &[600, 1100]);
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
        let shapes = shapes(&card, Fit::Cover, Cropping::ArtDirection, &[600]);
        assert_eq!(shapes.len(), 1);
        assert_eq!(shapes[0].media(), None);
    }

    #[test]
    fn who_crops_can_be_changed_by_hand() {
        let card = boxes(&[(390, 358.0, 300.0), (820, 360.0, 300.0), (1280, 420.0, 300.0)]);
        let count = |cropping| shapes(&card, Fit::Cover, cropping, &[600]).len();
        assert_eq!(Cropping::of(&card, Fit::Cover), Cropping::Browser);
        assert_eq!(count(Cropping::Browser), 1);
        assert_eq!(count(Cropping::ArtDirection), 2, "the first two have the same shape");
        let header = boxes(&[(390, 390.0, 300.0), (1280, 1280.0, 300.0)]);
        assert_eq!(shapes(&header, Fit::Cover, Cropping::Browser, &[]).len(), 1);
    }
}

//! The edits that can be added, in groups, with what each starts as.

use serde::Serialize;

use super::edit::{Corners, Edit};
use super::figures::Figure;
use super::text::{Align, Behind, Font, TextBlock, Weight};
use super::values::{Along, Colour, Ground, Length, Of, Spot};

/// The accent of the product, and a darker shade of it.
const TEAL: Colour = Colour([0x0b, 0x54, 0x57]);
const DEEP_TEAL: Colour = Colour([0x0b, 0x2f, 0x31]);

/// A kind of edit that can be added.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EditKind {
    /// The `kind` of its edits.
    pub kind: &'static str,
    /// What it is called.
    pub name: &'static str,
    /// The group that it is offered in.
    pub group: &'static str,
    /// Whether a picture can have several, whose order counts.
    pub moves: bool,
    /// Its plain numbers.
    pub figures: Vec<Figure>,
    /// Its lengths.
    pub lengths: Vec<Figure>,
    /// What it starts as: something to be seen, and to be changed at once. A logo's picture is
    /// chosen first.
    pub first: Edit,
}

impl EditKind {
    fn of(group: &'static str, first: Edit) -> Self {
        Self {
            kind: first.kind(),
            name: first.name(),
            group,
            moves: first.moves(),
            figures: first.figures().into_iter().map(|(figure, _)| figure).collect(),
            lengths: first.lengths().into_iter().map(|(figure, _)| figure).collect(),
            first,
        }
    }
}

/// Everything that can be added, group by group.
pub fn edit_kinds() -> Vec<EditKind> {
    let white = Ground::of(Colour::WHITE);
    let groups: [(&str, Vec<Edit>); 5] = [
        (
            "Geometry",
            vec![
                Edit::Turn { quarters: 1 },
                Edit::Flip { across: true, down: false },
                Edit::Straighten { degrees: 0.0, corners: Corners::Cut },
                Edit::Canvas { left: 0, top: 0, right: 0, bottom: 0, ground: white },
            ],
        ),
        (
            "Tone",
            vec![
                Edit::Exposure { stops: 0.3 },
                Edit::Contrast { percent: 10.0 },
                Edit::Points { black: 2.0, white: 98.0 },
            ],
        ),
        (
            "Colour",
            vec![
                Edit::Saturation { percent: 10.0 },
                Edit::Temperature { mireds: 10.0 },
                Edit::Greyscale { percent: 100.0 },
                Edit::Wash { from: TEAL, to: None, degrees: 90.0, percent: 30.0 },
            ],
        ),
        (
            "Edges",
            vec![
                Edit::Sharpen { percent: 60.0, radius: 0.6 },
                Edit::Darken { percent: 30.0, reach: 40.0 },
                Edit::Padding { width: css(12.0), ground: white },
                Edit::Corners { radius: css(8.0) },
            ],
        ),
        (
            "On the picture",
            vec![
                Edit::Border { width: css(4.0), colour: Colour::WHITE },
                Edit::Text(first_text()),
                Edit::Logo {
                    image: String::new(),
                    at: Spot { across: Along::End, down: Along::End, x: css(16.0), y: css(16.0) },
                    width: css(96.0),
                    opacity: 100.0,
                },
            ],
        ),
    ];
    let of = |(group, edits): (&'static str, Vec<Edit>)| {
        edits.into_iter().map(move |first| EditKind::of(group, first))
    };
    groups.into_iter().flat_map(of).collect()
}

/// What can lie behind a text, each as it starts.
pub const fn behind_texts() -> [Behind; 3] {
    [
        Behind::Nothing,
        Behind::Shadow { colour: Colour::BLACK, soft: 0.4 },
        Behind::Backing { colour: DEEP_TEAL, percent: 70.0, room: 0.5 },
    ]
}

const fn css(px: f64) -> Length {
    Length { px, of: Of::Css }
}

/// A text as it starts, with its own words.
pub fn text_saying(words: &str) -> Edit {
    Edit::Text(TextBlock { text: words.to_owned(), ..first_text() })
}

fn first_text() -> TextBlock {
    TextBlock {
        text: "Text".to_owned(),
        font: Font::Sans,
        weight: Weight::Semibold,
        size: css(24.0),
        colour: Colour::WHITE,
        at: Spot { across: Along::Middle, down: Along::End, x: css(0.0), y: css(16.0) },
        align: Align::Middle,
        width: 80.0,
        leading: 1.25,
        behind: behind_texts()[1],
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edits::EditList;

    #[test]
    fn every_kind_is_offered_once_and_starts_with_values_that_it_takes() {
        let kinds = edit_kinds();
        for kind in &kinds {
            let written = serde_json::to_value(&kind.first).unwrap();
            assert_eq!(written["kind"], kind.kind);
            // What a client sets by key is where the key says.
            for figure in kind.figures.iter().chain(&kind.lengths) {
                let is_there = |of: &serde_json::Value| of.get(figure.key).is_some();
                let parts = [Some(&written), written.get("at"), written.get("behind")];
                assert!(
                    parts.into_iter().flatten().any(is_there),
                    "{} of {}",
                    figure.key,
                    kind.kind
                );
            }
            assert!(EditList::new(vec![kind.first.clone().into()]).is_ok(), "{}", kind.name);
            let same = kinds.iter().filter(|other| other.kind == kind.kind);
            assert_eq!(same.count(), 1, "{}", kind.kind);
        }
        assert_eq!(kinds.len(), 18, "as many as there are edits");
        for behind in behind_texts() {
            let text = Edit::Text(TextBlock { behind, ..first_text() });
            assert!(EditList::new(vec![text.into()]).is_ok(), "{behind:?}");
        }
    }
}

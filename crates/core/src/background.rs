//! Backgrounds and masks: how a file lies in the box of its element, and at what size.

use serde::{Deserialize, Serialize};

use crate::layout::BoxSize;
use crate::object_fit::ObjectFit;

/// How a layer of a background or a mask lies in its element, in the words of CSS.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BackgroundStyle {
    /// `background-size`, as in `cover` or `50% auto`.
    pub size: String,
    /// `background-position`, as in `50% 0%`.
    pub position: String,
    /// `background-repeat`.
    pub repeat: String,
    /// `background-origin`: the box that it is placed in.
    pub origin: String,
    /// `background-clip`: the box beyond which it is not painted.
    pub clip: String,
    /// `background-attachment`; a `fixed` one is placed in the window.
    pub attachment: String,
}

/// A length of `background-size`.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Length {
    Auto,
    /// A share of the area, and CSS px besides.
    Of {
        share: f64,
        px: f64,
    },
}

impl BackgroundStyle {
    /// The box that the file fills, and how it fills it, where the area that it is placed in is
    /// `area` and the file has `natural` CSS px by itself; after CSS Backgrounds and Borders 3,
    /// section 3.9. A file that is shown at its own size has all of the area.
    ///
    /// ```
    /// use brisk_margin_core::background::BackgroundStyle;
    /// use brisk_margin_core::layout::BoxSize;
    /// use brisk_margin_core::object_fit::ObjectFit;
    ///
    /// let style = BackgroundStyle { size: "50% auto".into(), ..BackgroundStyle::default() };
    /// let (area, file) = (BoxSize::new(800.0, 600.0), BoxSize::new(300.0, 150.0));
    /// let half = (BoxSize::new(400.0, 200.0), ObjectFit::Fill);
    /// assert_eq!(style.drawn(area, Some(file)), half);
    /// ```
    pub fn drawn(&self, area: BoxSize, natural: Option<BoxSize>) -> (BoxSize, ObjectFit) {
        match self.size.as_str() {
            "cover" => return (area, ObjectFit::Cover),
            "contain" => return (area, ObjectFit::Contain),
            _ => {}
        }
        let mut lengths = split(&self.size).map(Length::read);
        let across = lengths.next().unwrap_or(Length::Auto);
        let down = lengths.next().unwrap_or(Length::Auto);
        let ratio = natural
            .filter(|natural| natural.is_shown())
            .map(|natural| natural.height / natural.width);
        let size = match (across.of(area.width), down.of(area.height), ratio) {
            (Some(width), Some(height), _) => BoxSize { width, height },
            (Some(width), None, Some(ratio)) => BoxSize { width, height: width * ratio },
            (None, Some(height), Some(ratio)) => BoxSize { width: height / ratio, height },
            // Its own size, or none that is known.
            (None, None, _) | (_, _, None) => return (area, ObjectFit::Natural),
        };
        (size, ObjectFit::Fill)
    }

    /// Whether it shows one picture of a file that holds several: it lies there at its own size,
    /// is larger than the area, and was pushed out of it at the left or at the top.
    pub fn shows_a_part(&self, area: BoxSize, natural: Option<BoxSize>) -> bool {
        let Some(natural) = natural else { return false };
        let (_, fit) = self.drawn(area, Some(natural));
        let is_pushed = split(&self.position)
            .any(|part| matches!(Length::read(part), Length::Of { share: 0.0, px } if px < 0.0));
        let is_larger = natural.width > area.width + 1.0 || natural.height > area.height + 1.0;
        fit == ObjectFit::Natural && area.is_shown() && is_pushed && is_larger
    }
}

impl Default for BackgroundStyle {
    fn default() -> Self {
        Self {
            size: "auto".to_owned(),
            position: "0% 0%".to_owned(),
            repeat: "repeat".to_owned(),
            origin: "padding-box".to_owned(),
            clip: "border-box".to_owned(),
            attachment: "scroll".to_owned(),
        }
    }
}

/// The words of a value; what stands in brackets is one word.
fn split(text: &str) -> impl Iterator<Item = &str> {
    let mut depth = 0_i32;
    let words = text.split(move |c: char| {
        depth += match c {
            '(' => 1,
            ')' => -1,
            _ => 0,
        };
        c == ' ' && depth == 0
    });
    words.filter(|word| !word.is_empty())
}

impl Length {
    /// Reads `auto`, a length in px, a percentage, or a sum of both in `calc()`, which is all that
    /// a computed value has.
    fn read(text: &str) -> Self {
        if text == "auto" {
            return Self::Auto;
        }
        let sum = text.strip_prefix("calc(").and_then(|rest| rest.strip_suffix(')'));
        let (mut share, mut px, mut sign) = (0.0, 0.0, 1.0);
        for word in sum.unwrap_or(text).split(' ') {
            if let Some(percent) = number(word, "%") {
                share += sign * percent / 100.0;
            } else if let Some(length) = number(word, "px") {
                px += sign * length;
            }
            sign = if word == "-" { -1.0 } else { 1.0 };
        }
        Self::Of { share, px }
    }

    fn of(self, side: f64) -> Option<f64> {
        match self {
            Self::Auto => None,
            Self::Of { share, px } => Some((side * share + px).max(0.0)),
        }
    }
}

fn number(word: &str, unit: &str) -> Option<f64> {
    word.strip_suffix(unit)?.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    const AREA: BoxSize = BoxSize { width: 800.0, height: 600.0 };
    const FILE: BoxSize = BoxSize { width: 300.0, height: 200.0 };

    fn drawn(size: &str, natural: Option<BoxSize>) -> (f64, f64, ObjectFit) {
        let style = BackgroundStyle { size: size.to_owned(), ..BackgroundStyle::default() };
        let (size, fit) = style.drawn(AREA, natural);
        (size.width, size.height, fit)
    }

    #[test]
    fn sizes_are_worked_out_as_css_says() {
        for (size, natural, is) in [
            ("cover", Some(FILE), (800.0, 600.0, ObjectFit::Cover)),
            ("contain", None, (800.0, 600.0, ObjectFit::Contain)),
            ("auto", Some(FILE), (800.0, 600.0, ObjectFit::Natural)),
            ("auto auto", Some(FILE), (800.0, 600.0, ObjectFit::Natural)),
            ("100% 100%", None, (800.0, 600.0, ObjectFit::Fill)),
            ("120px", Some(FILE), (120.0, 80.0, ObjectFit::Fill)),
            ("auto 100px", Some(FILE), (150.0, 100.0, ObjectFit::Fill)),
            ("auto 100px", None, (800.0, 600.0, ObjectFit::Natural)),
            ("calc(50% + 20px) 10%", None, (420.0, 60.0, ObjectFit::Fill)),
            ("calc(50% - 20px) 10%", None, (380.0, 60.0, ObjectFit::Fill)),
        ] {
            assert_eq!(drawn(size, natural), is, "{size}");
        }
    }

    #[test]
    fn a_part_of_a_larger_file_is_told_from_a_whole_one() {
        let icon = BoxSize { width: 24.0, height: 24.0 };
        let at = |position: &str, size: &str| BackgroundStyle {
            position: position.to_owned(),
            size: size.to_owned(),
            ..BackgroundStyle::default()
        };
        assert!(at("-48px 0px", "auto").shows_a_part(icon, Some(FILE)));
        assert!(!at("0% 0%", "auto").shows_a_part(icon, Some(FILE)), "its own first part");
        assert!(!at("-48px 0px", "cover").shows_a_part(icon, Some(FILE)));
        assert!(!at("-48px 0px", "auto").shows_a_part(icon, Some(icon)), "it is pushed away");
        assert!(!at("-48px 0px", "auto").shows_a_part(icon, None));
    }
}

//! Text on a picture: its lines, how it is set, and how well it can be read.

use std::fmt::Write;

use serde::{Deserialize, Serialize};
use skrifa::instance::{LocationRef, Size as FontSize};
use skrifa::{FontRef, MetadataProvider};
use thiserror::Error;

use super::values::{Colour, Length, Scales, Spot};
use crate::codec::svg;

/// The most letters that a text may have.
pub const MOST_LETTERS: usize = 1_000;

/// A line or a block of text.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TextBlock {
    /// What it says; line ends are kept.
    pub text: String,
    /// In which font.
    #[serde(default)]
    pub font: Font,
    /// How strong.
    #[serde(default)]
    pub weight: Weight,
    /// The size of the font.
    pub size: Length,
    /// Its colour.
    pub colour: Colour,
    /// Where the block stands.
    pub at: Spot,
    /// How its lines stand in it.
    #[serde(default)]
    pub align: Align,
    /// Lines are broken where they get wider than so much of the frame, 5 to 100 percent.
    #[serde(default = "usual_width")]
    pub width: f64,
    /// From one line to the next, in sizes of the font.
    #[serde(default = "usual_leading")]
    pub leading: f64,
    /// What helps it to stand out.
    #[serde(default)]
    pub behind: Behind,
}

const fn usual_width() -> f64 {
    80.0
}

const fn usual_leading() -> f64 {
    1.25
}

/// A font that ships with the program.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Font {
    /// Source Sans Pro.
    #[default]
    Sans,
    /// Source Serif Pro.
    Serif,
}

/// How strong letters are.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Weight {
    /// 400.
    Regular,
    /// 600; the serif is then bold.
    #[default]
    Semibold,
    /// 700.
    Bold,
}

/// How lines stand in a block.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Align {
    /// At its left.
    #[default]
    Left,
    /// In its middle.
    Middle,
    /// At its right.
    Right,
}

/// What lies between a text and the picture.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Behind {
    /// Nothing.
    #[default]
    Nothing,
    /// A soft shadow of the letters.
    Shadow {
        /// Its colour.
        colour: Colour,
        /// How soft, in sizes of the font, 0 to 1.
        soft: f64,
    },
    /// An even ground.
    Backing {
        /// Its colour.
        colour: Colour,
        /// How much it covers, 0 to 100.
        percent: f64,
        /// How far it reaches beyond the letters, in sizes of the font, 0 to 3.
        room: f64,
    },
}

/// A text that cannot be set.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum TextError {
    /// More letters than [`MOST_LETTERS`].
    #[error(
        "a text of {0} letters is too long for a picture: at most {MOST_LETTERS}; put the rest on \
         the page, where it can be read aloud and found"
    )]
    TooLong(usize),
    /// A value of what lies behind it.
    #[error("text: what lies behind it has a value out of its range: {0}")]
    Behind(f64),
}

impl TextBlock {
    pub(super) fn check(&self) -> Result<(), TextError> {
        let letters = self.text.chars().count();
        if letters > MOST_LETTERS {
            return Err(TextError::TooLong(letters));
        }
        let within = |value: f64, most: f64| {
            if (0.0..=most).contains(&value) { Ok(()) } else { Err(TextError::Behind(value)) }
        };
        match self.behind {
            Behind::Nothing => Ok(()),
            Behind::Shadow { soft, .. } => within(soft, 1.0),
            Behind::Backing { percent, room, .. } => within(percent, 100.0).and(within(room, 3.0)),
        }
    }

    /// The contrast that its letters need to be read: 3 where they are large, else 4.5
    /// (WCAG 2.2, 1.4.3).
    pub fn needed_contrast(&self, scales: Scales) -> f64 {
        let css = scales.of(self.size) / scales.css;
        let large = css >= 24.0 || (self.weight != Weight::Regular && css >= 18.66);
        if large { 3.0 } else { 4.5 }
    }

    /// Sets it for a frame of `width` pixels.
    pub(super) fn set(&self, width: f64, scales: Scales) -> Setting {
        let size = scales.of(self.size).max(0.1);
        let face = Face::of(self.font, self.weight);
        let clean: String = self.text.chars().filter(|c| *c == '\n' || !c.is_control()).collect();
        let mut missing: Vec<char> = clean.chars().filter(|&c| !is_drawn(c)).collect();
        missing.sort_unstable();
        missing.dedup();
        let drawn: String = clean.chars().filter(|&c| is_drawn(c)).collect();
        let most = (width * self.width / 100.0).max(size);
        let lines: Vec<String> =
            drawn.split('\n').flat_map(|line| face.broken(line, size, most)).collect();
        let widths: Vec<f64> = lines.iter().map(|line| face.length(line, size)).collect();
        let widest = widths.into_iter().fold(0.0, f64::max);
        Setting {
            size,
            leading: size * self.leading,
            ascent: face.ascent(size),
            descent: face.descent(size),
            width: widest,
            height: size * self.leading * lines.len() as f64,
            lines,
            missing: missing.into_iter().collect(),
        }
    }
}

/// A text as it is set: its lines and its size, in pixels.
pub(super) struct Setting {
    size: f64,
    leading: f64,
    ascent: f64,
    descent: f64,
    lines: Vec<String>,
    pub width: f64,
    pub height: f64,
    /// Letters that no font has.
    pub missing: String,
}

impl Setting {
    pub(super) fn is_empty(&self) -> bool {
        self.lines.iter().all(|line| line.trim().is_empty())
    }

    /// Its letters as a drawing of `width` × `height` pixels, the block beginning at `x`, `y`.
    pub(super) fn drawing(
        &self,
        block: &TextBlock,
        x: f64,
        y: f64,
        size: (u32, u32),
        colour: Colour,
        blur: f64,
    ) -> String {
        let (anchor, at) = match block.align {
            Align::Left => ("start", x),
            Align::Middle => ("middle", x + self.width / 2.0),
            Align::Right => ("end", x + self.width),
        };
        let face = Face::of(block.font, block.weight);
        let mut drawing = format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{}\" height=\"{}\">",
            size.0, size.1
        );
        if blur > 0.0 {
            let _ = write!(
                drawing,
                "<filter id=\"s\" filterUnits=\"userSpaceOnUse\" x=\"0\" y=\"0\" width=\"{}\" \
                 height=\"{}\"><feGaussianBlur stdDeviation=\"{blur}\"/></filter>",
                size.0, size.1
            );
        }
        let _ = write!(
            drawing,
            "<g fill=\"{colour}\" font-family=\"{}\" font-weight=\"{}\" font-size=\"{}\" \
             text-anchor=\"{anchor}\"{}>",
            face.family,
            face.weight,
            self.size,
            if blur > 0.0 { " filter=\"url(#s)\"" } else { "" },
        );
        for (n, line) in self.lines.iter().enumerate() {
            let base = y
                + self.leading * n as f64
                + (self.leading - self.ascent - self.descent) / 2.0
                + self.ascent;
            let _ = write!(drawing, "<text x=\"{at}\" y=\"{base}\" xml:space=\"preserve\">");
            svg::escape(line, false, &mut drawing);
            drawing.push_str("</text>");
        }
        drawing.push_str("</g></svg>");
        drawing
    }
}

/// A font file.
struct Face {
    family: &'static str,
    weight: u32,
    font: FontRef<'static>,
}

impl Face {
    fn of(font: Font, weight: Weight) -> Self {
        let (family, weight, data) = match (font, weight) {
            (Font::Sans, Weight::Regular) => (svg::SANS, 400, svg::FILES[0]),
            (Font::Sans, Weight::Semibold) => (svg::SANS, 600, svg::FILES[1]),
            (Font::Sans, Weight::Bold) => (svg::SANS, 700, svg::FILES[2]),
            (Font::Serif, Weight::Regular) => (svg::SERIF, 400, svg::FILES[3]),
            (Font::Serif, _) => (svg::SERIF, 700, svg::FILES[4]),
        };
        Self { family, weight, font: font_of(data) }
    }

    /// The length of a line in pixels, by the advances of its letters.
    fn length(&self, line: &str, size: f64) -> f64 {
        line.chars().map(|c| self.advance(c, size)).sum()
    }

    fn advance(&self, letter: char, size: f64) -> f64 {
        let of = |font: &FontRef<'_>| {
            let glyph = font.charmap().map(letter)?;
            let metrics = font.glyph_metrics(FontSize::new(size as f32), LocationRef::default());
            metrics.advance_width(glyph).map(f64::from)
        };
        of(&self.font).or_else(|| of(&font_of(svg::FILES[svg::FILES.len() - 1]))).unwrap_or(0.0)
    }

    fn ascent(&self, size: f64) -> f64 {
        let metrics = self.font.metrics(FontSize::new(size as f32), LocationRef::default());
        f64::from(metrics.ascent)
    }

    fn descent(&self, size: f64) -> f64 {
        let metrics = self.font.metrics(FontSize::new(size as f32), LocationRef::default());
        f64::from(-metrics.descent)
    }

    /// A line broken between words, and within them where one alone is too long.
    fn broken(&self, line: &str, size: f64, most: f64) -> Vec<String> {
        let mut lines = vec![String::new()];
        let mut length = 0.0;
        for word in line.split_inclusive(' ') {
            let wide = self.length(word.trim_end(), size);
            if length > 0.0 && length + wide > most {
                lines.push(String::new());
                length = 0.0;
            }
            for letter in word.chars() {
                let advance = self.advance(letter, size);
                if length > 0.0 && length + advance > most && letter != ' ' {
                    lines.push(String::new());
                    length = 0.0;
                }
                lines.last_mut().expect("never empty").push(letter);
                length += advance;
            }
        }
        lines.iter().map(|line| line.trim_end().to_owned()).collect()
    }
}

fn font_of(data: &'static [u8]) -> FontRef<'static> {
    FontRef::new(data).expect("a font that ships with the program")
}

/// Whether a font that ships has a glyph for it, or it needs none.
fn is_drawn(letter: char) -> bool {
    letter == '\n'
        || letter.is_whitespace()
        || svg::FILES.iter().any(|data| font_of(data).charmap().map(letter).is_some())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finish::values::{Along, Of};

    pub(crate) fn block(text: &str) -> TextBlock {
        let px = |px| Length { px, of: Of::Css };
        TextBlock {
            text: text.to_owned(),
            font: Font::Sans,
            weight: Weight::Bold,
            size: px(20.0),
            colour: Colour::WHITE,
            at: Spot { across: Along::Middle, down: Along::End, x: px(0.0), y: px(8.0) },
            align: Align::Middle,
            width: 80.0,
            leading: 1.25,
            behind: Behind::Nothing,
        }
    }

    #[test]
    fn lines_break_between_words_and_within_one_that_is_too_long() {
        let set = |text: &str| block(text).set(300.0, Scales::PLAIN);
        let words = set("Star walks every clear Friday from October to March");
        assert!(words.lines.len() > 1 && words.width <= 240.0, "{:?}", words.lines);
        assert!(words.lines.iter().all(|line| !line.ends_with(' ')));
        let long = set(&"W".repeat(60));
        assert!(long.lines.len() > 1 && long.width <= 240.0, "{:?}", long.lines);
        assert_eq!(set("one\ntwo").lines, ["one", "two"]);
    }

    #[test]
    fn letters_that_no_font_has_are_named_and_left_out() {
        let set = block("Moon 🌝 rise — שלום").set(900.0, Scales::PLAIN);
        assert_eq!(set.missing, "🌝");
        assert!(set.lines[0].contains("שלום"), "Hebrew comes from the font with more letters");
    }

    #[test]
    fn five_thousand_letters_are_refused_with_their_number() {
        let error = block(&"a".repeat(5_000)).check().unwrap_err().to_string();
        assert!(error.contains("5000") && error.contains("1000"), "{error}");
    }
}

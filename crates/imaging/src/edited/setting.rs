//! Setting text: a block broken into lines, measured, and drawn.

use std::fmt::Write;

use skrifa::instance::{LocationRef, Size as FontSize};
use skrifa::{FontRef, MetadataProvider};

use crate::codec::svg;
use brisk_margin_core::edits::text::{Align, Font, TextBlock, Weight};
use brisk_margin_core::edits::values::{Colour, Scales};

/// `block` set for a frame of `width` pixels.
pub(super) fn set(block: &TextBlock, width: f64, scales: Scales) -> Setting {
    let size = scales.of(block.size).max(0.1);
    let face = Face::of(block.font, block.weight);
    let clean: String = block.text.chars().filter(|c| *c == '\n' || !c.is_control()).collect();
    let mut missing: Vec<char> = clean.chars().filter(|&c| !is_drawn(c)).collect();
    missing.sort_unstable();
    missing.dedup();
    let drawn: String = clean.chars().filter(|&c| is_drawn(c)).collect();
    let most = (width * block.width / 100.0).max(size);
    let lines: Vec<String> =
        drawn.split('\n').flat_map(|line| face.broken(line, size, most)).collect();
    let widths: Vec<f64> = lines.iter().map(|line| face.length(line, size)).collect();
    let widest = widths.into_iter().fold(0.0, f64::max);
    Setting {
        size,
        leading: size * block.leading,
        ascent: face.ascent(size),
        descent: face.descent(size),
        width: widest,
        height: size * block.leading * lines.len() as f64,
        lines,
        missing: missing.into_iter().collect(),
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
    use brisk_margin_core::edits::text::Behind;
    use brisk_margin_core::edits::values::{Along, Length, Of, Spot};

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
        let set = |text: &str| super::set(&block(text), 300.0, Scales::PLAIN);
        let words = set("Star walks every clear Friday from October to March");
        assert!(words.lines.len() > 1 && words.width <= 240.0, "{:?}", words.lines);
        assert!(words.lines.iter().all(|line| !line.ends_with(' ')));
        let long = set(&"W".repeat(60));
        assert!(long.lines.len() > 1 && long.width <= 240.0, "{:?}", long.lines);
        assert_eq!(set("one\ntwo").lines, ["one", "two"]);
    }

    #[test]
    fn letters_that_no_font_has_are_named_and_left_out() {
        let set = super::set(&block("Moon 🌝 rise — שלום"), 900.0, Scales::PLAIN);
        assert_eq!(set.missing, "🌝");
        assert!(set.lines[0].contains("שלום"), "Hebrew comes from the font with more letters");
    }
}

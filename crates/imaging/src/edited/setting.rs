//! Setting text: shaped, broken into lines, measured, and drawn.
//!
//! Shaping picks ligatures and joined letters, lays right-to-left text the right way, and takes
//! letters that a font lacks from the next one that has them.

use std::fmt::Write;
use std::sync::{Arc, LazyLock};

use parley::fontique::{Blob, Collection, CollectionOptions, SourceCache};
use parley::style::{
    FontFamily, FontFamilyName, FontWeight, LineHeight, OverflowWrap, StyleProperty,
};
use parley::{
    Alignment, AlignmentOptions, FontContext, FontData, GlyphRun, Layout, LayoutContext,
    PositionedLayoutItem,
};
use skrifa::instance::{LocationRef, Size as FontSize};
use skrifa::outline::{DrawSettings, OutlinePen};
use skrifa::{FontRef, GlyphId, MetadataProvider};

use crate::fonts;
use brisk_margin_core::edits::text::{Align, TextBlock, Weight};
use brisk_margin_core::edits::values::{Colour, Scales};

/// The fonts that ship, as shaping looks them up. Those of the machine are left alone, so that a
/// text looks the same everywhere.
static FONTS: LazyLock<FontContext> = LazyLock::new(|| {
    let options = CollectionOptions { shared: false, system_fonts: false };
    let mut collection = Collection::new(options);
    for file in fonts::FILES {
        collection.register_fonts(Blob::new(Arc::new(file)), None);
    }
    FontContext { collection, source_cache: SourceCache::default() }
});

/// `block` set for a frame of `width` pixels.
pub(super) fn set(block: &TextBlock, width: f64, scales: Scales) -> Setting {
    let size = scales.of(block.size).max(0.1);
    let clean: String = block.text.chars().filter(|c| *c == '\n' || !c.is_control()).collect();
    let mut missing: Vec<char> = clean.chars().filter(|&c| !fonts::have(c)).collect();
    missing.sort_unstable();
    missing.dedup();
    let drawn: String = clean.chars().filter(|&c| fonts::have(c)).collect();
    let mut layout = shaped(block, &drawn, size);
    layout.break_all_lines(Some((width * block.width / 100.0).max(size) as f32));
    // Aligned within its widest line: broken again at that length, its lines stay what they are.
    let widest = layout.width() + SLACK;
    layout.break_all_lines(Some(widest));
    layout.align(alignment(block.align), AlignmentOptions::default());
    Setting {
        is_empty: drawn.trim().is_empty(),
        width: f64::from(layout.width()),
        height: f64::from(layout.height()),
        layout,
        missing: missing.into_iter().collect(),
    }
}

/// Sums of lengths differ by less than this, in pixels.
const SLACK: f32 = 0.01;

fn shaped(block: &TextBlock, text: &str, size: f64) -> Layout<()> {
    let mut fonts = FONTS.clone();
    let mut context = LayoutContext::new();
    let mut builder = context.ranged_builder(&mut fonts, text, 1.0, false);
    let families = fonts::families(block.font).map(FontFamilyName::named);
    builder.push_default(StyleProperty::FontFamily(FontFamily::List(families[..].into())));
    builder.push_default(StyleProperty::FontSize(size as f32));
    builder.push_default(StyleProperty::FontWeight(weight(block.weight)));
    let leading = LineHeight::FontSizeRelative(block.leading as f32);
    builder.push_default(StyleProperty::LineHeight(leading));
    builder.push_default(StyleProperty::OverflowWrap(OverflowWrap::Anywhere));
    builder.build(text)
}

const fn weight(weight: Weight) -> FontWeight {
    match weight {
        Weight::Regular => FontWeight::NORMAL,
        Weight::Semibold => FontWeight::SEMI_BOLD,
        Weight::Bold => FontWeight::BOLD,
    }
}

const fn alignment(align: Align) -> Alignment {
    match align {
        Align::Left => Alignment::Left,
        Align::Middle => Alignment::Center,
        Align::Right => Alignment::Right,
    }
}

/// A text as it is set: its lines and its size, in pixels.
pub(super) struct Setting {
    layout: Layout<()>,
    is_empty: bool,
    pub width: f64,
    pub height: f64,
    /// Letters that no font has.
    pub missing: String,
}

impl Setting {
    pub(super) const fn is_empty(&self) -> bool {
        self.is_empty
    }

    /// Its letters as a drawing of `width` × `height` pixels, the block beginning at `x`, `y`.
    pub(super) fn drawing(
        &self,
        x: f64,
        y: f64,
        (width, height): (u32, u32),
        colour: Colour,
        blur: f64,
    ) -> String {
        let mut drawing = format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\">"
        );
        let mut filter = "";
        if blur > 0.0 {
            filter = " filter=\"url(#s)\"";
            let _ = write!(
                drawing,
                "<filter id=\"s\" filterUnits=\"userSpaceOnUse\" x=\"0\" y=\"0\" \
                 width=\"{width}\" height=\"{height}\">\
                 <feGaussianBlur stdDeviation=\"{blur}\"/></filter>"
            );
        }
        let _ = write!(drawing, "<g fill=\"{colour}\"{filter}><path d=\"");
        let mut pen = PathPen { out: &mut drawing, x: 0.0, y: 0.0 };
        for run in self.runs() {
            outline(&run, (x, y), &mut pen);
        }
        drawing.push_str("\"/></g></svg>");
        drawing
    }

    fn runs(&self) -> impl Iterator<Item = GlyphRun<'_, ()>> {
        self.layout.lines().flat_map(|line| line.items()).filter_map(|item| match item {
            PositionedLayoutItem::GlyphRun(run) => Some(run),
            PositionedLayoutItem::InlineBox(_) => None,
        })
    }
}

/// Draws the letters of `run` in a block that begins at `x`, `y`.
fn outline(run: &GlyphRun<'_, ()>, (x, y): (f64, f64), pen: &mut PathPen<'_>) {
    let FontData { data, index } = run.run().font();
    let font = FontRef::from_index(data.as_ref(), *index).expect("a font that ships");
    let (outlines, size) = (font.outline_glyphs(), FontSize::new(run.run().font_size()));
    for glyph in run.positioned_glyphs() {
        let Some(letter) = outlines.get(GlyphId::new(glyph.id)) else { continue };
        (pen.x, pen.y) = (x + f64::from(glyph.x), y + f64::from(glyph.y));
        // The fonts that ship have no axes.
        let settings = DrawSettings::unhinted(size, LocationRef::default());
        // A damaged outline is drawn as far as it can be read.
        let _ = letter.draw(settings, pen);
    }
}

/// Writes outlines, which stand upright, as a path, which goes down.
struct PathPen<'a> {
    out: &'a mut String,
    x: f64,
    y: f64,
}

impl PathPen<'_> {
    fn write(&mut self, command: char, points: &[(f32, f32)]) {
        self.out.push(command);
        for (x, y) in points {
            let (x, y) = (self.x + f64::from(*x), self.y - f64::from(*y));
            let _ = write!(self.out, "{x:.3} {y:.3} ");
        }
    }
}

impl OutlinePen for PathPen<'_> {
    fn move_to(&mut self, x: f32, y: f32) {
        self.write('M', &[(x, y)]);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        self.write('L', &[(x, y)]);
    }

    fn quad_to(&mut self, cx: f32, cy: f32, x: f32, y: f32) {
        self.write('Q', &[(cx, cy), (x, y)]);
    }

    fn curve_to(&mut self, cx0: f32, cy0: f32, cx1: f32, cy1: f32, x: f32, y: f32) {
        self.write('C', &[(cx0, cy0), (cx1, cy1), (x, y)]);
    }

    fn close(&mut self) {
        self.out.push('Z');
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::edits::text::{Behind, Font};
    use brisk_margin_core::edits::values::{Along, Length, Of, Spot};

    fn block(text: &str) -> TextBlock {
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

    fn glyphs(text: &str) -> Vec<u32> {
        let setting = set(&block(text), 2_000.0, Scales::PLAIN);
        assert_eq!(setting.missing, "", "{text}");
        let runs: Vec<_> = setting.runs().collect();
        runs.iter().flat_map(|run| run.glyphs().map(|glyph| glyph.id)).collect()
    }

    /// The text of each line.
    fn lines<'a>(text: &'a str, setting: &Setting) -> Vec<&'a str> {
        setting.layout.lines().map(|line| text[line.text_range()].trim_end()).collect()
    }

    #[test]
    fn lines_break_between_words_and_within_one_that_is_too_long() {
        let set = |text: &str| super::set(&block(text), 300.0, Scales::PLAIN);
        let text = "Star walks every clear Friday from October to March";
        let words = set(text);
        let broken = lines(text, &words);
        assert!(broken.len() > 1 && words.width <= 240.0, "{broken:?}");
        assert_eq!(broken.join(" "), text);
        let long = "W".repeat(60);
        let letters = set(&long);
        let broken = lines(&long, &letters);
        assert!(broken.len() > 1 && letters.width <= 240.0, "{broken:?}");
        assert_eq!(lines("one\ntwo", &set("one\ntwo")), ["one", "two"]);
    }

    #[test]
    fn letters_that_no_font_has_are_named_and_left_out() {
        let setting = set(&block("Moon 🌝 rise — שלום"), 900.0, Scales::PLAIN);
        assert_eq!(setting.missing, "🌝");
        assert!(!setting.is_empty());
        assert!(set(&block("🌝 "), 900.0, Scales::PLAIN).is_empty());
    }

    #[test]
    fn letters_join_as_their_script_asks() {
        // Arabic: four letters, of which lam and alef are one shape.
        assert_eq!(glyphs("سلام").len(), 3);
        // A letter in the middle of a word is another shape than one that stands alone.
        assert!(!glyphs("ببب").contains(&glyphs("ب")[0]));
        // Devanagari: two consonants with the sign that takes the vowel away are one shape.
        assert_eq!(glyphs("क्ष").len(), 1);
        // The vowel sign i is written before the consonant that it is spoken after.
        assert_eq!(glyphs("कि").last(), glyphs("क").last());
    }

    #[test]
    fn text_from_right_to_left_begins_at_the_right() {
        let setting = set(&block("שלום Ada"), 900.0, Scales::PLAIN);
        let runs: Vec<_> = setting.runs().map(|run| (run.offset(), run.run().is_rtl())).collect();
        let hebrew = runs.iter().find(|(_, is_rtl)| *is_rtl).unwrap().0;
        let latin = runs.iter().find(|(_, is_rtl)| !is_rtl).unwrap().0;
        assert!(latin < hebrew, "{runs:?}");
    }

    #[test]
    fn a_block_is_as_wide_as_its_widest_line_however_its_lines_stand() {
        let text = "Star walks\nevery clear Friday";
        let at = |align| {
            let setting = set(&TextBlock { align, ..block(text) }, 900.0, Scales::PLAIN);
            let first = setting.runs().next().unwrap().offset();
            (
                setting.width.round(),
                f64::from(first),
                f64::from(setting.runs().next().unwrap().advance()),
            )
        };
        let (width, left, length) = at(Align::Left);
        assert!(left.abs() < 0.1, "{left}");
        let (same, middle, _) = at(Align::Middle);
        assert_eq!(width, same);
        assert!((middle - (width - length) / 2.0).abs() < 1.0, "{middle}");
        let (_, right, _) = at(Align::Right);
        assert!((right - (width - length)).abs() < 1.0, "{right}");
    }
}

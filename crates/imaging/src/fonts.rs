//! The fonts that ship with the program, so that text looks the same on every machine.

use std::sync::LazyLock;

use skrifa::{FontRef, MetadataProvider};

use brisk_margin_core::edits::text::Font;

/// The family of text that names none.
pub(crate) const SANS: &str = "Source Sans Pro";
/// The family of text that asks for one with serifs.
pub(crate) const SERIF: &str = "Source Serif Pro";

/// Every font file.
pub(crate) static FILES: [&[u8]; 10] = [
    include_bytes!("../fonts/SourceSansPro-Regular.ttf"),
    include_bytes!("../fonts/SourceSansPro-Semibold.ttf"),
    include_bytes!("../fonts/SourceSansPro-Bold.ttf"),
    include_bytes!("../fonts/SourceSerifPro-Regular.ttf"),
    include_bytes!("../fonts/SourceSerifPro-Bold.ttf"),
    include_bytes!("../fonts/NotoSansArabic-Regular.ttf"),
    include_bytes!("../fonts/NotoSansArabic-Bold.ttf"),
    include_bytes!("../fonts/NotoSansDevanagari-Regular.ttf"),
    include_bytes!("../fonts/NotoSansDevanagari-Bold.ttf"),
    include_bytes!("../fonts/DejaVuSans.ttf"),
];

static FONTS: LazyLock<Vec<FontRef<'static>>> = LazyLock::new(|| {
    FILES.iter().map(|file| FontRef::new(file).expect("a font that ships")).collect()
});

/// The families in which the letters of `font` are looked up, in their order.
pub(crate) const fn families(font: Font) -> [&'static str; 4] {
    let own = match font {
        Font::Sans => SANS,
        Font::Serif => SERIF,
    };
    [own, "Noto Sans Arabic", "Noto Sans Devanagari", "DejaVu Sans"]
}

/// Whether a font has a shape for `letter`, or it needs none.
pub(crate) fn have(letter: char) -> bool {
    letter.is_whitespace()
        || is_invisible(letter)
        || FONTS.iter().any(|font| font.charmap().map(letter).is_some())
}

/// Joiners, marks of direction and selectors of variants: they act on their neighbours.
const fn is_invisible(letter: char) -> bool {
    matches!(letter,
        '\u{AD}' | '\u{61C}' | '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}'
        | '\u{2060}'..='\u{2069}' | '\u{FE00}'..='\u{FE0F}')
}

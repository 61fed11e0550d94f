//! Name patterns: what files are called by the rules of a site.

use crate::describe::Description;
use crate::embedded::EmbeddedMetadata;
use crate::format::Format;
use crate::geometry::Size;
use crate::naming::{MAX_NAME, latin, split_extension};
use crate::slot_name;

/// A pattern that file names are proposed by, such as `{title}-{slot}-{width}x{height}`.
///
/// Its parts: `title`, `slot`, `width`, `height`, `date`, `initials`, `number`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    pieces: Vec<Piece>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Piece {
    Plain(String),
    Part(Part),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Part {
    Title,
    Slot,
    Width,
    Height,
    Date,
    Initials,
    Number,
}

const PARTS: [(&str, Part); 7] = [
    ("title", Part::Title),
    ("slot", Part::Slot),
    ("width", Part::Width),
    ("height", Part::Height),
    ("date", Part::Date),
    ("initials", Part::Initials),
    ("number", Part::Number),
];

/// What the parts of a [`Pattern`] stand for; an empty one leaves no gap.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NameParts {
    /// What the picture is called.
    pub title: String,
    /// The slot it is for.
    pub slot: String,
    /// Its pixels across.
    pub width: u32,
    /// Its pixels down.
    pub height: u32,
    /// A day, as `2026-09-14`.
    pub date: String,
    /// Of whoever made it.
    pub initials: String,
    /// Its place in an order, from 1.
    pub number: u32,
}

impl NameParts {
    /// The parts for a picture called `name` of `size`, as `description` and its own `embedded`
    /// metadata tell, added on the day `added` (as in 2026-09-14), in the slot called `slot` or in
    /// none. `initials` are the site's; without them, its creator's. The number is 1.
    pub fn new(
        name: &str,
        size: Size,
        description: &Description,
        embedded: &EmbeddedMetadata,
        added: &str,
        slot: Option<&str>,
        initials: &str,
    ) -> Self {
        let title = &description.title;
        let taken = embedded.taken.get(..10).map(|day| day.replace(':', "-"));
        let initials = match initials {
            "" => self::initials(&description.creator),
            initials => initials.to_owned(),
        };
        Self {
            title: if title.is_empty() { name.to_owned() } else { title.clone() },
            slot: slot.map(slot_name::without_counts).unwrap_or_default(),
            width: size.width,
            height: size.height,
            date: taken.unwrap_or_else(|| added.to_owned()),
            initials,
            number: 1,
        }
    }
}

/// A pattern that cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PatternError {
    /// A part that is not known.
    #[error("there is no part {{{0}}}: use title, slot, width, height, date, initials or number")]
    UnknownPart(String),
    /// A brace without its partner.
    #[error("a brace in the pattern has no partner")]
    OpenBrace,
    /// Every picture would get the same name.
    #[error("the pattern has no part that tells pictures apart: use {{title}} or {{number}}")]
    Constant,
}

impl Pattern {
    /// The pattern of a site that has set none.
    pub const USUAL: &str = "{title}-{slot}-{width}x{height}";

    /// Reads a pattern.
    ///
    /// # Errors
    /// [`PatternError`] where it cannot be used.
    ///
    /// ```
    /// use brisk_margin_core::name_pattern::{NameParts, Pattern};
    ///
    /// let pattern = Pattern::parse("{title}-{slot}-{width}x{height}")?;
    /// let parts = NameParts {
    ///     title: "Dome at dusk".into(),
    ///     slot: "Home header".into(),
    ///     width: 1824,
    ///     height: 688,
    ///     ..NameParts::default()
    /// };
    /// assert_eq!(pattern.stem(&parts), "dome-at-dusk-home-header-1824x688");
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn parse(text: &str) -> Result<Self, PatternError> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some((plain, after)) = rest.split_once('{') {
            let (name, after) = after.split_once('}').ok_or(PatternError::OpenBrace)?;
            let known = PARTS.iter().find(|(known, _)| *known == name);
            let (_, part) = known.ok_or_else(|| PatternError::UnknownPart(name.to_owned()))?;
            pieces.extend([Piece::Plain(plain.to_owned()), Piece::Part(*part)]);
            rest = after;
        }
        if rest.contains('}') {
            return Err(PatternError::OpenBrace);
        }
        pieces.push(Piece::Plain(rest.to_owned()));
        let apart = |piece: &Piece| matches!(piece, Piece::Part(Part::Title | Part::Number));
        if !pieces.iter().any(apart) {
            return Err(PatternError::Constant);
        }
        Ok(Self { pieces })
    }

    /// Whether it tells files of different widths apart.
    pub fn has_width(&self) -> bool {
        self.pieces.contains(&Piece::Part(Part::Width))
    }

    /// Whether it tells pictures apart by a number.
    pub fn has_number(&self) -> bool {
        self.pieces.contains(&Piece::Part(Part::Number))
    }

    /// The stem of a file name for `subject`: lower-case Latin letters, digits and single
    /// hyphens, without an extension. Never empty.
    pub fn stem(&self, subject: &NameParts) -> String {
        const MOST: usize = MAX_NAME - 16;
        let mut stem = self.filled(subject);
        // The title gives way: what tells a picture's files apart stands behind it.
        if stem.len() > MOST {
            let mut title = latin(split_extension(&subject.title).0);
            title.truncate(title.len().saturating_sub(stem.len() - MOST));
            stem = self.filled(&NameParts { title, ..subject.clone() });
            stem.truncate(MOST);
        }
        let stem = stem.trim_matches('-');
        if stem.is_empty() { "picture".to_owned() } else { stem.to_owned() }
    }

    /// In Latin letters, digits and hyphens, however long.
    fn filled(&self, subject: &NameParts) -> String {
        let text: Vec<String> = self.pieces.iter().map(|piece| piece.fill(subject)).collect();
        latin(&text.concat())
    }
}

impl Piece {
    fn fill(&self, subject: &NameParts) -> String {
        let pixels = |side: u32| if side == 0 { String::new() } else { side.to_string() };
        match self {
            Self::Plain(text) => text.clone(),
            Self::Part(Part::Title) => split_extension(&subject.title).0.to_owned(),
            Self::Part(Part::Slot) => subject.slot.clone(),
            Self::Part(Part::Width) => pixels(subject.width),
            Self::Part(Part::Height) => pixels(subject.height),
            Self::Part(Part::Date) => subject.date.clone(),
            Self::Part(Part::Initials) => subject.initials.clone(),
            Self::Part(Part::Number) => format!("{:03}", subject.number),
        }
    }
}

/// The first letters of each word of a name.
pub fn initials(name: &str) -> String {
    let first = |word: &str| word.chars().find(|c| c.is_alphabetic());
    name.split([' ', '-', '.']).filter_map(first).take(4).collect()
}

/// What a file is to be called.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NameWish {
    /// By a pattern; where that has no width, one is put behind it, since a set has several.
    Pattern {
        /// The pattern.
        pattern: Pattern,
        /// What its parts stand for; the number is the first that is tried.
        parts: NameParts,
    },
    /// So, without an extension.
    Stem(String),
}

impl NameWish {
    /// The name in `format` at the `nth` attempt, from 1 on: the pattern's number counts up, or a
    /// number behind the name does.
    ///
    /// ```
    /// use brisk_margin_core::format::Format;
    /// use brisk_margin_core::name_pattern::{NameParts, NameWish, Pattern};
    ///
    /// let parts = NameParts { title: "Dome".into(), width: 640, number: 1, ..NameParts::default() };
    /// let counted = Pattern::parse("{number}-{title}-{width}")?;
    /// let wish = NameWish::Pattern { pattern: counted, parts };
    /// assert_eq!(wish.at(1, Format::Webp), "001-dome-640.webp");
    /// assert_eq!(wish.at(2, Format::Webp), "002-dome-640.webp");
    /// assert_eq!(NameWish::Stem("dome".into()).at(2, Format::Webp), "dome-2.webp");
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn at(&self, nth: u32, format: Format) -> String {
        let ending = format.extension();
        let (stem, counts) = match self {
            Self::Stem(stem) => (stem.clone(), false),
            Self::Pattern { pattern, parts } => {
                let number = parts.number + nth - 1;
                let mut stem = pattern.stem(&NameParts { number, ..parts.clone() });
                if !pattern.has_width() {
                    stem = format!("{stem}-{}", parts.width);
                }
                (stem, pattern.has_number())
            }
        };
        match nth {
            2.. if !counts => format!("{stem}-{nth}.{ending}"),
            _ => format!("{stem}.{ending}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_pattern_makes_names_that_any_host_takes() {
        let pattern = Pattern::parse("{date}_{title}-{slot}-{width}x{height}-{initials}").unwrap();
        let subject = NameParts {
            title: "Große Kuppel, Бурштин".into(),
            slot: "Hero".into(),
            width: 912,
            height: 344,
            date: "2026-09-14".into(),
            initials: initials("Ada Fenn-Ruel"),
            number: 7,
        };
        assert_eq!(pattern.stem(&subject), "2026-09-14-grosse-kuppel-burshtin-hero-912x344-afr");
        let bare = NameParts { title: "☾".into(), ..NameParts::default() };
        assert_eq!(Pattern::parse("{title}-{slot}").unwrap().stem(&bare), "picture");
        assert_eq!(Pattern::parse("dusk"), Err(PatternError::Constant));
        assert_eq!(Pattern::parse("{title"), Err(PatternError::OpenBrace));
        assert_eq!(Pattern::parse("{name}"), Err(PatternError::UnknownPart("name".into())));
    }

    #[test]
    fn a_long_title_gives_way_to_what_tells_its_files_apart() {
        let pattern = Pattern::parse(Pattern::USUAL).unwrap();
        let subject = NameParts {
            title: "a night with the veil ".repeat(9),
            slot: "teaser".into(),
            width: 772,
            height: 475,
            ..NameParts::default()
        };
        let stem = pattern.stem(&subject);
        assert!(stem.ends_with("-teaser-772x475") && stem.starts_with("a-night-with"), "{stem}");
        assert!(stem.len() < MAX_NAME);
    }

    proptest! {
        #[test]
        fn any_subject_gives_a_safe_name(title in "\\PC{0,80}", slot in "\\PC{0,20}", number in 0u32..99) {
            let pattern = Pattern::parse("{number}-{title}{slot}").unwrap();
            let stem = pattern.stem(&NameParts { title, slot, number, ..NameParts::default() });
            prop_assert!(!stem.is_empty() && stem.len() < MAX_NAME);
            let safe = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
            prop_assert!(stem.chars().all(safe), "{stem}");
        }
    }
}

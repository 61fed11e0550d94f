//! File names: tidying those that come in, and proposing those that go out.

use unicode_normalization::UnicodeNormalization;

use crate::format::Format;
use crate::slot::Slot;
use crate::units::Density;

/// The longest name that is kept, in characters.
pub const MAX_NAME: usize = 120;

/// What an uploaded file is called from now on.
///
/// Path parts, control characters and direction overrides are taken out and a long name is
/// shortened before its extension; all else is kept, in any script. A name of which nothing is
/// left becomes `picture`.
pub fn tidy(raw: &str) -> String {
    let last = raw.rsplit(['/', '\\']).next().unwrap_or_default();
    let clean: String = last.nfc().filter(|&c| !c.is_control() && !steers_text(c)).collect();
    let clean = clean.trim().trim_start_matches('.').trim();
    let short = shorten(clean);
    if short.is_empty() { "picture".to_owned() } else { short }
}

/// What a folder of the library is called: its parts tidied as names are, joined by slashes,
/// without empty ones.
pub fn tidy_folder(raw: &str) -> String {
    let parts =
        raw.split(['/', '\\']).map(str::trim).filter(|part| !part.trim_matches('.').is_empty());
    parts.map(tidy).take(12).collect::<Vec<_>>().join("/")
}

/// Characters that are not seen but change how a name reads: bidirectional controls, zero-width
/// marks and the byte order mark.
fn steers_text(c: char) -> bool {
    matches!(
        c,
        '\u{061C}' | '\u{200B}' | '\u{200E}' | '\u{200F}' | '\u{2028}'
            | '\u{2029}' | '\u{202A}'..='\u{202E}' | '\u{2060}'..='\u{2069}' | '\u{FEFF}'
    )
}

fn shorten(name: &str) -> String {
    let length = name.chars().count();
    if length <= MAX_NAME {
        return name.to_owned();
    }
    let (stem, extension) = split_extension(name);
    let room = MAX_NAME - 1 - extension.chars().count();
    let stem: String = stem.chars().take(room).collect();
    match extension {
        "" => stem,
        _ => format!("{}.{extension}", stem.trim_end()),
    }
}

/// Splits `name` before its extension, where it has one that looks like one.
fn split_extension(name: &str) -> (&str, &str) {
    match name.rsplit_once('.') {
        Some((stem, extension))
            if !stem.is_empty()
                && (1..=8).contains(&extension.len())
                && extension.chars().all(|c| c.is_ascii_alphanumeric()) =>
        {
            (stem, extension)
        }
        _ => (name, ""),
    }
}

/// The file name of what is made from picture `name` for `slot`: subject, slot and density, in
/// lower case, safe in an address and on every file system.
///
/// ```
/// use brisk_margin_core::{format::Format, naming, slot::{Fit, Slot}, units::Density};
///
/// let slot = Slot::new(912.0, 344.0, Fit::Cover).unwrap();
/// let name = naming::propose("Dome at Dusk.JPG", slot, Density::ONE, Format::Webp);
/// assert_eq!(name, "dome-at-dusk-912x344.webp");
/// ```
pub fn propose(name: &str, slot: Slot, density: Density, format: Format) -> String {
    let (stem, _) = split_extension(name);
    let subject = words(stem);
    let subject = if subject.is_empty() { "picture" } else { &subject };
    let size = format!("{}x{}", slot.width().get(), slot.height().get()).replace('.', "_");
    let density = match density.get() {
        1.0 => String::new(),
        d => format!("@{}x", d.to_string().replace('.', "_")),
    };
    format!("{subject}-{size}{density}.{}", format.extension())
}

/// Letters and digits in lower case, all else as single hyphens.
fn words(text: &str) -> String {
    text.to_lowercase()
        .split(|c: char| !c.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .collect::<Vec<_>>()
        .join("-")
}

/// Whether `text`, said of the picture called `name`, is a file name and no sentence: it has an
/// extension, repeats the name's stem, or is one word with digits or joints such as `IMG_0412`.
pub fn reads_like_a_file(text: &str, name: &str) -> bool {
    let text = text.trim();
    let lower = text.to_lowercase();
    let (stem, extension) = split_extension(&lower);
    let one_word = !stem.contains(char::is_whitespace);
    let of_a_file =
        ["jpg", "jpeg", "png", "webp", "avif", "gif", "tif", "tiff", "bmp", "svg", "heic"];
    let jointed = |c: char| c.is_ascii_digit() || matches!(c, '_' | '-');
    let (own_stem, _) = split_extension(name);
    of_a_file.contains(&extension)
        || text == own_stem && one_word && stem.chars().any(jointed)
        || one_word && stem.contains(['_', '-']) && stem.chars().any(|c| c.is_ascii_digit())
}

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
#[derive(Debug, Clone, Default)]
pub struct Subject {
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

    /// The stem of a file name for `subject`: lower-case Latin letters, digits and single
    /// hyphens, without an extension. Never empty.
    pub fn stem(&self, subject: &Subject) -> String {
        const MOST: usize = MAX_NAME - 16;
        let mut stem = self.filled(subject);
        // The title gives way: what tells a picture's files apart stands behind it.
        if stem.len() > MOST {
            let mut title = latin(split_extension(&subject.title).0);
            title.truncate(title.len().saturating_sub(stem.len() - MOST));
            stem = self.filled(&Subject { title, ..subject.clone() });
            stem.truncate(MOST);
        }
        let stem = stem.trim_matches('-');
        if stem.is_empty() { "picture".to_owned() } else { stem.to_owned() }
    }

    /// In Latin letters, digits and hyphens, however long.
    fn filled(&self, subject: &Subject) -> String {
        let text: Vec<String> = self.pieces.iter().map(|piece| piece.fill(subject)).collect();
        latin(&text.concat())
    }
}

impl Piece {
    fn fill(&self, subject: &Subject) -> String {
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

/// `text` in lower-case Latin letters and digits, all else as single hyphens.
fn latin(text: &str) -> String {
    // Umlauts are spelt out where German readers would; the library drops their dots.
    let spelt = text.to_lowercase().replace('ä', "ae").replace('ö', "oe").replace('ü', "ue");
    words(&deunicode::deunicode(&spelt))
}

/// `stem` with its extension, and a number before it where `is_taken` says that others have the
/// name.
pub fn unique(stem: &str, extension: &str, is_taken: impl Fn(&str) -> bool) -> String {
    let free = candidates(stem, extension).find(|name| !is_taken(name));
    free.unwrap_or_else(|| format!("{stem}.{extension}"))
}

/// `stem` with its extension, and then with numbers from 2 on before it.
pub fn candidates(stem: &str, extension: &str) -> impl Iterator<Item = String> {
    let plain = format!("{stem}.{extension}");
    let numbered = (2u32..).map(move |n| format!("{stem}-{n}.{extension}"));
    std::iter::once(plain).chain(numbered)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::slot::Fit;
    use proptest::prelude::*;

    #[test]
    fn a_name_is_never_a_path() {
        assert_eq!(tidy("../../etc/passwd.jpg"), "passwd.jpg");
        assert_eq!(tidy(r"C:\fakepath\dome.png"), "dome.png");
        assert_eq!(tidy(".."), "picture");
        assert_eq!(tidy(".htaccess"), "htaccess");
        assert_eq!(tidy(""), "picture");
    }

    #[test]
    fn what_cannot_be_seen_is_taken_out_and_any_script_is_kept() {
        assert_eq!(tidy("evil\u{202E}gpj.exe\0\n.jpg"), "evilgpj.exe.jpg");
        assert_eq!(tidy("Sternwarte Bärental ☾.jpg"), "Sternwarte Bärental ☾.jpg");
        assert_eq!(tidy("مرصد.png"), "مرصد.png");
    }

    #[test]
    fn a_long_name_keeps_its_extension() {
        let name = tidy(&format!("{}.jpeg", "ü".repeat(400)));
        assert_eq!(name.chars().count(), MAX_NAME);
        assert!(name.ends_with("ü.jpeg"));
    }

    #[test]
    fn a_proposal_carries_subject_slot_and_density() {
        let slot = Slot::new(333.5, 344.0, Fit::Cover).unwrap();
        let two = Density::new(2.0).unwrap();
        assert_eq!(
            propose("DSC_0412 (Edited).JPG", slot, two, Format::Jpeg),
            "dsc-0412-edited-333_5x344@2x.jpg"
        );
        assert_eq!(propose("☾☾.png", slot, Density::ONE, Format::Png), "picture-333_5x344.png");
    }

    #[test]
    fn a_pattern_makes_names_that_any_host_takes() {
        let pattern = Pattern::parse("{date}_{title}-{slot}-{width}x{height}-{initials}").unwrap();
        let subject = Subject {
            title: "Große Kuppel, Бурштин".into(),
            slot: "Hero".into(),
            width: 912,
            height: 344,
            date: "2026-09-14".into(),
            initials: initials("Ada Fenn-Ruel"),
            number: 7,
        };
        assert_eq!(pattern.stem(&subject), "2026-09-14-grosse-kuppel-burshtin-hero-912x344-afr");
        let bare = Subject { title: "☾".into(), ..Subject::default() };
        assert_eq!(Pattern::parse("{title}-{slot}").unwrap().stem(&bare), "picture");
        assert_eq!(Pattern::parse("dusk"), Err(PatternError::Constant));
        assert_eq!(Pattern::parse("{title"), Err(PatternError::OpenBrace));
        assert_eq!(Pattern::parse("{name}"), Err(PatternError::UnknownPart("name".into())));
    }

    #[test]
    fn a_taken_name_gets_the_next_number() {
        let taken = ["dome.jpg", "dome-2.jpg"];
        assert_eq!(unique("dome", "jpg", |name| taken.contains(&name)), "dome-3.jpg");
        assert_eq!(unique("moor", "jpg", |name| taken.contains(&name)), "moor.jpg");
    }

    #[test]
    fn file_names_are_told_from_sentences() {
        for text in ["IMG_0412", "dome-2.png", "A walk.JPG", "dsc-17"] {
            assert!(reads_like_a_file(text, "other.jpg"), "{text}");
        }
        assert!(reads_like_a_file("dome2", "dome2.jpg"));
        for text in ["Dome", "The 2-metre mirror", "Star-walkers on the moor", "M31"] {
            assert!(!reads_like_a_file(text, "other.jpg"), "{text}");
        }
    }

    #[test]
    fn a_long_title_gives_way_to_what_tells_its_files_apart() {
        let pattern = Pattern::parse(Pattern::USUAL).unwrap();
        let subject = Subject {
            title: "a night with the veil ".repeat(9),
            slot: "teaser".into(),
            width: 772,
            height: 475,
            ..Subject::default()
        };
        let stem = pattern.stem(&subject);
        assert!(stem.ends_with("-teaser-772x475") && stem.starts_with("a-night-with"), "{stem}");
        assert!(stem.len() < MAX_NAME);
    }

    proptest! {
        #[test]
        fn any_subject_gives_a_safe_name(title in "\\PC{0,80}", slot in "\\PC{0,20}", number in 0u32..99) {
            let pattern = Pattern::parse("{number}-{title}{slot}").unwrap();
            let stem = pattern.stem(&Subject { title, slot, number, ..Subject::default() });
            prop_assert!(!stem.is_empty() && stem.len() < MAX_NAME);
            let safe = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
            prop_assert!(stem.chars().all(safe), "{stem}");
        }

        #[test]
        fn any_name_comes_out_harmless(raw in "\\PC{0,200}|.{0,200}") {
            let name = tidy(&raw);
            prop_assert!(!name.is_empty() && name.chars().count() <= MAX_NAME);
            let harmful = name.contains(['/', '\\', '\0', '\u{202E}']);
            prop_assert!(!harmful);
            prop_assert!(name != "." && name != "..");
            prop_assert_eq!(tidy(&name), name);
        }
    }
}

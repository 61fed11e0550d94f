//! File names: tidying those that come in, and proposing those that go out.

use unicode_normalization::UnicodeNormalization;

use crate::format::Format;
use crate::slot_shape::SlotShape;
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

/// What addresses of a site called `name` begin with: small letters without accents, figures and
/// single hyphens, at most 40 of them; `site` where nothing is left.
///
/// ```
/// assert_eq!(brisk_margin_core::naming::slug("Tarnlight Observatory"), "tarnlight-observatory");
/// ```
pub fn slug(name: &str) -> String {
    let joined: String = latin(name).chars().take(40).collect();
    match joined.trim_matches('-') {
        "" => "site".to_owned(),
        slug => slug.to_owned(),
    }
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
pub(crate) fn split_extension(name: &str) -> (&str, &str) {
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
/// use brisk_margin_core::{format::Format, naming, slot_shape::{Fit, SlotShape}, units::Density};
///
/// let slot = SlotShape::new(912.0, 344.0, Fit::Cover).unwrap();
/// let name = naming::propose("Dome at Dusk.JPG", slot, Density::ONE, Format::Webp);
/// assert_eq!(name, "dome-at-dusk-912x344.webp");
/// ```
pub fn propose(name: &str, slot: SlotShape, density: Density, format: Format) -> String {
    format!("{}.{}", propose_stem(name, slot, density), format.extension())
}

/// [`propose`]'s name without its extension.
pub fn propose_stem(name: &str, slot: SlotShape, density: Density) -> String {
    let (stem, _) = split_extension(name);
    let subject = words(stem);
    let subject = if subject.is_empty() { "picture" } else { &subject };
    let size = format!("{}x{}", slot.width().get(), slot.height().get()).replace('.', "_");
    let density = match density.get() {
        1.0 => String::new(),
        d => format!("@{}x", d.to_string().replace('.', "_")),
    };
    format!("{subject}-{size}{density}")
}

/// Letters and digits in lower case, all else as single hyphens.
pub(crate) fn words(text: &str) -> String {
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
        ["jpg", "jpeg", "png", "webp", "avif", "gif", "tif", "tiff", "bmp", "svg", "jxl", "heic"];
    let jointed = |c: char| c.is_ascii_digit() || matches!(c, '_' | '-');
    let (own_stem, _) = split_extension(name);
    of_a_file.contains(&extension)
        || text == own_stem && one_word && stem.chars().any(jointed)
        || one_word && stem.contains(['_', '-']) && stem.chars().any(|c| c.is_ascii_digit())
}

/// `text` in lower-case Latin letters and digits, all else as single hyphens.
pub(crate) fn latin(text: &str) -> String {
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
    use crate::slot_shape::Fit;
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
        let slot = SlotShape::new(333.5, 344.0, Fit::Cover).unwrap();
        let two = Density::new(2.0).unwrap();
        assert_eq!(
            propose("DSC_0412 (Edited).JPG", slot, two, Format::Jpeg),
            "dsc-0412-edited-333_5x344@2x.jpg"
        );
        assert_eq!(propose("☾☾.png", slot, Density::ONE, Format::Png), "picture-333_5x344.png");
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

    proptest! {
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

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

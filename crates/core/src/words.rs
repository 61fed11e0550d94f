//! Words for people: shortened, with a capital.

/// `text` with at most `longest` characters, cut between words where that is possible.
pub fn shortened(text: &str, longest: usize) -> String {
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if text.chars().count() <= longest {
        return text;
    }
    let cut: String = text.chars().take(longest.saturating_sub(1)).collect();
    let whole =
        cut.rfind(' ').filter(|&at| at * 2 > cut.len()).map_or(cut.as_str(), |at| &cut[..at]);
    format!("{}…", whole.trim_end_matches([',', ';', ':', '.', ' ']))
}

/// `text` with its first letter as a capital.
pub fn capitalised(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_text_is_cut_between_words_and_never_within_a_letter() {
        assert_eq!(shortened("The  dome at\ndusk", 20), "The dome at dusk");
        assert_eq!(shortened("The dome at dusk, from the west", 20), "The dome at dusk…");
        assert_eq!(shortened("Sternführungsanmeldungsformular", 12), "Sternführun…");
        assert_eq!(capitalised("über uns"), "Über uns");
    }
}
